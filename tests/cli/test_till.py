from __future__ import annotations

import os
import time
import unittest
from pathlib import Path

from tests.support import Program, workbook_of

HEADINGS = "Item code,Description,UoM,Category,Price"


class Till(Program):
    """A load to a program that only takes files: sent, answered row by row, verified by its lists, taken back."""

    def setUp(self) -> None:
        super().setUp()
        self.till = self.folder.parent / f"{self.folder.name}-till"
        self.kotrel("init", ".", "--system", f"folder:{self.till}", "--practice")
        self.write("new.csv", HEADINGS, "NEW-1,New rope 7 mm,M,ROPE-BRAID,2.50", "NEW-2,Free sample,EA,CHAIN-LINK,0",
                   "new_3,Wrong code,EA,CHAIN-LINK,1.00", "ROP-00010,Braided rope 3 mm white,M,ROPE-BRAID,1.11")  # fmt: skip

    def read(self) -> None:
        self.kotrel("practice", "till", str(self.till), "--once", "--slow", "0")

    def waiting(self) -> list[Path]:
        return sorted((self.till / "in").iterdir())

    def item(self, code: str) -> list[str] | None:
        lines = (self.till / "lists" / "articles.csv").read_text("cp1252").splitlines()
        return next((line.split(";") for line in lines if line.split(";")[0] == code), None)

    def states(self) -> dict[str, str]:
        return {each["load"]: each["status"] for each in self.json("history")["loads"]}

    def test_sent_answered_and_verified(self) -> None:
        sent = self.json("load", "new.csv", "--yes")
        self.assertEqual((sent["load"], sent["status"], len(sent["sent_files"])), ("L0001", "sent", 1))
        [upload] = self.waiting()
        lines = upload.read_bytes().decode("cp1252").split("\r\n")
        self.assertEqual(
            lines[:2], ["Action;ArtNo;Text;Unit;Group;Price;Active", "N;NEW-1;New rope 7 mm;M;ROPE-BRAID;2,50;J"]
        )
        self.assertEqual(lines[4], "U;ROP-00010;Braided rope 3 mm white;M;ROPE-BRAID;1,11;J")
        # What is sent counts as there, and is not sent twice.
        again = self.kotrel("preview", "new.csv")
        self.assertIn(
            "L0001 was sent and is not answered yet: Kotrel assumes that its rows were accepted", again.stderr
        )
        self.assertEqual(self.json("preview", "new.csv")["records"]["item"]["same"], 4)
        self.assertEqual(self.json("load", "new.csv", "--yes")["status"], "nothing to do")
        self.assertEqual(self.json("verify", "L0001", status=1)["too_old"].keys(), {"item"})
        self.read()
        self.assertEqual(self.states(), {"L0001": "sent"})
        rows = {
            each["key"]: (each["outcome"], each["message"]) for each in self.json("outcome", "L0001", "--wait")["rows"]
        }
        self.assertEqual(rows["NEW-1"], ("done", "its number there is 70241"))
        self.assertEqual(rows["NEW-2"][0], "warning")
        self.assertIn("Give it a price", str(rows["NEW-2"][1]))
        self.assertEqual(rows["new_3"][0], "refused")
        self.assertIn("Shorten it", str(rows["new_3"][1]))
        [entry] = self.json("history")["loads"]
        self.assertEqual(
            (entry["status"], entry["records"]["item"]["new"], entry["records"]["item"]["refused"]), ("loaded", 2, 1)
        )
        # The lists were given out in the very second of the load, or before: they are made a little younger.
        later = time.time() + 5
        os.utime(self.till / "lists" / "articles.csv", (later, later))
        self.assertTrue(self.json("verify", "L0001")["ok"])
        self.kotrel("outcome", "L0001", "--rest", "rest.xlsx")
        self.assertEqual(self.json("preview", "rest.xlsx")["records"]["item"]["new"], 1)

    def test_undo_withdraws_what_was_new_and_brings_back_what_was_changed(self) -> None:
        was = self.item("ROP-00010")
        self.json("load", "new.csv", "--yes")
        self.read()
        self.json("outcome", "L0001", "--wait")
        self.assertEqual(self.json("undo", "L0001", "--yes")["removed"], 2)
        self.read()
        self.json("outcome", "L0002", "--wait")
        self.assertEqual(self.item("ROP-00010"), was)
        self.assertEqual(self.item("NEW-1")[5], "N")  # type: ignore[index]
        self.assertEqual(self.states(), {"L0001": "undone", "L0002": "loaded"})
        self.json("undo", "L0002", "--yes")
        self.read()
        self.json("outcome", "L0003", "--wait")
        self.assertEqual((self.item("NEW-1")[5], self.item("ROP-00010")[4]), ("J", "1,11"))  # type: ignore[index]

    def test_an_undo_of_new_rows_alone_archives_each_once(self) -> None:
        self.write("two.csv", HEADINGS, "NEW-1,New rope,M,ROPE-BRAID,2.50", "NEW-2,Chain,EA,CHAIN-LINK,1.00")
        self.json("load", "two.csv", "--yes")
        self.read()
        self.json("outcome", "L0001", "--wait")
        undone = self.json("undo", "L0001", "--yes")
        self.assertEqual((undone["removed"], "2 rows will be archived" in str(undone["remarks"])), (2, True))
        self.read()
        rows = self.json("outcome", "L0002", "--wait")["rows"]
        self.assertEqual([(each["key"], each["outcome"]) for each in rows], [("NEW-1", "done"), ("NEW-2", "done")])
        self.assertEqual(self.states(), {"L0001": "undone", "L0002": "loaded"})
        self.assertEqual([self.item(code)[5] for code in ("NEW-1", "NEW-2")], ["N", "N"])  # type: ignore[index]

    def test_a_text_that_the_program_takes_only_cleaned_is_told_and_verified_as_sent(self) -> None:
        self.write("odd.csv", HEADINGS, 'NEW-1,"Rope; red",M,ROPE-BRAID,2.50', "NEW;2,Chain,EA,CHAIN-LINK,1.00")
        found = {(each["kind"], each["severity"]): each for each in self.json("check", "odd.csv", status=1)["findings"]}
        self.assertEqual(set(found), {("not-writable", "error")})
        self.write("odd.csv", HEADINGS, 'NEW-1,"Rope; red",M,ROPE-BRAID,2.50', "NEW-2,Chain,EA,CHAIN-LINK,1.00")
        [warning] = self.json("check", "odd.csv")["findings"]
        self.assertEqual((warning["severity"], warning["kind"], warning["row"]), ("warning", "cleaned", 2))
        self.assertIn("it is written as “Rope red”", warning["message"])
        self.json("load", "odd.csv", "--yes")
        self.read()
        self.json("outcome", "L0001", "--wait")
        later = time.time() + 5
        os.utime(self.till / "lists" / "articles.csv", (later, later))
        self.assertTrue(self.json("verify", "L0001")["ok"])

    def test_an_undo_that_the_program_refuses_is_none(self) -> None:
        self.json("load", "new.csv", "--yes")
        self.read()
        self.json("outcome", "L0001", "--wait")
        self.json("undo", "L0001", "--yes")
        self.write("said.csv", "Item,Status,Reason", "ROP-00010,rejected,locked", "NEW-1,ok,", "NEW-2,ok,")
        self.json("outcome", "L0002", "--result", "said.csv")
        self.assertEqual(self.states()["L0001"], "loaded")

    def test_without_a_word_for_it_what_was_new_stays_and_is_named(self) -> None:
        layout = self.folder / "layouts" / "till.toml"
        text = layout.read_text("utf-8").replace(', withdrawn = "W"', "")
        layout.write_text(text[: text.rindex("[[column]]")], "utf-8")
        self.json("load", "new.csv", "--yes")
        self.write("said.csv", "ArtNo,Result", "NEW-1,ok", "NEW-2,ok", "new_3,ok", "ROP-00010,ok")
        self.json("outcome", "L0001", "--result", "said.csv")
        found = self.json("undo", "L0001", "--yes", status=1)
        self.assertEqual({each["key"] for each in found["blocked_by"]}, {"NEW-1", "NEW-2", "new_3"})
        self.assertEqual(self.json("undo", "L0001", "--yes", "--partial")["restored"], 1)

    def test_result_files_are_understood_or_refused_whole(self) -> None:
        self.json("load", "new.csv", "--yes")
        for lines, kind in ((("Item,Status", "NEW-1,maybe"), "not-an-outcome"), (("Item,Status", "NEW-9,ok"), "not-in-load"),
                            (("Reference,Item,Status", "L0009-beef,NEW-1,ok"), "other-reference")):  # fmt: skip
            self.write("said.csv", *lines)
            found = self.json("outcome", "L0001", "--result", "said.csv", status=1)
            self.assertEqual([each["kind"] for each in found["findings"]], [kind])
        self.assertEqual(self.states(), {"L0001": "sent"})
        # Rows that the file does not mention stay open, unless it lists only what was refused.
        self.write("said.csv", "Item,Status,Error", "new_3,failed,bad code")
        self.assertIn("does not mention 3 rows", self.kotrel("outcome", "L0001", "--result", "said.csv").stdout)
        self.assertEqual(self.states(), {"L0001": "sent"})
        self.write("said.csv", "Item,Error", "new_3,bad code")
        rows = self.json("outcome", "L0001", "--result", "said.csv", "--only-refused")["rows"]
        self.assertEqual([each["outcome"] for each in rows], ["done", "done", "refused", "done"])

    def test_every_sheet_of_a_result_is_taken_in_or_named(self) -> None:
        self.json("load", "new.csv", "--yes")
        book = workbook_of(self.folder / "said.xlsx", {
            "Good": [("Item", "Status"), ("NEW-1", "ok"), ("NEW-2", "ok"), ("new_3", "ok")],
            "Bad": [("Item", "Status", "Reason"), ("new_3", "failed", "bad code"), ("ROP-00010", "failed", "locked")],
            "Totals": [("Files", "Seconds"), (1, 4)],
        })  # fmt: skip
        shown = self.kotrel("outcome", "L0001", "--result", "said.xlsx").stdout
        self.assertIn("2 done, 2 refused", shown)
        self.assertRegex(shown, "Not read: .*“Totals”")
        book["Bad"]["B3"] = "perhaps"
        book.save(self.folder / "said.xlsx")
        found = self.json("outcome", "L0001", "--result", "said.xlsx", status=1)
        kinds = {each["sheet"]: each["kind"] for each in found["findings"] if each["severity"] == "error"}  # fmt: skip
        self.assertEqual(kinds, {"Bad": "not-an-outcome"})

    def test_a_load_of_several_files_is_answered_by_all_of_their_results(self) -> None:
        layout = self.folder / "layouts" / "till.toml"
        layout.write_text("most_rows = 2\n" + layout.read_text("utf-8"), "utf-8")
        self.json("load", "new.csv", "--yes")
        self.assertEqual(len(self.waiting()), 2)
        self.read()
        later = self.till / "results" / "later"
        second = next(path for path in (self.till / "results").iterdir() if "-2-result" in path.name)
        second.rename(later)
        # What only the first file's result does not list may have been refused in the second.
        self.assertIn("once each file", self.kotrel("outcome", "L0001", "--only-refused").stdout)
        first = str(next(path for path in (self.till / "results").iterdir() if "-1-result" in path.name))
        self.assertIn(
            "went out in 2 files", self.kotrel("outcome", "L0001", "--result", first, "--only-refused", status=2).stderr
        )
        self.assertIn("2 files, of which 1 is answered", self.kotrel("outcome", "L0001").stdout)
        self.write("ok.csv", "Result", "ok")
        found = self.json("outcome", "L0001", "--result", "ok.csv", status=1)["findings"]
        self.assertEqual([each["kind"] for each in found if each["severity"] == "error"], ["missing"])
        self.assertEqual(self.states(), {"L0001": "sent"})
        later.rename(second)
        rows = self.json("outcome", "L0001", "--wait", "--seconds", "5")["rows"]
        self.assertEqual({each["key"]: each["outcome"] for each in rows},
                         {"NEW-1": "done", "NEW-2": "warning", "new_3": "refused", "ROP-00010": "done"})  # fmt: skip

    def test_a_sheet_of_a_list_that_is_not_read_is_named(self) -> None:
        sheets = {"Units": [("Code", "Name"), ("M", "Metre")], "Zones": [("Zone", "Aisle"), ("Z", "A")]}
        workbook_of(self.till / "lists" / "more.xlsx", sheets)
        told = self.kotrel("check", "new.csv").stderr
        self.assertRegex(told, "the list more.xlsx is not used: .*“Zones”")

    def test_what_the_layout_cannot_write_is_found_before_anything_is_sent(self) -> None:
        self.write("odd.csv", HEADINGS, "NEW-8,Sea → green,M,ROPE-BRAID,2.50", "NEW-9,Fine,M,ROPE-BRAID,2.50")
        found = self.json("check", "odd.csv", status=1)
        self.assertEqual(
            [(each["kind"], each["cell"], each["value"]) for each in found["findings"] if each["severity"] == "error"],
            [("not-writable", "line 2, column 2", "Sea → green")],
        )
        self.assertEqual(self.json("preview", "odd.csv", status=1)["records"]["item"]["refused"], 1)
        (self.folder / "layouts" / "till.toml").unlink()
        self.json("check", "odd.csv")

    def test_an_export_comes_back_although_a_match_for_the_lists_nearly_fits(self) -> None:
        self.json("export", "item", "-o", "e.xlsx")
        self.assertEqual(self.json("load", "e.xlsx", "--yes")["status"], "nothing to do")

    def test_a_trial_sends_nothing(self) -> None:
        tried = self.json("load", "new.csv", "--trial")
        self.assertEqual((tried["status"], tried["load"], self.waiting()), ("tried", None, []))
        self.read()
        self.assertIsNone(self.item("NEW-1"))
        [result] = (self.till / "results").iterdir()
        self.assertIn("new_3;ERR", result.read_text("cp1252"))
        self.assertEqual(self.states(), {})
        # What the program says comes back to the rows of the sheet.
        reference = "-".join(result.name.split("-")[:2])
        said = self.json("outcome", reference, status=1)
        self.assertEqual((said["trial"], said["status"]), (reference, "refused"))
        refused = [each for each in said["rows"] if each["outcome"] == "refused"]
        self.assertEqual([(each["key"], each["cell"]) for each in refused], [("new_3", "line 4")])
        self.assertIn("line 4  item new_3", self.kotrel("outcome", reference, status=1).stdout)
        self.assertIn("there is no trial", self.kotrel("outcome", "T0101010101-ffff", status=2).stderr)

    def test_a_result_in_any_form_is_understood(self) -> None:
        """Rows that wait, the program's own numbers, and a log in place of a table."""
        self.kotrel("load", "new.csv", "--yes")
        self.write(
            "half.csv", "Key;Outcome;Message", "NEW-1;queued;", "NEW-2;ok;", "new_3;in progress;", "ROP-00010;done;"
        )
        self.json("outcome", "L0001", "--result", "half.csv")
        self.assertEqual(self.states(), {"L0001": "sent"})
        self.write(
            "maps/log.toml", 'record = "result"', 'lines = ["{when} {outcome} article {key}: {message}", "{when} {outcome} article {key}"]',
            "[field.key]", 'column = "key"', "[field.outcome]", 'column = "outcome"', 'translate = { ERR = "refused" }',
            "[field.message]", 'column = "message"',
        )  # fmt: skip
        self.write(
            "import.log",
            "09:00 import begins",
            "09:01 OK article NEW-1",
            "09:01 ERR article new_3: not like this",
            "09:02 end",
        )
        told = self.json("outcome", "L0001", "--result", "import.log", "--map", "log")
        rows = {each["key"]: (each["outcome"], each["message"]) for each in told["rows"]}
        self.assertEqual((rows["NEW-1"][0], rows["new_3"]), ("done", ("refused", "not like this")))
        self.assertEqual(self.states(), {"L0001": "loaded"})

    def test_what_cannot_be_written_is_a_finding_at_its_row(self) -> None:
        self.write("new.csv", HEADINGS, "NEW-1,Tau 日本,M,ROPE-BRAID,2.50", "NEW-2,Fine,M,ROPE-BRAID,2.50")
        found = self.json("load", "new.csv", "--yes", status=1)
        self.assertEqual([each["row"] for each in found["findings"]], [2])
        self.assertEqual((self.waiting(), self.states()), ([], {"L0001": "refused"}))


if __name__ == "__main__":
    unittest.main()
