"""Reads workbooks of old and rare kinds in another process, with limits: a reader that gives up, or never ends,
ends there.

Their readers are the least tried, and one that aborts takes its process with it. Starting one takes half a second,
which the usual kinds of files are spared.
"""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
import traceback
from contextlib import suppress
from pathlib import Path
from typing import Any

from kotrel.core.errors import KotrelError, OutOfReach
from kotrel.core.tables.reading_limits import Limits
from kotrel.core.tables.table import Grid
from kotrel.sheets.ooxml.archives import damaged
from kotrel.sheets.workbooks import read_workbook

RARE = (".xls", ".xlsb", ".ods")
FAILED = 1
"""How Python ends where it cannot start or meets an error; a reader that aborts ends otherwise."""


def as_process(module: str) -> tuple[list[str], dict[str, str]]:
    """The command and the environment in which a module of ours runs as a process of its own."""
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join(entry for entry in sys.path if entry)}
    # -P: no module is ever taken from the folder that a spreadsheet lies in.
    return [sys.executable, "-P", "-m", module], environment


def read_contained(path: Path, sheet: str | None, limits: Limits) -> list[Grid]:
    """The worksheets of a workbook, read by a process of its own.

    Raises:
        KotrelError: as :func:`kotrel.sheets.workbooks.read_workbook`.
        OutOfReach: it took too long or too much memory, or brought its reader down.
    """
    asked = pickle.dumps((path, sheet, limits))
    command, environment = as_process("kotrel.sheets.contained")
    try:
        done = subprocess.run(
            command, input=asked, capture_output=True, timeout=limits.seconds, check=False, env=environment
        )
    except subprocess.TimeoutExpired:
        raise OutOfReach(
            f"reading {path} took longer than {limits.seconds:,} seconds",
            "Save it as .xlsx and try again; or allow more: seconds under [limits] in kotrel.toml.",
            "too-slow",
        ) from None
    if done.returncode == FAILED:
        # Python itself could not go on: that is no fault of the file.
        raise RuntimeError(done.stderr.decode("utf-8", "replace"))
    try:
        answer: Any = pickle.loads(done.stdout)
    except (pickle.UnpicklingError, EOFError):
        raise damaged(path) from None
    if isinstance(answer, MemoryError):
        raise OutOfReach(
            f"reading {path} takes more than {limits.memory_mb:,} MB",
            "Save it as .xlsx and try again; or allow more: memory_mb under [limits] in kotrel.toml.",
            "too-large",
        )
    if isinstance(answer, Exception):
        raise answer
    grids: list[Grid] = answer
    return grids


def _limit(limits: Limits) -> None:
    """Where the system can (not on Windows), no more memory than allowed."""
    with suppress(ImportError, ValueError, OSError):
        import resource

        # Libraries map more than they use, so the whole address space may be larger than what is in use.
        most = (limits.memory_mb + 2_000) << 20
        resource.setrlimit(resource.RLIMIT_AS, (most, most))
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _work() -> None:
    path, sheet, limits = pickle.loads(sys.stdin.buffer.read())
    out = os.dup(1)
    # What a reader prints must not get into the answer.
    os.dup2(2, 1)
    _limit(limits)
    answer: Any
    try:
        answer = read_workbook(path, sheet, limits)
    except KotrelError as error:
        answer = error
    except MemoryError:
        answer = MemoryError()
    except Exception as error:
        # Without memory for its stack, no thread starts.
        out_of_memory = "can't start new thread" in str(error)
        answer = MemoryError() if out_of_memory else RuntimeError("".join(traceback.format_exception(error)))
    try:
        text = pickle.dumps(answer, protocol=pickle.HIGHEST_PROTOCOL)
    except MemoryError:
        text = pickle.dumps(MemoryError())
    with os.fdopen(out, "wb") as stream:
        stream.write(text)


if __name__ == "__main__":
    _work()
