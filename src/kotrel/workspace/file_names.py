"""Names that people give and that files get."""

from __future__ import annotations

import re

_NAME = re.compile(r"\w[\w.-]{0,40}")
_DEVICES = re.compile(r"(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?", re.IGNORECASE)
"""Names that mean a device on Windows, whatever the ending: no file can have them there."""


def is_file_name(name: str) -> bool:
    """True where a file can have the name on every system: letters, digits, - and _, and dots not at its end."""
    return _NAME.fullmatch(name) is not None and not name.endswith(".") and not _DEVICES.fullmatch(name)


def made_file_name(words: str, otherwise: str) -> str:
    """A name for a file made of words, or another where they make none."""
    name = re.sub(r"[^\w.-]+", "-", words).strip("-.")[:60].rstrip("-.") or otherwise
    return f"{name}-{otherwise}" if _DEVICES.fullmatch(name) else name
