"""Pages to print, file or send: what they say, and that nothing in them leaves or acts."""

import html
import os
import re
import shutil
import subprocess
import sys
import unittest
from pathlib import Path

import openpyxl

from kotrel.reporting.pdf import browser
from tests.support import Program, workbook_of

HOSTILE = '<script>document.title="taken"</script><img src=x onerror="document.title=1">'


def text_of(page: Path) -> str:
    """What a reader sees of a page, as one line."""
    body = re.sub(r"<(style|script)\b.*?</\1>", "", page.read_text("utf-8"), flags=re.DOTALL)
    return " ".join(html.unescape(re.sub(r"<[^>]+>", " ", body)).split())


class Reports(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()

    def page(self, *words: str, status: int = 0, name: str = "page.html") -> str:
        (self.folder / name).unlink(missing_ok=True)
        said = self.json("report", *words, "-o", name, status=status)
        self.assertIn(name, said["files"][0])
        return text_of(self.folder / name)

    def test_a_load_what_it_did_and_what_became_of_it(self):
        # ROP-00010 costs 0.3815 in the practice system, and its price is 0.60: 0.66 is a tenth more.
        self.write(
            "a.csv",
            "Item code,Price,Note",
            f'ROP-00010,0.66,"{HOSTILE.replace(chr(34), chr(34) * 2)}"',
            "ROP-00020,0.75,",
        )
        before = self.json(
            "export", "item", "-o", "was.csv", "--fields", "code,price", "--where", "code is 'ROP-00010'"
        )
        self.assertTrue(before["files"])
        was = (self.folder / "was.csv").read_text("utf-8-sig").splitlines()[1].split(",")[-1]
        self.kotrel("load", "a.csv", "--yes", "--remark", "spring", "--report", "load.html")
        page = text_of(self.folder / "load.html")
        self.assertIn("spring", page)
        self.assertIn("still as loaded", page)
        self.assertIn(HOSTILE, page, "a cell's text is text")
        self.assertNotIn("<img", (self.folder / "load.html").read_text("utf-8"))
        self.assertRegex(page, rf"ROP-00010 {re.escape(was.rstrip('0'))}0? 0\.66 ")
        self.write("b.csv", "Item code,Price", "ROP-00010,0.70")
        self.kotrel("load", "b.csv", "--yes")
        page = self.page("L0001")
        self.assertIn("1 value changed since", page)
        self.assertIn("L0002 changed or removed 1 row of this load", page)
        self.kotrel("undo", "L0002", "--yes", "--report", "undo.html")
        self.assertIn("Undo report L0003: undo of L0002", text_of(self.folder / "undo.html"))
        self.kotrel("report", "L0077", status=2)
        self.assertIn("there is no load L0077", self.kotrel("report", "L0077", status=2).stderr)

    def test_a_page_for_the_supplier_has_nothing_of_ours(self):
        rows = [("Article", "Words", "Unit", "Group", "Cost", "Price", "EAN"),
                ("ROP-00010", "Ours already", "Eech", "ROPE", 5, 1, "2010002700081"),
                ("ZZZ-00001", "Below cost", "M", "ROPE", 5, 1, ""), ("ZZZ-00002", "Right", "M", "ROPE", 1, 2, "")]  # fmt: skip
        workbook_of(self.folder / "theirs.xlsx", {"New": rows})
        ours = self.page("theirs.xlsx", "--as", "item", status=1, name="ours.html")
        theirs = self.page("theirs.xlsx", "--as", "item", "--for", "supplier", status=1)
        self.assertIn("EA", ours)
        for word in ("The code is not on its list", "The check digit of a barcode is wrong", "Eech"):
            self.assertIn(word, theirs)
        for leak in ("below cost", "each (EA)", "= EA", "→", "Braided rope", "system", "margin"):
            self.assertNotIn(leak, theirs)
        book = openpyxl.load_workbook(self.folder / "page.xlsx")["New"]
        lines = [[cell.value for cell in line] for line in book.iter_rows()]
        self.assertEqual(lines[0][1:-1], list(rows[0]))
        self.assertEqual([line[0] for line in lines[1:]], ["2"], "only the row that the sender can correct")
        self.assertIn("EAN", lines[1][-1])

    def test_counts_periods_and_prices(self):
        item = next(
            each["item"] for each in self.json("stock")["rows"] if each["warehouse"] == "QUAY" and each["unit"] == "M"
        )
        self.kotrel("count", "freeze", "quay", "--stopped", "--where", f"warehouse is 'QUAY' and item is '{item}'")
        place = self.json("count", "variance", "quay")["lines"][0]
        counted = str(int(place["expected"].split(".")[0]) + 3)
        self.kotrel("count", "set", "quay", place["item"], "--counted", counted, "--reason", "recounted")
        self.kotrel("count", "post", "quay", "--yes", "--report", "count.html")
        page = text_of(self.folder / "count.html")
        self.assertIn("1 of 1 place counted", page)
        self.assertIn(f"{place['expected']} {counted} +3 M", page)
        self.assertIn("recounted", page)
        period = self.page("--since", "2026-01-01")
        self.assertIn("0 open questions", period)
        self.assertIn("L0001", period)
        # A file of that name comes before a count.
        shutil.copy(self.write("x.csv", "Item code,Price", "ROP-00010,0.66"), self.folder / "quay")
        self.assertIn("Count report", self.page("quay", "--count"))
        self.kotrel("report", "nothing-like-it", status=2)
        self.kotrel("report", status=2)

    def test_more_than_a_page_holds_is_in_a_workbook_beside_it(self):
        rows = [f"ZZZ-{number:05d},Thing {number},EA,ROPE" for number in range(1_200)]
        self.write("many.csv", "code,description,unit,category", *rows)
        self.kotrel("load", "many.csv", "--yes")
        page = self.page("L0001")
        self.assertIn("The first 1,000 rows; 200 more are in page.xlsx", page)
        sheet = openpyxl.load_workbook(self.folder / "page.xlsx", read_only=True)["New item"]
        self.assertEqual(sum(1 for _ in sheet.iter_rows()), 1_201)


@unittest.skipIf(browser() is None and os.environ.get("CI") != "true", "needs a browser: chromium is not installed")
@unittest.skipIf(sys.platform == "win32", "the browser of the tests is Debian's")
class InABrowser(Program):
    def test_nothing_is_fetched_nothing_fails_and_hostile_texts_stay_texts(self):
        self.start_shop()
        self.write(
            "a.csv",
            "Item code,Description,Price",
            f"ROP-00010,{HOSTILE.replace(chr(34), chr(39))},0.66",
            *(f"ROP-000{n}0,x{n},1" for n in range(2, 10)),
        )
        self.kotrel("load", "a.csv", "--yes")
        self.kotrel("report", "L0001", "-o", "page.html", "--pdf")
        self.assertTrue((self.folder / "page.pdf").read_bytes().startswith(b"%PDF"))
        self.write("blank.html", "<!doctype html><title>Blank</title>")
        shown, said, asked = self.opened("page.html")
        self.assertNotIn("CONSOLE", said, "no error and no warning of the page itself")
        self.assertEqual(re.findall(r"<img|<script>document|<title>taken", shown), [])
        self.assertIn("&lt;script&gt;", shown)
        self.assertEqual(
            asked - self.opened("blank.html")[2], set(), "what a browser asks its maker for is not the page's"
        )

    def opened(self, name: str) -> tuple[str, str, set[str]]:
        """The page as the browser has it, what the browser said, and the hosts that it asked."""
        log = self.folder / f"{name}.net"
        done = subprocess.run(
            [str(browser()), "--headless", "--no-sandbox", "--disable-gpu", f"--user-data-dir={self.folder / 'profile'}", "--enable-logging=stderr",
             f"--log-net-log={log}", "--disable-background-networking", "--dump-dom", (self.folder / name).as_uri()],
            capture_output=True, text=True, check=True, timeout=120,
        )  # fmt: skip
        return done.stdout, done.stderr, set(re.findall(r'"url":"https?://([^/"]+)', log.read_text("utf-8")))


if __name__ == "__main__":
    unittest.main()
