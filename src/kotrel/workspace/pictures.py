"""The folder of pictures that items name: what is in it, looked at without drawing anything."""

from __future__ import annotations

from pathlib import Path

from kotrel.core.rows.system_state import FileFacts

_STARTS = (b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff", b"GIF87a", b"GIF89a", b"BM", b"II*\x00", b"MM\x00*")
"""First bytes of PNG, JPEG, GIF, BMP and TIFF files, as their formats define them."""


def picture_facts(folder: Path, name: str) -> FileFacts | None:
    """What is known of a picture, or None where there is no such file in the folder; a name never leads out of it."""
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
