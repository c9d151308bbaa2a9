"""All or nothing under fire: a few strikes each; ``python -m tests.fire`` makes them at every statement."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path

import psycopg

from tests import mariadb_server
from tests.fire.harness import LOAD, Maria, Postgres, Sqlite, Target, judge, judge_undo
from tests.support import postgres_url, run_kotrel


class _Fire(unittest.TestCase):
    target: Target

    def strikes(self, options: tuple[tuple[str, int], ...]) -> None:
        statements = self.target.statements()
        self.assertGreater(statements, 14)
        before = self.target.state()
        for how, back in options:
            # Counted from the end: there stand the writing and the commit.
            with self.subTest(how=how, statement=f"{statements - back} of {statements}"):
                done = self.target.strike(statements - back, how)
                end = judge(self.target, before, done)
                if how == "after" and not back:
                    self.assertEqual(end, "all")
                elif how != "amid":
                    self.assertEqual(end, "none")
                if how in ("cut", "full"):
                    self.assertEqual(done.returncode, 3, done.stderr)
                    self.assertNotIn("Traceback", done.stderr)

    def undo_strikes(self, *options: tuple[str, int]) -> None:
        before = self.target.state()
        run_kotrel(self.target.folder, *LOAD)
        statements = int(self.target.strike(0, "count", ("undo", "L0001", "--yes")).stdout.splitlines()[-1])
        self.target.forget()
        for how, back in options:
            with self.subTest(how=how, statement=f"{statements - back} of {statements}"):
                end = judge_undo(self.target, before, statements - back, how)
                self.assertEqual(end, "all" if how == "after" and not back else "none")


@unittest.skipIf(sys.platform == "win32", "kill -9 is not of this system")
class SqliteFire(_Fire):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(prefix="kotrel-fire-")
        self.addCleanup(folder.cleanup)
        self.target = Sqlite(Path(folder.name))

    def test_an_undo_too(self) -> None:
        self.undo_strikes(("kill", 2), ("after", 0))

    def test_all_or_nothing(self) -> None:
        self.strikes((("kill", 6), ("amid", 5), ("kill", 0), ("after", 0), ("full", 9)))


@unittest.skipIf(sys.platform == "win32", "kill -9 is not of this system")
class PostgresFire(_Fire):
    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory(prefix="kotrel-fire-")
        cls.addClassCleanup(folder.cleanup)
        cls.target = Postgres(Path(folder.name), postgres_url())

    def test_all_or_nothing(self) -> None:
        # The advisory lock and the commit stand at the end; what comes behind is the connection's own.
        self.strikes((("kill", 12), ("kill", 0), ("after", 0), ("cut", 10)))

    def test_a_deadlock_is_tried_again(self) -> None:
        codes = [code for (code,) in self.target.query("SELECT code FROM {item} ORDER BY code LIMIT 2")]
        with psycopg.connect(postgres_url()) as other:
            other.execute("UPDATE practice.item SET size = 'X' WHERE code = %s", [codes[1]])
            running = subprocess.Popen(
                [sys.executable, "-m", "kotrel", *LOAD], cwd=self.target.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE
            )  # fmt: skip
            while not self.target.query(
                "SELECT 1 FROM pg_stat_activity WHERE application_name = 'kotrel' AND wait_event_type = 'Lock' "
                "AND datname = current_database()"
            ):
                time.sleep(0.05)

            def cross() -> None:
                try:
                    other.execute("UPDATE practice.item SET size = 'X' WHERE code = %s", [codes[0]])
                    other.commit()
                except psycopg.errors.DeadlockDetected:
                    other.rollback()

            thread = threading.Thread(target=cross)
            thread.start()
            out, error = running.communicate(timeout=60)
            thread.join()
        self.assertEqual(running.returncode, 0, out + error)
        struck = self.target.query("SELECT count(*) FROM {item} WHERE note = 'struck'")
        self.assertEqual(struck, [(1200,)])
        self.target.take_back()

    def test_two_loads_at_once(self) -> None:
        folder = self.target.folder
        for name in ("one", "two"):
            (folder / f"{name}.csv").write_text(f"Item code,Note\nROP-00010,{name}\nROP-00020,{name}\n")
        both = [
            subprocess.Popen([sys.executable, "-m", "kotrel", "load", f"{name}.csv", "--yes"], cwd=folder, stdout=subprocess.PIPE)
            for name in ("one", "two")
        ]  # fmt: skip
        for each in both:
            each.communicate(timeout=60)
        self.assertEqual([each.returncode for each in both], [0, 0])
        notes = self.target.query("SELECT DISTINCT note FROM {item} WHERE code IN ('ROP-00010', 'ROP-00020')")
        self.assertEqual(len(notes), 1, "one load after the other, never half of each")
        # The later one saw what the earlier had done: undone in turn, all is as it was.
        for number in ("2", "1"):
            self.assertEqual(run_kotrel(folder, "undo", number, "--yes").returncode, 0)
        self.assertEqual(self.target.query("SELECT DISTINCT note FROM {item} WHERE code = 'ROP-00010'"), [(None,)])
        self.target.forget()


@unittest.skipIf(sys.platform == "win32", "kill -9 is not of this system")
class MariaFire(_Fire):
    @classmethod
    def setUpClass(cls) -> None:
        mariadb_server.require()
        folder = tempfile.TemporaryDirectory(prefix="kotrel-fire-")
        cls.addClassCleanup(folder.cleanup)
        cls.target = Maria(Path(folder.name))

    def test_all_or_nothing(self) -> None:
        self.strikes((("kill", 12), ("kill", 0), ("after", 0), ("cut", 10)))

    def test_an_undo_too(self) -> None:
        self.undo_strikes(("kill", 2), ("after", 0))


if __name__ == "__main__":
    unittest.main()
