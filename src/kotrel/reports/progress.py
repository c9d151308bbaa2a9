"""A progress bar on standard error, shown only if the work takes longer than a second."""

from __future__ import annotations

import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

from kotrel.systems.interface import Step

AFTER_SECONDS = 1.0


@contextmanager
def showing(steps: int) -> Iterator[Step]:
    """A bar of ``steps`` steps; with more steps than that it waits near its end."""
    bar = Progress(
        TextColumn("{task.description}"),
        BarColumn(bar_width=30),
        TimeElapsedColumn(),
        console=Console(file=sys.stderr, highlight=False),
        transient=True,
    )
    task = bar.add_task("starting", total=steps)
    timer = threading.Timer(AFTER_SECONDS, bar.start)
    timer.daemon = True
    timer.start()
    done = 0

    def step(title: str) -> None:
        nonlocal done
        bar.update(task, description=title, completed=min(done, steps - 0.5))
        done += 1

    try:
        yield step
    finally:
        timer.cancel()
        bar.stop()
