"""Merging on a small database of its own: exactly the refused rows are found, and the way there and back."""

import tempfile
import unittest
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.changes.change_set import RecordChanges, before
from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.reversal import reverse
from kotrel.core.changes.row_comparison import compare
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.rows.findings import cells_of
from kotrel.systems.interface import ConcurrentChange, Refused
from kotrel.systems.sql import journal_tables
from kotrel.systems.sql.database_journal import has_journal
from kotrel.systems.sql.database_system import SqlSystem
from kotrel.systems.sql.dialect import JOURNAL
from kotrel.systems.sql.postgresql_dialect import POSTGRESQL
from kotrel.systems.sql.refusals import MOST_REFUSALS
from kotrel.systems.sql.sqlite import SqliteDatabase
from kotrel.systems.sql.sqlite_dialect import SQLITE
from kotrel.systems.sql.tables import create_statements
from tests.builders import rows_of, values_of
from tests.support import rows, small
from tests.systems.own_databases import NewSqlite

STAMP = Stamp(datetime(2026, 1, 1, tzinfo=UTC), "me", ("f.csv",), "0" * 64)
HEAD = ("Item code", "Description", "Unit", "Cost")


class Database(NewSqlite):
    def setUp(self):
        super().setUp()
        self.database.create([*create_statements(small(), SQLITE), *journal_tables.journal_statements(SQLITE)])
        self.database.run("INSERT INTO unit VALUES ('EA', 'each'), ('M', 'metre')")
        self.system = SqlSystem(lambda: SqliteDatabase(self.path), small(), "test")

    def load(self, *lines):
        sheet = rows(HEAD, *lines)
        with self.system.writing() as writing:
            now = writing.read("item", ["code", "description", "unit", "cost"])
            return writing.take(Plan((compare(sheet, now),), STAMP), lambda step: None).number

    def state(self):
        return self.database.run("SELECT code, description, unit, cost FROM item ORDER BY code")


class Refusals(Database):
    @settings(max_examples=20)
    @given(
        st.integers(1, 60).flatmap(
            lambda count: st.tuples(st.just(count), st.sets(st.integers(0, count - 1), min_size=1))
        )
    )
    def test_exactly_the_refused_rows_are_found(self, case):
        count, bad = case
        self.database.run("DELETE FROM item")
        self.database.run("DROP TRIGGER IF EXISTS no")
        self.database.run(
            "CREATE TRIGGER no BEFORE INSERT ON item WHEN NEW.cost = 666 BEGIN SELECT RAISE(ABORT, 'not that one'); END"
        )
        lines = [(f"N{place:03}", "x", "EA", "6.66" if place in bad else "1") for place in range(count)]
        with self.assertRaises(Refused) as caught:
            self.load(*lines)
        found = [refusal.row - 2 for refusal in caught.exception.refusals]
        self.assertEqual(found, sorted(bad)[:MOST_REFUSALS])
        self.assertTrue(all(refusal.message == "not that one" for refusal in caught.exception.refusals))
        self.assertEqual((self.state(), self.system.history()), ([], []))

    def test_fewer_rows_than_thought_is_told_and_nothing_stays(self):
        self.load(("A", "x", "EA", "1"))
        sheet = rows(HEAD, ("A", "x", "EA", "2"))
        with self.assertRaises(ConcurrentChange), self.system.writing() as writing:
            change = compare(sheet, writing.read("item", ["code", "description", "unit", "cost"]))
            gone = change.frame.with_columns(pl.lit("B").alias("code"), pl.lit("B").alias(before("code")))
            writing.take(Plan((RecordChanges(change.record, "f", "", change.fields, gone),), STAMP), lambda step: None)
        self.assertEqual((self.state(), len(self.system.history())), ([("A", "x", "EA", 100)], 1))


item_lines = st.dictionaries(
    st.sampled_from("ABCDE"),
    st.tuples(
        st.sampled_from(["x", "y\nz", 'q"\\']),
        st.sampled_from(["EA", "M"]),
        st.sampled_from(["0.01", "1.00", "999.99"]),
    ),
    min_size=1,
    max_size=5,
)


class ThereAndBack(Database):
    @settings(max_examples=20)
    @given(item_lines, item_lines)
    def test_two_loads_taken_back_in_turn_leave_what_was(self, first, second):
        self.database.run("DELETE FROM item")
        self.load(*((code, *rest) for code, rest in first.items()))
        between = self.state()
        wanted = {code: (text, unit, round(float(cost) * 100)) for code, (text, unit, cost) in first.items()}
        self.assertEqual({code: tuple(rest) for code, *rest in between}, wanted)
        number = self.load(*((code, *rest) for code, rest in second.items()))
        wanted |= {code: (text, unit, round(float(cost) * 100)) for code, (text, unit, cost) in second.items()}
        self.assertEqual({code: tuple(rest) for code, *rest in self.state()}, wanted)
        with self.system.writing() as writing:
            back = []
            for change in writing.changes_of(number):
                now = writing.read("item", [*change.record.loadable, "on_hand"])
                way, blocked_by = reverse(change, now, now.select("code", "on_hand"))
                self.assertEqual(blocked_by, [])
                back.append(way)
            writing.take(Plan(tuple(back), STAMP), lambda step: None)
        self.assertEqual(self.state(), between)


class Tables(unittest.TestCase):
    def test_statements_come_in_load_order_for_both_kinds_of_database(self):
        for dialect in (SQLITE, POSTGRESQL):
            text = "\n".join(create_statements(small(), dialect))
            self.assertLess(text.index("CREATE TABLE unit"), text.index("CREATE TABLE item"))
            self.assertIn("BIGINT" if dialect is SQLITE else "NUMERIC(18, 2)", text)
            self.assertIn("CHECK (cost >= 0)", text)
        self.assertIn("CHECK (cost <= 100000)", "\n".join(create_statements(small(), SQLITE)), "limits are scaled too")
        self.assertTrue(any(JOURNAL in statement for statement in journal_tables.journal_statements(POSTGRESQL)))

    def test_a_database_without_a_journal_says_so(self):
        with tempfile.TemporaryDirectory() as name:
            database = SqliteDatabase(Path(name) / "a.db", create=True)
            self.assertFalse(has_journal(database))
            database.create(journal_tables.journal_statements(SQLITE))
            self.assertTrue(has_journal(database))
            database.close()


class WholeDatabase(Database):
    """What a load leaves in the tables, against the change set applied by hand."""

    codes = st.sampled_from(["20123451", "20999995", "2010000000014", None])

    @settings(max_examples=30)
    @given(
        st.lists(codes, min_size=3, max_size=3).filter(
            lambda given: len({c for c in given if c}) == sum(c is not None for c in given)
        ),
        st.permutations([0, 1, 2]),
        st.sampled_from(["x", "refused", "new"]),
    )
    def test_values_may_change_places_and_refused_rows_change_nothing(self, given_codes, order, fourth):
        self.database.run("DELETE FROM item")
        heading = ("Item code", "Description", "Unit", "Barcode", "Parent")
        start = rows(
            heading, *(("ABC"[n], "x", "EA", code or "", "A" if n else "") for n, code in enumerate(given_codes))
        )
        self.apply(start)
        # Every row gets the barcode of another; a fourth is new, or has an error.
        moved = [(("ABC"[n]), "", "", given_codes[order[n]] or "(clear)", "") for n in range(3)]
        if fourth != "x":
            moved.append(("D", "d", "EA", "", "C"))
        sheet = rows(heading, *moved)
        if fourth == "refused":
            sheet = sheet.with_findings([sheet.group("error", "e", "t", "code", cells_of([5], None, "no"))])
        number = self.apply(sheet)
        wanted = [("ABC"[n], "x", given_codes[order[n]], "A" if n else None) for n in range(3)]
        wanted += [("D", "d", None, "C")] if fourth == "new" else []
        self.assertEqual(self.database.run("SELECT code, description, barcode, parent FROM item ORDER BY code"), wanted)
        outcome = self.system.outcome(number)
        acted = {row["key"]: (row["row"], row["action"], row["outcome"]) for row in outcome.iter_rows(named=True)}
        for n in range(3):
            self.assertEqual(
                acted["ABC"[n]], (n + 2, "changed" if given_codes[order[n]] != given_codes[n] else "same", "done")
            )
        if fourth != "x":
            self.assertEqual(acted["D"], (5, "refused", "refused") if fourth == "refused" else (5, "new", "done"))
        [entry] = [each for each in self.system.history() if each.number == number]
        self.assertEqual(sum(entry.counts["item"].values()), len(moved))

    def apply(self, sheet) -> int:
        fields = [name for name in ("code", "description", "unit", "barcode", "parent") if name in sheet.fields]
        with self.system.writing() as writing:
            return writing.take(Plan((compare(sheet, writing.read("item", fields)),), STAMP), lambda step: None).number


class ChangingPlaces(unittest.TestCase):
    """Two rows that change places in a group of fields that must be unique together."""

    def test_only_the_fields_that_change_are_emptied_on_the_way(self):
        description = read_description(
            '[record.variant]\nkey = ["code"]\nunique_together = [["family", "size"]]\n[record.variant.field]\n'
            'code = { kind = "code", must = "always" }\nfamily = { kind = "code", must = "new" }\nsize = { kind = "code" }\n'
        )
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "a.db"
            database = SqliteDatabase(path, create=True)
            self.addCleanup(database.close)
            database.create([*create_statements(description, SQLITE), *journal_tables.journal_statements(SQLITE)])
            database.run("CREATE UNIQUE INDEX pair ON variant (family, size)")
            database.run("INSERT INTO variant VALUES ('A', 'F', 'L'), ('B', 'F', 'M')")
            system = SqlSystem(lambda: SqliteDatabase(path), description, "test")
            for fields, families, sizes in (
                (("code", "size"), ["F", "F"], ["M", "L"]),
                (("code", "family", "size"), ["F", "F"], ["L", "M"]),
                (("code", "family", "size"), ["G", "F"], ["M", "L"]),
                (("code", "family", "size"), ["F", "G"], ["L", "M"]),
            ):
                values = pl.DataFrame(
                    {ROW: pl.Series([2, 3], dtype=pl.UInt32), "code": ["A", "B"], "family": families, "size": sizes}
                ).select(ROW, *fields)
                sheet = rows_of(description.records["variant"], values)
                with system.writing() as writing:
                    writing.take(Plan((compare(sheet, writing.read("variant", fields)),), STAMP), lambda step: None)
                wanted = list(zip("AB", families, sizes, strict=True))
                self.assertEqual(database.run("SELECT * FROM variant ORDER BY code"), wanted)


NUMBERED = read_description("""
[record.entry]
key = ["doc", "line"]
[record.entry.field]
doc = { kind = "code", must = "always" }
line = { kind = "number", decimals = 0, must = "always" }
index = { kind = "text" }
""")


class FieldsCalledAsOurs(unittest.TestCase):
    """Tables of people have columns called ``line`` and ``index``, too."""

    def test_a_refused_row_is_found_and_the_others_are_loaded_and_undone(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.db"
            with closing(SqliteDatabase(path, create=True)) as database:
                database.create(journal_tables.journal_statements(SQLITE))
                database.run(
                    'CREATE TABLE entry (doc TEXT, line INTEGER CHECK (line < 90), "index" TEXT, PRIMARY KEY (doc, line))'
                )
            system = SqlSystem(lambda: SqliteDatabase(path), NUMBERED, "test")

            def load(*lines):
                columns = {name: [line[n] for line in lines] for n, name in enumerate(("doc", "line", "index"))}
                sheet = rows_of(NUMBERED.records["entry"], values_of(columns))
                with system.writing() as writing:
                    change = compare(sheet, writing.read("entry", ["doc", "line", "index"]))
                    return writing.take(Plan((change,), STAMP), lambda step: None).number

            with self.assertRaises(Refused) as caught:
                load(("A", "1", "x"), ("A", "95", "y"), ("B", "1", "z"))
            self.assertEqual([(each.row, each.key) for each in caught.exception.refusals], [(3, "A / 95")])
            self.assertEqual(load(("B", "1", "z"), ("A", "1", "x")), 1)
            self.assertEqual(load(("A", "1", "new"), ("B", "1", "z")), 2)
            with system.writing() as writing:
                [change] = writing.changes_of(2)
                back, blocked_by = reverse(change, writing.read("entry", ["doc", "line", "index"]))
                self.assertEqual((back.counts["changed"], blocked_by), (1, []))
