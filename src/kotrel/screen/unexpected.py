"""Unexpected errors: the details go to a log file, and the user gets one sentence."""

from __future__ import annotations

import os
import platform
import re
import tempfile
import traceback
from collections.abc import Sequence
from contextlib import suppress
from datetime import datetime
from pathlib import Path

from kotrel import __version__
from kotrel.core.errors import KotrelError, OutOfReach


def without_secrets(text: str) -> str:
    """The text without the passwords of addresses, and of settings called so."""
    text = re.sub(r"(://[^/@\s:]*):[^@\s]*@", r"\1:***@", text)
    return re.sub(r"(?i)(password['\"]?\s*[=:]\s*)('[^']*'|\"[^\"]*\"|[^\s,&;]+)", r"\1***", text)


def _write_log(story: str, name: str) -> Path | None:
    """Writes a log that only its owner can read, in the workspace or in a new folder of our own."""
    here = Path.cwd()
    folder = next((each / ".kotrel" for each in (here, *here.parents) if (each / "kotrel.toml").is_file()), None)
    if folder is not None and folder.is_dir() and not folder.is_symlink():
        with suppress(OSError):
            return _new_file(folder / name, story)
    with suppress(OSError):
        return _new_file(Path(tempfile.mkdtemp(prefix="kotrel-")) / name, story)
    return None


def _new_file(path: Path, story: str) -> Path:
    # It is never written through somebody's link: the file must be new.
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w", encoding="utf-8") as log:
        log.write(story)
    return path


WRITING = {"load", "undo", "count"}
"""Commands that may have changed the system before the error."""
HISTORY = " kotrel history shows what has been loaded."


def unexpected_error(error: BaseException, words: Sequence[str]) -> KotrelError:
    """Writes the details to a log file and returns the error for the user."""
    if isinstance(error, MemoryError):
        return OutOfReach(
            "this computer does not have enough memory for that file",
            "Close other programs, or split the file.",
            "no-memory",
        )
    stamp = datetime.now().strftime("%Y%m%d-%H%M%S")
    story = "\n".join(
        [
            f"kotrel {__version__} on Python {platform.python_version()}, {platform.platform()}",
            f"command: kotrel {' '.join(words)}",
            "",
            traceback.format_exc(),
        ]
    )
    path = _write_log(without_secrets(story), f"kotrel-{stamp}.log")
    where = f"The details are in {path}." if path else "No log file could be written."
    if isinstance(error, OSError) and error.filename:
        # A name that is too long, a disk that is full, a folder that went away: the file says more than the place in
        # our code.
        return OutOfReach(f"{error.filename} cannot be used: {error.strerror}", where, "file-trouble")
    what = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
    return OutOfReach(
        f"an unexpected error occurred: {without_secrets(what)[:200]}",
        f"Please report this to whoever gave you Kotrel. {where}" + (HISTORY if WRITING & set(words) else ""),
        "unexpected",
    )
