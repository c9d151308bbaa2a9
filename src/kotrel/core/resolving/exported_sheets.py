"""Sheets that were exported: renamed columns, names beside codes, and the cells that nobody touched."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing, decimal_type
from kotrel.core.description.model import Field
from kotrel.core.matching.by_headings import NAME_OF, headings_of
from kotrel.core.normalizing.column import STRAY_CHARS
from kotrel.core.rows.beside import beside
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import folded
from kotrel.core.tables.table import Column
from kotrel.core.values.formula_guard import unguard

ALIKE = 80
"""In per cent of the rows that both fill: so many values must be as they were exported."""


def find_renamed(rows: Rows, base: pl.DataFrame) -> list[FindingGroup]:
    """An error on each column that no field knows, but that holds what a missing field held in the export.

    Its edits would be left out, although somebody made them.

    Args:
        base: what was exported: the key and fields.
    """
    record, table = rows.record, rows.table
    key = list(record.key)
    missing = [name for name in base.columns if name in record.fields and name not in rows.fields]
    strange = _strange_columns(rows, missing)
    if not missing or not strange:
        return []
    there = base.unique(key, keep="any").select(*key, *(pl.col(name).alias(f"was {name}") for name in missing))
    held = rows.values.select(key).join(there, on=key, how="left", maintain_order="left")
    findings = []
    for column in strange:
        cells = table.cells[column.letter].str.strip_chars()
        alike = (name for name in missing if _alike(cells, held[f"was {name}"], record.fields[name]))
        if (name := next(alike, None)) is not None:
            findings.append(_renamed(rows, column, record.fields[name]))
            missing.remove(name)
    return findings


def _strange_columns(rows: Rows, missing: Sequence[str]) -> list[Column]:
    """The columns that feed nothing and might be those of missing fields, under other headings."""
    used = {letter for source in rows.sources.values() for letter in source.columns}
    # What a mapping skips is left out on purpose, and a column under its field's own heading was not renamed.
    own = {folded(word) for name in missing for word in (rows.record.fields[name].title, name)}
    return [
        column
        for column in rows.table.columns
        if column.letter not in used and column.letter not in rows.skipped and folded(column.heading) not in own
    ]


def _renamed(rows: Rows, column: Column, field: Field) -> FindingGroup:
    called = f"“{column.heading}”" if column.heading else "without a heading"
    message = (
        f"column {column.letter} {called} holds what “{field.title}” held in this export: give it that "
        "heading again, or delete it if it is not to be loaded"
    )
    title = "a renamed column of the export"
    return rows.sheet_finding("error", "renamed-heading", title, message, column.letter, column.heading)


def _alike(cells: pl.Series, was: pl.Series, field: Field) -> bool:
    """True where nearly all cells say what the field held, and not one value alone."""
    both = pl.DataFrame({"cell": cells, "was": was}).drop_nulls()
    if field.is_decimal:
        both = both.select(pl.all().cast(decimal_type(6), strict=False)).drop_nulls()
    if not both.height or both["was"].n_unique() < min(2, both.height):
        return False
    return int((both["cell"] == both["was"]).sum()) * 100 >= ALIKE * both.height


def find_changed_names(rows: Rows, state: SystemState, exported: bool) -> list[FindingGroup]:
    """A warning at each name beside a code that is not the name of that code.

    Args:
        exported: only cells that were edited since the export have values: beside a code that was edited too, the name
            is only old.
    """
    findings = []
    for name in rows.letters:
        about = rows.record.fields[name]
        column = _column_of_names(rows, about)
        target = state.description.records[about.to] if about.to is not None else None
        if column is None or target is None or target.called is None or len(target.key) > 1:
            continue
        listed = state.listed(target)
        names = {code: name for code, name in zip(listed[target.code], listed[target.called], strict=True) if name}
        codes = rows.as_it_stands(name).str.strip_chars()
        said = rows.table.cells[column.letter].str.strip_chars()
        right = codes.replace_strict(names, default=None, return_dtype=pl.String)
        wrong = (said != "") & (said.str.to_lowercase() != right.str.to_lowercase())
        if exported:
            wrong = wrong & rows.values[name].is_null()
        wrong = wrong.fill_null(False)
        if wrong.any():
            messages = [
                f"only the code counts, and {code} is “{names[code]}”: change the code if another is meant"
                for code in codes.filter(wrong)
            ]
            cells = cells_of(rows.values[ROW].filter(wrong), said.filter(wrong), messages)
            title = "a name that is not its code's"
            findings.append(
                FindingGroup(
                    "warning", "name-only", title, rows.record.name, name, column.letter, cells, column.heading
                )
            )
    return findings


def _column_of_names(rows: Rows, about: Field) -> Column | None:
    """The column with the names of a field's codes, if the sheet has one."""
    wanted = {f"{NAME_OF}{word}" for word in headings_of(about)}
    return next((column for column in rows.table.columns if folded(column.heading) in wanted), None)


def with_exported_keys(rows: Rows, base: pl.DataFrame) -> Rows:
    """The rows with the keys as they were exported, where the cells still say so to the letter.

    Args:
        base: what was exported: the columns of the key (String), and others.
    """
    key = list(rows.record.key)
    if any(name not in rows.fields for name in key):
        return rows
    stands = pl.DataFrame([_stands(rows, name).alias(name) for name in key])
    same = beside(stands, base, key).is_there
    if not same.any():
        return rows
    values = rows.values.with_columns(rows.values[name].zip_with(~same, stands[name]).alias(name) for name in key)
    return _settled(replace(rows, values=values), dict.fromkeys(key, same))


def without_untouched(rows: Rows, base: pl.DataFrame) -> Rows:
    """The rows with the exported values in all cells that still say them to the letter; their findings and repairs are
    gone.

    Args:
        base: what was exported, or loaded from the sheet since: the key and fields.
    """
    key = list(rows.record.key)
    fields = [name for name in rows.fields if name not in key and name in base.columns]
    was = beside(rows.values, base, key)
    exported = was.is_there
    columns: list[pl.Series] = []
    settled: dict[str, pl.Series] = {}
    for name in fields:
        before, stands = was.column(name), _stands(rows, name)
        same = exported & stands.eq_missing(before)
        differs = (exported & ~same).arg_true()
        if len(differs):
            pair = (stands.gather(differs), before.gather(differs))
            same = same.scatter(differs, _says_the_same(*pair, rows.record.fields[name].is_decimal))
        changes = same & rows.values[name].ne_missing(before)
        clears = clearing(name)
        if clears in rows.values.columns and (same & rows.values[clears]).any():
            columns.append((rows.values[clears] & ~same).alias(clears))
        if changes.any():
            columns.append(rows.values[name].zip_with(~same, before).alias(name))
        settled[name] = same
    return _settled(replace(rows, values=rows.values.with_columns(columns)), settled)


def _says_the_same(stands: pl.Series, before: pl.Series, is_decimal: bool) -> pl.Series:
    """True where both are blank, or the same number in two forms."""
    same = _is_blank(stands) & _is_blank(before)
    if not is_decimal:
        return same
    return same | (stands.cast(decimal_type(), strict=False) == before.cast(decimal_type(), strict=False)).fill_null(
        False
    )


def _stands(rows: Rows, name: str) -> pl.Series:
    stands = rows.as_it_stands(name)
    return stands if rows.table.sheet else unguard(stands)


def _is_blank(values: pl.Series) -> pl.Series:
    return values.fill_null("").str.strip_chars(STRAY_CHARS) == ""


def _settled(rows: Rows, settled: dict[str, pl.Series]) -> Rows:
    """The rows without the findings and repairs on settled cells."""

    def still_open(cells: pl.DataFrame, field: str | None) -> pl.DataFrame:
        if field not in settled:
            return cells
        done = rows.values[ROW].filter(settled[field])
        return cells.filter(~pl.col(ROW).is_in(done.implode()))

    findings = [replace(each, cells=still_open(each.cells, each.field)) for each in rows.findings]
    repairs = [replace(each, cells=still_open(each.cells, each.field)) for each in rows.repairs]
    return replace(
        rows,
        findings=tuple(each for each in findings if each.count),
        repairs=tuple(each for each in repairs if each.count),
    )
