"""Balances that the database keeps are what its ledger comes to, whatever is posted, and in whatever order."""

import unittest
from unittest import mock

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.stock.sums import LedgerQuery
from kotrel.systems.opening_systems import database_at
from kotrel.systems.sql import kept_balances as balances
from kotrel.systems.sql import postgresql_dialect
from kotrel.systems.sql.ledger import ledger_sums
from kotrel.systems.sql.postgresql_dialect import POSTGRESQL
from tests.systems.practice_databases import PracticeDatabase

PLACES = [("ROP-00010", "QUAY", "Q-01-A"), ("ROP-00010", "QUAY", None), ("ROP-00020", None, None), ("ROP-00020", "LOFT", None)]  # fmt: skip
MOVES = st.lists(
    st.tuples(st.sampled_from(["insert", "insert", "update", "delete"]), st.sampled_from(range(4)), st.integers(-9, 9)),
    max_size=12,
)
BY = ["item", "warehouse", "bin", "lot", "serial"]


class OnAnyDatabase(PracticeDatabase):
    """The tests; the classes below say on which database."""

    def setUp(self):
        super().setUp()
        self.lines = "practice.stock_movement" if self.kind == "postgresql" else "stock_movement"
        self.count = 0

    def post(self, place, quantity, database=None):
        """A movement by hand, as another program would post it."""
        self.count += 1
        item, warehouse, bin_ = PLACES[place]
        scaled = (1, 1) if self.kind == "postgresql" else (1_000_000, 10_000)
        (database or self.database).run(
            f"INSERT INTO {self.lines} (kind, document, line, part, counts_as, date, posted_at, item, warehouse, bin, quantity, value) "
            "VALUES ('test', ?, '1', 1, 'on hand', '2027-01-02', '2027-01-02 10:00:00', ?, ?, ?, ?, ?)",
            [f"T-{self.count}", item, warehouse, bin_, quantity * scaled[0], quantity * 3 * scaled[1]],
        )

    def sums(self, until):
        found = ledger_sums(self.database, self.description, LedgerQuery(BY, until=until))
        exact = found.with_columns(pl.col("quantity", "value").cast(pl.Decimal(38, 6)))
        return set(exact.filter((pl.col("quantity") != 0) | (pl.col("value") != 0)).rows())

    def equal(self):
        kept = self.sums(None)
        self.assertEqual(kept, self.sums("9999-12-31"))
        return kept

    def test_whatever_happens_to_the_ledger(self):
        @settings(deadline=None, max_examples=20)
        @given(MOVES)
        def law(moves):
            for what, place, quantity in moves:
                if what == "insert":
                    self.post(place, quantity)
                elif what == "update":
                    turned = f"UPDATE {self.lines} SET quantity = -quantity, bin = NULL WHERE item = ?"
                    self.database.run(turned, [PLACES[place][0]])
                else:
                    self.database.run(f"DELETE FROM {self.lines} WHERE document = ?", [f"T-{self.count - place}"])
            self.equal()

        law()

    def test_a_question_without_a_day_is_answered_from_the_balances(self):
        # A balance that is wrong shows which of the two was read.
        table = self.lines.replace("movement", "balance")
        self.database.run(f"DELETE FROM {table}")
        self.assertEqual(self.sums(None), set())
        self.assertGreater(len(self.sums("9999-12-31")), 300)


class OnSqlite(OnAnyDatabase, unittest.TestCase):
    pass


class OnPostgresql(OnAnyDatabase, unittest.TestCase):
    kind = "postgresql"

    def setUp(self):
        super().setUp()
        # Every statement settles the rows, instead of one in a hundred.
        with mock.patch.object(postgresql_dialect, "_SETTLED_EVERY", 0.5):
            for statement in balances.balance_statements(self.description, POSTGRESQL):
                if statement.startswith("CREATE OR REPLACE FUNCTION"):
                    self.database.run(statement)

    def rows(self):
        return self.database.run("SELECT count(*), count(*) FILTER (WHERE settled) FROM practice.stock_balance")[0]

    def test_a_load_and_the_till_post_to_one_place_at_once(self):
        other = database_at(self.url, self.folder)()
        self.addCleanup(other.close)
        self.post(0, 5)
        before = self.equal()
        with self.database.changing():
            self.database.run(f"SELECT count(*) FROM {self.lines}")
            # The till sells, and settles rows that the load saw unsettled.
            self.post(0, 2, other)
            self.post(0, -1, other)
            self.post(0, 10)
        after = self.equal()
        place = next(row for row in before if row[:3] == PLACES[0])
        grown = next(row for row in after if row[:3] == PLACES[0])
        self.assertEqual(grown[-2] - place[-2], 11)
        self.post(0, 1)
        whole, settled = self.rows()
        self.assertEqual(whole, settled)


if __name__ == "__main__":
    unittest.main()
