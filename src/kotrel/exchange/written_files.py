"""Which files ``kotrel write`` wrote, so that it may write them anew: only what nobody has changed since."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path

from kotrel.core.errors import WrongUse
from kotrel.sheets.safe_writing import written_whole

_FILE = Path(".kotrel") / "written.json"


def _read_written(folder: Path) -> dict[str, str]:
    try:
        found = json.loads((folder / _FILE).read_text("utf-8"))
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def _print(path: Path) -> str:
    # Of a million rows, this is a noticeable part of writing them: BLAKE2 takes half the time of SHA-256.
    with path.open("rb") as file:
        return hashlib.file_digest(file, "blake2b").hexdigest()


def remember_written(folder: Path, path: Path) -> None:
    """Keeps the fingerprint of a file that was just written."""
    (folder / _FILE).parent.mkdir(exist_ok=True)
    with written_whole(folder / _FILE) as temporary:
        temporary.write_text(
            json.dumps({**_read_written(folder), str(path.resolve()): _print(path)}, indent=1), "utf-8"
        )


def is_own(folder: Path, path: Path) -> bool:
    """True for a file that is as ``kotrel write`` left it."""
    return _read_written(folder).get(str(path.resolve())) == _print(path)


def require_own(folder: Path, path: Path) -> None:
    """Makes sure that a file is as ``kotrel write`` left it, or not there.

    Raises:
        WrongUse: somebody else wrote or changed it.
    """
    if path.exists() and not is_own(folder, path):
        raise WrongUse(
            f"{path} is not as kotrel write left it: --refresh would lose what is in it",
            "Move it away, or name another file with -o.",
            "file-exists",
        )
