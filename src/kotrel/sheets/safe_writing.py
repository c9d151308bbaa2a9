"""Writes files for users: never over an existing file, and completely or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from kotrel.core.errors import OutOfReach, WrongUse


def free_name(path: Path) -> Path:
    """The path, or one with a number if it is taken: ``sheet-2.xlsx``."""
    number = 2
    candidate = path
    while candidate.exists():
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


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """Gives a temporary path beside the wanted one, renamed only after everything has been written.

    Raises:
        OutOfReach: the folder does not exist or cannot be written to.
    """
    temporary: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=".kotrel-", suffix=path.suffix, dir=path.parent)
        os.close(handle)
        temporary = Path(name)
        yield temporary
        # A new file gets the same permissions as any other new file of the user.
        mask = os.umask(0)
        os.umask(mask)
        with suppress(OSError):
            temporary.chmod(0o666 & ~mask)
        temporary.replace(path)
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
