"""Base lists and several records at once, and what the system itself refuses, with the installed program."""

import sqlite3
import subprocess
import sys
import unittest
from unittest.mock import patch

from kotrel.core.errors import OutOfReach
from kotrel.workspace.settings import open_workspace
from tests.support import Program, postgres_url


class Shop(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()

    def sql(self, statement):
        with sqlite3.connect(self.folder / "practice.db") as database:
            return database.execute(statement).fetchall()


class Records(Shop):
    def test_several_files_are_one_load_in_the_order_of_their_references(self):
        self.write("items.csv", "Item code,Description,Unit,Category,Brand", "NEW-00001,Thing,CRATE,GLOVES,GRIP")
        self.write("units.csv", "Unit code,Unit name,Measure,Decimals", "CRATE,crate,count,0")
        self.write(
            "groups.csv",
            "Category code,Category name,Parent category",
            "GLOVES-WORK,Work gloves,GLOVES",
            "GLOVES,Gloves,Clothing",
        )
        self.write("brands.csv", "Brand code,Brand name", "GRIP,Grip")
        self.kotrel("check", "items.csv", status=1)
        files = ["items.csv", "units.csv", "groups.csv", "brands.csv"]
        loaded = self.json("load", *files, "--yes")
        self.assertEqual(
            {record: counts["new"] for record, counts in loaded["records"].items()},
            {"unit": 1, "category": 2, "brand": 1, "item": 1},
        )
        self.assertEqual(
            self.sql("SELECT parent FROM category WHERE code LIKE 'GLOVES%' ORDER BY code"),
            [("CLOTHING",), ("GLOVES",)],
        )
        told = self.json("undo", "L0001", "--yes")
        self.assertEqual((told["status"], told["removed"]), ("undone", 5))
        self.assertEqual(self.sql("SELECT count(*) FROM category WHERE code LIKE 'GLOVES%'"), [(0,)])

    def test_one_wrong_file_and_none_is_loaded(self):
        self.write("units.csv", "Unit code,Unit name,Measure,Decimals", "CRATE,crate,count,0", "VAT,vat,cost,0")
        self.write(
            "items.csv", "Item code,Description,Unit,Category", "NEW-00001,Thing,CRATE,ROPE", "NEW-00002,Thing,VAT,ROPE"
        )
        loaded = self.json("load", "items.csv", "units.csv", "--yes", status=1)
        kinds = {(each["record"], each["kind"]) for each in loaded["findings"]}
        # VAT is refused in this very load, so the item that needs it is refused too.
        self.assertEqual(kinds, {("unit", "not-a-choice"), ("item", "refused-in-load")})
        self.assertEqual(self.sql("SELECT count(*) FROM unit WHERE code = 'CRATE'"), [(0,)])

    def test_two_files_of_one_record_are_one_load(self):
        self.write("a.csv", "Brand code,Brand name", "A,a")
        self.write("b.csv", "Brand code,Brand name", "B,b")
        self.assertEqual(self.json("load", "a.csv", "b.csv", "--yes")["records"]["brand"]["new"], 2)

    def test_a_key_of_two_fields(self):
        self.write(
            "bins.csv",
            "Warehouse,Bin,Name",
            "QUAY,Q-01-A,First",
            "LOFT,Q-01-A,Same code elsewhere",
            "Quay-side shop,Q-01-A,again",
        )
        found = self.json("check", "bins.csv", status=1)["findings"]
        self.assertEqual(
            {(each["row"], each["kind"]) for each in found}, {(2, "twice-in-sheet"), (4, "twice-in-sheet")}
        )
        self.write("bins.csv", "Warehouse,Bin,Name", "QUAY,Q-01-A,First", "LOFT,Q-01-A,Same code elsewhere")
        preview = self.json("preview", "bins.csv")
        self.assertEqual(preview["records"]["bin"], {"new": 1, "changed": 1, "same": 0, "refused": 0})
        self.assertEqual(preview["changes"][0]["key"], "QUAY / Q-01-A")
        self.kotrel("load", "bins.csv", "--yes")
        self.assertEqual(
            self.sql("SELECT warehouse, name FROM bin WHERE code = 'Q-01-A' ORDER BY 1"),
            [("LOFT", "Same code elsewhere"), ("QUAY", "First")],
        )
        self.assertEqual(self.json("undo", "1", "--yes")["status"], "undone")
        self.assertEqual(self.sql("SELECT warehouse, name FROM bin WHERE code = 'Q-01-A'"), [("QUAY", None)])

    def test_figures_per_warehouse_laid_out_wide(self):
        self.write(
            "wide.csv",
            "Article;Min QUAY;Max QUAY;Min LOFT;Max LOFT",
            "ROP-00010;10;50;;",
            "ROP-00020;;;2,5;20",
            "ROP-00030;;;;",
        )
        self.write("maps/levels.toml", 'record = "item_warehouse"', '[field.item]\ncolumn = "Article"', '[field.warehouse]\nrepeat = ["QUAY", "LOFT"]',
                   '[field.reorder_point]\ncolumn = "Min {warehouse}"', '[field.order_up_to]\ncolumn = "Max {warehouse}"')  # fmt: skip
        self.kotrel("load", "wide.csv", "--yes")
        got = self.sql(
            "SELECT item, warehouse, reorder_point, order_up_to FROM item_warehouse WHERE item LIKE 'ROP%' ORDER BY 1"
        )
        self.assertEqual(got, [("ROP-00010", "QUAY", 10_000, 50_000), ("ROP-00020", "LOFT", 2_500, 20_000)])
        self.kotrel("prepare", "wide.csv", "-o", "long.csv")
        self.assertEqual(
            self.json("preview", "long.csv", "--as", "item_warehouse")["records"]["item_warehouse"]["same"], 2
        )

    def test_groups_of_columns_are_proposed_as_one_for_each_warehouse(self):
        lines = "ROP-00010;10;50;;;L-01-A", "ROP-00020;;;2,5;20;"
        for number, heads in enumerate(("Min QUAY;Max QUAY;Min LOFT;Max LOFT", "QUAY: Reorder at;QUAY: Maximum;LOFT: Reorder at;LOFT: Maximum",
                                        "Min (Quay-side shop);Max (Quay-side shop);Min (Rigging loft);Max (Rigging loft)")):  # fmt: skip
            self.write(f"w{number}.csv", f"Article;{heads};Usual bin LOFT", *lines)
            repeat = self.json("map", f"w{number}.csv", "item_warehouse", "--name", f"w{number}")["repeat"]
            self.assertEqual(
                (repeat["field"], repeat["values"]), ("warehouse", ["reorder_point", "order_up_to"]), heads
            )
            new = self.json("preview", f"w{number}.csv", "--map", f"w{number}")["records"]["item_warehouse"]["new"]
            self.assertEqual(new, 2, heads)
        # One warehouse alone is no group, and neither are columns that are not there for each of them.
        self.write("one.csv", "Article;Min QUAY;Max LOFT;Default bin", "ROP-00010;10;50;")
        self.assertIsNone(self.json("map", "one.csv", "item_warehouse", "--name", "one")["repeat"])


class Refusals(Shop):
    def test_what_the_system_refuses_is_a_finding_at_its_row(self):
        self.sql(
            "CREATE TRIGGER t BEFORE UPDATE ON item WHEN NEW.price = 1300 BEGIN SELECT RAISE(ABORT, 'thirteen is unlucky'); END"
        )
        self.write("a.csv", "Item code,Price", "ROP-00010,12.00", "ROP-00020,13.00", "ROP-00030,14.00")
        self.assertTrue(self.json("check", "a.csv")["ok"], "the checks know nothing of it")
        loaded = self.json("load", "a.csv", "--yes", status=1)
        [finding] = loaded["findings"]
        self.assertEqual(
            (finding["kind"], finding["row"], finding["cell"]), ("refused-by-system", 3, "line 3, column 1")
        )
        self.assertIn("thirteen is unlucky", finding["message"])
        self.assertIn("thirteen is unlucky", self.kotrel("load", "a.csv", "--yes", status=1).stdout)
        [row] = self.json("outcome", "L0001")["rows"]
        self.assertEqual((row["row"], row["key"], row["outcome"]), (3, "ROP-00020", "refused"))
        self.assertIn("thirteen is unlucky", row["message"])
        self.assertEqual([each["status"] for each in self.json("history")["loads"]], ["refused", "refused"])
        self.kotrel("undo", "L0001", "--yes", status=2)

    def test_barcodes_change_places_and_change_back(self):
        query = "SELECT code, barcode FROM item WHERE barcode IS NOT NULL ORDER BY code LIMIT 2"
        before = self.sql(query)
        [(one, first), (two, second)] = before
        self.write("swap.csv", "Item code,Barcode", f"{one},{second}", f"{two},{first}")
        self.kotrel("load", "swap.csv", "--yes")
        self.assertEqual(self.sql(query), [(one, second), (two, first)])
        self.kotrel("undo", "L0001", "--yes")
        self.assertEqual(self.sql(query), before)

    def test_a_system_that_another_program_holds_is_told(self):
        self.write("a.csv", "Item code,Price", "ROP-00010,12.00")
        other = sqlite3.connect(self.folder / "practice.db", isolation_level=None)
        other.execute("BEGIN IMMEDIATE")
        self.addCleanup(other.close)
        soon = patch("kotrel.systems.sql.sqlite.WAIT_SECONDS", 0.2)
        with soon, self.assertRaises(OutOfReach) as caught, open_workspace(self.folder).system().writing():
            pass
        self.assertEqual(caught.exception.kind, "system-busy")

    def test_a_system_that_is_not_as_described_is_told(self):
        self.sql("ALTER TABLE item RENAME COLUMN price TO prize")
        self.write("a.csv", "Item code,Price", "ROP-00010,12.00")
        told = self.json("preview", "a.csv", status=3)["error"]
        self.assertEqual(told["kind"], "not-as-described")
        self.assertIn("price", told["message"])
        self.sql("DROP TABLE account")
        self.write("b.csv", "Account code,Account name,Used for", "NEW,New,adjustment")
        self.assertEqual(self.json("check", "b.csv", status=3)["error"]["kind"], "not-as-described")

    def test_something_unforeseen_writes_a_log_and_no_traceback(self):
        self.write("a.csv", "Item code,Price", "ROP-00010,12.00")
        code = "import kotrel.loading.sheets_in.large_files as s, kotrel.cli as c, sys\ns.check_any = None\nsys.exit(c.main(['check', 'a.csv']))"
        import subprocess
        import sys

        done = subprocess.run(
            [sys.executable, "-c", code], cwd=self.folder, capture_output=True, encoding="utf-8", check=False
        )
        self.assertEqual(done.returncode, 3)
        self.assertNotIn("Traceback", done.stderr)
        [log] = (self.folder / ".kotrel").glob("*.log")
        self.assertIn(str(log), done.stderr)
        self.assertIn("Traceback", log.read_text("utf-8"))


class Screens(Shop):
    def test_what_a_load_says_from_first_to_last(self):
        self.write("a.csv", "Item code;Price;Tags", "ROP-00010;12,00;red, new", "ROP-00020;0,70;")
        preview = self.kotrel("preview", "a.csv").stdout
        for words in (
            "2 rows: all ready to load",
            "0 new · 1 changed · 1 same",
            "Standard price",
            "0.60",
            "12.00",
            "red; new",
            "Nothing has been changed",
        ):
            self.assertIn(words, preview)
        self.assertIn(
            "item: 1 changed, 1 same",
            self.kotrel("load", "a.csv", "--yes", "--who", "elin", "--remark", "March").stdout,
        )
        outcome = self.kotrel("outcome", "1").stdout
        for words in ("L0001 · a.csv", "elin", "2 rows: 2 done", "unchanged", "March"):
            self.assertIn(words, outcome)
        self.assertIn("L0001 is undone (as L0002): 1 restored", self.kotrel("undo", "L1", "--yes").stdout)
        history = self.kotrel("history").stdout
        self.assertLess(history.index("L0002"), history.index("L0001"), "the newest first")
        self.assertIn("undone by L0002", history)

    def test_records_and_a_sheet_are_told_in_words(self):
        told = self.kotrel("records", "item").stdout
        for words in (
            "if new",
            "a code from the unit list",
            "kept by the system, never loaded",
            "all or none: weight, weight_unit",
        ):
            self.assertIn(words, " ".join(told.split()))
        self.write("a.csv", "Item code;Cost;Colour no", "ROP-00010;1,50;x", "ROP-00010;2,50;y")
        told = self.kotrel("check", "a.csv", "--all", status=1).stdout
        for words in ("line 2, column 1", "also in line 3", "WARNINGS", "Colour no"):
            self.assertIn(words, told)
        told = self.kotrel("inspect", "a.csv").stdout
        self.assertIn("Probably item rows, identified by “Item code”", told)


class OnPostgres(Program):
    def test_several_records_out_of_one_sheet_and_back(self):
        import psycopg

        url = postgres_url()

        def drop():
            with psycopg.connect(url, autocommit=True) as connection:
                for schema in ("practice", "kotrel"):
                    connection.execute(f"DROP SCHEMA IF EXISTS {schema} CASCADE")

        self.addCleanup(drop)
        self.kotrel("init", ".", "--system", url, "--practice")
        self.write(
            "wide.csv",
            "Article;Words;Unit;Group;Min QUAY;Min LOFT",
            "NEW-00001;Rope 'x' \"y\" 🐟;M;ROPE;1,5;",
            "ROP-00010;;;;;3",
        )
        self.write("maps/wide.toml", 'record = "item"', *(f'[field.{field}]\ncolumn = "{heading}"' for field, heading in (
            ("code", "Article"), ("description", "Words"), ("unit", "Unit"), ("category", "Group"))), '[[also]]\nrecord = "item_warehouse"',
            '[also.field.item]\ncolumn = "Article"', '[also.field.warehouse]\nrepeat = ["QUAY", "LOFT"]', '[also.field.reorder_point]\ncolumn = "Min {warehouse}"')  # fmt: skip
        loaded = self.json("load", "wide.csv", "--yes")
        self.assertEqual(
            {record: (c["new"], c["same"]) for record, c in loaded["records"].items()},
            {"item": (1, 1), "item_warehouse": (2, 0)},
        )
        with psycopg.connect(url) as connection:
            got = connection.execute(
                "SELECT item, warehouse, reorder_point::text FROM practice.item_warehouse WHERE item NOT LIKE 'CHN%' ORDER BY 1"
            ).fetchall()
        self.assertEqual(got, [("NEW-00001", "QUAY", "1.500"), ("ROP-00010", "LOFT", "3.000")])
        self.kotrel("export", "item", "-o", "back.csv", "--where", "code begins with 'NEW'", "--fields", "description")
        self.assertEqual(
            (self.folder / "back.csv").read_text("utf-8-sig").splitlines()[1], 'NEW-00001,"Rope \'x\' ""y"" 🐟"'
        )
        self.assertEqual(self.json("undo", "L0001", "--yes")["removed"], 3)
        self.assertEqual([each["status"] for each in self.json("history")["loads"]], ["undone", "loaded"])


if __name__ == "__main__":
    unittest.main()


class Quick(Shop):
    def test_a_question_that_needs_no_tables_imports_none(self):
        # The library of tables takes longer to import than such a command takes in all.
        code = (
            "import contextlib, os, sys; from kotrel.cli import main\n"
            "with open(os.devnull, 'w') as nowhere, contextlib.redirect_stdout(nowhere): status = main(sys.argv[1:])\n"
            "sys.exit(status or any(name.startswith('_polars_runtime') for name in sys.modules))"
        )
        for words in (["records"], ["records", "item"], ["history"]):
            done = subprocess.run([sys.executable, "-c", code, *words], cwd=self.folder, capture_output=True)
            self.assertEqual(done.returncode, 0, words)
