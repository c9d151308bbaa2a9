"""Checking again whenever a file is saved, until the user stops it."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from pathlib import Path

from kotrel.commands._shared import now
from kotrel.core.errors import KotrelError, OutOfReach
from kotrel.core.phrases import listed
from kotrel.reports.screen import Screen

WATCH_EVERY = 0.5
"""Seconds between two looks at a watched file."""
UNFINISHED = 130
"""The exit status when a check is stopped before it has an answer, as for every command."""


def watch(files: Sequence[Path], once: Callable[[], int], screen: Screen) -> int:
    """Checks now, and again after each save of any of the files.

    Args:
        files: the files to watch.
        once: one check of all of them; returns its exit status.
        screen: where the checks are shown.

    Returns:
        the exit status of the last check; 130 if it was stopped in the middle, since the sheet that an earlier
        answer was about has been saved over.

    Raises:
        KotrelError: the first check cannot be made at all.
    """
    status, seen, told, again = UNFINISHED, None, "", False
    try:
        while True:
            stands = [_saved(path) for path in files]
            if again or stands != seen:
                if stands != seen:
                    screen.show(f"── {now():%H:%M:%S}")
                first, seen, status, again = seen is None, stands, UNFINISHED, False
                try:
                    status, told = once(), ""
                    screen.show(f"Watching {listed([path.name for path in files])}. Ctrl-C stops.")
                except KotrelError as error:
                    if first:
                        raise
                    # While a workbook is being saved, it may be locked, half there or gone: that is said once, and
                    # one that cannot be reached is tried again, because its next save may have been before this look.
                    status, again = error.status, isinstance(error, OutOfReach)
                    if told != error.message:
                        screen.show(error.message, *filter(None, [error.hint]))
                        told = error.message
            time.sleep(WATCH_EVERY)
    except KeyboardInterrupt:
        return status


def _saved(path: Path) -> tuple[int, int] | None:
    """When a file was saved, and its size; None while it is not there."""
    try:
        about = path.stat()
        return about.st_mtime_ns, about.st_size
    except OSError:
        return None
