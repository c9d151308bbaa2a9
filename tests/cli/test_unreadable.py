"""Values that cannot be read, in sheets and in the system itself: each is told where it is, and ends nothing."""

import csv
import sqlite3
from contextlib import closing

from tests.support import Program

TEXTS = ("2027-02-30", "0000-01-01", "24.13.2026", "12:99", "1e999", "∞", "٣", "1,2,3", "1.5.2", "=1/0", "-", "'", "\u200b", "99999999999999999999", "NULL", "(clear)")  # fmt: skip


class Unreadable(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()

    def lines(self, record: str) -> list[list[str]]:
        """The headings of an export with every field, and its first rows."""
        self.kotrel("export", record, "-o", f"{record}.csv")
        with (self.folder / f"{record}.csv").open(encoding="utf-8-sig", newline="") as file:
            return list(csv.reader(file))[:8]

    def test_every_field_of_a_sheet(self):
        for record, options in (("item", ()), ("price", ("--resume",)), ("unit_conversion", ())):
            headings, *rows = self.lines(record)
            bad = []
            for column in range(len(headings)):
                for number, text in enumerate(TEXTS):
                    row = list(rows[number % len(rows)])
                    row[column] = text
                    bad.append(row)
            with (self.folder / "bad.csv").open("w", encoding="utf-8", newline="") as file:
                csv.writer(file).writerows([headings, *bad])
            with self.subTest(record):
                checked = self.json("preview", "bad.csv", "--as", record, *options, status=1)
                # An amount, a day and a yes/no, and every key: none of these texts is one.
                self.assertGreater(len(checked["findings"]), len(headings))
                self.assertLessEqual({each["row"] for each in checked["findings"]}, set(range(len(bad) + 2)))

    def test_prices_of_the_system(self):
        item = "ROP-00010"
        for field, text, said in (
            ("from_date", "2027-02-30", "has “2027-02-30” as its from date"),
            ("to_date", "soon", "has “soon” as its to date"),
        ):
            with closing(sqlite3.connect(self.folder / "practice.db")) as database, database:
                database.execute("PRAGMA ignore_check_constraints = ON")
                [[was]] = database.execute(f"SELECT {field} FROM price WHERE item = ? LIMIT 1", [item]).fetchall()
                database.execute(f"UPDATE price SET {field} = ? WHERE item = ?", [text, item])
            with self.subTest(field):
                told = self.kotrel("price", item, status=1).stderr
                self.assertIn(said, told)
                self.assertIn(item, told)
            with closing(sqlite3.connect(self.folder / "practice.db")) as database, database:
                database.execute(f"UPDATE price SET {field} = ? WHERE item = ?", [was, item])
        self.kotrel("price", item)
