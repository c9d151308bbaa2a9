"""Times whole processes and single calls; several runs, the median counts."""

from __future__ import annotations

import os
import re
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

AS_INSTALLED = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
"""What an installed program has: its modules are compiled once."""


@dataclass(frozen=True)
class Timed:
    """Median seconds, and the most memory of any run in MB (0 where it was not a process of its own)."""

    seconds: float
    megabytes: float


class _Peak:
    """The most memory of a process, asked for while it runs.

    What the system says when it has ended counts from before the program took the place of this one: where that holds a
    million rows, it is these.
    """

    def __init__(self, pid: int) -> None:
        self._status = Path(f"/proc/{pid}/status")
        self._most = 0
        self._ended = threading.Event()
        self._asking = threading.Thread(target=self._ask)
        self._asking.start()

    def _ask(self) -> None:
        while not self._ended.wait(0.02):
            try:
                found = re.search(r"VmHWM:\s*(\d+)", self._status.read_text("utf-8"))
            except OSError:
                return
            self._most = int(found[1]) if found else self._most

    def kilobytes(self) -> int:
        """The most until it ended; 0 where nothing is known."""
        self._ended.set()
        self._asking.join()
        return self._most


def process(command: Sequence[str], folder: Path, runs: int, ready: Callable[[], None] | None = None) -> Timed:
    """Times a command as a process.

    Args:
        ready: called before each run, outside the time.
    """
    seconds: list[float] = []
    memory = 0.0
    for _ in range(runs):
        if ready is not None:
            ready()
        start = time.perf_counter()
        with subprocess.Popen(
            command, cwd=folder, env=AS_INSTALLED, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
        ) as running:
            peak = _Peak(running.pid)
            complaint = running.stderr.read() if running.stderr else b""
            _, status, usage = os.wait4(running.pid, 0)
            running.returncode = os.waitstatus_to_exitcode(status)
        seconds.append(time.perf_counter() - start)
        if running.returncode:
            raise RuntimeError(f"{' '.join(command)}: {complaint.decode()[-2000:]}")
        memory = max(memory, peak.kilobytes() / 1024 or usage.ru_maxrss / 1024)
    return Timed(statistics.median(seconds), memory)


def call(work: Callable[[], object], runs: int, ready: Callable[[], None] | None = None) -> Timed:
    """Times a call in this process."""
    seconds = []
    for _ in range(runs):
        if ready is not None:
            ready()
        start = time.perf_counter()
        work()
        seconds.append(time.perf_counter() - start)
    return Timed(statistics.median(seconds), 0.0)


def python(*words: str) -> list[str]:
    """A command of this Python."""
    return [sys.executable, *words]


def kotrel(*words: str) -> list[str]:
    """The installed program, beside this Python."""
    beside = Path(sys.executable).with_name("kotrel")
    return [str(beside) if beside.exists() else "kotrel", *words]
