"""Proves a layout: the rows of the other program's own file are read back and written again,
and must come out as they were.
"""

from __future__ import annotations

import re
import tempfile
from collections.abc import Mapping, Sequence
from datetime import datetime
from pathlib import Path
from types import MappingProxyType
from typing import Any

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.description.model import Field, Record
from kotrel.core.errors import KotrelError
from kotrel.core.layouts.layout import Layout, LayoutColumn
from kotrel.core.layouts.sample import Sample, SampleCell
from kotrel.core.layouts.wording import in_form, strftime_of
from kotrel.core.phrases import count
from kotrel.core.tables.table import letter_of
from kotrel.sheets.sample_reading import read_sample
from kotrel.sheets.upload_files import write_upload
from kotrel.sheets.users_workbook import users_workbook


class LayoutDifference(Struct, frozen=True):
    """A cell that comes out otherwise.

    Attributes:
        cell: its address, as ``C5``.
        place: of its column, from 0.
        why: in words, where it is known.
    """

    column: str
    cell: str
    place: int
    theirs: str
    ours: str
    why: str = ""


class LayoutProof(Struct, frozen=True):
    """What came of it.

    Attributes:
        rows: how many were written again.
        same: nothing at all is different: the bytes of a text file; value, kind and format of each cell of a workbook.
        form: differences apart from those of cells, in words.
        untried: columns that are filled with what no file of theirs can tell, such as the price of the day.
    """

    rows: int
    same: bool
    differences: tuple[LayoutDifference, ...] = ()
    form: tuple[str, ...] = ()
    untried: tuple[str, ...] = ()

    @property
    def columns(self) -> list[str]:
        """The columns that do not come out."""
        return list(dict.fromkeys(each.column for each in self.differences))


def prove(
    layout: Layout, record: Record, sample: Sample, first: int, known: Mapping[int, str] = MappingProxyType({})
) -> LayoutProof | None:
    """Reads the rows back and writes them again, without any lists; None where there are no rows.

    Args:
        first: the number of the first row among the lines, from 0.
        known: place of a column → why it cannot come out.
    """
    rows = [line for line in sample.lines[first:] if any(cell.text for cell in line)]
    if not rows:
        return None
    if len(layout.columns) != sample.width:
        return LayoutProof(
            len(rows),
            False,
            (),
            (f"the layout has {count(len(layout.columns), 'column')}, and their file {sample.width}",),
        )
    unread = dict(known)
    texts = pl.DataFrame(
        [
            _texts_written_again(layout, record, column, [line[place] for line in rows], unread).alias(f"c{place}")
            for place, column in enumerate(layout.columns)
        ]
    )
    with tempfile.TemporaryDirectory(prefix="kotrel-") as folder:
        written = Path(folder) / f"proof.{layout.ending}"
        try:
            write_upload([(layout, texts)], written)
        except KotrelError as error:
            return LayoutProof(len(rows), False, (), (error.message,))
        compared = _of_text if layout.kind == "text" else _of_workbook
        untried = tuple(column.called for column in layout.columns if _is_untold(column))
        return replace(compared(layout, sample, written, first, len(rows), unread), untried=untried)


def _is_untold(column: LayoutColumn) -> bool:
    """Nothing of a sample says which rows were new, what an expression made, or what there was in stock."""
    return bool(column.action or column.reference or column.make or column.price_of or column.stock_in)


def _texts_written_again(
    layout: Layout, record: Record, column: LayoutColumn, cells: Sequence[SampleCell], unread: dict[int, str]
) -> pl.Series:
    """A column's cells → our values → the texts that are written for them."""
    theirs = [_text_of(cell, layout) for cell in cells]
    about = record.fields.get(column.field) if column.field else None
    if column.field is None and not _is_untold(column) and set(theirs) - {column.fixed or ""}:
        why = f"it is always “{column.fixed}”" if column.fixed is not None else "it stays empty"
        unread.setdefault(column.place - 1, why)
    if column.fixed is not None or about is None:
        kept = theirs if column.fixed is None and _is_untold(column) else [column.fixed] * len(cells)
        return pl.Series(kept, dtype=pl.String)
    back = [_our_value(text, about, layout, column) for text in theirs]
    if any(text and value is None for text, value in zip(theirs, back, strict=True)):
        unread[column.place - 1] = _why_not(about, layout)
    raw = pl.Series([value or None for value in back], dtype=pl.String)
    names = {about.name: {value: value for value in back if value}} if column.name else {}
    try:
        shaped, problems = in_form(raw, about, layout, replace(column, must=False), names)
    except pl.exceptions.PolarsError:
        return pl.Series([None] * len(cells), dtype=pl.String)
    if problems:
        unread.setdefault(column.place - 1, problems[0].message)
    return shaped.replace("", None)


def _text_of(cell: SampleCell, layout: Layout) -> str:
    """A cell as a layout writes it."""
    if cell.kind == "number" and layout.decimal_mark == ",":
        return cell.text.replace(".", ",")
    if cell.kind == "date":
        return datetime.strptime(cell.text, "%Y-%m-%d").strftime(strftime_of(layout.date))
    return cell.text


def _our_value(text: str, about: Field, layout: Layout, column: LayoutColumn) -> str | None:
    """A text of the program → our value; None where it is none."""
    words: Mapping[str, str] = {word: value for value, word in column.words.items()}
    if text in words:
        return words[text]
    if about.kind == "yes_no":
        return "yes" if text == layout.yes else "no" if text == layout.no else None
    if not text or text == layout.blank:
        return ""
    if about.is_decimal:
        number = rf"-?(?=.*[0-9])[0-9]*(?:{re.escape(layout.decimal_mark)}[0-9]*)?"
        return text.replace(layout.decimal_mark, ".") if re.fullmatch(number, text) else None
    if about.kind == "date":
        try:
            return datetime.strptime(text, strftime_of(layout.date)).strftime("%Y-%m-%d")
        except ValueError:
            return None
    return text


def _why_not(about: Field, layout: Layout) -> str:
    if about.kind == "yes_no":
        return f"neither “{layout.yes}” nor “{layout.no}”"
    return (
        f"no number with the decimal mark {layout.decimal_mark}" if about.is_decimal else f"no day like {layout.date}"
    )


def _of_text(
    layout: Layout, sample: Sample, written: Path, first: int, rows: int, unread: Mapping[int, str]
) -> LayoutProof:
    theirs, ours = sample.path.read_bytes(), written.read_bytes()
    if theirs == ours:
        return LayoutProof(rows, True)
    again = read_sample(written, "", layout.encoding)
    lines = [line for place, line in enumerate(sample.lines) if place < first or any(cell.text for cell in line)]
    differences = tuple(
        _difference(layout, place, line, mine.text, other.text, unread)
        for line, (their_line, our_line) in enumerate(zip(lines, again.lines, strict=False))
        for place, (mine, other) in enumerate(zip(their_line, our_line, strict=False))
        if mine.text != other.text
    )
    form = []
    if len(lines) != len(again.lines):
        form.append(f"it has {len(again.lines)} lines, theirs {len(lines)}")
    if not sample.ends:
        form.append("their last line has no line end; Kotrel writes one")
    if not differences and not form:
        form.append("the values are the same; quotes, blank lines or line ends are not everywhere as the layout says")
    return LayoutProof(rows, False, differences, tuple(form))


def _difference(
    layout: Layout, place: int, line: int, theirs: str, ours: str, unread: Mapping[int, str]
) -> LayoutDifference:
    letter = letter_of(place)
    called = layout.columns[place].called if place < len(layout.columns) else f"column {letter}"
    return LayoutDifference(called, f"{letter}{line + 1}", place, theirs, ours, unread.get(place, ""))


def _of_workbook(
    layout: Layout, sample: Sample, written: Path, first: int, rows: int, unread: Mapping[int, str]
) -> LayoutProof:
    """Compares every cell of every sheet: its value, its kind and its format."""
    theirs, ours = users_workbook(sample.path), users_workbook(written)
    differences: list[LayoutDifference] = []
    form: list[str] = []
    if theirs.sheetnames != ours.sheetnames:
        form.append("its sheets are not the same")
    for name in theirs.sheetnames:
        if name not in ours.sheetnames:
            continue
        mine, other = theirs[name], ours[name]
        for their_row, our_row in zip(
            mine.iter_rows(
                min_row=1, max_row=max(mine.max_row, other.max_row), max_col=max(mine.max_column, other.max_column)
            ),
            other.iter_rows(
                min_row=1, max_row=max(mine.max_row, other.max_row), max_col=max(mine.max_column, other.max_column)
            ),
            strict=True,
        ):
            for one, two in zip(their_row, our_row, strict=True):
                own = name == layout.sheet and one.row > first
                if _cell_facts(one, own) == _cell_facts(two, own):
                    continue
                if name != layout.sheet:
                    form.append(f"sheet “{name}” has another {one.coordinate}")
                else:
                    place = one.column - 1
                    found = _difference(layout, place, one.row - 1, _show_cell(one), _show_cell(two), unread)
                    differences.append(found)
        if len(mine.data_validations.dataValidation) != len(other.data_validations.dataValidation):
            form.append(f"sheet “{name}” loses drop-downs")
    if dict.fromkeys(theirs.defined_names) != dict.fromkeys(ours.defined_names):
        form.append("names of the workbook are lost")
    return LayoutProof(rows, not differences and not form, tuple(differences), tuple(dict.fromkeys(form)))


def _cell_facts(cell: Any, own: bool) -> tuple[object, str, str]:
    """Value, kind and format; of a row of ours, a text whatever its letters look like."""
    if cell.value is None:
        return None, "", ""
    return str(cell.value) if own and cell.data_type == "s" else cell.value, cell.data_type, cell.number_format


def _show_cell(cell: Any) -> str:
    if cell.value is None:
        return ""
    kind = {"n": "number", "s": "text", "d": "day", "b": "yes/no", "f": "formula", "e": "error"}.get(cell.data_type, "")
    return f"{cell.value} ({kind}, {cell.number_format})"
