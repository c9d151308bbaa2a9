"""The first page of an outcome says what the whole outcome says."""

from __future__ import annotations

import random

from kotrel.core.changes.outcome_page import page_of
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.row_comparison import compare
from kotrel.core.errors import WrongUse
from kotrel.core.rows.findings import cells_of
from tests.systems.own_databases import STAMP, Fixture, PostgresFixture, SqliteFixture, rows


class Pages(Fixture):
    def load_with(self, lines, wrong, doubted):
        """Loads lines of which some are refused and some have a warning."""
        sheet = rows(*lines)
        groups = [sheet.group(severity, "k", "t", "no", cells_of(numbers, None, "so"))
                  for severity, numbers in (("error", wrong), ("warning", doubted)) if numbers]  # fmt: skip
        sheet = sheet.with_findings(groups)
        with self.system.writing() as writing:
            change = compare(sheet, writing.read("goods", sheet.fields))
            return writing.take(Plan((change,), STAMP), lambda step: None).number

    def test_as_page_of_all_rows(self):
        pick = random.Random(4)
        for size, times in ((6, 8), (45, 3)):
            for _ in range(times):
                lines = [{"no": f"N{n}", "title": pick.choice("ab")} for n in pick.sample(range(size * 2), size)]
                numbers = list(range(2, size + 2))
                wrong = pick.sample(numbers, pick.randint(0, size // 2))
                doubted = pick.sample([n for n in numbers if n not in wrong], pick.randint(0, size // 3))
                number = self.load_with(lines, wrong, doubted)
                whole = self.system.outcome(number)
                self.assertEqual(whole.height, size)
                for most in (3, 20, 100):
                    page, wanted = self.system.outcome_page(number, most), page_of(whole, most)
                    self.assertTrue(page.rows.equals(wanted.rows), (page.rows, wanted.rows))
                    for name in ("total", "warned", "refused", "sent", "same", "more", "done"):
                        self.assertEqual(getattr(page, name), getattr(wanted, name), name)
                undone = self.undo(number)
                if undone.number:
                    page, wanted = (
                        self.system.outcome_page(undone.number, 20),
                        page_of(self.system.outcome(undone.number), 20),
                    )
                    self.assertTrue(page.rows.equals(wanted.rows))
                    self.assertEqual((page.total, page.done), (wanted.total, wanted.done))

    def test_there_is_no_such_load(self):
        with self.assertRaises(WrongUse):
            self.system.outcome_page(1, 20)


class OnSqlite(Pages, SqliteFixture):
    pass


class OnPostgres(Pages, PostgresFixture):
    pass
