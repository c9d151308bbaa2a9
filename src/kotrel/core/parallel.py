"""Work on several columns in parallel: Polars works outside Python's lock, so threads keep all cores busy."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")


WORTH_THREADS = 20_000
"""Rows from which threads take less time than they cost."""


def map_parallel(work: Callable[[T], R], things: Iterable[T], rows: int) -> list[R]:
    """``[work(x) for x in each]``, several at a time where each works on many rows; raises the first error."""
    if rows < WORTH_THREADS:
        return [work(one) for one in things]
    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        return list(pool.map(work, things))


def few_ahead(work: Callable[[T], R], things: Iterable[T]) -> Iterator[R]:
    """``work`` of each thing in its turn, while that of the next few is done already: as many as there are cores, since
    each may take much memory.
    """
    cores = os.cpu_count() or 1
    with ThreadPoolExecutor(cores) as pool:
        coming: deque[Future[R]] = deque()
        for one in things:
            coming.append(pool.submit(work, one))
            if len(coming) >= cores:
                yield coming.popleft().result()
        while coming:
            yield coming.popleft().result()


def one_ahead(pieces: Iterator[T]) -> Iterator[T]:
    """The pieces; while one is looked at, the next is made in another thread. What they are read from, a connection
    say, must not be asked for anything else meanwhile.
    """
    with ThreadPoolExecutor(1) as pool:
        coming = pool.submit(next, pieces, None)
        while (piece := coming.result()) is not None:
            coming = pool.submit(next, pieces, None)
            yield piece
