"""Values that another program sent → rows, read without guessing: plain values, or a finding.

A person's sheet is understood; a program's rows are taken at their word. So ``1,5``, ``Yes`` and ``3/4/2027`` are
refused here, and ``0.99`` is the same amount as ``0.9900``.
"""

from __future__ import annotations

from datetime import date

import polars as pl

from kotrel.core.columns import ROW, worded
from kotrel.core.description.model import Field, Record
from kotrel.core.normalizing.by_kind import ColumnSetting, fixed_decimals, tidy
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.table import Table
from kotrel.core.values.conventions import Conventions

PLAIN_NUMBER = r"^-?[0-9]+(?:\.[0-9]+)?$"
_Found = tuple[str, str, "pl.DataFrame"]
"""The kind and the title of a finding, and its cells."""


def plain_rows(record: Record, file: str, sheet: str, values: pl.DataFrame) -> Rows:
    """Rows of a record with values in canonical text; what is not plain is an error finding.

    Args:
        values: the row numbers and the fields as String columns, a blank is null; other columns go along.
    """
    numbers = values[ROW]
    columns, findings = {}, []
    for name in (each for each in record.fields if each in values.columns):
        columns[name], found = _read(numbers, values[name], record.fields[name])
        findings += [
            FindingGroup("error", kind, title, record.name, name, None, cells, "") for kind, title, cells in found
        ]
    table = Table(file or "request", sheet, 0, (), values.select(ROW), {})
    return Rows(table, record, {}, values.with_columns(**columns), tuple(findings))


def _read(numbers: pl.Series, given: pl.Series, field: Field) -> tuple[pl.Series, list[_Found]]:
    if field.is_decimal:
        plain = given.str.contains(PLAIN_NUMBER)
        # What has more decimals than the field stays as it is: the checks say so.
        values = fixed_decimals(given.set(~plain, None), field.decimals or 0)
        return pl.select(pl.when(plain).then(values).otherwise(given)).to_series().rename(given.name), _not_plain(
            numbers, given, ~plain, "a number is written like 1234.5"
        )
    nowhere = pl.Series([False], dtype=pl.Boolean).new_from_index(0, given.len())
    tidied = tidy(
        numbers, given, lambda kind: nowhere, field, ColumnSetting(Conventions(".", "day"), date.today(), ".")
    )
    found: list[_Found] = [(each.kind, each.title, each.cells) for each in tidied.troubles if each.severity == "error"]
    another = given.is_not_null() & given.ne_missing(tidied.values)
    words = pl.select(worded("write it as {}", tidied.values.filter(another).fill_null(""))).to_series()
    return tidied.values, [*found, *_not_plain(numbers, given, another, words)]


def _not_plain(numbers: pl.Series, given: pl.Series, where: pl.Series, words: pl.Series | str) -> list[_Found]:
    where = where.fill_null(False)
    if not where.any():
        return []
    return [("not-plain", "a value that is not plain", cells_of(numbers.filter(where), given.filter(where), words))]
