"""Writes files for users: never over an existing file, and completely or not at all."""

from __future__ import annotations

import os
import secrets
import stat
import time
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from kotrel.core.errors import OutOfReach, WrongUse

RETRIES = 10


def free_name(path: Path, soon: Collection[Path] = ()) -> Path:
    """The path, or one with a number if it is taken, or will be ``soon``: ``sheet-2.xlsx``."""
    number = 2
    candidate = path
    while candidate.exists() or candidate in soon:
        candidate = path.with_name(f"{path.stem}-{number}{path.suffix}")
        number += 1
    return candidate


def require_new_file(path: Path, endings: Sequence[str] = ()) -> Path:
    """The path, if no file exists there. Asked before any work is done: what cannot be written is known at once.

    Args:
        endings: the file endings that it may have, the usual one first; none are any.

    Raises:
        WrongUse: there is one (the user's files are never overwritten), or its ending is of another kind of file.
        OutOfReach: its folder does not exist.
    """
    if endings and path.suffix.lower() not in endings:
        unknown = f"“{path.suffix}” is not a known file ending" if path.suffix else "it has no file ending"
        what = "this is written as a workbook" if len(endings) == 1 else unknown
        raise WrongUse(
            f"{path}: {what}",
            f"Use a name like {path.stem}{endings[0]}." if len(endings) == 1 else f"Use one of {', '.join(endings)}.",
            "unknown-ending",
        )
    if path.exists():
        raise WrongUse(f"{path} already exists", f"Use another name, such as {free_name(path).name}.", "file-exists")
    if not path.parent.is_dir():
        raise OutOfReach(f"there is no folder {path.parent}", "Make it first, or use another.", "no-folder")
    return path


def make_folder(path: Path) -> Path:
    """Makes a folder, and those above it that are missing, each with the rights of the folder that it is in.

    Whoever shares a workspace can then work with what is kept there, and nobody else can.
    """
    missing = []
    there = path
    while not there.exists():
        missing.append(there)
        there = there.parent
    for each in reversed(missing):
        each.mkdir(exist_ok=True)
        take_rights(each)
    return path


def put_in_place(ready: Path, path: Path) -> None:
    """Renames a file that is written whole to its own name. On Windows, whoever reads that file keeps others from it
    for a moment.

    Raises:
        PermissionError: it is held open for longer than a second.
    """
    for attempt in range(RETRIES):
        try:
            ready.replace(path)
            return
        except PermissionError:
            if attempt == RETRIES - 1:
                raise
            time.sleep(0.02 * (attempt + 1))


def take_rights(path: Path) -> None:
    """Gives a file or folder of ours the rights of the folder that it is in; on Windows it has them anyway."""
    if os.name == "nt":
        return
    with suppress(OSError):
        rights = stat.S_IMODE(path.parent.stat().st_mode)
        path.chmod(rights if path.is_dir() else rights & 0o666)


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """Gives a temporary path beside the wanted one, renamed only after everything has been written.

    Raises:
        OutOfReach: the folder does not exist or cannot be written to.
    """
    temporary: Path | None = None
    try:
        named = path.parent / f".kotrel-{secrets.token_hex(8)}{path.suffix}"
        # A new file gets the same permissions as any other new file of the user.
        os.close(os.open(named, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o666))
        temporary = named
        yield temporary
        put_in_place(temporary, path)
    except FileNotFoundError:
        raise OutOfReach(
            f"there is no folder {path.parent}", "Create it first, or name another folder.", "no-folder"
        ) from None
    except PermissionError:
        raise OutOfReach(
            f"{path} cannot be written: another program holds it open, or you have no permission to write there",
            "Close it there, or use another name.",
            "no-right",
        ) from None
    except OSError as error:
        raise OutOfReach(f"{path} cannot be written: {error.strerror or error}", "", "not-written") from None
    finally:
        if temporary is not None:
            with suppress(OSError):
                temporary.unlink(missing_ok=True)
