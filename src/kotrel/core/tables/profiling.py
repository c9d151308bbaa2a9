"""Profiles a table: how full and how unique its columns are, what kind of values they hold, and what looks damaged."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl
from msgspec import Struct

from kotrel.core.columns import ROW
from kotrel.core.tables.as_shown import shown_otherwise
from kotrel.core.tables.table import Column, Table
from kotrel.core.values import dates, numbers
from kotrel.core.values.code_formats import gtin_fits, gtin_has_length
from kotrel.core.values.yes_no import NO, YES

SAMPLE = 20_000
"""Kinds and damage are searched for in the distinct values of this many rows."""


class ColumnProfile(Struct, frozen=True):
    """One column.

    Attributes:
        filled: filled cells.
        unique: distinct values among them.
        kind: what nearly all values are: ``empty``, ``yes/no``, ``whole number``, ``number``, ``date``, ``barcode``,
            ``code`` or ``text``.
        shortest, longest: characters of the values.
        examples: a few values, as they are.
        damage: what looks damaged, in words.
    """

    column: Column
    filled: int
    unique: int
    kind: str
    shortest: int
    longest: int
    examples: tuple[str, ...]
    damage: tuple[str, ...]


def look_at(table: Table) -> list[ColumnProfile]:
    """All columns of a table."""
    return [_look(table, column) for column in table.columns]


def _look(table: Table, column: Column) -> ColumnProfile:
    values = table.cells[column.letter].drop_nulls()
    if not len(values):
        return ColumnProfile(column, 0, 0, "empty", 0, 0, (), ())
    lengths = values.str.len_chars()
    sound = table.cells[column.letter].filter(~table.kind_is(column.letter, "error")).drop_nulls()
    examples = values.head(SAMPLE).unique(maintain_order=True).head(3).to_list()
    return ColumnProfile(
        column=column,
        filled=len(values),
        unique=values.n_unique(),
        kind=kind_of_values(sound) if len(sound) else "empty",
        shortest=int(lengths.min()),  # type: ignore[arg-type]
        longest=int(lengths.max()),  # type: ignore[arg-type]
        examples=tuple(examples),
        damage=tuple(damage_of(table, column.letter)),
    )


def kind_of_values(values: pl.Series) -> str:
    """The kind of nearly all (nine in ten) of the values."""
    seen = values.head(SAMPLE).str.strip_chars().drop_nulls().unique()
    frame = pl.DataFrame({"value": seen})
    text = pl.col("value")

    def most(condition: pl.Expr) -> bool:
        share = frame.select(condition.fill_null(False).mean()).item()
        return bool(share is not None and share >= 0.9)

    if set(seen.str.to_lowercase()) <= YES | NO and len(seen) <= 4 and set(seen) != {"0"}:
        return "yes/no"
    if most(gtin_has_length(text) & gtin_fits(text)):
        return "barcode"
    if most(text.str.contains(r"^-?[0-9]{1,18}$")):
        return "code" if _zeros_lead(seen) else "whole number"
    tests: tuple[tuple[str, Callable[[str], bool]], ...] = (
        ("number", lambda value: numbers.read_number(value, None).trouble in ("", "ambiguous", "percent")),
        ("date", lambda value: dates.read_date(value, None, 2000).trouble in ("", "ambiguous")),
    )
    few = seen.head(500).to_list()
    for kind, fits in tests:
        if sum(map(fits, few)) * 10 >= len(few) * 9:
            return kind
    # A code has no spaces, or few different words; longer texts are descriptions.
    return "code" if most(~text.str.contains(r"\s") & (text.str.len_chars() <= 40)) else "text"


def _zeros_lead(values: pl.Series) -> bool:
    return bool(values.str.contains(r"^0[0-9]").any())


def damage_of(table: Table, letter: str) -> list[str]:
    """What looks damaged in a column, in words with counts."""
    values = table.cells[letter]
    damages: list[str] = []

    def report(mask: pl.Series, words: str) -> None:
        number = int(mask.fill_null(False).sum())
        if number:
            damages.append(f"{number:,} {'cell' if number == 1 else 'cells'} {words}")

    report(table.kind_is(letter, "error"), "with a spreadsheet error")
    report(table.kind_is(letter, "uncalculated"), "with a formula that was never calculated")
    report(values.str.contains(r"^[\s\u{200b}\u{feff}]|[\s\u{200b}\u{feff}]$"), "with spaces before or after")
    report(
        values.str.contains(r"^[0-9](?:[.,][0-9]+)?[eE]\+?[0-9]{1,2}$"), "in exponent form: digits may have been lost"
    )
    report(
        values.str.contains(r"^#(?:N/A|REF!|VALUE!|NAME\?|DIV/0!|NUM!|NULL!)$") & ~table.kind_is(letter, "error"),
        "with a text like #N/A",
    )
    report(values.str.contains("[\u200b\u00a0\ufeff]"), "with no-break or zero-width spaces")
    _report_turned(table, letter, report)
    _report_shown(table, letter, damages)
    report(values.str.contains("�|Ã[\u0080-\u00bf]|â€"), "with characters from a wrong code page")
    return damages


def _report_shown(table: Table, letter: str, remarks: list[str]) -> None:
    """Number cells that show more than the number: fields of codes and texts read them as they are shown."""
    numbers_in = table.kind_is(letter, "number")
    if table.formats is None or not table.formats.any_mask:
        return
    more = shown_otherwise(table.cells[ROW], table.cells[letter], numbers_in, table.formats, letter)
    more = [each for each in more if "." not in each.held]
    if more:
        cells = "1 cell" if len(more) == 1 else f"{len(more):,} cells"
        remarks.append(f"{cells} shown differently from their value, such as {more[0].shown} for {more[0].held}")


def _report_turned(table: Table, letter: str, report: Callable[[pl.Series, str], None]) -> None:
    """Cells that a spreadsheet may have changed: they differ from most of their column."""
    values = table.cells[letter]
    filled = max(len(values) - values.null_count(), 1)
    for kind, words in (
        ("date", "with a date among other values: codes may have been turned into dates"),
        ("yes_no", "with a yes/no value among other values: codes may have been turned into it"),
    ):
        odd = table.kind_is(letter, kind)
        if 0 < int(odd.sum()) * 2 < filled:
            report(odd, words)
    report(
        table.kind_is(letter, "number") & values.str.contains(r"^[0-9]{16,}$"),
        "with more than 15 digits: the last digits are lost",
    )
    digits = values.str.contains(r"^[0-9]{3,}$").fill_null(False)
    widths = values.filter(digits).str.len_chars()
    if len(widths) * 2 > filled:
        usual = int(widths.mode().max() or 0)  # type: ignore[arg-type]
        # Nearly all have one width: shorter values have probably lost leading zeros.
        if usual >= 5 and int((widths == usual).sum()) * 5 >= len(widths) * 4:
            report(
                digits & (values.str.len_chars() < usual),
                f"shorter than the usual {usual} digits: leading zeros may have been lost",
            )
