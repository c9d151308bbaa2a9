"""Text files that were made from another file: that one is the master,
and what is changed in the text alone is lost with the next.
"""

from __future__ import annotations

import hashlib
import json
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from typing import Any, NamedTuple

from kotrel.sheets.safe_writing import make_folder

FOLDER = "made"


class Said(NamedTuple):
    """What is to be said of a text file: the kind of the finding, its title and its message."""

    kind: str
    title: str
    message: str


def remember_made(hidden: Path, file: Path, source: Path, at: datetime) -> None:
    """Remembers what a file was made from, and both contents.
    Without the note, only a warning would be missing later.
    """
    about = {
        "file": str(file.resolve()),
        "from": str(source.resolve()),
        "at": at.isoformat(sep=" ", timespec="minutes")[:16],
        "content": _content(file),
        "source": _content(source),
    }
    with suppress(OSError):
        make_folder(_note(hidden, file).parent)
        _note(hidden, file).write_text(json.dumps(about, ensure_ascii=False, indent=1), "utf-8")


def said_of_made(hidden: Path, file: Path) -> list[Said]:
    """Whether a text file was edited since it was made, or is older than what it was made from."""
    try:
        about: dict[str, Any] = json.loads(_note(hidden, file).read_text("utf-8"))
        source, at = Path(str(about["from"])), str(about["at"])
        was, stood = str(about["content"]), str(about["source"])
    except (OSError, ValueError, TypeError, KeyError):
        return []
    said = []
    if _content(file) not in (was, None):
        message = f"it was made from {source.name} on {at} and edited since: edit {source.name} instead, or the next one made from it lacks that"
        said.append(Said("edited-text", "a text file that was edited", message))
    if _content(source) not in (stood, None):
        message = (
            f"{source.name} has changed since this file was made from it on {at}: make it again, or check {source.name}"
        )
        said.append(Said("outdated-text", "a text file that is out of date", message))
    return said


def _note(hidden: Path, file: Path) -> Path:
    return (
        hidden
        / FOLDER
        / f"{hashlib.sha256(str(file.resolve()).encode(errors='surrogateescape')).hexdigest()[:20]}.json"
    )


def _content(file: Path) -> str | None:
    try:
        return hashlib.sha256(file.read_bytes()).hexdigest()
    except OSError:
        return None
