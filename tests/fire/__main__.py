"""``python -m tests.fire [EVERY]``: strikes at every (or every n-th) statement of a load, on SQLite,
PostgreSQL and MariaDB.
"""

from __future__ import annotations

import re
import sys
import tempfile
from collections import Counter
from pathlib import Path

import psycopg

from tests.fire.harness import LOAD, Maria, Postgres, PostgresWithRules, Sqlite, Target, judge, judge_undo
from tests.support import postgres_url, run_kotrel


def other_database(server: str) -> str:
    """Another database on the same server."""
    with psycopg.connect(server, autocommit=True) as connection:
        connection.execute("CREATE DATABASE rules")
    return re.sub(r"/postgres(?=\?|$)", "/rules", server)


server = postgres_url()
every = int(sys.argv[1]) if len(sys.argv) > 1 else 1
with (
    tempfile.TemporaryDirectory(prefix="kotrel-fire-") as one,
    tempfile.TemporaryDirectory(prefix="kotrel-fire-") as two,
    tempfile.TemporaryDirectory(prefix="kotrel-fire-") as three,
    tempfile.TemporaryDirectory(prefix="kotrel-fire-") as four,
):
    targets: list[tuple[str, Target, tuple[str, ...]]] = [
        ("SQLite", Sqlite(Path(one)), ("kill", "amid", "after", "full")),
        ("PostgreSQL", Postgres(Path(two), server), ("kill", "amid", "after", "cut")),
        ("MariaDB", Maria(Path(four)), ("kill", "amid", "after", "cut")),
        (
            "PostgreSQL with rules",
            PostgresWithRules(Path(three), other_database(server)),
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
