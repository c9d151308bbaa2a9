"""The journal's seal: a line or an entry that was changed or lost is told, and stops the undo of that load only."""

from __future__ import annotations

from unittest import mock

from kotrel.core.errors import WrongData
from kotrel.loading.loads.verify import verify_load
from kotrel.systems.sql import database_journal
from tests.systems.own_databases import Fixture, PostgresFixture, SqliteFixture


class Sealed(Fixture):
    LOADS, ROWS, KEY = "kotrel_load", "kotrel_load_row", '"key"'

    def troubles(self):
        return {entry.number: entry.trouble for entry in self.system.audited_history() if entry.trouble}

    def test_what_was_changed_since_is_told_and_nothing_else_is_stopped(self):
        self.load({"no": "A", "title": "a", "note": "x"}, {"no": "B", "title": "b", "note": "y"})
        self.load({"no": "A", "title": "it's “ä”, \n two"})
        self.undo(2)
        self.load({"no": "C", "title": "c"})
        self.undo(4)
        self.load({"no": "D", "title": "d"}, {"no": "E", "title": "e"}, wrong=[3])
        self.assertEqual(self.troubles(), {}, "what Kotrel itself writes is whole")
        for statement, number in (
            (f"UPDATE {self.ROWS} SET before = replace(before, 'a', 'z') WHERE load = 2 AND action = 'changed'", 2),
            (f"UPDATE {self.ROWS} SET message = 'all is well' WHERE load = 6 AND action = 'refused'", 6),
            (f"DELETE FROM {self.ROWS} WHERE load = 1 AND line = 2", 1),
        ):
            self.run_sql(statement)
            self.assertIn(number, self.troubles(), statement)
        for number in (1, 2):
            with self.assertRaises(WrongData) as caught:
                self.undo(number) if number == 1 else verify_load(self.system, 1, lambda step: None)
            self.assertIn("L0001 cannot be relied on: its journal has 1 line instead of 2", caught.exception.message)
        self.assertEqual(self.undo(3).status, "undone", "other loads are undone as ever")

    def test_lines_that_were_written_in_pieces_are_numbered_and_sealed_as_one(self):
        lines = [{"no": code, "title": code.lower()} for code in "ABCDE"]
        with mock.patch.object(database_journal, "PIECE_ROWS", 2):
            self.load(*lines, wrong=[3])
            self.load(*({**line, "title": "x"} for line in lines))
        self.assertEqual(self.troubles(), {})
        numbers = self.run_sql(f"SELECT load, line, {self.KEY} FROM {self.ROWS} ORDER BY load, line")
        taken = [(1, n, code) for n, code in enumerate("ACDEB", start=1)]
        self.assertEqual(numbers, [*taken, *((2, n, code) for n, code in enumerate("ABCDE", start=1))])
        self.run_sql(f"DELETE FROM {self.ROWS} WHERE load = 2 AND line = 4")
        self.assertEqual(list(self.troubles()), [2])

    def test_an_entry_changed_or_taken_out_breaks_the_chain(self):
        for code in "ABCD":
            self.load({"no": code, "title": code.lower()})
        self.run_sql(f"UPDATE {self.LOADS} SET who = 'nobody' WHERE number = 2")
        self.assertEqual(self.troubles(), {2: "its entry in the journal, or the one before it, was changed since"})
        self.run_sql(f"UPDATE {self.LOADS} SET who = 'me' WHERE number = 2")
        self.assertEqual(self.troubles(), {})
        self.run_sql(f"DELETE FROM {self.ROWS} WHERE load = 3")
        self.run_sql(f"DELETE FROM {self.LOADS} WHERE number = 3")
        self.assertEqual(list(self.troubles()), [4])
        self.run_sql(f"UPDATE {self.LOADS} SET undone_by = 4 WHERE number = 1")
        self.assertEqual(self.troubles()[1], "it is marked as undone by L0004, which did not undo it")

    def test_lines_that_an_undo_copied_are_held_against_what_they_were_copied_from(self):
        self.load({"no": "A", "title": "a"})
        self.undo(1)
        self.assertEqual(self.troubles(), {})
        self.run_sql(f"UPDATE {self.ROWS} SET before = replace(before, 'a', 'z') WHERE load = 2")
        self.assertEqual(list(self.troubles()), [2])

    def test_what_triggers_made_of_rows_is_sealed_too(self):
        self.upper_keys()
        self.change_titles()
        self.load({"no": "a", "title": "x", "price": "1.00"})
        self.assertEqual(self.troubles(), {})


class Sqlite(Sealed, SqliteFixture):
    pass


class Postgres(Sealed, PostgresFixture):
    LOADS, ROWS = "kotrel.load", "kotrel.load_row"

    def test_the_database_names_its_own_user(self):
        self.load({"no": "A", "title": "a"})
        self.assertEqual(self.system.history()[0].login, "postgres")


del Sealed
