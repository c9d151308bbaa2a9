from __future__ import annotations

import tempfile
import unittest
from decimal import Decimal
from pathlib import Path
from types import SimpleNamespace

import polars as pl

from kotrel.core.counting.frames import line_frame
from kotrel.core.counting.selection import FROZEN
from kotrel.core.counting.variance import CountEntry
from kotrel.core.errors import WrongUse
from kotrel.counting.count_files import CountedFile, DamagedCount, count_names, create_count, drop_count, open_count
from kotrel.counting.count_state import posted_places, settle_posts

ROW = ("ROPE", "SHED", "S-1", None, None, "50", "4.20", "EA", "Rope", "ROPE")
PLACES = pl.DataFrame([ROW], schema=dict.fromkeys(FROZEN, pl.String), orient="row")
POSTED = [(1, "50", "47", "-3", "COUNT-x-SHED", "counted")]


def look(*entries: object) -> SimpleNamespace:
    """A system with this history."""
    return SimpleNamespace(history=lambda: list(entries), refused_later=lambda number: frozenset())


def load(number: int, fingerprint: str, undone_by: int | None = None) -> SimpleNamespace:
    return SimpleNamespace(number=number, fingerprint=fingerprint, kind="load", undone_by=undone_by)


class Kept(unittest.TestCase):
    """A count's file: what an interruption leaves, and what counts twice."""

    def setUp(self) -> None:
        self.hidden = Path(self.enterContext(tempfile.TemporaryDirectory()))
        create_count(self.hidden, "x", {"trading": "no", "frozen_at": "2027-01-09 08:00:00"}, PLACES)

    def test_a_posting_that_was_interrupted_is_settled_by_the_journal(self) -> None:
        for history, expected in (((), {}), ((load(7, "f"),), {1: 7}), ((load(7, "f", undone_by=8),), {})):
            with self.subTest(history=history), open_count(self.hidden, "x") as count:
                number = count.begin_post("f", "2027-01-09 12:00:00", "me", POSTED)
                # It was killed here: nobody has written down whether its load happened.
                settle_posts(count, look(*history))  # type: ignore[arg-type]
                self.assertEqual(posted_places(count, look(*history)), expected)  # type: ignore[arg-type]
                count.end_post(number, None)

    def test_a_sheet_that_comes_again_replaces_what_it_said(self) -> None:
        def file(fingerprint: str) -> CountedFile:
            return CountedFile(0, "a.xlsx", "sheet 1", fingerprint, "2027-01-09 12:00:00", "me", 0)

        def counted(quantity: int) -> pl.DataFrame:
            return line_frame([CountEntry(1, 0, Decimal(quantity), "ola", None, "a.xlsx H5")])

        with open_count(self.hidden, "x") as count:
            self.assertEqual(count.collect(file("one"), counted(47)), 0)
            self.assertEqual(count.collect(file("two"), counted(48)), 1)
            self.assertEqual([each.counted for each in count.entries()], [Decimal(48)])

    def test_no_changed_byte_is_taken_for_a_figure(self) -> None:
        path = self.hidden / "counts" / "x.count"
        sound = path.read_bytes()
        # Uncompressed or not, the block with the frozen places stands in the file in one piece.
        begin = sound.index(b"ARROW1")
        for at in range(begin, sound.index(b"ARROW1", begin + 8) + 6, 29):
            path.write_bytes(sound[:at] + bytes([sound[at] ^ 4]) + sound[at + 1 :])
            with self.subTest(at=at), self.assertRaises(DamagedCount), open_count(self.hidden, "x") as count:
                count.place_frame()
        path.write_bytes(b"SQLite no more" * 99)
        aside = drop_count(self.hidden, "x")
        self.assertEqual((count_names(self.hidden), aside.read_bytes()), ([], b"SQLite no more" * 99))

    def test_what_fails_leaves_nothing(self) -> None:
        with self.assertRaises(ZeroDivisionError), open_count(self.hidden, "x") as count:
            count.correct(CountEntry(1, 1000, Decimal(1), "me", None, "by hand"))
            _ = 1 / 0
        with open_count(self.hidden, "x") as count:
            self.assertEqual(count.entries(), [])

    def test_names(self) -> None:
        for name in ("x", "a/b", "", "../x"):
            with self.subTest(name=name), self.assertRaises(WrongUse):
                create_count(self.hidden, name, {}, PLACES.clear())
        self.assertTrue(drop_count(self.hidden, "x").name.startswith("x.dropped"))
        self.assertEqual(count_names(self.hidden), [])
