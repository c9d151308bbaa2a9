"""The journal's images of rows, and what a narrowed update keeps."""

import json
import sqlite3
import unittest
from decimal import Decimal

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges, before, join_changes
from kotrel.core.changes.journal import from_images, image, journal_rows, load_name
from kotrel.core.columns import ACTION, MESSAGE, ROW
from kotrel.systems.sql.dialect import quoted
from tests.support import small
from tests.systems.own_databases import NewSqlite

values = st.one_of(
    st.none(),
    st.text(
        st.characters(codec="utf-8", exclude_characters="\x00", exclude_categories=("Cs",)), min_size=1, max_size=10
    ),
)
ITEM = small().records["item"]


class Images(unittest.TestCase):
    @given(st.lists(st.tuples(values, values, values), min_size=1, max_size=6))
    def test_an_image_is_json_and_comes_back_in_polars_and_in_sql(self, rows):
        rows = [
            tuple(v if v is None or all(ord(c) >= 32 or c in "\n\r\t" for c in v) else "ctl" for v in row)
            for row in rows
        ]
        frame = pl.DataFrame(rows, schema=dict.fromkeys("abc", pl.String), orient="row")
        images = frame.select(image(frame, ["a", "b", "c"]).alias("x"))
        self.assertEqual([tuple(json.loads(text)) for text in images["x"]], rows)
        self.assertEqual(from_images(images["x"], ["a", "b", "c"]).rows(), rows)
        connection = sqlite3.connect(":memory:")
        for text, row in zip(images["x"], rows, strict=True):
            got = connection.execute(
                "SELECT json_extract(?1, '$[0]'), json_extract(?1, '$[1]'), json_extract(?1, '$[2]')", [text]
            ).fetchone()
            self.assertEqual(got, row)

    def test_identifiers_are_quoted(self):
        self.assertEqual(quoted("a", 'b"c'), '"a"."b""c"')
        self.assertEqual(quoted("", "b"), '"b"')
        self.assertEqual([load_name(number) for number in (1, 12345)], ["L0001", "L12345"])


def changes(*lines, fields=("code", "description", "cost")):
    columns = [ROW, ACTION, MESSAGE, *fields, *(before(name) for name in fields)]
    frame = pl.DataFrame(lines, schema=dict.fromkeys(columns, pl.String), orient="row").with_columns(
        pl.col(ROW).cast(pl.UInt32)
    )
    return RecordChanges(ITEM, "f.csv", "", fields, frame)


class Narrowing(unittest.TestCase):
    CHANGED = ("2", "changed", None, "A", "rope", "2.00", "A", "rope", "1.00")
    SAME = ("3", "same", None, "B", "x", "1.00", "B", "x", "1.00")
    NEW = ("4", "new", "warning: y", "C", "z", "3.00", None, None, None)

    def test_an_update_carries_only_what_changes(self):
        narrow = changes(self.CHANGED, self.SAME).narrowed()
        self.assertEqual((narrow.fields, narrow.count("same")), (("code", "cost"), 1))
        self.assertEqual(narrow.changed_cells().rows(), [(2, "A", "cost", "1.00", "2.00")])
        self.assertEqual(changes(self.CHANGED, self.NEW).narrowed().fields, ("code", "description", "cost"))

    def test_the_journals_rows(self):
        rows = journal_rows(changes(self.CHANGED, self.SAME, self.NEW), 7, 5)
        self.assertEqual(rows["line"].to_list(), [5, 6, 7])
        self.assertEqual(rows["outcome"].to_list(), ["done", "done", "warning"])
        self.assertEqual(rows["after"].to_list(), ['["A","rope","2.00"]', None, '["C","z","3.00"]'])
        self.assertEqual(rows["before"].to_list(), ['["A","rope","1.00"]', None, None])

    def test_parts_of_one_record_are_put_together(self):
        one, two = changes(self.CHANGED), changes(self.NEW)
        self.assertEqual([each.frame.height for each in join_changes([one, two])], [2])
        other = changes(("2", "same", None, "A", "A"), fields=("code",))
        self.assertEqual(len(join_changes([one, other, two])), 3)


class FastRoads(NewSqlite):
    def setUp(self):
        super().setUp()
        self.database.run("CREATE TABLE t (a TEXT, b TEXT)")

    @given(st.lists(st.tuples(values, values), max_size=8))
    def test_what_is_put_in_comes_out(self, rows):
        self.database.run("DELETE FROM t")
        self.database.insert("t", ["a", "b"], pl.DataFrame(rows, schema={"a": pl.String, "b": pl.String}, orient="row"))
        self.assertEqual(self.database.frame(["a", "b"], ["a", "b"], "FROM t ORDER BY rowid").rows(), rows)
        self.assertEqual(
            self.database.frame(["a"], ["a"], "FROM t ORDER BY rowid")["a"].to_list(), [row[0] for row in rows]
        )

    @settings(deadline=None)
    @given(
        st.lists(st.one_of(st.none(), st.integers(-(2**63) + 1, 2**63 - 1), st.integers(-200, 200)), max_size=8),
        st.integers(1, 4),
    )
    def test_amounts_come_out_as_exactly_what_their_whole_numbers_stand_for(self, whole, decimals):
        self.amounts(whole)
        expected = [None if each is None else f"{Decimal(each).scaleb(-decimals):f}" for each in whole]
        self.assertEqual(self.read_amounts(decimals), expected)

    def test_what_is_no_whole_number_among_amounts_is_read_as_it_was(self):
        self.amounts([150, "ten", None])
        by_text = self.database.as_text("t.n", replace(ITEM.fields["cost"], decimals=2))
        [*expected] = [text for (text,) in self.database.run(f"SELECT {by_text} FROM n AS t ORDER BY rowid")]
        self.assertEqual(self.read_amounts(2), expected)
        self.assertEqual(expected[0], "1.50")

    def amounts(self, values):
        self.database.run("CREATE TABLE IF NOT EXISTS n (n BIGINT)")
        self.database.run("DELETE FROM n")
        for each in values:
            self.database.run("INSERT INTO n VALUES (?)", [each])

    def read_amounts(self, decimals):
        field = replace(ITEM.fields["cost"], decimals=decimals)
        text = self.database.as_text("t.n", field)
        return self.database.frame([text], ["n"], "FROM n AS t ORDER BY rowid", (), {"n": ("t.n", field)})[
            "n"
        ].to_list()

    def test_a_part_that_is_tried_is_always_taken_back(self):
        with self.database.changing():
            with self.database.trying():
                self.database.run("INSERT INTO t VALUES ('x', 'y')")
            self.database.run("INSERT INTO t VALUES ('z', NULL)")
        self.assertEqual(self.database.run("SELECT a FROM t"), [("z",)])
        with self.assertRaises(RuntimeError), self.database.changing():
            self.database.run("DELETE FROM t")
            raise RuntimeError
        self.assertEqual(self.database.run("SELECT count(*) FROM t"), [(1,)])
