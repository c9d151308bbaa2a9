"""When a mapping, price rules or a layout was last used, and with which file:
so that nobody has to guess which are alive.
"""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path

from msgspec import Struct
from msgspec.structs import asdict

from kotrel.sheets.safe_writing import written_whole

_FILE = "used.json"


class Used(Struct, frozen=True):
    """The last use of a settings file: the moment (ISO, with its zone) and the file it was used for."""

    at: str
    file: str


def last_used(hidden: Path) -> dict[str, Used]:
    """Settings file, seen from the workspace → its last use."""
    try:
        held = json.loads((hidden / _FILE).read_text("utf-8"))
        return {name: Used(str(each["at"]), str(each["file"])) for name, each in held.items()}
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return {}


def remember_used(hidden: Path, name: str, file: Path) -> None:
    """Keeps that a settings file was used just now; nothing happens where that cannot be kept.

    Args:
        name: the settings file, such as ``maps/keldrift.toml``.
        file: the sheet that it was used for, or what it wrote.
    """
    known = last_used(hidden)
    known[name] = Used(datetime.now().astimezone().isoformat(timespec="seconds"), str(file.resolve()))
    try:
        hidden.mkdir(exist_ok=True)
        with written_whole(hidden / _FILE) as temporary:
            temporary.write_text(json.dumps({key: asdict(each) for key, each in known.items()}, indent=1), "utf-8")
    except OSError:
        return
