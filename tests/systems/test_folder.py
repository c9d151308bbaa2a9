from __future__ import annotations

import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock

import polars as pl

from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.row_comparison import compare
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.layouts.layout import Layout, LayoutColumn
from kotrel.systems.folder import folder_system as module
from kotrel.systems.folder.folder_system import FolderSystem
from kotrel.systems.folder.mirror import GivenOut, write_mirror
from kotrel.systems.folder.sending import Uploads
from tests.builders import rows_of

DESCRIPTION = read_description("""
[system]
title = "Till"
[record.item]
key = ["code"]
[record.item.field]
code = { kind = "code", must = "always" }
name = { kind = "text" }
""")
STAMP = Stamp(datetime(2026, 1, 1, tzinfo=UTC), "me", ("f.csv",), "0")


class PowerCut(BaseException):
    """Nothing catches it, as nothing catches a kill."""


class HandedOverOnce(unittest.TestCase):
    """Killed at any point: what the account has is handed over once, and nothing else is."""

    def setUp(self) -> None:
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.folder = Path(place.name)
        self.inbox = self.folder / "in"
        layout = Layout("till", "item", (LayoutColumn("Code", "code"), LayoutColumn("Name", "name")))
        self.system = FolderSystem(self.folder, DESCRIPTION, "the till", Uploads(self.inbox, None, {"item": layout}))
        frame = pl.DataFrame({"code": ["A"], "name": ["a"]})
        write_mirror(
            self.folder, DESCRIPTION, {"item": [frame]}, [GivenOut("a.csv", "item", 1, "2025-01-01 00:00:00")], "1"
        )

    def load(self, *codes: str) -> None:
        values = pl.DataFrame({ROW: range(2, 2 + len(codes)), "code": codes, "name": ["new"] * len(codes)},
                              schema={ROW: pl.UInt32, "code": pl.String, "name": pl.String})  # fmt: skip
        rows = rows_of(DESCRIPTION.records["item"], values)
        with self.system.writing() as writing:
            change = compare(rows, writing.read("item", ["code", "name"]))
            writing.take(Plan((change,), STAMP), lambda step: None)

    def there(self) -> list[str]:
        return (
            sorted(path.name.split("-")[0] + path.suffix for path in self.inbox.iterdir())
            if self.inbox.exists()
            else []
        )

    def test_killed_before_the_account_is_written(self) -> None:
        with mock.patch.object(module.Account, "note_files", side_effect=PowerCut), self.assertRaises(PowerCut):
            self.load("B")
        self.assertEqual((self.there(), self.system.history()), (["L0001.part"], []))
        self.load("B")
        self.assertEqual((self.there(), len(self.system.history())), (["L0001.csv"], 1))

    def test_killed_before_the_files_get_their_names(self) -> None:
        with mock.patch.object(module, "hand_over", side_effect=[None, PowerCut]), self.assertRaises(PowerCut):
            self.load("B")
        self.assertEqual((self.there(), len(self.system.history())), (["L0001.part"], 1))
        self.system.settle()
        self.assertEqual(self.there(), ["L0001.csv"])
        # The program has read it: it does not come a second time.
        next(self.inbox.iterdir()).unlink()
        self.system.settle()
        self.load("C")
        self.assertEqual(self.there(), ["L0002.csv"])

    def test_what_is_sent_counts_until_a_newer_list_says_otherwise(self) -> None:
        self.load("A", "B")
        with self.system.reading() as reading:
            held = reading.read("item", ["code", "name"]).sort("code").rows()
        self.assertEqual(held, [("A", "new"), ("B", "new")])
        with self.system.reading_back() as reading:
            self.assertEqual(reading.read("item", ["code", "name"]).rows(), [("A", "a")])
        self.assertTrue(self.system.history()[0].waiting)


if __name__ == "__main__":
    unittest.main()
