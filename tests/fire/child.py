"""Runs the real program, and strikes at the n-th statement it sends to its database.

``python -m tests.fire.child POINT HOW WORDS…``; HOW is ``count`` (tells how many statements there were), ``kill`` (kill
-9 before the statement), ``amid`` (a moment after it began), ``after`` (when it is done), ``cut`` (the server drops the
connection) or ``full`` (the disk has no more room).
"""

from __future__ import annotations

import os
import signal
import sys
import threading
from typing import Any

from kotrel.cli import main
from kotrel.systems.sql.mariadb import MariaDatabase
from kotrel.systems.sql.postgresql import PostgresDatabase
from kotrel.systems.sql.sqlite import SqliteDatabase


def die() -> None:
    os.kill(os.getpid(), signal.SIGKILL)


class Striker:
    """Counts the statements, and strikes at one of them."""

    def __init__(self, point: int, how: str) -> None:
        self.point, self.how, self.count = point, how, 0

    def watch(self, kind: type, name: str) -> None:
        original = getattr(kind, name)

        def watched(database: Any, *words: Any, **more: Any) -> Any:
            self.count += 1
            mine = self.count == self.point
            if mine:
                self.before(database)
            done = original(database, *words, **more)
            if mine and self.how == "after":
                die()
            return done

        setattr(kind, name, watched)

    def before(self, database: Any) -> None:
        if self.how == "kill":
            die()
        elif self.how == "amid":
            threading.Timer(0.003, die).start()
        elif self.how == "full":
            database.connection.execute(
                f"PRAGMA max_page_count = {database.connection.execute('PRAGMA page_count').fetchone()[0]}"
            )
        elif self.how == "cut" and isinstance(database, MariaDatabase):
            other = database._connect()
            with other.cursor() as cursor:
                cursor.execute(f"KILL {database.connection.thread_id()}")
            other.close()
        elif self.how == "cut":
            import psycopg

            own = database.connection.info
            with psycopg.connect(own.dsn, host=own.host, autocommit=True) as other:
                other.execute("SELECT pg_terminate_backend(%s)", [own.backend_pid])


if __name__ == "__main__":
    striker = Striker(int(sys.argv[1]), sys.argv[2])
    for each in (SqliteDatabase, PostgresDatabase, MariaDatabase):
        for method in ("run", "run_counting", "insert"):
            striker.watch(each, method)
    sys.argv = ["kotrel", *sys.argv[3:]]
    status = main()
    if striker.how == "count":
        print(striker.count)
    sys.exit(status)
