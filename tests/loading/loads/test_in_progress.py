"""The note of a load under way, and what outlives a killed process."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path

from kotrel.core.changes.journal import Stamp
from kotrel.core.errors import OutOfReach
from kotrel.loading.loads.in_progress import forget, in_progress, interrupted

STAMP = Stamp(datetime(2026, 11, 23, 9, 30, tzinfo=UTC), "marit", ("a.xlsx",), "f00")
CHILD = """
import sys, time
from pathlib import Path
from tests.loading.loads.test_in_progress import STAMP
from kotrel.loading.loads.in_progress import in_progress
with in_progress(Path(sys.argv[1]), STAMP):
    print("in progress", flush=True)
    time.sleep(60)
"""


class UnderWay(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.hidden = Path(folder.name) / ".kotrel"

    def test_a_load_that_ends_in_any_way_leaves_nothing(self):
        with in_progress(self.hidden, STAMP):
            self.assertEqual(interrupted(self.hidden), [], "it is still running")
        with self.assertRaises(ValueError), in_progress(self.hidden, STAMP):
            raise ValueError
        self.assertEqual((interrupted(self.hidden), list(self.hidden.rglob("*.*"))), ([], []))

    def test_where_the_connection_broke_the_next_command_looks(self):
        with self.assertRaises(OutOfReach), in_progress(self.hidden, STAMP):
            raise OutOfReach("gone", "", "connection-lost")
        self.assertEqual([found.what for found in interrupted(self.hidden)], ["load of a.xlsx"])

    @unittest.skipIf(sys.platform == "win32", "kill -9 is not of this system")
    def test_a_killed_one_is_told_once(self):
        child = subprocess.Popen(
            [sys.executable, "-c", CHILD, str(self.hidden)], stdout=subprocess.PIPE, cwd=Path(__file__).parents[3]
        )
        assert child.stdout is not None
        child.stdout.readline()
        self.assertEqual(interrupted(self.hidden), [], "it runs, and holds its note")
        os.kill(child.pid, signal.SIGKILL)
        child.wait()
        child.stdout.close()
        [found] = interrupted(self.hidden)
        self.assertEqual((found.who, found.what, found.fingerprint), ("marit", "load of a.xlsx", "f00"))
        forget(found)
        self.assertEqual(interrupted(self.hidden), [])

    def test_where_no_note_can_be_made_the_load_goes_on(self):
        self.hidden.parent.mkdir(exist_ok=True)
        self.hidden.write_text("a file where a folder should be")
        with in_progress(self.hidden, STAMP):
            done = True
        self.assertTrue(done)
