"""``python -m tests.fire [EVERY]``: strikes at every (or every n-th) statement of a load, on SQLite,
PostgreSQL and MariaDB.
"""

from __future__ import annotations

import os
import sys
import tempfile
from collections import Counter
from pathlib import Path

from tests import ready_program
from tests.fire.harness import LOAD, Maria, Postgres, PostgresWithRules, Sqlite, Target, judge, judge_undo
from tests.support import new_postgres_database, postgres_address, postgres_url, run_kotrel

serving = ready_program.start()
if serving:
    os.environ["KOTREL_READY"] = serving[1]
every = int(sys.argv[1]) if len(sys.argv) > 1 else 1
with (
    tempfile.TemporaryDirectory(prefix="kotrel-fire-") as one,
    tempfile.TemporaryDirectory(prefix="kotrel-fire-") as two,
    tempfile.TemporaryDirectory(prefix="kotrel-fire-") as three,
    tempfile.TemporaryDirectory(prefix="kotrel-fire-") as four,
):
    targets: list[tuple[str, Target, tuple[str, ...]]] = [
        ("SQLite", Sqlite(Path(one)), ("kill", "amid", "after", "full")),
        ("PostgreSQL", Postgres(Path(two), postgres_url()), ("kill", "amid", "after", "cut")),
        ("MariaDB", Maria(Path(four)), ("kill", "amid", "after", "cut")),
        (
            "PostgreSQL with rules",
            PostgresWithRules(Path(three), postgres_address(new_postgres_database())),
            ("kill", "amid", "after", "cut"),
        ),
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
        if isinstance(target, PostgresWithRules):
            target.forget()
            done = target.under_a_lock(3)
            print(f"{name}, a row held by somebody else for 3 s: {judge(target, before, done)}")
if serving:
    serving[0].kill()
