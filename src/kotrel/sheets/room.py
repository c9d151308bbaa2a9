"""Whether a text file that is read all at once fits the memory of this machine: one that does not would end the program
in the middle, without a word.
"""

from __future__ import annotations

import os
from pathlib import Path

from kotrel.core.errors import OutOfReach

_TIMES = 4
"""Memory that the rows of a text file take when they are compared with the system's, in sizes of the file: 0.9 GB for
160 MB of items.
"""
_GB = 1_000_000_000


def needed_at_once(size: int) -> int:
    """Bytes of memory that a text file takes, about.

    Args:
        size: its bytes.
    """
    return _TIMES * size


def in_gb(size: int) -> str:
    """A number of bytes in words: ``5.3 GB``."""
    return f"{size / _GB:.1f} GB"


def most_at_once() -> int | None:
    """Bytes of the largest text file that this machine can read all at once; None where nobody knows its memory."""
    there = _installed()
    return None if there is None else there // _TIMES


def require_room(path: Path) -> None:
    """Raises OutOfReach where a text file is too large for this machine to be read all at once."""
    try:
        size = path.stat().st_size
    except OSError:
        # Whoever reads it says what is wrong.
        return
    most = most_at_once()
    if most is not None and size > most:
        raise OutOfReach(
            f"{path} has {in_gb(size)}; to read it all at once takes about {in_gb(needed_at_once(size))} of memory, "
            f"and this machine has {in_gb(most * _TIMES)}",
            f"Split it into files of at most {in_gb(most)}. One in UTF-8 can be checked as it is: kotrel check reads it in parts.",
            "too-large",
        )


def _installed() -> int | None:
    """Bytes of memory of this machine."""
    try:
        if os.name == "nt":
            return _of_windows()
        return os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
    except (AttributeError, ValueError, OSError):
        return None


def _of_windows() -> int | None:
    import ctypes

    kilobytes = ctypes.c_ulonglong()
    done = getattr(ctypes, "windll").kernel32.GetPhysicallyInstalledSystemMemory(ctypes.byref(kilobytes))  # noqa: B009
    return kilobytes.value * 1024 if done else None
