"""Work on several columns in parallel: Polars works outside Python's lock, so threads keep all cores busy."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")


def map_parallel(work: Callable[[T], R], each: Iterable[T]) -> list[R]:
    """``[work(x) for x in each]``, several at a time; raises the first error."""
    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        return list(pool.map(work, each))
