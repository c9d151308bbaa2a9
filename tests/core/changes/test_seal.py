"""What a seal covers: every line, and where copied lines come from."""

from __future__ import annotations

import unittest

import polars as pl

from kotrel.core.changes.seal import SEALED, Seal, chained, is_turned_round, seal_of


def lines(*texts: str) -> pl.DataFrame:
    """A line for each text; ``a`` is the first line, ``b`` the second."""
    return pl.DataFrame(
        {name: [str(ord(text) - 96) if name == "line" else f"{name} {text}" for text in texts] for name in SEALED}
    )


class Seals(unittest.TestCase):
    def test_each_line_its_order_and_the_origin_of_copies_are_sealed(self):
        def of(*steps):
            seal = Seal()
            for step in steps:
                seal.add(step) if isinstance(step, pl.DataFrame) else seal.add_copy(*step)
            return seal.digest(), seal.lines

        every = [
            of(), of(lines("a")), of(lines("b")), of(lines("a", "b")), of(lines("b", "a")), of((1, 1, 1)), of((1, 2, 2)), of((2, 1, 1)),
            of((1, 1, 1), lines("a")),
        ]  # fmt: skip
        self.assertEqual(len({digest for digest, _ in every}), len(every))
        self.assertEqual([count for _, count in every], [0, 1, 1, 2, 2, 1, 1, 1, 2])
        self.assertEqual(of(lines("a", "b")), of(lines("a"), lines("b")))

    def test_copied_lines_are_sealed_by_where_they_came_from_where_all_are_there(self):
        parts = [{"rows": 2, "copied": (1, 1, 2)}, {"rows": 1}]
        own = Seal()
        own.add_copy(1, 1, 2)
        own.add(lines("c"))
        for at_once in (1, 2, 3):
            pieces = lines("a", "b", "c").iter_slices(at_once)
            self.assertEqual(seal_of(parts, pieces).digest(), own.digest())
        for short in (lines("a"), lines("a", "b"), lines("a", "c"), lines("b", "c")):
            self.assertNotEqual(seal_of(parts, [short]).digest(), own.digest())
        more = seal_of(parts, [lines("a", "b", "c", "d")])
        self.assertEqual((more.lines, more.digest() == own.digest()), (4, False))

    def test_a_chain_depends_on_the_seal_before_and_every_fact(self):
        every = {chained("", [1, "a"]), chained("x", [1, "a"]), chained("", [1, "b"]), chained("", [1, "a", None])}
        self.assertEqual(len(every), 4)

    def test_a_copy_says_after_what_was_before(self):
        source = pl.DataFrame(
            {"record": ["item"], "file": ["f"], "sheet": [""], "row": [2], "key": ["A"], "after": ["[1]"]}
        )
        copy = source.rename({"after": "before"}).with_columns(pl.lit(None, pl.String).alias("sheet"))
        self.assertTrue(is_turned_round(copy, source))
        self.assertFalse(is_turned_round(copy.with_columns(pl.lit("[2]").alias("before")), source))
        self.assertFalse(is_turned_round(copy.with_columns(pl.lit("B").alias("key")), source))
        self.assertFalse(is_turned_round(pl.concat([copy, copy]), source))
