"""The main job with the installed program: a sheet of items checked, previewed, loaded, and taken back."""

import csv
import io
import subprocess
import sys
from contextlib import redirect_stdout
from io import StringIO
from pathlib import Path

import openpyxl

from tests.support import Program, postgres_url

GOOD = (
    "Article no;Description;Unit;Group;Supplier;Cost price;Price;Lots",
    'ROP-40010;"Rope; 22 mm";M;ROPE-BRAID;KELDRIFT;4,40;7,90;nein',
    "ROP-40020;Rope navy;M;ROPE-BRAID;KELDRIFT;4,45;8,00;ja",
    "ROP-00010;;;;;;0,61;",
)


class Slice(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()

    def state(self, code: str, field: str = "price") -> str | None:
        """What the system holds, asked for with plain SQL."""
        import sqlite3

        found = (
            sqlite3.connect(self.folder / "practice.db")
            .execute(f"SELECT {field} FROM item WHERE code = ?", [code])
            .fetchone()
        )
        return found and found[0]

    def test_check_preview_load_outcome_undo(self):
        self.write("new.csv", *GOOD)
        checked = self.json("check", "new.csv")
        self.assertEqual(
            (checked["files"][0]["record"], checked["rows"], checked["ok"], checked["counts"]),
            ("item", 3, True, {"error": 0, "warning": 0, "note": 0}),
        )
        preview = self.json("preview", "new.csv")
        self.assertEqual(preview["records"], {"item": {"new": 2, "changed": 1, "same": 0, "refused": 0}})
        self.assertEqual(
            preview["changes"],
            [{"record": "item", "key": "ROP-00010", "field": "price", "before": "0.60", "after": "0.61"}],
        )
        self.assertIsNone(self.state("ROP-40010"), "a preview touches nothing")

        loaded = self.json("load", "new.csv", "--yes", "--remark", "range 27", "--who", "elin")
        self.assertEqual((loaded["load"], loaded["status"]), ("L0001", "loaded"))
        self.assertEqual(
            (self.state("ROP-40010"), self.state("ROP-40020", "lot_tracked"), self.state("ROP-00010")), (790, 1, 61)
        )
        self.assertEqual(self.json("load", "new.csv", "--yes")["status"], "nothing to do")
        [entry] = self.json("history")["loads"]
        self.assertEqual(
            (entry["who"], entry["remark"], entry["files"], len(entry["fingerprint"])),
            ("elin", "range 27", ["new.csv"], 64),
        )
        outcome = self.json("outcome", "L0001")
        self.assertEqual(
            [(row["row"], row["key"], row["outcome"]) for row in outcome["rows"]],
            [(2, "ROP-40010", "done"), (3, "ROP-40020", "done"), (4, "ROP-00010", "done")],
        )

        undone = self.json("undo", "L0001", "--yes")
        self.assertEqual(
            (undone["status"], undone["removed"], undone["restored"], undone["blocked_by"]), ("undone", 2, 1, [])
        )
        self.assertEqual((self.state("ROP-40010"), self.state("ROP-00010")), (None, 60))

    def test_one_error_and_nothing_at_all_is_loaded(self):
        self.write("bad.csv", *GOOD, "ROP-40030;Rope;Mtr;ROPE-BRAID;NOBODY;x;-1;maybe")
        loaded = self.json("load", "bad.csv", "--yes", status=1)
        self.assertEqual((loaded["load"], loaded["status"]), (None, "refused"))
        found = {(each["cell"], each["kind"]) for each in loaded["findings"]}
        self.assertEqual(
            found,
            {
                ("line 5, column 3", "not-on-list"),
                ("line 5, column 5", "not-on-list"),
                ("line 5, column 6", "not-a-number"),
                ("line 5, column 7", "too-small"),
                ("line 5, column 8", "not-yes-or-no"),
            },
        )
        self.assertIsNone(self.state("ROP-40010"))
        self.assertEqual(self.json("history")["loads"], [])
        screen = self.kotrel("check", "bad.csv", status=1).stdout
        self.assertLess(screen.index("ERRORS"), screen.index("Next:"))
        self.assertIn("NOBODY", screen)

    def test_every_format_gives_the_same(self):
        rows = [
            ["Item code", "Description", "Unit", "Category", "Price"],
            ["ROP-40010", "Rope", "M", "ROPE", "7.95"],
            ["00012", "Zeros", "M", "ROPE", "8.00"],
        ]
        book = openpyxl.Workbook()
        for row in rows:
            book.active.append(row)
        book.save(self.folder / "a.xlsx")
        for name, separator, encoding in (("a.csv", ",", "utf-8"), ("a.tsv", "\t", "utf-16"), ("a.txt", ";", "cp1252")):
            out = io.StringIO()
            csv.writer(out, delimiter=separator).writerows(rows)
            (self.folder / name).write_bytes(out.getvalue().encode(encoding))
        self.ods(rows, self.folder / "a.ods")
        for name in ("a.xlsx", "a.csv", "a.tsv", "a.txt", "a.ods"):
            with self.subTest(name):
                preview = self.json("preview", name)
                self.assertEqual(preview["records"]["item"], {"new": 2, "changed": 0, "same": 0, "refused": 0})
        self.kotrel("load", "a.ods", "--yes")
        self.assertEqual(self.state("00012", "description"), "Zeros")
        for name in ("a.xlsx", "a.csv", "a.tsv", "a.txt"):
            self.assertEqual(self.json("preview", name)["records"]["item"]["same"], 2, name)

    @staticmethod
    def ods(rows, path: Path) -> None:
        """A small OpenDocument sheet, written out by hand."""
        import zipfile

        lines = "".join(
            "<table:table-row>"
            + "".join(
                f'<table:table-cell office:value-type="string"><text:p>{value}</text:p></table:table-cell>'
                for value in row
            )
            + "</table:table-row>"
            for row in rows
        )
        spaces = " ".join(
            f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
        )
        content = f'<?xml version="1.0"?><office:document-content {spaces}><office:body><office:spreadsheet><table:table table:name="S">{lines}</table:table></office:spreadsheet></office:body></office:document-content>'
        with zipfile.ZipFile(path, "w") as book:
            book.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
            book.writestr("content.xml", content)
            book.writestr(
                "META-INF/manifest.xml",
                '<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>',
            )

    def test_hostile_values_are_stored_as_they_are(self):
        note = '\'); DROP TABLE item; -- =1+1 "q" 🐟'
        out = io.StringIO()
        csv.writer(out).writerows(
            [["Item code", "Description", "Unit", "Category", "Note"], ["X'1;--", "=1+1", "M", "ROPE", note]]
        )
        self.write("odd.csv", *out.getvalue().splitlines())
        self.kotrel("load", "odd.csv", "--yes")
        self.assertEqual((self.state("X'1;--", "note"), self.state("X'1;--", "description")), (note, "=1+1"))
        self.write("long.csv", "Item code,Description,Unit,Category", f"X-2,{'y' * 40_000},M,ROPE")
        self.assertEqual([each["kind"] for each in self.json("check", "long.csv", status=1)["findings"]], ["too-long"])

    def test_records(self):
        records = [each["record"] for each in self.json("records")["records"]]
        self.assertLess(records.index("unit"), records.index("item"))
        self.assertLess(records.index("price_list"), records.index("customer"))
        item = {field["field"]: field for field in self.json("records", "item")["records"][0]["fields"]}
        self.assertEqual(
            {name for name, field in item.items() if field["must"] != "may"},
            {"code", "description", "unit", "category"},
        )
        self.assertEqual(item["on_hand"]["kept_by"], "system")

    def test_inspect(self):
        self.write("new.csv", "Price list of March", "", *GOOD)
        seen = self.json("inspect", "new.csv")
        [sheet] = seen["sheets"]
        self.assertEqual((sheet["table"]["heading_row"], sheet["table"]["rows"]), (3, 3))
        price = sheet["table"]["columns"][6]
        self.assertEqual(
            (price["heading"], price["letter"], price["filled"], price["unique"], price["kind"]),
            ("Price", "G", 3, 3, "number"),
        )
        self.assertEqual(seen["likely"]["record"], "item")
        self.assertEqual(seen["likely"]["key"], ["Article no"])


class Statuses(Program):
    def test_every_trouble_has_its_status_and_a_sentence(self):
        self.start_shop()
        self.write("good.csv", *GOOD)
        self.write("headings.csv", GOOD[0])
        self.write("nothing.csv", "foo,bar", "1,2")
        cases = (
            (2, "nonsense", ("nonsense",)),
            (2, "--frob", ("check", "good.csv", "--frob")),
            (2, "--yes", ("load", "good.csv")),
            (2, "--yes", ("undo", "L0001")),
            (2, "L0099", ("outcome", "L0099")),
            (2, "Did you mean item", ("records", "itm")),
            (2, "already a workspace", ("init", ".")),
            (2, "not a workspace", ("-w", "maps", "check", "good.csv")),
            (1, "no rows below", ("check", "headings.csv")),
            (1, "recognised", ("check", "nothing.csv")),
            (3, "Did you mean good.csv", ("check", "god.csv")),
            (3, "folder", ("check", "maps")),
        )
        for status, words, command in cases:
            with self.subTest(command):
                done = self.kotrel(*command, status=status)
                self.assertIn(words, done.stderr)
                self.assertEqual(done.stdout, "")
                if command[0] != "nonsense":
                    self.assertIn("message", self.json(*command, status=status)["error"])

    def test_a_wrong_settings_file_is_told_with_its_line(self):
        self.start_shop()
        self.write("good.csv", *GOOD)
        settings = self.folder / "kotrel.toml"
        right = settings.read_text("utf-8")
        for good, bad in (
            ('decimal_mark = "auto"', "decimal_mark = ,"),
            ('decimal_mark = "auto"', 'decimal_marc = ","'),
            ('dates = "auto"', 'dates = "yes"'),
        ):
            settings.write_text(right.replace(good, bad), "utf-8")
            line = next(number for number, text in enumerate(right.splitlines(), 1) if text.startswith(good))
            self.assertIn(f"line {line}", self.kotrel("check", "good.csv", status=2).stderr)
        settings.write_text(right.replace("practice.db", "gone.db"), "utf-8")
        self.assertIn("gone.db", self.kotrel("check", "good.csv", status=3).stderr)

    def test_a_console_without_utf8_ends_nothing(self):
        self.start_shop()
        self.write("new.csv", *GOOD, "ROP-40040;Größe 🐟;M;ROPE-BRAD;;;;")
        done = subprocess.run([sys.executable, "-m", "kotrel", "check", "new.csv"], cwd=self.folder, capture_output=True, check=False,
                              env={"PYTHONUTF8": "0", "PYTHONIOENCODING": "cp437", "PATH": "/usr/bin"})  # fmt: skip
        self.assertEqual(done.returncode, 1, done.stderr)
        self.assertIn(b"ROPE-BRAID?", done.stdout)

    def test_version_and_help(self):
        self.assertRegex(self.kotrel("--version").stdout, r"^kotrel \d+\.\d+")
        self.assertIn("examples:", self.kotrel("check", "-h").stdout)
        from kotrel.arguments import COMMANDS, parser_for

        for command in COMMANDS:
            with redirect_stdout(StringIO()) as shown, self.assertRaises(SystemExit):
                parser_for(command).parse_args([command, "-h"])
            self.assertIn("examples:", shown.getvalue())

    def test_the_demo_touches_no_folder_with_something_in_it(self):
        # That it plays to its end, each scene with its exit status, is what `make demo` shows.
        (self.folder / "played").mkdir()
        self.write("played/mine.txt", "mine")
        self.assertIn("already exists", self.kotrel("demo", "played", status=2).stderr)
        self.assertEqual([path.name for path in (self.folder / "played").iterdir()], ["mine.txt"])


class OnPostgres(Program):
    def test_a_practice_system_in_a_schema_of_its_own(self):
        import psycopg

        url = postgres_url()
        self.addCleanup(self.drop, url)
        with psycopg.connect(url, autocommit=True) as connection:
            connection.execute("CREATE TABLE IF NOT EXISTS public.somebodys (x int)")
        self.kotrel("init", "plain", "--system", url)
        with psycopg.connect(url) as connection:
            self.assertIsNone(
                connection.execute("SELECT to_regclass('practice.item')").fetchone()[0],
                "without --practice nothing is created",
            )
        self.kotrel("init", "shop", "--system", url, "--practice")
        self.write("shop/new.csv", *GOOD)
        self.assertEqual(self.json("-w", "shop", "load", "shop/new.csv", "--yes")["load"], "L0001")
        self.kotrel("init", "again", "--system", url, "--practice")
        self.assertEqual(
            self.json("-w", "again", "preview", "shop/new.csv")["records"]["item"]["same"], 3, "it is used as it is"
        )
        self.assertEqual(self.json("-w", "again", "undo", "L0001", "--yes")["status"], "undone")
        self.assertEqual(self.json("-w", "shop", "preview", "shop/new.csv")["records"]["item"]["new"], 2)

    @staticmethod
    def drop(url: str) -> None:
        import psycopg

        with psycopg.connect(url, autocommit=True) as connection:
            for schema in ("practice", "kotrel"):
                connection.execute(f"DROP SCHEMA IF EXISTS {schema} CASCADE")
