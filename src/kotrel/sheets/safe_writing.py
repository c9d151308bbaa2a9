"""Writes files for users: never over an existing file, and completely or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
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


def require_new_file(path: Path) -> Path:
    """The path, if no file exists there.

    Raises:
        WrongUse: there is one; the user's files are never overwritten.
    """
    if path.exists():
        raise WrongUse(f"{path} already exists", f"Use another name: -o {free_name(path).name}", "file-exists")
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
