"""A table and a mapping → rows: tidied values, with findings and repairs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing
from kotrel.core.description.model import Field, Record, currency_source
from kotrel.core.matching.by_headings import Matched, headings_of
from kotrel.core.matching.cells_shown import about_what_cells_show
from kotrel.core.matching.group_labels import about_group_labels
from kotrel.core.matching.heading_meaning import about_what_headings_say
from kotrel.core.matching.no_prices import without_replaced, without_words
from kotrel.core.matching.row_choice import choose_rows
from kotrel.core.matching.unread_columns import about_limits
from kotrel.core.normalizing.by_kind import ColumnSetting, Tidied, column_mark, tidy
from kotrel.core.normalizing.price_units import per_one
from kotrel.core.parallel import map_parallel
from kotrel.core.phrases import listed_and
from kotrel.core.rows.distinct_values import Few, few_of
from kotrel.core.rows.findings import FindingGroup, RepairGroup, Severity, cells_of
from kotrel.core.rows.rows import CLEAR, Rows
from kotrel.core.similarity import folded
from kotrel.core.tables.sources import Source, raw_values
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.conventions import Conventions
from kotrel.core.values.currencies import currency_in, may_be
from kotrel.core.values.numbers import ENOUGH_WITNESSES, Mark

NO_WITNESSES: Mapping[str, pl.Series] = {}


def understand(
    table: Table,
    matched: Matched,
    conventions: Conventions,
    today: date,
    witnesses: Mapping[str, pl.Series] = NO_WITNESSES,
) -> Rows:
    """Reads every field that comes from cells or a fixed value, as its kind; made values come later (see readying).

    Args:
        today: the day, for years of two digits.
        witnesses: letter → texts of that column in other parts of the same sheet (see :class:`ColumnSetting`).
    """
    conventions = conventions.for_sheet(matched.habits)
    record, here = matched.record, conventions.currency
    table, replaced = without_replaced(table, matched)
    table = without_words(table, matched, (*conventions.no_price, *matched.no_price))
    if matched.optional:
        table = _rows_that_say_anything(table, matched)
    if currency_source(record) is not None:
        # Each row has its own: a check compares them.
        conventions = replace(conventions, currency="")
    setting = ColumnSetting(conventions, today, sheet_mark(table, matched, witnesses), not table.sheet)
    sheet_rows = table.cells[ROW]
    columns: list[pl.Series] = [sheet_rows]
    findings: list[FindingGroup] = []
    repairs: list[RepairGroup] = []
    headings = {column.letter: column.heading for column in table.columns}
    seen = Few()

    def tidied_column(name: str) -> tuple[Tidied, pl.Series | None]:
        letter = matched.sources[name].letter
        witness = witnesses.get(letter) if letter is not None else None
        own = setting if witness is None else replace(setting, witnesses=witness)
        return _tidied_column(table, matched.sources[name], record.fields[name], own)

    done = map_parallel(tidied_column, matched.sources, table.rows)
    for (name, source), (tidied, clears) in zip(matched.sources.items(), done, strict=True):
        if source.cell:
            tidied = _said_once(tidied, source.cell)
        columns.append(tidied.values.alias(name))
        seen.keep(name, columns[-1], tidied.few, tidied.plain)
        if clears is not None:
            columns.append(clears.alias(clearing(name)))
        heading = headings.get(source.letter or "", "")
        findings += [
            FindingGroup(each.severity, each.kind, each.title, record.name, name, source.letter, each.cells, heading)
            for each in tidied.troubles
        ]
        repairs += [RepairGroup(each.kind, name, source.letter or "", each.cells) for each in tidied.repairs]
    values = pl.DataFrame(columns)
    seen.stands_in(values)
    rows = Rows(
        table,
        record,
        matched.letters,
        values,
        tuple(findings),
        tuple(repairs),
        dict(matched.sources),
        currency=here,
        after_end=matched.after_end,
        skipped=matched.skipped,
        as_they_stand=matched.as_they_stand,
        habits=matched.habits,
        few=seen,
    )
    known = [*matched.troubles, *filter(None, (replaced,))]
    here_now = [replace(each, cells=each.cells.filter(pl.col(ROW).is_in(sheet_rows.implode()))) for each in known]
    about = _about_headings(rows, matched, conventions.currency)
    about += [each for each in about_group_labels(rows) if each.letter not in matched.as_they_stand]
    about += about_what_headings_say(rows, today.year)
    rows = replace(rows, findings=(*about, *(each for each in here_now if each.count), *rows.findings))
    return choose_rows(rows, matched.where, matched.once_per, conventions, today)


def _tidied_column(
    table: Table, source: Source, field: Field, setting: ColumnSetting
) -> tuple[Tidied, pl.Series | None]:
    """The values of a field from the cells of its source, and where a cell asks to clear the value, if one does."""
    sheet_rows = table.cells[ROW]

    def kinds(kind: str) -> pl.Series:
        if source.letter and (source.is_plain or kind in ("error", "uncalculated")):
            return table.kind_is(source.letter, kind)
        return pl.Series([False], dtype=pl.Boolean).new_from_index(0, table.rows)

    raw = raw_values(table, source)
    few = few_of(raw)
    clears = _says_clear(raw, few) if source.columns else None
    if clears is not None:
        raw, few = raw.set(clears, None), None
    if table.formats is not None and source.is_plain and source.letter is not None:
        setting = replace(setting, formats=table.formats, letter=source.letter)
    if source.rounding:
        setting = replace(setting, rounding=source.rounding)
    done = tidy(sheet_rows, raw, kinds, field, setting, None if source.per is not None else few)
    if source.per is not None:
        done = per_one(sheet_rows, done, table, source.per, field, setting)
    return done, clears


def _said_once(tidied: Tidied, cell: str) -> Tidied:
    """A finding on one cell appears once, however many rows the cell is for."""
    troubles = tidied.troubles
    if troubles:
        first = troubles[0]
        value, message = first.cells.select("value", "message").row(0)
        at = cells_of([0], [value], [f"cell {cell} “{value}”: {message or first.title}"])
        troubles = [replace(first, cells=at)]
    repairs = [replace(each, cells=each.cells.head(1)) for each in tidied.repairs]
    return replace(tidied, troubles=troubles, repairs=repairs)


def _says_clear(values: pl.Series, few: pl.Series | None) -> pl.Series | None:
    """Where a cell asks to clear the value, or None if none does.
    The first character alone rules out nearly all cells.
    """
    seen = values if few is None else few
    begun = seen.str.starts_with(CLEAR[0])
    if not begun.any() or not (seen.filter(begun).str.to_lowercase() == CLEAR).any():
        return None
    return (values.str.to_lowercase() == CLEAR).fill_null(False)


def _rows_that_say_anything(table: Table, matched: Matched) -> Table:
    """The rows in which a column besides those of the key is filled, or one that counts as such."""
    letters = {
        letter
        for name, source in matched.sources.items()
        if name not in matched.record.key or name in matched.counting
        for letter in source.columns
    }
    if not letters:
        return table
    filled = [(pl.col(letter).str.strip_chars() != "").fill_null(False) for letter in sorted(letters)]
    return table.only(table.cells.select(pl.any_horizontal(filled)).to_series())


def sheet_mark(table: Table, matched: Matched, witnesses: Mapping[str, pl.Series] = NO_WITNESSES) -> Mark | None:
    """The decimal mark that the sheet's number columns prove together, or None if they disagree."""
    proved: dict[Mark, int] = {}
    for name, letter in matched.letters.items():
        if matched.record.fields[name].is_decimal:
            found = column_mark(witnesses[letter] if letter in witnesses else _texts(table, letter))
            if found.mark:
                proved[found.mark] = proved.get(found.mark, 0) + found.witnesses
    return next(iter(proved)) if len(proved) == 1 and sum(proved.values()) >= ENOUGH_WITNESSES else None


def _texts(table: Table, letter: str) -> pl.Series:
    """The first text cells of a column: enough to show how the sheet writes numbers."""
    numbers = table.kind_is(letter, "number")
    column = table.cells[letter]
    return (column.filter(~numbers) if numbers.any() else column).head(2_000)


def _about_headings(rows: Rows, matched: Matched, currency: str) -> list[FindingGroup]:
    """Findings on the headings: two for one field, and some that match no field."""
    record = matched.record
    findings: list[FindingGroup] = []
    for name, columns in matched.doubled.items():
        both = " and ".join(f"{column.letter} “{column.heading}”" for column in columns)
        message = f"columns {both} both match {record.fields[name].title}: rename or delete one, or let kotrel map ask"
        findings.append(
            rows.sheet_finding(
                "error", "heading-twice", "two columns for one field", message, columns[1].letter, columns[1].heading
            )
        )
    findings += _about_first_row(rows)
    unread = [column for column in matched.unknown if column.heading]
    findings += _about_currencies(rows, currency)
    findings += (limits := about_limits(rows, unread))
    limiting = {group.letter for group in limits}
    findings += _about_unknown(record, [column for column in unread if column.letter not in limiting])
    findings += _about_hidden(rows)
    findings += _about_struck(rows)
    findings += about_what_cells_show(rows)
    findings += _about_ragged(rows)
    findings += _about_swallowed(rows)
    return [*findings, *_about_bare(rows, [column.letter for column in matched.unknown if not column.heading])]


def _about_unknown(record: Record, columns: Sequence[Column]) -> list[FindingGroup]:
    if not columns:
        return []
    messages = [
        f"column {column.letter} “{column.heading}” matches no field of {record.title} and is left out"
        for column in columns
    ]
    cells = cells_of([0] * len(columns), [column.heading for column in columns], messages)
    letter = columns[0].letter
    return [FindingGroup("warning", "unknown-heading", "columns left out", record.name, None, letter, cells)]


def _about_bare(rows: Rows, letters: Sequence[str]) -> list[FindingGroup]:
    if not letters:
        return []
    some = f"{', '.join(letters[:5])} and {len(letters) - 5:,} more" if len(letters) > 6 else listed_and(letters)
    columns, verbs = (
        ("columns", "have values but no headings and are")
        if len(letters) > 1
        else ("column", "has values but no heading and is")
    )
    message = f"{columns} {some} {verbs} left out"
    return [rows.sheet_finding("warning", "no-heading", "columns without a heading", message, letters[0])]


def _about_first_row(rows: Rows) -> list[FindingGroup]:
    """An error at the first row of a sheet that is said to have no headings, where it has them all the same."""
    table = rows.table
    if table.heading_row or not table.rows or not rows.letters:
        return []
    first = table.cells.row(0, named=True)
    known = [
        name
        for name, letter in rows.letters.items()
        if folded(str(first.get(letter) or "")) in headings_of(rows.record.fields[name])
    ]
    if len(known) < 2 and len(known) < len(rows.letters):
        return []
    message = "it looks like headings, and the mapping says that there are none: heading_row = 1"
    cells = cells_of([table.first_row], None, message)
    return [
        FindingGroup("error", "heading-as-row", "headings that are read as a row", rows.record.name, None, None, cells)
    ]


def _about_currencies(rows: Rows, currency: str) -> list[FindingGroup]:
    """Columns of amounts whose heading names another currency."""
    findings = []
    for name, letter in rows.letters.items():
        heading = rows.heading(name)
        said = currency_in(heading) if rows.record.fields[name].kind == "money" and currency else None
        if said is not None and not may_be(said, currency):
            message = f"column {letter} “{heading}” is in {said}, and amounts here are in {currency}: convert them"
            findings.append(
                rows.sheet_finding("error", "other-currency", "in another currency", message, letter, heading)
            )
    return findings


def _about_hidden(rows: Rows) -> list[FindingGroup]:
    """What people do not see, and is loaded as all the rest is."""
    hidden, findings = rows.table.hidden, []
    if hidden.sheet:
        message = (
            "the sheet is hidden, but its rows are loaded like any others. To read another sheet only: --sheet NAME"
        )
        findings.append(rows.sheet_finding("warning", "hidden-sheet", "a hidden sheet", message))
    there = set(rows.values[ROW].to_list()) if hidden.rows else set()
    if unseen := [row for row in hidden.rows if row in there]:
        cells = cells_of(
            unseen, None, "the row is hidden, but is loaded like any other: delete it if it does not belong"
        )
        findings.append(FindingGroup("warning", "hidden-row", "hidden rows", rows.record.name, None, None, cells))
    for name, letter in rows.letters.items():
        if letter in hidden.columns:
            said = f"column {letter} “{rows.heading(name)}” is hidden, but is loaded like any other: delete it if it does not belong"
            findings.append(
                rows.sheet_finding("warning", "hidden-column", "hidden columns", said, letter, rows.heading(name))
            )
    return findings


def _about_struck(rows: Rows) -> list[FindingGroup]:
    """What is struck through in the workbook: people mean by it that it does not count,
    and it counts as all the rest does.
    """
    struck = rows.table.formats.struck if rows.table.formats is not None else {}
    said: dict[str, pl.Series] = {}
    for name, letter in rows.letters.items():
        if letter in struck:
            at = rows.values[ROW].is_in(list(struck[letter])) & rows.as_it_stands(name).is_not_null()
            if at.any():
                said[name] = at
    if not said:
        return []
    filled = pl.DataFrame([rows.as_it_stands(name).is_not_null().alias(name) for name in rows.letters])
    none = pl.Series([False], dtype=pl.Boolean).new_from_index(0, filled.height)
    all_struck = pl.all_horizontal((~pl.col(name)) | said.get(name, none) for name in filled.columns)
    whole = filled.select(all_struck & pl.any_horizontal(*said.values())).to_series()
    message = "struck through in the workbook, but is loaded like any other: delete it if it does not belong"
    record, findings = rows.record.name, []
    if whole.any():
        cells = cells_of(rows.values[ROW].filter(whole), None, f"the row is {message}")
        findings.append(
            FindingGroup("warning", "struck-through", "rows that are struck through", record, None, None, cells)
        )
    for name, at in said.items():
        if (at & ~whole).any():
            only = at & ~whole
            cells = cells_of(rows.values[ROW].filter(only), rows.as_it_stands(name).filter(only), message)
            findings.append(rows.group("warning", "struck-through", "struck through", name, cells))
    return findings


def _about_ragged(rows: Rows) -> list[FindingGroup]:
    """Lines of a text file with too few or too many columns: their values may be in the wrong columns."""
    table = rows.table
    known = set(table.cells[ROW].to_list()) if table.ragged else set()
    inside = [(line, count) for line, count in table.ragged if line in known]
    if not inside:
        return []
    lines = [line for line, _ in inside]
    messages = [f"{count} columns, but the other lines have {table.usual_width}" for _, count in inside]
    # Some programs leave out blank cells at the end of every line on purpose: then no full line ends with a blank one.
    last = table.cells.columns[-1]
    ends_blank = table.cells.filter(~pl.col(ROW).is_in(lines))[last].null_count() > 0
    shorter = all(count < table.usual_width for _, count in inside)
    habit = shorter and len(inside) > 1 and len(inside) * 5 > table.rows and not ends_blank
    cells = cells_of(lines, None, messages)
    severity: Severity = "note" if habit else "error"
    title = "lines with fewer columns" if habit else "too many or too few columns"
    return [FindingGroup(severity, "ragged-line", title, rows.record.name, None, None, cells)]


def _about_swallowed(rows: Rows) -> list[FindingGroup]:
    """Lines of a text file whose quote takes following lines into one cell: rows that would be missing."""
    table = rows.table
    known = set(table.cells[ROW].to_list()) if table.swallowed else set()
    inside = [(line, count) for line, count in table.swallowed if line in known]
    if not inside:
        return []
    messages = [
        f"a quote in this line pulls {'the next line' if lines == 1 else f'the next {lines:,} lines'} into one cell: remove it, or double it"
        for _, lines in inside
    ]
    cells = cells_of([line for line, _ in inside], None, messages)
    return [FindingGroup("error", "open-quote", "a quote that is not closed", rows.record.name, None, None, cells)]
