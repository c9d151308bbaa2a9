"""The folder with the pictures that items name: what is in it, without decoding the pictures."""

from __future__ import annotations

from pathlib import Path

from kotrel.core.rows.system_state import FileFacts

_STARTS = (b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff", b"GIF87a", b"GIF89a", b"BM", b"II*\x00", b"MM\x00*")
"""The first bytes of PNG, JPEG, GIF, BMP and TIFF files, as defined by their formats."""


def picture_facts(folder: Path, name: str) -> FileFacts | None:
    """What is known about a picture, or None if the folder has no such file; a name never leads out of the folder."""
    path = folder / name
    try:
        if not path.resolve().is_relative_to(folder.resolve()) or not path.is_file():
            return None
        with path.open("rb") as file:
            start = file.read(16)
        return FileFacts(path.stat().st_size, _is_picture(start))
    except (OSError, ValueError):
        return None


def _is_picture(start: bytes) -> bool:
    return start.startswith(_STARTS) or (start.startswith(b"RIFF") and start[8:12] == b"WEBP")
