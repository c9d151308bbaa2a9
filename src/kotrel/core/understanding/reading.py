"""A table and a match → rows: tidied values with what their reading brought up."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import polars as pl

from kotrel.core.columns import ROW, clearing
from kotrel.core.parallel import map_parallel
from kotrel.core.rows.findings import FindingGroup, RepairGroup, Severity, cells_of
from kotrel.core.rows.rows import CLEAR, Rows
from kotrel.core.tables.sources import raw_values
from kotrel.core.tables.table import Table
from kotrel.core.understanding.matching import Matched
from kotrel.core.understanding.tidying import Setting, Tidied, column_mark, tidy
from kotrel.core.values.conventions import Conventions
from kotrel.core.values.numbers import Mark


def understand(table: Table, matched: Matched, conventions: Conventions, today: date, mark: Mark | None = None) -> Rows:
    """Reads every field that cells or a fixed value feed, as its kind; made values come later (see making).

    Args:
        today: the day, for years of two digits.
        mark: the decimal mark that an earlier part of the same sheet has proved, or None.
    """
    record = matched.record
    if matched.optional:
        table = _rows_that_say_anything(table, matched)
    setting = Setting(conventions, today, sheet_mark(table, matched) or mark, not table.sheet)
    sheet_rows = table.cells[ROW]
    columns: list[pl.Series] = [sheet_rows]
    findings: list[FindingGroup] = []
    repairs: list[RepairGroup] = []
    headings = {column.letter: column.heading for column in table.columns}
    nowhere = pl.Series([False], dtype=pl.Boolean).new_from_index(0, table.rows)

    def tidied_column(name: str) -> tuple[Tidied, pl.Series | None]:
        source = matched.sources[name]

        def kinds(kind: str) -> pl.Series:
            if source.is_plain or kind in ("error", "uncalculated"):
                return table.kind_is(source.letter, kind) if source.letter else nowhere
            return nowhere

        raw = raw_values(table, source)
        wipes = _says_clear(raw) if source.columns else None
        if wipes is not None:
            raw = raw.set(wipes, None)
        return tidy(sheet_rows, raw, kinds, record.fields[name], setting), wipes

    done = map_parallel(tidied_column, matched.sources)
    for (name, source), (tidied, wipes) in zip(matched.sources.items(), done, strict=True):
        columns.append(tidied.values.alias(name))
        if wipes is not None:
            columns.append(wipes.alias(clearing(name)))
        heading = headings.get(source.letter or "", "")
        findings += [
            FindingGroup(each.severity, each.kind, each.title, record.name, name, source.letter, each.cells, heading)
            for each in tidied.troubles
        ]
        repairs += [
            RepairGroup(each.kind, each.title, name, source.letter or "", each.cells) for each in tidied.repairs
        ]
    rows = Rows(
        table,
        record,
        matched.letters,
        pl.DataFrame(columns),
        tuple(findings),
        tuple(repairs),
        dict(matched.sources),
    )
    return replace(rows, findings=(*_about_headings(rows, matched), *rows.findings))


def _says_clear(values: pl.Series) -> pl.Series | None:
    """Where a cell says that the value is to be wiped, or None where none does. Its length alone rules out nearly all cells."""
    as_long = (values.str.len_bytes() == len(CLEAR)).fill_null(False)
    if not as_long.any() or not (values.filter(as_long).str.to_lowercase() == CLEAR).any():
        return None
    return (values.str.to_lowercase() == CLEAR).fill_null(False)


def _rows_that_say_anything(table: Table, matched: Matched) -> Table:
    """The rows in which a column that feeds more than the key is filled."""
    letters = {
        letter
        for name, source in matched.sources.items()
        if name not in matched.record.key
        for letter in source.columns
    }
    if not letters:
        return table
    filled = [(pl.col(letter).str.strip_chars() != "").fill_null(False) for letter in sorted(letters)]
    return table.only(table.cells.select(pl.any_horizontal(filled)).to_series())


def sheet_mark(table: Table, matched: Matched) -> Mark | None:
    """The decimal mark that the number columns of the sheet prove together, or None where they disagree."""
    marks = {
        mark
        for name, letter in matched.letters.items()
        if matched.record.fields[name].is_decimal and (mark := column_mark(_texts(table, letter)))
    }
    return marks.pop() if len(marks) == 1 else None


def _texts(table: Table, letter: str) -> pl.Series:
    """The first cells of a column that are texts: enough to show how the sheet writes numbers."""
    numbers = table.kind_is(letter, "number")
    column = table.cells[letter]
    return (column.filter(~numbers) if numbers.any() else column).head(2_000)


def _about_headings(rows: Rows, matched: Matched) -> list[FindingGroup]:
    """What the headings alone bring up: two for one field, and some that mean nothing."""
    record = matched.record
    found: list[FindingGroup] = []
    for name, columns in matched.doubled.items():
        both = " and ".join(f"{column.letter} “{column.heading}”" for column in columns)
        message = f"columns {both} both mean {record.fields[name].title}; rename or delete one"
        found.append(
            rows.sheet_finding(
                "error", "heading-twice", "two columns for one field", message, columns[1].letter, columns[1].heading
            )
        )
    named = [column for column in matched.unknown if column.heading]
    if named:
        cells = cells_of([0] * len(named), [column.heading for column in named])
        messages = [
            f"column {column.letter} “{column.heading}” is no field of {record.title}; it is left out"
            for column in named
        ]
        cells = cells.with_columns(pl.Series("message", messages))
        found.append(
            FindingGroup("warning", "unknown-heading", "columns left out", record.name, None, named[0].letter, cells)
        )
    found += _about_ragged(rows)
    bare = [column.letter for column in matched.unknown if not column.heading]
    if bare:
        message = f"column {', '.join(bare)} has values but no heading; it is left out"
        found.append(rows.sheet_finding("warning", "no-heading", "columns without a heading", message, bare[0]))
    return found


def _about_ragged(rows: Rows) -> list[FindingGroup]:
    """Lines of a text file with too few or too many columns: their values may stand in the wrong columns."""
    table = rows.table
    known = set(table.cells[ROW].to_list()) if table.ragged else set()
    inside = [(line, count) for line, count in table.ragged if line in known]
    if not inside:
        return []
    lines = [line for line, _ in inside]
    messages = [f"{count} columns, and the other lines have {table.usual_width}" for _, count in inside]
    # A program that leaves out blank cells at the end of every line is no accident.
    habit = all(count < table.usual_width for _, count in inside) and len(inside) * 5 > table.rows
    cells = cells_of(lines, None, messages)
    severity: Severity = "note" if habit else "error"
    title = "lines with fewer columns" if habit else "too many or too few columns"
    return [FindingGroup(severity, "ragged-line", title, rows.record.name, None, None, cells)]
