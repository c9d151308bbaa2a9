"""The pictures that items name: those in the workspace's folder, and those that a service keeps;
without decoding them.
"""

from __future__ import annotations

import hashlib
import unicodedata
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from msgspec.structs import replace

from kotrel.core.rows.system_state import FileFacts, Files
from kotrel.sheets.safe_writing import make_folder, written_whole

_STARTS = (b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff", b"GIF87a", b"GIF89a", b"BM", b"II*\x00", b"MM\x00*")
"""The first bytes of PNG, JPEG, GIF, BMP and TIFF files, as defined by their formats."""


def _held_as(folder: Path, name: str) -> Path:
    """The path of a name, as the folder writes it: one name in another form of Unicode is the same name."""
    path = folder / unicodedata.normalize("NFC", name)
    if name.isascii() or path.exists():
        return path
    here = folder
    for part in path.relative_to(folder).parts:
        try:
            same = [each.name for each in here.iterdir() if unicodedata.normalize("NFC", each.name) == part]
        except OSError:
            same = []
        here = here / (same[0] if same else part)
    return here


def within(folder: Path, name: str) -> Path | None:
    """The file of that name in the folder; None for a name that leads out of it."""
    path = _held_as(folder, name)
    try:
        inside = path.resolve().is_relative_to(folder.resolve()) and path.resolve() != folder.resolve()
        return path if inside else None
    except (OSError, ValueError):
        return None


def picture_facts(folder: Path, name: str) -> FileFacts | None:
    """What is known about a picture, or None if the folder has no such file; a name never leads out of the folder."""
    path = within(folder, name)
    try:
        if path is None or not path.is_file():
            return None
        with path.open("rb") as file:
            start = file.read(16)
        return FileFacts(path.stat().st_size, is_picture(start))
    except (OSError, ValueError):
        return None


def with_fingerprint(folder: Path, name: str) -> FileFacts | None:
    """The same with the SHA-256 of its content."""
    facts = picture_facts(folder, name)
    try:
        path = within(folder, name)
        if facts is None or path is None:
            return None
        return replace(facts, sha256=hashlib.sha256(path.read_bytes()).hexdigest())
    except OSError:
        return None


def store_picture(path: Path, content: bytes) -> None:
    """Writes a new picture, whole or not at all."""
    make_folder(path.parent)
    with written_whole(path) as temporary:
        temporary.write_bytes(content)


def pictures_in(
    folder: Path | None, kept: Callable[[Sequence[str]], Mapping[str, FileFacts] | None] | None
) -> Files | None:
    """Looks up pictures in the folder, and among those that a service keeps; None where there is neither.

    Args:
        kept: what the service says of the names it keeps pictures of; None of it where it keeps none.
    """
    if kept is None:
        return None if folder is None else lambda names: _in_folder(folder, names)

    def both(names: Sequence[str]) -> Mapping[str, FileFacts] | None:
        theirs = kept(names)
        if theirs is None or folder is None:
            return theirs if folder is None else _in_folder(folder, names)
        facts = {**_in_folder(folder, names), **theirs}
        for name in theirs:
            own = with_fingerprint(folder, name)
            if own is not None and own.sha256 != theirs[name].sha256:
                facts[name] = replace(own, differs=True)
        return facts

    return both


def _in_folder(folder: Path, names: Sequence[str]) -> dict[str, FileFacts]:
    return {name: facts for name in names if (facts := picture_facts(folder, name)) is not None}


def is_picture(start: bytes) -> bool:
    """True for the first bytes of a picture of a known format."""
    return start.startswith(_STARTS) or (start.startswith(b"RIFF") and start[8:12] == b"WEBP")
