"""Processes beside this one: they do what is asked, say what went wrong, and are not missed where they end."""

import os
import tempfile
import time
import unittest
from decimal import Decimal
from pathlib import Path
from unittest import mock

from python_calamine import CalamineWorkbook

from kotrel.core.counting.variance import CountPlace
from kotrel.counting import count_sheets
from kotrel.counting.count_sheets import CountSheet
from kotrel.counting.helpers import Helpers
from kotrel.sheets.safe_writing import require_new_file


class Beside(unittest.TestCase):
    def test_it_is_done_there_and_here(self):
        with Helpers(1) as helpers:
            pids = {helpers.submit(os.getpid).result() for _ in range(3)}
        self.assertEqual(len(pids), 1)
        self.assertNotIn(os.getpid(), pids)
        with Helpers(0) as helpers:
            self.assertEqual(helpers.submit(os.getpid).result(), os.getpid())

    def test_what_went_wrong_there_is_said_here(self):
        with Helpers(1) as helpers, tempfile.TemporaryDirectory() as folder:
            taken = Path(folder) / "taken.xlsx"
            taken.touch()
            with self.assertRaisesRegex(Exception, "already exists"):
                helpers.submit(require_new_file, taken).result()
            # What nobody expected happens here again, and is seen as it is.
            with self.assertRaises(ZeroDivisionError):
                helpers.submit(divmod, 1, 0).result()
            self.assertEqual(helpers.submit(divmod, 7, 2).result(), (3, 1))

    def test_one_that_was_killed_is_not_missed(self):
        with Helpers(1) as helpers:
            os.kill(helpers.submit(os.getpid).result(), 9)
            time.sleep(0.2)
            self.assertEqual(helpers.submit(os.getpid).result(), os.getpid())


class Sheets(unittest.TestCase):
    def test_many_sheets_are_written_as_one_by_one(self):
        places = [
            CountPlace(
                n, f"ITEM-{n}", "QUAY", f"B-{n % 3}", None, None, Decimal(n), Decimal(1), "EA", "Thing", "ALL", False
            )
            for n in range(1, 9)
        ]
        sheets = [
            CountSheet(f"S{n}", "x", f"c/{n}/0", "QUAY", tuple(places[n * 2 : n * 2 + 2]), False) for n in range(4)
        ]

        def written(worth: int) -> list[object]:
            with tempfile.TemporaryDirectory() as folder, mock.patch.object(count_sheets, "WORTH_PROCESSES", worth):
                paths = {Path(folder) / f"{n}.xlsx": sheet for n, sheet in enumerate(sheets)}
                count_sheets._write_all(paths, count_sheets.write_count_sheet)
                return [CalamineWorkbook.from_path(path).get_sheet_by_index(0).to_python() for path in paths]

        beside = written(1)
        self.assertEqual(beside, written(1_000))
        self.assertEqual([row[0] for row in beside[1][4:6]], ["ITEM-3", "ITEM-4"])
