"""Reads files while others are collected: many of them in processes of their own, which do not share Python's lock."""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from queue import SimpleQueue
from typing import IO, Any

from kotrel.core.errors import KotrelError
from kotrel.core.tables.table import Table
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.sheet_reading import tables_in
from kotrel.sheets.contained import as_process
from kotrel.workspace.settings import Workspace

BATCH, MOST_FILES = 8_000_000, 16
"""Bytes and files of one batch: while one is collected, the next is read."""
READERS = 2
"""So many processes read, where the machine has as many cores."""
WORTH_PROCESSES = 2_000_000
"""Bytes of all files from which processes are worth their start, which takes most of a second."""


def read_ahead(files: Sequence[Path], workspace: Workspace) -> Iterator[list[tuple[Path, Future[list[Table]]]]]:
    """The files in batches, each file with its tables, which are read while the batch before it is collected."""
    wanted = FileOptions(limits=workspace.limits)
    batches = _batches(files)
    readers = [_AheadReader() for _ in range(min(READERS, os.cpu_count() or 1))] if _is_much(files) else []
    free: SimpleQueue[_AheadReader] = SimpleQueue()
    for sheet_reader in readers:
        free.put(sheet_reader)

    def read(path: Path) -> list[Table]:
        if not readers:
            return tables_in(path, wanted)
        reader = free.get()
        try:
            return reader.read(path, wanted)
        finally:
            free.put(reader)

    try:
        with ThreadPoolExecutor(max(len(readers), 1)) as pool:
            coming: deque[list[tuple[Path, Future[list[Table]]]]] = deque()
            for place in range(len(batches)):
                for batch in batches[place + len(coming) : place + 2]:
                    coming.append([(path, pool.submit(read, path)) for path in batch])
                yield coming.popleft()
    finally:
        for sheet_reader in readers:
            sheet_reader.close()


def _batches(files: Sequence[Path]) -> list[list[Path]]:
    """Files one after the other, as many as are soon read."""
    paths: list[list[Path]] = []
    room = 0
    for path in files:
        size = _size(path)
        if not paths or size > room or len(paths[-1]) == MOST_FILES:
            paths.append([])
            room = BATCH
        paths[-1].append(path)
        room -= size
    return paths


def _is_much(files: Sequence[Path]) -> bool:
    return len(files) > 1 and sum(map(_size, files)) >= WORTH_PROCESSES


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0


class _AheadReader:
    """A process that reads one file after the other. It ends when its input does, also where this process is killed."""

    def __init__(self) -> None:
        command, environment = as_process("kotrel.counting.reading_ahead")
        self._process = subprocess.Popen(
            command,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env={**environment, "POLARS_MAX_THREADS": "1"},
        )

    def read(self, path: Path, wanted: FileOptions) -> list[Table]:
        """The tables of a file; where the other process has ended, this one reads it."""
        into, out = self._process.stdin, self._process.stdout
        assert into is not None and out is not None
        try:
            pickle.dump((path, wanted), into, pickle.HIGHEST_PROTOCOL)
            into.flush()
            answer: Any = pickle.load(out)
        except (OSError, EOFError, ValueError, pickle.UnpicklingError):
            return tables_in(path, wanted)
        if isinstance(answer, KotrelError):
            raise answer
        return answer if answer is not None else tables_in(path, wanted)

    def close(self) -> None:
        """Ends the process."""
        if self._process.stdin is not None:
            with suppress(OSError):
                self._process.stdin.close()
        self._process.kill()
        self._process.wait()


def _work(asked: IO[bytes], answers: IO[bytes]) -> None:
    while True:
        try:
            path, wanted = pickle.load(asked)
        except EOFError:
            return
        answer: Any
        try:
            answer = tables_in(path, wanted)
        except KotrelError as error:
            answer = error
        except Exception:
            # The process that asked reads it itself, and says what is wrong.
            answer = None
        pickle.dump(answer, answers, pickle.HIGHEST_PROTOCOL)
        answers.flush()


if __name__ == "__main__":
    stream = os.fdopen(os.dup(1), "wb")
    # What a reader prints must not get into the answers.
    os.dup2(2, 1)
    with suppress(KeyboardInterrupt, BrokenPipeError):
        _work(sys.stdin.buffer, stream)
