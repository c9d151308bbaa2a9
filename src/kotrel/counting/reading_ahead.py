"""Reads files while others are collected: many of them in processes beside this one."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Future
from pathlib import Path

from kotrel.core.tables.table import Table
from kotrel.counting.helpers import Helpers
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.sheet_reading import tables_in
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
    with Helpers(min(READERS, os.cpu_count() or 1) if _is_much(files) else 0) as helpers:
        coming: deque[list[tuple[Path, Future[list[Table]]]]] = deque()
        for place in range(len(batches)):
            for batch in batches[place + len(coming) : place + 2]:
                coming.append([(path, helpers.submit(tables_in, path, wanted)) for path in batch])
            yield coming.popleft()


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
