"""Writing files for users: never over a file that is there, and whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from kotrel.core.errors import OutOfReach, WrongUse


def free_name(path: Path) -> Path:
    """The path, or with a number behind its name where it is taken: ``sheet-2.xlsx``."""
    number = 2
    candidate = path
    while candidate.exists():
        candidate = path.with_name(f"{path.stem}-{number}{path.suffix}")
        number += 1
    return candidate


def require_new_file(path: Path) -> Path:
    """The path, where nothing is there yet.

    Raises:
        WrongUse: there is a file already: the user's files are never overwritten.
    """
    if path.exists():
        raise WrongUse(f"{path} is there already", f"Take another name: -o {free_name(path).name}", "file-there")
    return path


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """Gives a temporary path beside the wanted one; it takes the wanted name only when all went well.

    Raises:
        OutOfReach: the folder is not there or may not be written to.
    """
    temporary: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=".kotrel-", suffix=path.suffix, dir=path.parent)
        os.close(handle)
        temporary = Path(name)
        yield temporary
        # A new file has the rights that any file of the user's would have.
        mask = os.umask(0)
        os.umask(mask)
        with suppress(OSError):
            temporary.chmod(0o666 & ~mask)
        temporary.replace(path)
    except FileNotFoundError:
        raise OutOfReach(f"there is no folder {path.parent}", "Make it first, or take another.", "no-folder") from None
    except PermissionError:
        raise OutOfReach(
            f"{path} cannot be written: another program holds it open, or you have no right to write there",
            "Close it there, or take another name.",
            "no-right",
        ) from None
    except OSError as error:
        raise OutOfReach(f"{path} cannot be written: {error.strerror or error}", "", "not-written") from None
    finally:
        if temporary is not None:
            with suppress(OSError):
                temporary.unlink(missing_ok=True)
