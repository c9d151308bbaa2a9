"""A PostgreSQL that refuses rows by codes of its own and by policies, and refuses users by rights."""

from __future__ import annotations

import psycopg

from kotrel.core.errors import OutOfReach
from kotrel.systems.sql.database_system import SqlSystem
from kotrel.systems.sql.postgresql import PostgresDatabase
from tests.systems.own_databases import DESCRIPTION, PostgresFixture


class OwnRefusals(PostgresFixture):
    def test_a_code_of_the_databases_own_is_found_row_by_row(self):
        self.before_trigger("mine", "IF NEW.no = 'B' THEN RAISE EXCEPTION 'not B' USING ERRCODE = 'MY001'; END IF; RETURN NEW;")  # fmt: skip
        self.assertEqual(self.refused({"no": "A"}, {"no": "B"}, {"no": "C"}), {"B": "not B"})
        wrong = ({"no": "X"}, {"no": "Y"}, {"no": "A"}, {"no": "B"}, {"no": "C"})
        self.assertEqual(self.refused(*wrong, wrong=[2, 3]), {"B": "not B"}, "rows with errors come before it")

    def test_a_row_that_a_trigger_puts_into_a_part_of_the_table_is_there(self):
        self.run_sql("CREATE TABLE goods_part () INHERITS (goods)")
        self.before_trigger("parting", "INSERT INTO public.goods_part SELECT NEW.*; RETURN NULL;", "INSERT")
        done = self.load({"no": "A", "title": "a"}, {"no": "B", "title": "b"})
        self.assertEqual(self.run_sql("SELECT no FROM ONLY goods"), [])
        self.assertEqual(self.run_sql("SELECT no FROM goods ORDER BY no"), [("A",), ("B",)])
        self.assertEqual((done.number, self.undo(done.number).status), (1, "undone"))

    def test_a_policy_is_found_row_by_row_and_a_missing_right_is_named(self):
        for statement in (
            "CREATE ROLE clerk LOGIN", "GRANT USAGE ON SCHEMA kotrel TO clerk", "GRANT ALL ON ALL TABLES IN SCHEMA kotrel TO clerk",
            "GRANT SELECT, INSERT, UPDATE ON goods TO clerk", "ALTER TABLE goods ENABLE ROW LEVEL SECURITY",
            "CREATE POLICY mine ON goods TO clerk USING (true) WITH CHECK (no <> 'B')",
        ):  # fmt: skip
            self.run_sql(statement)
        self.addCleanup(self.run_sql, "DROP ROLE clerk")
        self.addCleanup(self.run_sql, "DROP OWNED BY clerk")
        self.system = SqlSystem(
            lambda: PostgresDatabase(psycopg.conninfo.make_conninfo(self.url, user="clerk"), "own"),
            DESCRIPTION,
            "own",
        )
        told = self.refused({"no": "A"}, {"no": "B"})
        self.assertEqual(set(told), {"B"})
        self.assertIn("row-level security", told["B"])
        self.run_sql("REVOKE INSERT ON goods FROM clerk")
        with self.assertRaises(OutOfReach) as caught:
            self.load({"no": "A"})
        self.assertIn("permission denied", caught.exception.message)
