"""What marked the workbooks of a load, for its refused rows: handed back, they belong to the same export and the same price rules."""

from __future__ import annotations

import json
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from kotrel.core.errors import OutOfReach

FOLDER = "rests"
Stamps = Mapping[str, Mapping[str, str]]
"""File → the names and texts of the stamps in it."""


def keep_stamps(hidden: Path, fingerprint: str, stamps: Stamps) -> None:
    """Keeps the stamps of a load's files, by the fingerprint of their content. Without any, there is nothing to keep."""
    marked = {file: dict(mine) for file, mine in stamps.items() if mine}
    if not marked:
        return
    with suppress(OSError):
        (hidden / FOLDER).mkdir(parents=True, exist_ok=True)
        (hidden / FOLDER / f"{fingerprint}.json").write_text(json.dumps(marked, ensure_ascii=False), "utf-8")


def kept_stamps(hidden: Path, fingerprint: str) -> Stamps:
    """The stamps of a load's files; none where nothing was kept.

    Raises:
        OutOfReach: the note is damaged: without it, rows of new prices would come back without their guards.
    """
    note = hidden / FOLDER / f"{fingerprint}.json"
    if not note.exists():
        return {}
    try:
        found = json.loads(note.read_text("utf-8"))
        return {str(file): {str(name): str(text) for name, text in mine.items()} for file, mine in found.items()}
    except (OSError, ValueError, AttributeError):
        raise OutOfReach(
            f"{note} cannot be read, so nobody knows which export or price rules the rows belong to",
            "Take the file .rest.xlsx that the load wrote.",
            "damaged-note",
        ) from None
