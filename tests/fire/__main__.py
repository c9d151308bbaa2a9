"""``python -m tests.fire [EVERY]``: strikes at every (or every n-th) statement of a load, on SQLite and on PostgreSQL."""

from __future__ import annotations

import sys
import tempfile
from collections import Counter
from pathlib import Path

from tests.fire.harness import LOAD, Postgres, Sqlite, Target, judge, judge_undo
from tests.support import postgres_url, run_kotrel

every = int(sys.argv[1]) if len(sys.argv) > 1 else 1
with (
    tempfile.TemporaryDirectory(prefix="kotrel-fire-") as one,
    tempfile.TemporaryDirectory(prefix="kotrel-fire-") as two,
):
    targets: list[tuple[str, Target, tuple[str, ...]]] = [
        ("SQLite", Sqlite(Path(one)), ("kill", "amid", "after", "full")),
        ("PostgreSQL", Postgres(Path(two), postgres_url()), ("kill", "amid", "after", "cut")),
    ]
    for name, target, options in targets:
        statements = target.statements()
        before = target.state()
        for how in options:
            ends = Counter(
                judge(target, before, target.strike(point, how)) for point in range(1, statements + 1, every)
            )
            print(f"{name}, {how} at {sum(ends.values())} of {statements} statements: {dict(ends)}", flush=True)
        run_kotrel(target.folder, *LOAD)
        steps = int(target.strike(0, "count", ("undo", "L0001", "--yes")).stdout.splitlines()[-1])
        target.forget()
        for how in options[:3]:
            ends = Counter(judge_undo(target, before, point, how) for point in range(1, steps + 1, every))
            print(f"{name}, undo, {how} at {sum(ends.values())} of {steps} statements: {dict(ends)}", flush=True)
