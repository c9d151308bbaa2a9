"""Reads a long text file while Python is still loading the program:
each takes a good part of a second, and neither needs the other.
"""

from __future__ import annotations

import stat
from collections.abc import Sequence
from pathlib import Path

TYPE_CHECKING = False
if TYPE_CHECKING:
    import os
    from threading import Thread

ENDINGS = (".csv", ".tsv", ".txt")
AT_LEAST, AT_MOST = 16 * 1024 * 1024, 600 * 1024 * 1024
"""Bytes of a file that is worth it; a larger one is read in parts."""


class _HeadStart:
    """One file that is being read."""

    def __init__(self, path: Path, about: os.stat_result) -> None:
        from threading import Thread

        self.path = path
        self.about = about
        self.content: bytes | None = None
        # Where the command ends at once, nobody waits for it.
        self._thread: Thread = Thread(target=self._read, daemon=True)
        self._thread.start()

    def _read(self) -> None:
        try:
            self.content = self.path.read_bytes()
        except OSError:
            # Whoever needs the file reads it then, and says what is wrong.
            return

    def when_read(self) -> bytes | None:
        self._thread.join()
        return self.content


_begun: dict[Path, _HeadStart] = {}


def begin(words: Sequence[str]) -> None:
    """Begins with the first long text file that the words of a command line name."""
    for word in words:
        if not word.lower().endswith(ENDINGS):
            continue
        try:
            about = Path(word).stat()
        except (OSError, ValueError):
            continue
        if stat.S_ISREG(about.st_mode) and AT_LEAST <= about.st_size < AT_MOST:
            _begun[Path(word).absolute()] = _HeadStart(Path(word), about)
            return


def content_of(path: Path) -> bytes:
    """The bytes of a file as it is now, read before or now.

    Raises:
        OSError: it cannot be read.
    """
    begun = _begun.pop(path.absolute(), None)
    if begun is not None and (content := begun.when_read()) is not None:
        now = path.stat()
        then = begun.about
        if (now.st_mtime_ns, now.st_size, now.st_size) == (then.st_mtime_ns, then.st_size, len(content)):
            return content
    return path.read_bytes()
