"""Choices of rows and fields, saved by name to be exported again: ``.kotrel/choices/NAME.json``."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.similarity import nearest
from kotrel.workspace.file_names import is_file_name

FOLDER = "choices"


@dataclass(frozen=True)
class Choice:
    """Which records, fields and rows, in which order."""

    records: tuple[str, ...]
    fields: tuple[str, ...] = ()
    where: str | None = None
    sort: tuple[str, ...] = ()
    with_names: bool = False


def save_choice(hidden: Path, name: str, choice: Choice) -> bool:
    """Saves a choice; returns True where it took the place of another one of that name.

    Raises:
        WrongUse: the name is none.
        OutOfReach: it cannot be written.
    """
    if not is_file_name(name):
        raise WrongUse(
            f"“{name}” is no name for a choice", "Use letters, digits, - and _, like ropes.", "wrong-command-line"
        )
    path = hidden / FOLDER / f"{name}.json"
    there = path.exists()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        soon = path.with_suffix(".soon")
        soon.write_text(json.dumps(asdict(choice), ensure_ascii=False, indent=1), "utf-8")
        soon.replace(path)
    except OSError as error:
        raise OutOfReach(f"{path} cannot be written: {error.strerror or error}", "", "no-right") from None
    return there


def saved_choice(hidden: Path, name: str) -> Choice:
    """The choice of that name.

    Raises:
        WrongUse: there is none, or its file is damaged.
    """
    path = hidden / FOLDER / f"{name}.json"
    try:
        said = json.loads(path.read_text("utf-8"))
        records, fields, sort = (tuple(said[key]) for key in ("records", "fields", "sort"))
        where = said["where"]
        if not all(isinstance(each, str) for each in (*records, *fields, *sort, where or "")):
            raise TypeError
        return Choice(records, fields, where, sort, bool(said["with_names"]))
    except FileNotFoundError:
        there = sorted(each.stem for each in (hidden / FOLDER).glob("*.json"))
        close = nearest(name, there)
        hint = (
            f"Did you mean {close}?" if close else f"The choices are: {', '.join(there) or 'none yet (--save NAME)'}."
        )
        raise WrongUse(f"there is no saved choice “{name}”", hint, "no-such-choice") from None
    except (OSError, ValueError, KeyError, TypeError):
        raise WrongUse(
            f"{path} is damaged", "Save the choice again: kotrel export … --save NAME", "no-such-choice"
        ) from None
