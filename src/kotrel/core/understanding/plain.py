"""Values that another program sent → rows, read without guessing: plain values, or a finding.

A person's sheet is understood; a program's rows are taken at their word. So ``1,5``, ``Yes`` and ``3/4/2027`` are refused here, and
``0.99`` is the same amount as ``0.9900``.
"""

from __future__ import annotations

from datetime import date

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field, Record
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.table import Table
from kotrel.core.understanding.tidying import Setting, tidy
from kotrel.core.values.conventions import Conventions

PLAIN_NUMBER = r"^-?[0-9]+(?:\.[0-9]+)?$"


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
            FindingGroup(severity, kind, title, record.name, name, None, cells, "")
            for severity, kind, title, cells in found
        ]
    table = Table(file or "request", sheet, 0, (), values.select(ROW), {})
    return Rows(table, record, {}, values.with_columns(**columns), tuple(findings))


def _read(numbers: pl.Series, given: pl.Series, field: Field) -> tuple[pl.Series, list[tuple]]:  # type: ignore[type-arg]
    nowhere = pl.Series([False], dtype=pl.Boolean).new_from_index(0, given.len())
    tidied = tidy(numbers, given, lambda kind: nowhere, field, Setting(Conventions(".", "day"), date.today(), "."))
    found = [(each.severity, each.kind, each.title, each.cells) for each in tidied.troubles if each.severity == "error"]
    another = given.is_not_null() & given.ne_missing(tidied.values)
    if field.is_decimal and another.any():
        another &= ~given.str.contains(PLAIN_NUMBER).fill_null(False)
    if another.any():
        rows, texts, plain = (each.filter(another) for each in (numbers, given, tidied.values))
        words = pl.DataFrame({"plain": plain}).select(
            pl.when(pl.col("plain").is_null()).then(pl.lit("leave it out")).otherwise(pl.format("write it as {}", "plain"))
        ).to_series()  # fmt: skip
        found.append(("error", "not-plain", "a value that is not plain", cells_of(rows, texts, words)))
    return tidied.values, found
