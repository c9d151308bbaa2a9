"""Upload files: another reader finds in them what the sheet says, whether or not anything needs quotes."""

from __future__ import annotations

import csv
import io
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.errors import OutOfReach
from kotrel.core.layouts.layout import Layout, LayoutColumn
from kotrel.core.layouts.upload_rows import UPLOAD_ACTION, Values, lay_out
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.tables.detection import find_table
from kotrel.core.values.conventions import Conventions
from kotrel.sheets import text_writing
from kotrel.sheets.textfiles import read_text_file
from kotrel.sheets.upload_files import write_upload
from tests.support import TODAY, small

TEXTS = st.lists(
    st.sampled_from(
        ["Rope", "rope 8 mm", "a,b", "a;b", 'say "x"', "two\nlines", "old\rmac", "Ü", "a|b", "3", "x" * 20]
    ),
    min_size=1,
    max_size=30,
)


class Uploads(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def written(self, source: bytes, layout: Layout) -> tuple[list[list[str]], list[list[str]], bytes]:
        """The rows as they were understood, as another reader finds them in the upload file, and the file."""
        path, out = self.folder / "a.csv", self.folder / "out.csv"
        path.write_bytes(source)
        out.unlink(missing_ok=True)
        table = find_table(read_text_file(path), heading_row=1)
        rows = understand(table, match_headings(table, small().records["item"]), Conventions(), TODAY)
        frame = rows.values.with_columns(pl.lit("new").alias(UPLOAD_ACTION))
        done = lay_out(layout, rows.record, rows, Values(frame, {}, {}, {}))
        self.assertEqual([each.kind for each in done.findings if each.severity == "error"], [])
        write_upload([(layout, done.texts)], out, done.bare)
        content = out.read_bytes()
        text = content.decode(layout.encoding)
        found = list(csv.reader(io.StringIO(text, newline=""), delimiter=layout.separator))
        fields = [column.field for column in layout.columns]
        meant = [["" if text is None else text for text in row] for row in rows.values.select(fields).rows()]
        return meant, found, content

    @given(TEXTS, st.sampled_from(",;|\t"), st.sampled_from(",;|\t"), st.booleans(), st.sampled_from(["\n", "\r\n"]))
    @settings(deadline=None, max_examples=150)
    def test_another_reader_finds_what_the_sheet_says(
        self, texts: list[str], theirs: str, ours: str, quoted: bool, end: str
    ) -> None:
        buffer = io.StringIO(newline="")
        style = csv.QUOTE_ALL if quoted else csv.QUOTE_MINIMAL
        writer = csv.writer(buffer, delimiter=theirs, lineterminator=end, quoting=style)
        writer.writerow(["Item code", "Description", "Cost"])
        writer.writerows([f"C-{place:04}", text, "1.50"] for place, text in enumerate(texts))
        columns = tuple(LayoutColumn(name, name) for name in ("code", "description", "cost"))
        layout = Layout("up", "item", columns, separator=ours, headings=False)
        meant, found, _ = self.written(buffer.getvalue().encode(), layout)
        self.assertEqual([row[:2] for row in found], [row[:2] for row in meant])
        self.assertEqual({row[2] for row in found}, {"1.5"})

    def test_a_heading_with_the_separator_is_quoted_though_no_value_is(self) -> None:
        columns = (LayoutColumn("Code, old", "code"), LayoutColumn("Name", "description"))
        layout = Layout("up", "item", columns, encoding="utf-8-sig", line_end="\n")
        _, _, content = self.written(b"Item code,Description\nA,Rope\nB,Chain\n", layout)
        self.assertEqual(content, b'\xef\xbb\xbf"Code, old",Name\nA,Rope\nB,Chain\n')

    def test_only_texts_are_cleaned_never_a_number_a_date_or_a_code(self) -> None:
        columns = tuple(LayoutColumn(name, name) for name in ("code", "description", "cost", "since"))
        layout = Layout("up", "item", columns, separator="-", one_line=True, decimal_mark=",")
        path = self.folder / "a.csv"
        path.write_bytes(b"Item code,Description,Cost,Since\nA-1,Sea-green,1.50,2026-03-31\n")
        table = find_table(read_text_file(path), heading_row=1)
        rows = understand(table, match_headings(table, small().records["item"]), Conventions(), TODAY)
        frame = rows.values.with_columns(pl.lit("new").alias(UPLOAD_ACTION))

        def told(layout: Layout) -> set[tuple[str, str | None]]:
            done = lay_out(layout, rows.record, rows, Values(frame, {}, {}, {}))
            self.assertLessEqual(set(done.cleaned), {"description"})
            return {(each.severity, each.field) for each in done.findings}

        self.assertEqual(told(layout), {("error", "code"), ("warning", "description"), ("error", "since")})
        self.assertEqual(told(replace(layout, separator=",")), {("error", "cost")})

    def test_one_column_with_a_blank_is_not_a_blank_line(self) -> None:
        layout = Layout("up", "item", (LayoutColumn("Name", "description"),), line_end="\n")
        meant, found, content = self.written(b"Item code,Description\nA,Rope\nB,\nC,Chain\n", layout)
        self.assertEqual(found[1:], meant, content)

    def test_a_full_disk_is_said_and_leaves_no_file(self) -> None:
        layout = Layout("up", "item", (LayoutColumn("Code", "code"), LayoutColumn("Name", "description")))

        def full(*given: object) -> None:
            raise OSError(28, "No space left on device")

        with (
            patch.object(text_writing, "_put_rows", full),
            self.assertRaisesRegex(OutOfReach, "out.csv cannot be written: No space left"),
        ):
            self.written(b"Item code,Description\nA,Rope\nB,Chain\n", layout)
        self.assertEqual([path.name for path in self.folder.iterdir()], ["a.csv"])


if __name__ == "__main__":
    unittest.main()
