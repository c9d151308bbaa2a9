"""Whole tables of SQLite that are read a stretch at a time, against the same rows asked for one by one."""

from __future__ import annotations

import os
import sqlite3
import unittest
from unittest.mock import patch

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.systems.own_databases import NewSqlite

values = st.one_of(st.none(), st.sampled_from(["", "x", "ä'\"", "\x1e", "a\x1eb", "0"]))
rows = st.lists(st.tuples(st.integers(-50, 50), values, values), max_size=40, unique_by=lambda row: row[0])


class Stretches(NewSqlite):
    def setUp(self):
        super().setUp()
        for name, value in (("STRETCH", 3), ("_MOST_READERS", 3)):
            patched = patch(f"kotrel.systems.sql.sqlite_reading.{name}", value)
            patched.start()
            self.addCleanup(patched.stop)
        cores = patch("os.cpu_count", lambda: 8)
        cores.start()
        self.addCleanup(cores.stop)

    def fill(self, created, rows):
        self.database.run("DROP TABLE IF EXISTS t")
        self.database.run(created)
        for row in rows:
            self.database.run("INSERT INTO t (n, a, b) VALUES (?, ?, ?)", row)

    def read(self, condition="", table="t"):
        rest = f'FROM "{table}" AS t{condition}'
        columns = ["t.a", "t.b", "CAST(t.n AS TEXT)"]
        return self.database.frame(columns, ["a", "b", "n"], rest, whole=table).rows()

    def one_by_one(self, condition="", order="n"):
        found = self.database.run(f"SELECT a, b, CAST(n AS TEXT) FROM t{condition} ORDER BY {order}")
        return [tuple(value or None for value in row) for row in found]

    @settings(deadline=None)
    @given(rows, st.booleans())
    def test_every_row_comes_once_whatever_its_number(self, rows, some):
        self.fill("CREATE TABLE t (n INTEGER PRIMARY KEY, a TEXT, b TEXT)", rows)
        condition = " WHERE (a IS NOT NULL OR b = 'x')" if some else ""
        with self.database.looking():
            self.assertEqual(self.read(condition), self.one_by_one(condition))
        with self.database.changing():
            self.assertEqual(self.read(condition), self.one_by_one(condition))
        self.assertEqual(self.read(condition), self.one_by_one(condition))

    @settings(deadline=None, max_examples=20)
    @given(rows)
    def test_tables_whose_rows_have_no_number_or_whose_columns_are_called_so(self, rows):
        for created in (
            "CREATE TABLE t (n INTEGER PRIMARY KEY, a TEXT, b TEXT) WITHOUT ROWID",
            'CREATE TABLE t (n INTEGER, a TEXT, b TEXT, "ROWID" TEXT)',
            "CREATE TABLE t (n INTEGER, a TEXT, b TEXT, rowid TEXT, oid TEXT, _rowid_ TEXT)",
        ):
            self.fill(created, rows)
            self.database.run("CREATE VIEW v AS SELECT * FROM t")
            for table in ("t", "v"):
                with self.database.looking():
                    self.assertEqual(sorted(self.read(table=table), key=str), sorted(self.one_by_one(), key=str))
            self.database.run("DROP VIEW v")

    def write_meanwhile(self):
        """What another program writes between two stretches; the error, if it may not."""
        other = sqlite3.connect(self.path, timeout=0, isolation_level=None)
        try:
            other.execute("UPDATE t SET b = 'changed'")
        except sqlite3.Error as error:
            return str(error)
        finally:
            other.close()
        return ""

    def read_while_somebody_writes(self):
        from kotrel.systems.sql import sqlite_reading

        said, real = [], sqlite_reading.Wanted.of

        def of(wanted, *args, **more):
            found = real(wanted, *args, **more)
            said.append(self.write_meanwhile())
            return found

        with self.database.looking(), patch.object(sqlite_reading.Wanted, "of", of):
            found = self.read()
        return found, said

    def test_all_stretches_are_of_one_moment(self):
        for mode in ("delete", "wal"):
            with self.subTest(mode):
                self.database.run(f"PRAGMA journal_mode = {mode}")
                self.fill("CREATE TABLE t (n INTEGER PRIMARY KEY, a TEXT, b TEXT)", [(n, "x", "y") for n in range(20)])
                found, said = self.read_while_somebody_writes()
                self.assertEqual(found, [("x", "y", str(n)) for n in range(20)])
                self.assertEqual(len(said), 7)
                # Where readers keep writers out, there are several; else the other program has written.
                self.assertEqual([bool(each) for each in said], [mode == "delete"] * 7)

    @unittest.skipIf(os.name == "nt", "Windows lets nobody replace a file that is open")
    def test_a_file_put_in_place_of_the_first_is_not_read(self):
        self.fill("CREATE TABLE t (n INTEGER PRIMARY KEY, a TEXT, b TEXT)", [(n, "x", "y") for n in range(20)])
        restored = self.path.with_name("restored.db")
        other = sqlite3.connect(restored)
        other.execute("CREATE TABLE t (n INTEGER PRIMARY KEY, a TEXT, b TEXT)")
        other.executemany("INSERT INTO t VALUES (?, 'other', 'rows')", [(n,) for n in range(20)])
        other.commit()
        other.close()
        with self.database.looking():
            restored.replace(self.path)
            self.assertEqual(self.read(), [("x", "y", str(n)) for n in range(20)])


if __name__ == "__main__":
    unittest.main()
