from __future__ import annotations

import os
import shutil
import time
import unittest

from kotrel.exchange.learning_lists import drafted_description
from tests.support import Program


class FilesOnly(Program):
    """A program that only exchanges files: learned from its exports, checked against them, written by layouts."""

    def setUp(self) -> None:
        super().setUp()
        self.given = self.folder.parent / f"{self.folder.name}-given"
        self.given.mkdir()
        self.addCleanup(shutil.rmtree, self.given, ignore_errors=True)
        self.give("Units.csv", "Code,Name", "EA,each", "M,metre", "KG,kilogram")
        self.give(
            "Groups.csv",
            "Group code,Group name,Above",
            "ROPE,Rope,",
            "BRAID,Braided rope,ROPE",
            "CHAIN,Chain,",
            "ANCHOR,Anchor chain,CHAIN",
        )
        self.give("Articles.csv", "Art no;Text;Unit;Group;Price;Since;Stocked",
                  *(f"A-{n:04d};Thing {n};{'M' if n % 2 else 'EA'};{'BRAID' if n % 3 else 'CHAIN'};{n},50;{12 + n % 9}.01.2026;{'J' if n % 5 else 'N'}"
                    for n in range(1, 41)))  # fmt: skip
        self.kotrel("init", ".", "--system", f"folder:{self.given}", "--learn")

    def give(self, name: str, *lines: str) -> None:
        path = self.given / name
        path.write_text("\n".join([*lines, ""]), "utf-8")

    def test_the_description_is_learned_from_the_lists(self) -> None:
        fields = {each["field"]: each for each in self.json("records", "articles")["records"][0]["fields"]}
        self.assertEqual([fields[name]["kind"] for name in ("art_no", "text", "unit", "group", "price", "since", "stocked")],
                         ["code", "text", "reference", "reference", "money", "date", "yes_no"])  # fmt: skip
        text = (self.folder / "system.toml").read_text("utf-8")
        self.assertIn('group = { kind = "reference", to = "groups"', text)
        self.assertIn('above = { kind = "reference", to = "groups"', text)
        self.assertEqual(
            {each["record"]: each["rows"] for each in self.json("lists")["lists"]},
            {"articles": 40, "groups": 4, "units": 3},
        )

    def test_a_draft_says_what_of_the_lists_it_leaves_out(self) -> None:
        self.give("Units.tsv", "Code\tName €\tName $\tName\t", "EA\ta\tb\tc\td")
        told = [line for line in drafted_description(self.given).splitlines() if line.startswith("# Units.tsv")]
        self.assertEqual(
            told,
            ["# Units.tsv has the name of another list: it is called units_2 here",
             "# Units.tsv: column C “Name $” would be called name as column B is: it is not described",
             "# Units.tsv: column D “Name” would be called name as column B is: it is not described",
             "# Units.tsv: column E has no heading: it is not described"],
        )  # fmt: skip

    def test_a_column_that_the_lists_have_later_is_named_and_one_that_limits_the_rows_is_told(self) -> None:
        self.give("Articles.csv", "Art no,Text,Unit,Group,Price,Shelf,Per", "A-0001,Thing 1,M,BRAID,1.75,blue,100")
        mine = next(each for each in self.json("lists")["lists"] if each["record"] == "articles")
        self.assertEqual((mine["left_out"], mine["limits"]), (["Per", "Shelf"], ["Per"]))
        shown = self.kotrel("lists")
        self.assertIn("2 columns left out: Per, Shelf", " ".join(shown.stdout.split()))
        self.assertIn(
            "the list Articles.csv: column “Per” limits what its rows say, and no field reads it", shown.stderr
        )

    def test_check_preview_and_write_against_the_lists(self) -> None:
        self.write("new.csv", "Art no,Text,Unit,Group,Price,Since,Stocked", "A-0041,New,each,Braided rope,7.50,2026-11-01,yes",
                   "A-0001,Thing 1,M,BRAID,1.75,2026-01-13,yes", "A-0002,Thing 2,EA,NOPE,2.50,2026-01-14,yes")  # fmt: skip
        found = self.json("check", "new.csv", status=1)
        self.assertEqual(
            [(each["kind"], each["row"]) for each in found["findings"] if each["severity"] == "error"],
            [("not-on-list", 4)],
        )
        self.write("new.csv", "Art no,Text,Unit,Group,Price,Since,Stocked", "A-0041,New,each,Braided rope,7.50,2026-11-01,yes",
                   "A-0001,Thing 1,M,BRAID,1.75,2026-01-13,yes")  # fmt: skip
        preview = self.json("preview", "new.csv")
        self.assertEqual(preview["records"]["articles"], {"new": 1, "changed": 1, "same": 0, "refused": 0})
        self.assertEqual(
            [(each["field"], each["before"], each["after"]) for each in preview["changes"]], [("price", "1.50", "1.75")]
        )
        self.write("layouts/up.toml", 'record = "articles"', "headings = false", 'line_end = "unix"', 'date = "DD.MM.YY"', "decimals = 2",
                   "[[column]]", 'action = { new = "A", changed = "C" }', "[[column]]", 'field = "art_no"', "[[column]]", 'field = "unit"',
                   "[[column]]", 'field = "price"', "[[column]]", 'field = "since"')  # fmt: skip
        self.json("write", "new.csv", "--layout", "up", "-o", "up.csv")
        self.assertEqual(
            (self.folder / "up.csv").read_text("utf-8"), "A,A-0041,EA,7.50,01.11.26\nC,A-0001,M,1.75,13.01.26\n"
        )

    def test_a_list_that_is_given_out_anew_counts_at_once(self) -> None:
        self.write("new.csv", "Art no,Text", "A-0001,Thing 1")
        self.assertEqual(self.json("preview", "new.csv")["records"]["articles"]["same"], 1)
        self.give(
            "Articles.csv", "Art no;Text;Unit;Group;Price;Since;Stocked", "A-0001;Other;M;BRAID;1,50;13.01.2026;J"
        )
        self.assertEqual(self.json("preview", "new.csv")["records"]["articles"]["changed"], 1)

    def test_what_is_old_odd_or_twice_is_said(self) -> None:
        self.give("Groups.csv", "Group code,Group name,Above", "ROPE,Rope,", "ROPE,Tau,", ",nothing,", "CHAIN,Chain,")
        self.give("Odd.csv", "x,y", "1,2")
        ago = time.time() - 9 * 86400
        os.utime(self.given / "Units.csv", (ago, ago))
        lists = {each["file"]: each for each in self.json("lists")["lists"]}
        self.assertEqual((lists["Groups.csv"]["lost"], lists["Units.csv"]["days"]), (2, 9))
        self.assertTrue(lists["Odd.csv"]["trouble"])
        self.write("new.csv", "Art no,Text", "A-0001,Thing 1")
        said = self.kotrel("check", "new.csv").stderr
        self.assertIn("Units.csv is 9 days old", said)
        self.assertIn("Odd.csv is not used", said)
        # A cell that cannot be read is no blank in the program: every command says so.
        self.give(
            "Articles.csv", "Art no;Text;Unit;Group;Price;Since;Stocked", "A-0001;Thing 1;M;BRAID;POA;13.01.2026;J"
        )
        self.assertIn("Articles.csv: 1 cell could not be read", self.kotrel("check", "new.csv").stderr)

    def test_the_lists_themselves_are_never_written(self) -> None:
        self.write("new.csv", "Art no,Text", "A-0001,Other")
        before = {path.name: path.read_bytes() for path in self.given.iterdir()}
        # Without a layout nothing can be sent; stock and counts need a ledger.
        for words in (
            ("load", "new.csv", "--yes"),
            ("undo", "L0001", "--yes"),
            ("stock",),
            ("count", "freeze", "x", "--stopped"),
        ):
            with self.subTest(words=words):
                self.assertTrue(self.kotrel(*words, status=2).stderr)
        self.write(
            "layouts/up.toml", 'record = "articles"', "[[column]]", 'field = "art_no"', "[[column]]", 'field = "text"'
        )
        sent = self.json("load", "new.csv", "--yes")
        self.assertEqual(sent["status"], "sent")
        self.assertEqual({path.name: path.read_bytes() for path in self.given.iterdir()}, before)


if __name__ == "__main__":
    unittest.main()
