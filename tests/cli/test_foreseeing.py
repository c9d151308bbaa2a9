"""Long text files: their first lines say what to read from the system, and change nothing in what is found."""

from __future__ import annotations

from datetime import date
from unittest.mock import patch

from kotrel.core.errors import WrongUse
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in import sheet_reading as understanding
from kotrel.workspace.settings import open_workspace
from tests.support import Program


class FirstLines(Program):
    def seen(self, text: str, long: int, heading_row: int | None = None) -> tuple[list, list]:
        path = self.folder / "items.csv"
        path.write_text(text, "utf-8")
        expected: list = []

        def expect(record, fields, rows) -> None:
            expected.append((record.name, tuple(fields)))

        with patch.object(understanding, "LONG", long):
            found = understanding.understand_file(
                path,
                open_workspace(self.folder),
                FileOptions(heading_row=heading_row),
                date(2026, 11, 26),
                lambda step: None,
                expect,
            )
        return expected, [(each.rows.record.name, each.rows.values.rows(), each.remarks) for each in found]

    def test_what_the_first_lines_say_is_what_the_file_says(self):
        self.start_shop()
        rows = "".join(f"ROP-9{n:04},Rope {n},EA,{2_000_000 + n}\n" for n in range(4_000))
        for head in (
            "Item code,Description,Unit,Barcode\n",
            "Items of the shed\n\nItem code;Description;Unit;Barcode\n",
        ):
            text = head + (rows.replace(",", ";") if ";" in head else rows)
            self.assertGreater(len(text), 64 * 1024)
            foreseen, found = self.seen(text, 0)
            plain, wanted = self.seen(text, 10**9)
            self.assertEqual((foreseen, found), (plain * 2, wanted))

    def test_first_lines_that_say_nothing_are_no_trouble(self):
        self.start_shop()
        blank = "\n" * 70_000 + "Item code,Description\nROP-90001,Rope\n"
        with self.assertRaises(WrongUse) as caught:
            self.seen(blank, 0)
        self.assertIn("--heading-row 70001", caught.exception.hint)
        (self.folder / "items.csv").unlink()
        foreseen, found = self.seen("\n" * 70_000 + "Item code,Description\nROP-90001,Rope\n", 0, heading_row=70_001)
        self.assertEqual(([record for record, _ in foreseen], found[0][0]), (["item"], "item"))
