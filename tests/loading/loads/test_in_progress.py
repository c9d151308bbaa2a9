"""The note of a load under way, and what outlives a killed process."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path

from msgspec.structs import replace

from kotrel.core.changes.journal import Entry, Stamp
from kotrel.core.errors import OutOfReach
from kotrel.loading.loads.in_progress import forget, in_progress, interrupted

STAMP = Stamp(datetime(2026, 11, 23, 9, 30, 0, 1200, tzinfo=UTC), "marit", ("a.xlsx",), "f00")
LATER = STAMP.at + timedelta(microseconds=1)
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
        entry = Entry(1, "load", STAMP.time, "marit", ("a.xlsx",), "f00", "", None, None)
        self.assertTrue(found.is_entry(entry))
        self.assertTrue(found.is_entry(replace(entry, at="2026-11-23T10:30:00+01:00")), "a service's own zone")
        for other in ({"kind": "undo", "of": 1}, {"at": replace(STAMP, at=LATER).time}, {"fingerprint": "f01"}):
            self.assertFalse(found.is_entry(replace(entry, **other)), other)
        self.assertEqual((found.who, found.what, found.fingerprint), ("marit", "load of a.xlsx", "f00"))
        forget(found)
        self.assertEqual(interrupted(self.hidden), [])

    def test_an_undo_is_not_taken_for_its_load(self):
        with self.assertRaises(OutOfReach), in_progress(self.hidden, replace(STAMP, kind="undo", of=1)):
            raise OutOfReach("gone", "", "connection-lost")
        [found] = interrupted(self.hidden)
        load = Entry(1, "load", STAMP.time, "marit", ("a.xlsx",), "f00", "", None, None)
        undo = replace(load, number=2, kind="undo", of=1)
        self.assertEqual(list(map(found.is_entry, (load, undo, replace(undo, of=3)))), [False, True, False])

    def test_where_no_note_can_be_made_the_load_goes_on(self):
        self.hidden.parent.mkdir(exist_ok=True)
        self.hidden.write_text("a file where a folder should be")
        with in_progress(self.hidden, STAMP):
            done = True
        self.assertTrue(done)
