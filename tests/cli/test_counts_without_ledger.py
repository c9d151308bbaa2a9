"""Counts of systems that say what is on hand where, and not what moved:
a program's list, and a database's own table.
"""

from __future__ import annotations

import contextlib
import shutil
import sqlite3

from tests.support import Program

COUNTED = {"0012": "120.5", "0013": "4", "0014": "9.5"}


class WithoutLedger(Program):
    def fill(self, name: str, counted: dict[str, str]) -> None:
        path = self.folder / name
        lines = path.read_text("utf-8-sig").splitlines()
        place = lines[0].split(",").index("Counted")
        done = [lines[0]]
        for line in lines[1:]:
            cells = line.split(",")
            cells[place] = counted.get(cells[1], "")
            done.append(",".join(cells))
        path.write_text("\n".join([*done, ""]), "utf-8")

    def on_hand(self) -> dict[tuple[str, str], str]:
        return {(row["item"], row["warehouse"]): row["on_hand"] for row in self.json("stock")["rows"]}

    def count_all(self) -> None:
        self.kotrel("count", "freeze", "all", "--stopped")
        self.kotrel("count", "sheets", "all", "--text", "--counters", "Ola", "-o", ".")
        self.fill("all-MAIN-Ola.csv", COUNTED)
        self.kotrel("count", "collect", "all", "all-MAIN-Ola.csv")

    def variances(self) -> dict[str, tuple[str, str]]:
        lines = self.json("count", "variance", "all")["lines"]
        return {
            line["item"]: (line["variance"], line["value"]) for line in lines if line["variance"] not in ("0", None)
        }


class FolderOfLists(WithoutLedger):
    def setUp(self) -> None:
        super().setUp()
        self.given = self.folder.parent / f"{self.folder.name}-given"
        self.addCleanup(shutil.rmtree, self.given, ignore_errors=True)
        self.given.mkdir()
        for name, lines in {
            "items.csv": ("ArtNo;Text;Unit;Cost", "0012;Rope;M;0,50", "0013;Kayak;EA;300", "0014;Paint;L;8,20"),
            "units.csv": ("Unit;Name", "M;metre", "EA;each", "L;litre"),
            "stores.csv": ("Store;Name", "MAIN;Main store", "BACK;Back store"),
            # 0012 lies on two shelves of the main store: both count. One shelf is not known.
            "stock.csv": ("ArtNo;Store;Shelf;Qty", "0012;MAIN;A1;100,5", "0012;MAIN;A2;20", "0012;BACK;;40", "0013;MAIN;B2;3", "0014;MAIN;A1;11"),
        }.items():  # fmt: skip
            (self.given / name).write_text("\n".join([*lines, ""]), "utf-8")
        self.kotrel("init", "-w", ".", "--system", f"folder:{self.given}", "--learn")
        settings = self.folder / "kotrel.toml"
        settings.write_text(f'{settings.read_text("utf-8")}\n[folder]\nuploads = "uploads"\n', "utf-8")
        (self.folder / "uploads").mkdir()

    def shelves_left_out(self) -> None:
        """The program's list is by store alone, and takes quantities."""
        path = self.folder / "system.toml"
        lines = path.read_text("utf-8").splitlines()
        lines = [
            line.split("  #")[0].replace(', kept_by = "system"', "") for line in lines if not line.startswith("bin = ")
        ]
        path.write_text("\n".join([*lines, ""]), "utf-8")
        text = (
            (self.given / "stock.csv")
            .read_text("utf-8")
            .replace("0012;MAIN;A1;100,5\n0012;MAIN;A2;20\n", "0012;MAIN;A1;120,5\n")
        )
        (self.given / "stock.csv").write_text(text, "utf-8")
        column = '[[column]]\nheading = "{}"\nfield = "{}"\n'
        layout = 'record = "stock"\ndecimal_mark = ","\nseparator = "semicolon"\n' + "".join(
            column.format(*each) for each in (("ArtNo", "item"), ("Store", "warehouse"), ("Qty", "quantity"))
        )
        (self.folder / "layouts" / "stock.toml").write_text(layout, "utf-8")
        (self.folder / "maps" / "answer.toml").write_text(
            'record = "result"\n[field.key]\njoin = ["ArtNo", "Store"]\nbetween = " / "\n[field.outcome]\ncolumn = "Result"\n'
            '[field.message]\ncolumn = "Why"\n', "utf-8")  # fmt: skip

    def test_what_the_list_says_is_stock_and_its_value_comes_from_the_items(self) -> None:
        rows = self.json("stock", "--by", "item,warehouse,bin")["rows"]
        self.assertEqual(
            {(row["item"], row["bin"]): (row["on_hand"], row["value"]) for row in rows},
            {("0012", "A1"): ("100.5", "50.25"), ("0012", "A2"): ("20", "10.00"), ("0012", None): ("40", "20.00"),
             ("0013", "B2"): ("3", "900.00"), ("0014", "A1"): ("11", "90.20")},
        )  # fmt: skip
        self.assertEqual(self.on_hand()["0012", "MAIN"], "120.5")
        for words, says in (
            (("stock", "--at", "2026-01-01"), "no movements"),
            (("count", "freeze", "all", "--trading"), "does not say when goods moved"),
        ):
            self.assertIn(says, self.kotrel(*words, status=None).stderr)

    def test_a_count_is_sent_as_a_list_and_what_is_refused_stays_open(self) -> None:
        self.shelves_left_out()
        self.count_all()
        self.assertEqual(self.variances(), {"0013": ("1", "300.00"), "0014": ("-1.5", "-12.30")})
        self.assertIn(
            "without an account", self.kotrel("count", "post", "all", "--yes", "--account", "X", status=None).stderr
        )
        posted = self.json("count", "post", "all", "--yes")
        self.assertEqual((posted["status"], posted["load"], posted["adjusted"]), ("sent", "L0001", 2))
        [upload] = (self.folder / "uploads").iterdir()
        self.assertEqual(sorted(upload.read_text("utf-8").split()), ["0013;MAIN;4", "0014;MAIN;9,5", "ArtNo;Store;Qty"])
        self.assertEqual(self.on_hand()["0014", "MAIN"], "9.5", "what is sent counts as taken")
        self.write("answer.csv", "ArtNo;Store;Result;Why", "0014;MAIN;error;no halves", "0013;MAIN;ok;")
        self.kotrel("outcome", "L0001", "--result", "answer.csv", "--map", "answer", status=None)
        self.assertEqual(self.variances(), {"0014": ("-1.5", "-12.30")})
        self.assertEqual((self.on_hand()["0013", "MAIN"], self.on_hand()["0014", "MAIN"]), ("4", "11"))

    def test_nothing_is_posted_where_the_program_takes_neither(self) -> None:
        self.count_all()
        said = self.kotrel("count", "post", "all", "--yes", status=None).stderr
        self.assertIn("no document that corrects stock up and down, and no list of quantities", said)

    def test_a_saved_match_that_cannot_be_read_leaves_nothing_unread_in_silence(self) -> None:
        (self.folder / "maps" / "broken.toml").write_text('record = "stock"\n[field.item]\ncolumns = ["A"]\n', "utf-8")
        done = self.kotrel("stock", status=None)
        self.assertEqual((done.returncode != 0, done.stdout), (True, ""))
        self.assertIn("broken.toml, line 3", done.stderr)


class DatabaseWithBalances(WithoutLedger):
    TABLES = """
        CREATE TABLE item (code TEXT PRIMARY KEY, name TEXT, unit TEXT);
        INSERT INTO item VALUES ('0012', 'Rope', 'M'), ('0013', 'Kayak', 'EA'), ('0014', 'Paint', 'L');
        CREATE TABLE balance (item TEXT REFERENCES item (code), store TEXT, qty DECIMAL(12, 3), cost DECIMAL(12, 4), PRIMARY KEY (item, store));
        INSERT INTO balance VALUES ('0012', 'MAIN', 120.5, 0.5), ('0013', 'MAIN', 3, 300), ('0014', 'MAIN', 11, 8.2), ('0012', 'BACK', 40, 0.5);
    """
    DESCRIPTION = """
[system]
decimals = "plain"
[record.item]
key = ["code"]
called = "name"
[record.item.field]
code = { kind = "code", must = "always" }
name = { kind = "text" }
unit = { kind = "code" }
[record.balance]
nature = "stock"
key = ["item", "warehouse"]
store = { columns = { warehouse = "store", quantity = "qty" } }
[record.balance.field]
item = { kind = "reference", to = "item", must = "always" }
warehouse = { kind = "code", must = "always" }
quantity = { kind = "quantity", decimals = 3 }
cost = { kind = "money", decimals = 4 }
"""

    def test_the_table_is_counted_corrected_and_put_back(self) -> None:
        with contextlib.closing(sqlite3.connect(self.folder / "own.db")) as database, database:
            database.executescript(self.TABLES)
        self.write("system.toml", *self.DESCRIPTION.splitlines())
        self.kotrel("init", "--system", "sqlite:own.db", "--journal")
        before = self.on_hand()
        self.assertEqual(before["0012", "MAIN"], "120.5")
        self.count_all()
        with contextlib.closing(sqlite3.connect(self.folder / "own.db")) as database, database:
            # One tin is sold although trading is stopped: the variance reports it, and the correction is applied to what is there
            # now.
            database.execute("UPDATE balance SET qty = 10 WHERE item = '0014'")
        self.assertIn("1 place moved although trading is stopped", self.kotrel("count", "variance", "all").stdout)
        self.assertEqual(self.json("count", "post", "all", "--yes")["status"], "posted")
        after = self.on_hand()
        self.assertEqual((after["0013", "MAIN"], after["0014", "MAIN"], after["0012", "BACK"]), ("4", "8.5", "40"))
        self.kotrel("undo", "L0001", "--yes")
        self.assertEqual(self.on_hand(), {**before, ("0014", "MAIN"): "10"})
        self.assertEqual(self.json("count", "list")["counts"][0]["posted"], 0)
