"""What ``kotrel init`` asks on a terminal, and what ``kotrel map`` asks about values that read two ways."""

import sqlite3
import sys
import tomllib
import unittest

from tests.cli.test_terminal import talk
from tests.support import Program

BACK_OFFICE = """
create table grp(grp_no integer primary key, grp_name text not null);
create table supplier(short text primary key, company text not null, phone text);
create table article(art_no varchar(16) primary key, descr varchar(60) not null, grp_no integer references grp,
    supplier text references supplier, cost numeric, qty_on_hand decimal(12,3) default 0, total_sold decimal(12,3));
create table notes(k text primary key, v text);
insert into grp values (10, 'Ropes');
insert into supplier values ('KEL', 'Keldrift Cordage', null);
"""


@unittest.skipIf(sys.platform == "win32", "needs a pseudo-terminal")
class InitDialogue(Program):
    def ask(self, words: str, *answers: str) -> tuple[int, str]:
        return talk(self.folder, words.split(), *answers, asks=b"\r\n> ")

    def settings(self, name: str) -> dict:
        return tomllib.loads((self.folder / name).read_text("utf-8"))

    def test_ones_own_database_from_the_first_question_to_the_first_load_without_an_editor(self):
        with sqlite3.connect(self.folder / "back.db") as database:
            database.executescript(BACK_OFFICE)
        database.close()
        status, screen = self.ask(
            "init", "7", "2", "sqlite:none.db", "sqlite:back.db", "shop", "2", "day", "kroner", "sek",
            "9", "articel", "article", "2, 3", "1 2", "2", "company", "y",
        )  # fmt: skip
        self.assertEqual(status, 0, screen)
        for refused in ("Answer 1, 2, 3 or 4", "none.db does not exist", "three letters", "1 to 4, not 9", "articel"):
            self.assertIn(refused, screen)
        sheets = self.settings("shop/kotrel.toml")["sheets"]
        self.assertEqual((sheets["decimal_mark"], sheets["dates"], sheets["currency"]), (",", "day", "SEK"))
        records = self.settings("shop/system.toml")["record"]
        # Notes are loaded by nobody; groups and suppliers stay, since articles refer to them.
        self.assertEqual(set(records), {"article", "grp", "supplier"})
        fields = records["article"]["field"]
        kept = {name for name, field in fields.items() if field.get("kept_by") == "system"}
        self.assertEqual(kept, {"qty_on_hand", "total_sold"})
        self.assertEqual(fields["cost"]["decimals"], 2)
        self.assertEqual(records["supplier"]["called"], "company")
        self.assertIn("journal's two tables have been created", screen)
        # A name where a code belongs, and a decimal comma, as the answers say.
        self.write("new.csv", "art_no;descr;grp;supplier;cost", "A-1;Rope 8 mm;10;Keldrift Cordage;1.234,5")
        self.kotrel("-w", "shop", "load", "new.csv", "--yes")
        with sqlite3.connect(self.folder / "back.db") as database:
            self.assertEqual(database.execute("select supplier, cost from article").fetchall(), [("KEL", 1234.5)])
        database.close()

    def test_q_makes_nothing_and_enter_takes_every_proposal(self):
        status, screen = self.ask("init", "1", "q")
        self.assertEqual(status, 2)
        self.assertIn("no workspace was made", screen)
        self.assertEqual(list(self.folder.iterdir()), [])
        status, screen = self.ask("init", *[""] * 5)
        self.assertEqual(status, 0, screen)
        self.assertIn("a new practice system", screen)
        self.assertTrue((self.folder / "kotrel.toml").is_file())
        self.assertIn("item", self.kotrel("records").stdout)

    def test_map_asks_which_mark_is_the_decimal_one_and_the_mapping_keeps_it(self):
        self.start_shop()
        rows = ["AMB-1;Block;EA;ROPE;1,234;3/4/2026", "AMB-2;Cleat;EA;ROPE;2,500;5/6/2026"]
        self.write("amb.csv", "Item code;Description;Base unit;Category;Cost;Last moved", *rows)
        _, screen = self.ask("map amb.csv item", "", "perhaps", "comma")
        self.assertIn("Answer point or comma.", screen)
        self.assertEqual(self.settings("maps/amb.toml")["decimal_mark"], ",")
        changes = self.json("preview", "amb.csv")
        self.assertEqual(changes["records"]["item"]["new"], 2)
        # 1,234 with a decimal comma is 1.234; with --decimal point, what was said for this run counts, it is 1234.
        for words, costs in (((), ["1.2340", "2.5000"]), (("--decimal", "point"), ["1234.0000", "2500.0000"])):
            self.kotrel("prepare", "amb.csv", "-o", "out.csv", *words)
            lines = (self.folder / "out.csv").read_text("utf-8-sig").splitlines()
            column = lines[0].split(",").index("Cost")
            self.assertEqual([line.split(",")[column] for line in lines[1:]], costs)
            (self.folder / "out.csv").unlink()


if __name__ == "__main__":
    unittest.main()
