"""Pictures at a service: which of those that a load names it keeps, and sending those that it lacks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from urllib.parse import quote

from kotrel.core.changes.plan import Plan
from kotrel.core.errors import OutOfReach
from kotrel.core.rows.system_state import FileFacts
from kotrel.systems.interface import Step
from kotrel.systems.pictures import picture_facts
from kotrel.systems.service.client import Client

AT_ONCE = 1_000
"""Names that are asked for in one request."""


def kept_pictures(client: Client, names: Sequence[str]) -> dict[str, FileFacts] | None:
    """What the service says of those that it keeps; None where it keeps no pictures."""
    facts: dict[str, FileFacts] = {}
    for at in range(0, len(names), AT_ONCE):
        answer = client.send("POST", "/v1/pictures/facts", {"names": list(names[at : at + AT_ONCE])}).json()
        if not answer["kept"]:
            return None
        facts |= {
            name: FileFacts(int(each["bytes"]), bool(each["is_picture"]), str(each["sha256"]))
            for name, each in answer["pictures"].items()
        }
    return facts


def missing_pictures(client: Client, plan: Plan, folder: Path) -> dict[str, FileFacts]:
    """The pictures of new and changed rows that the folder has and the service lacks;
    none where it keeps no pictures.
    """
    names = _picture_names(plan)
    kept = kept_pictures(client, names) if names else None
    if kept is None:
        return {}
    own = {name: picture_facts(folder, name) for name in names if name not in kept}
    return {name: facts for name, facts in own.items() if facts is not None}


def send_pictures(client: Client, missing: Mapping[str, FileFacts], folder: Path | None, step: Step) -> None:
    """Sends them, one by one. A picture that no row names in the end does no harm, and none is ever overwritten."""
    if folder is None or not missing:
        return
    step("sending pictures")
    for name in missing:
        try:
            content = (folder / name).read_bytes()
        except OSError as error:
            raise OutOfReach(
                f"the picture {folder / name} cannot be read: {error.strerror or error}; nothing was loaded",
                "",
                "file-not-readable",
            ) from None
        # A # or ? in a name would end the address there.
        client.send("PUT", f"/v1/pictures/{quote(name)}", raw=content)


def _picture_names(plan: Plan) -> list[str]:
    names: list[str] = []
    for changes in plan.changes:
        rows = changes.rows_of("new", "changed")
        for name in changes.fields:
            field = changes.record.fields[name]
            if field.files is not None:
                values = rows[name].drop_nulls()
                names += (values.str.split("; ").explode() if field.kind == "list" else values).to_list()
    return list(dict.fromkeys(names))
