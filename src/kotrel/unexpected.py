"""Unexpected errors: the details go to a log file, and the user gets one sentence."""

from __future__ import annotations

import platform
import tempfile
import traceback
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from kotrel import __version__
from kotrel.core.errors import KotrelError, OutOfReach


def unexpected_error(error: Exception, words: Sequence[str]) -> KotrelError:
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
    for folder in (Path.cwd() / ".kotrel", Path(tempfile.gettempdir())):
        if folder.is_dir():
            path = folder / f"kotrel-{stamp}.log"
            try:
                path.write_text(story, "utf-8")
            except OSError:
                continue
            where = f"The details are in {path}."
            break
    else:
        where = "No log file could be written."
    what = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
    return OutOfReach(
        f"an unexpected error occurred: {what[:200]}",
        where + " kotrel history shows what has been loaded.",
        "unexpected",
    )
