"""What is marked in a checked sheet: the cells, a text for each row, and the lines of the summary."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import polars as pl
from msgspec import Struct

from kotrel.core.columns import ROW
from kotrel.core.phrases import count
from kotrel.core.rows.findings import SEVERITIES, Severity, worst_first
from kotrel.core.rows.rows import Rows

COLUMN = "Kotrel findings"
SUMMARY = "Kotrel summary"
AUTHOR = "Kotrel"
COLOURS: dict[Severity, str] = {"error": "F8C9C4", "warning": "FCE8B2", "note": "D6E9F8"}
MOST_COMMENTS = 5_000
WIDTHS = (22, 24, 90, 34)
"""Widths of the summary's columns."""


class Mark(Struct, frozen=True):
    """What is wrong with one cell; ``letter`` is None for the whole row."""

    severity: Severity
    row: int
    letter: str | None
    text: str


class MarkedSheet(Struct, frozen=True):
    """One sheet and its marks."""

    rows: Rows
    marks: list[Mark]

    @property
    def name(self) -> str:
        """The sheet's name; a text file has none."""
        return self.rows.table.sheet or "Rows"


def marks_of(rows: Rows) -> list[Mark]:
    """All marks of a checked sheet, in the order of its rows; row 0 becomes the heading row."""
    marks: list[Mark] = []
    for group in worst_first(rows.findings):
        for row, _, message, suggestion in group.cells.iter_rows():
            text = group.title if not message or message == group.title else f"{group.title}: {message}"
            if suggestion:
                text += f" (likely: {suggestion})"
            letter = rows.table.origins.get(group.letter or "", group.letter)
            marks.append(Mark(group.severity, row or rows.table.heading_row, letter, text))
    marks.sort(key=lambda mark: mark.row)
    return marks


def row_texts(marks: Sequence[Mark], rows: Rows) -> dict[int, tuple[Severity, str]]:
    """Row → its worst severity and all its findings as one text."""
    headings = {column.letter: column.heading for column in rows.table.columns}
    text_of: dict[int, tuple[Severity, list[str]]] = {}
    for each in marks:
        entry = f"{headings.get(each.letter or '', '')}: {each.text}" if headings.get(each.letter or "") else each.text
        severity, texts = text_of.setdefault(each.row, (each.severity, []))
        if SEVERITIES.index(each.severity) < SEVERITIES.index(severity):
            text_of[each.row] = (each.severity, texts)
        texts.append(entry)
    return {row: (severity, "; ".join(texts)) for row, (severity, texts) in text_of.items()}


def in_quotes(sheet: str) -> str:
    """A sheet's name as it is written in links."""
    return "'" + sheet.replace("'", "''") + "'"


def _counts_in_words(marks: Sequence[Mark]) -> str:
    counts = Counter(mark.severity for mark in marks)
    return ", ".join(count(counts[each], each) for each in SEVERITIES if counts[each]) or "nothing found"


def summary_lines(sheets: Sequence[MarkedSheet]) -> Iterator[tuple[list[Any], str | None]]:
    """Lines of the summary sheet: their values, and the cell that the first value links to."""
    every = [(each, mark) for each in sheets for mark in each.marks]
    yield [f"Findings in {Path(sheets[0].rows.table.file).name}"], None
    yield [_counts_in_words([mark for _, mark in every])], None
    yield ["Fix the coloured cells, save, and check this file again; Kotrel ignores its own marks."], None
    yield [], None
    yield ["cell", "column", "problem", "value"], None
    titles = {(each.name, column.letter): column.heading for each in sheets for column in each.rows.table.columns}
    stands = {key: value for each in sheets for key, value in _values_of(each)}
    for label, mark in sorted(every, key=lambda one: SEVERITIES.index(one[1].severity)):
        at = f"{mark.letter or 'A'}{max(mark.row, 1)}"
        shown = at if len(sheets) == 1 else f"{label.name}!{at}"
        place = (label.name, mark.letter or "")
        value = stands.get((label.name, mark.row, mark.letter or ""), "")
        yield [shown, titles.get(place, ""), f"{mark.severity}: {mark.text}", value], f"{in_quotes(label.name)}!{at}"


def _values_of(sheet: MarkedSheet) -> Iterator[tuple[tuple[str, int, str], Any]]:
    """(sheet, row, letter) → what is in each marked cell."""
    letters = {each.letter for each in sheet.marks if each.letter}
    wanted = pl.Series([each.row for each in sheet.marks], dtype=pl.UInt32).unique()
    for line in sheet.rows.table.cells.filter(pl.col(ROW).is_in(wanted.implode())).iter_rows(named=True):
        for letter in letters & line.keys():
            yield (sheet.name, line[ROW], letter), line[letter]
