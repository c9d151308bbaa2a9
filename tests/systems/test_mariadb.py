"""MariaDB: the suites that run on each system, and what is different there: collations, engines, zero dates, locks."""

from __future__ import annotations

import tempfile
import threading
import unittest
from pathlib import Path

from kotrel.core.changes.plan import Plan
from kotrel.core.errors import OutOfReach
from kotrel.practice.installing import set_up
from kotrel.systems.opening_systems import database_at, open_system
from kotrel.systems.sql import journal_tables
from kotrel.systems.sql.database_system import SqlSystem
from kotrel.systems.sql.mariadb import MariaDatabase
from kotrel.systems.sql.mariadb_dialect import MARIADB
from tests import mariadb_server
from tests.cli import test_documents
from tests.support import Program
from tests.systems import test_kept_balances, test_own_rules, test_sql, test_taking_back
from tests.systems.own_databases import DESCRIPTION, FIELDS, Fixture
from tests.systems.practice_databases import STAMP, quiet


def setUpModule() -> None:
    mariadb_server.require()


class OnMaria:
    """A practice system in a new MariaDB database, whose tables ignore capitals
    and accents unless they say otherwise.
    """

    kind = "mariadb"

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.url = mariadb_server.url(mariadb_server.shop_database())
        self.database = database_at(self.url, self.folder)()
        self.addCleanup(self.database.close)
        self.description, made = set_up(self.database)
        self.assertFalse(made)
        self.system = open_system(self.url, self.description, self.folder)


class Sql(OnMaria, test_sql.OnAnyDatabase, unittest.TestCase):
    def forbid_price(self, price):
        self.database.run(f"ALTER TABLE item ADD CONSTRAINT no_such_price CHECK (price <> {price} OR code < 'ROP-5')")

    def test_what_somebody_else_committed_is_never_overwritten(self):
        # A load reads with a lock: another program has to wait, and then sees what the load did.
        other = database_at(self.url, self.folder)()
        self.addCleanup(other.close)
        done = []

        def sell():
            other.run("UPDATE item SET price = price + 1 WHERE code = 'ROP-00010'")
            done.append(True)

        with self.system.writing() as writing:
            change = self.change(("ROP-00010", "", "", "", "", "1.00", "", ""), writing=writing)
            thread = threading.Thread(target=sell)
            thread.start()
            thread.join(0.5)
            self.assertEqual(done, [], "the row is locked from the moment it is read")
            writing.take(Plan((change,), STAMP), quiet)
        thread.join(20)
        [(price,)] = self.database.run("SELECT price FROM item WHERE code = 'ROP-00010'")
        self.assertEqual(str(price), "2.00")


class TakingBack(OnMaria, test_taking_back.OnAnyDatabase, unittest.TestCase):
    pass


class KeptBalances(OnMaria, test_kept_balances.OnAnyDatabase, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.lines, self.count = "stock_movement", 0

    def post(self, place, quantity, database=None):
        self.kind = "postgresql"  # amounts are exact decimals there, too
        super().post(place, quantity, database)


class Documents(test_documents.OnSqlite):
    def start(self) -> None:
        mariadb_server.start_shop(self.folder)


class MariaFixture(Fixture, unittest.TestCase):
    """One table that has rules, as the other databases have it."""

    def setUp(self):
        self.name = mariadb_server.new_database()
        self.run_sql(
            "CREATE TABLE goods (no varchar(20) PRIMARY KEY, title varchar(40), seen datetime(6), sold char(1), price decimal(38, 10), weight double, "
            "note text NOT NULL DEFAULT 'n/a', above varchar(20), undescribed datetime(6), FOREIGN KEY (above) REFERENCES goods (no))"
        )
        url = mariadb_server.url(self.name)
        database = MariaDatabase(url, "own")
        database.create(journal_tables.journal_statements(MARIADB))
        database.close()
        self.system = SqlSystem(lambda: MariaDatabase(url, "own"), DESCRIPTION, "own")

    def run_sql(self, statement, values=()):
        with mariadb_server.connect(database=self.name) as connection, connection.cursor() as cursor:
            cursor.execute(statement, values or None)
            return [tuple(row) for row in cursor.fetchall()]

    def everything(self):
        columns = ", ".join(f"CAST({name} AS char)" for name in (*FIELDS, "undescribed"))
        return self.run_sql(f"SELECT {columns} FROM goods ORDER BY no")

    def fill(self, *lines):
        for line in lines:
            self.run_sql(f"INSERT INTO goods VALUES ({', '.join(['%s'] * 9)})", line)

    def before_trigger(self, name, body, when=("INSERT", "UPDATE")):
        for event in when:
            self.run_sql(f"CREATE TRIGGER {name}_{event} BEFORE {event} ON goods FOR EACH ROW BEGIN {body} END")

    def round_prices(self):
        self.before_trigger("rounding", "SET NEW.price = round(NEW.price); SET NEW.undescribed = now(6);")

    def change_titles(self):
        self.before_trigger("titling", "SET NEW.title = 'changed';")

    def upper_keys(self):
        self.before_trigger("uppering", "SET NEW.no = upper(NEW.no);", ("INSERT",))


class OwnRules(MariaFixture, test_own_rules.Own):
    SHOWN_OTHERWISE = [(3, "seen", "2026-01-02 03:04:05.000000")]
    # Nothing is checked later, and no trigger can leave a row out.
    test_a_constraint_that_is_checked_last_names_its_rows = test_rows_that_the_database_leaves_out_are_named = None


class Differences(MariaFixture):
    def test_what_the_server_holds_equal_is_another_row(self):
        self.fill(
            ("ABC", "first", None, None, None, None, "", None, None), ("X", "x", None, None, None, None, "", None, None)
        )
        told = self.refused({"no": "abc", "title": "second"}, {"no": "Äbc", "title": "third"})
        self.assertIn("abc", told)
        self.assertIn("Duplicate entry", told["abc"])
        self.assertEqual(self.run_sql("SELECT title FROM goods WHERE no = 'ABC'"), [("first",)])
        self.load({"no": "ABC", "title": "changed"})
        self.assertEqual(self.run_sql("SELECT title FROM goods WHERE no = 'ABC'"), [("changed",)])

    def test_a_zero_date_is_shown_as_none_and_comes_back(self):
        self.run_sql("ALTER TABLE goods MODIFY seen date")
        with mariadb_server.connect(database=self.name) as connection, connection.cursor() as cursor:
            cursor.execute("SET sql_mode = ''")
            cursor.execute("INSERT INTO goods (no, title, seen, note) VALUES ('A', 'a', '0000-00-00', '')")
        before = self.everything()
        self.assertEqual(before[0][2], "0000-00-00")
        with self.system.reading() as reading:
            self.assertEqual(reading.read("goods", ["no", "seen"]).rows(), [("A", None)])
        done = self.load({"no": "A", "seen": "2027-01-02"})
        self.assertEqual(self.everything()[0][2], "2027-01-02")
        self.undo(done.number)
        self.assertEqual(self.everything(), before)

    def test_a_table_that_cannot_take_anything_back_is_refused(self):
        self.run_sql("ALTER TABLE goods DROP FOREIGN KEY goods_ibfk_1")
        self.run_sql("ALTER TABLE goods ENGINE=MyISAM")
        with self.assertRaises(OutOfReach) as caught:
            self.load({"no": "A", "title": "a"})
        self.assertEqual(caught.exception.kind, "no-transactions")
        self.assertIn("MyISAM", caught.exception.message)
        self.assertEqual(self.everything(), [])

    def test_texts_of_any_letters_quotes_and_length(self):
        odd = 'it\'s "so" \\ %s ? 🐟 \n\t; -- x'
        self.load({"no": "A'B\\", "title": odd, "note": "long" * 10_000})
        self.assertEqual(self.run_sql("SELECT title, length(note) FROM goods"), [(odd, 40_000)])


class DraftedTables(Program):
    def test_bits_and_numbers_without_a_sign_are_loaded_and_taken_back(self):
        name = mariadb_server.new_database()
        with mariadb_server.connect(database=name) as connection, connection.cursor() as cursor:
            cursor.execute(
                "CREATE TABLE shelf (code varchar(8) PRIMARY KEY, open bit(1) NOT NULL DEFAULT b'1', width int unsigned, kinds set('a', 'b'))"
            )
            cursor.execute("INSERT INTO shelf VALUES ('A-1', 1, 5, NULL)")
            connection.commit()

            def held() -> tuple[tuple[object, ...], ...]:
                connection.commit()
                cursor.execute("SELECT code, open + 0, width FROM shelf ORDER BY code")
                return tuple(cursor.fetchall())

            self.kotrel("init", ".", "--system", mariadb_server.url(name), "--learn")
            self.kotrel("init", "--journal")
            self.write("s.csv", "Code,Open,Width,Kinds", "A-1,no,-1,a", "B-2,yes,7,b")
            self.assertEqual(self.errors("s.csv", "--as", "shelf"), ["too-small 2"])
            self.write("s.csv", "Code,Open,Width,Kinds", "A-1,no,1,a", "B-2,yes,7,z")
            refused = self.json("load", "s.csv", "--as", "shelf", "--yes", status=1)["findings"]
            self.assertEqual([each["row"] for each in refused], [3])
            self.assertIn("column 'kinds'", refused[0]["message"])
            self.write("s.csv", "Code,Open,Width,Kinds", "A-1,no,1,a", "B-2,yes,7,b")
            self.json("load", "s.csv", "--as", "shelf", "--yes")
            self.assertEqual(held(), (("A-1", 0, 1), ("B-2", 1, 7)))
            self.assertTrue(self.json("verify", "L0002")["ok"])
            self.json("undo", "L0002", "--yes")
            self.assertEqual(held(), (("A-1", 1, 5),))


del MariaFixture
