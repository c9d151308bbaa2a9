"""A PostgreSQL server that others share: whose functions run, who is waited for, which rights are needed."""

from __future__ import annotations

import unittest
from contextlib import closing
from unittest.mock import patch

import psycopg
from msgspec.structs import replace
from psycopg.conninfo import make_conninfo

from kotrel.core.changes.plan import Plan
from kotrel.core.changes.row_comparison import compare
from kotrel.core.description.description_reading import read_description
from kotrel.core.errors import OutOfReach
from kotrel.systems.sql import journal_tables
from kotrel.systems.sql.database_system import SqlSystem
from kotrel.systems.sql.pg_session import LOAD_LOCK
from kotrel.systems.sql.postgresql import PostgresDatabase
from kotrel.systems.sql.postgresql_dialect import POSTGRESQL
from kotrel.systems.sql.rights import grants
from tests.support import postgres_url
from tests.systems.own_databases import STAMP, TEXT, rows

MADE = TEXT.replace('yes_no = ["Y", "N"]', 'yes_no = ["Y", "N"], made = { number = "numbers" }')
GOODS = """CREATE TABLE goods (no varchar(20) PRIMARY KEY, title varchar(40), seen timestamp, sold char(1), price numeric(12, 4),
  weight real, note text, above varchar(20), number integer NOT NULL)"""


class SharedServer(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.url = postgres_url()

    @classmethod
    def tearDownClass(cls):
        with closing(psycopg.connect(cls.url, autocommit=True)) as connection:
            connection.execute("GRANT ALL ON SCHEMA public TO PUBLIC")

    def setUp(self):
        self.sql("DROP SCHEMA IF EXISTS kotrel CASCADE", "DROP SCHEMA public CASCADE", "CREATE SCHEMA public")
        self.sql(GOODS, "CREATE SEQUENCE numbers", *journal_tables.journal_statements(POSTGRESQL))
        self.told: list[str] = []

    def sql(self, *statements):
        with closing(psycopg.connect(self.url, autocommit=True)) as connection:
            for statement in statements:
                cursor = connection.execute(statement.encode())
            return cursor.fetchall() if cursor.description else []

    def database(self, user=None, **more):
        url = make_conninfo(self.url, user=user) if user else self.url
        return PostgresDatabase(url, "the shop", tell=self.told.append, **more)

    def load(self, user=None, price="1.50", **more):
        system = SqlSystem(lambda: self.database(user, **more), read_description(MADE), "the shop")
        sheet = rows({"no": "A", "seen": "2026-01-02", "price": price, "weight": "2.5"})
        sheet = replace(sheet, record=system.description.records["goods"])
        with system.writing() as writing:
            change = compare(sheet, writing.read("goods", sheet.fields))
            return writing.take(Plan((change,), STAMP), lambda step: None)

    def refused(self, **more):
        with self.assertRaises(OutOfReach) as caught:
            self.load(**more)
        self.assertEqual(self.sql("SELECT count(*) FROM goods"), [(0,)])
        return caught.exception

    def test_functions_that_others_made_never_run_as_our_user(self):
        # Each of them fits a call of ours better than the server's own, if it is looked for in their schema.
        traps = {
            "nextval": ("what text", "bigint", "1"), "to_char": ("what timestamp, shape varchar", "text", "''"),
            "substr": ("what varchar, place int", "text", "''"), "to_regclass": ("what varchar", "regclass", "NULL"),
            "round": ("what double precision, places int", "numeric", "1"),
        }  # fmt: skip
        self.sql("CREATE TABLE public.caught (what text)")
        for name, (given, result, value) in traps.items():
            self.sql(
                f"CREATE FUNCTION public.{name}({given}) RETURNS {result} LANGUAGE plpgsql AS "
                f"$$ BEGIN INSERT INTO public.caught VALUES ('{name}'); RETURN {value}; END $$"
            )
        self.sql(
            "CREATE FUNCTION public.alike(a varchar, b varchar) RETURNS boolean LANGUAGE plpgsql AS "
            "$$ BEGIN INSERT INTO public.caught VALUES ('='); RETURN true; END $$",
            "CREATE OPERATOR public.= (LEFTARG = varchar, RIGHTARG = varchar, FUNCTION = public.alike)",
        )
        self.load()
        self.load(price="2.50")
        self.assertEqual(self.sql("SELECT what FROM public.caught"), [])
        self.assertEqual(self.sql("SELECT no, number, price::text FROM goods"), [("A", 1, "2.5000")])
        with closing(self.database()) as database:
            self.assertEqual(database.run("SHOW search_path"), [("pg_catalog, kotrel",)])
        self.load(price="3.50", schemas=("public",))
        self.assertNotEqual(
            self.sql("SELECT what FROM public.caught"), [], "the traps do catch, if they are looked for"
        )

    def test_who_is_waited_for_is_told(self):
        with (
            patch("kotrel.systems.sql.pg_session.WAIT_SECONDS", 1),
            closing(psycopg.connect(self.url, application_name="night run", autocommit=True)) as other,
        ):
            pid = other.info.backend_pid
            other.execute("SELECT pg_advisory_lock(%s)", [LOAD_LOCK])
            error = self.refused()
            self.assertIn(f"process {pid} of", error.message)
            self.assertIn("night run", error.message)
            self.assertIn(f"waiting for another load: process {pid}", self.told[0])
            other.execute("SELECT pg_advisory_unlock(%s)", [LOAD_LOCK])
            other.execute("BEGIN")
            other.execute("LOCK TABLE goods IN SHARE ROW EXCLUSIVE MODE")
            self.assertIn(f"process {pid} of", self.refused().message)

    def test_a_roles_own_shorter_limit_stays(self):
        self.sql("CREATE ROLE hasty LOGIN", "ALTER ROLE hasty SET statement_timeout = '7s'")
        self.addCleanup(self.sql, "DROP ROLE hasty")
        with closing(self.database("hasty", time_limit=60)) as database:
            self.assertEqual(database.run("SHOW statement_timeout"), [("7s",)])
            self.assertEqual(database.run("SHOW idle_in_transaction_session_timeout"), [("1min",)])

    def test_a_trigger_that_looks_in_a_schema_of_its_own_is_told_what_to_set(self):
        self.sql(
            "CREATE TABLE seen_by (no text)",
            "CREATE FUNCTION note_it() RETURNS trigger LANGUAGE plpgsql AS "
            "$$ BEGIN INSERT INTO seen_by VALUES (NEW.no); RETURN NEW; END $$",
            "CREATE TRIGGER note_it BEFORE INSERT ON goods FOR EACH ROW EXECUTE FUNCTION note_it()",
        )
        error = self.refused()
        self.assertEqual(error.kind, "trigger-needs-schema")
        self.load(schemas=("public",))
        self.assertEqual(self.sql("SELECT no FROM seen_by"), [("A",)])

    def test_the_rights_that_are_printed_are_the_rights_that_are_needed(self):
        self.sql("CREATE ROLE keeper LOGIN")
        self.addCleanup(self.sql, "DROP OWNED BY keeper", "DROP ROLE keeper")
        found = grants(read_description(MADE), "keeper", POSTGRESQL)
        self.sql(*found["to read and check"])
        with closing(self.database("keeper")) as database, database.looking():
            self.assertEqual(database.run("SELECT no FROM public.goods"), [])
        self.assertIn("permission denied", self.refused(user="keeper").message)
        self.sql(*(statement for statement in found["to load and undo too"] if not statement.startswith("--")))
        self.assertEqual(self.load("keeper").number, 1)
