"""The cells of a sheet that an expression reads: as texts, and where it asks for numbers,
read as cells of a number field are.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from functools import partial

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW, number_column, sheet_column
from kotrel.core.description.model import Field
from kotrel.core.expressions.compiled import Compiled
from kotrel.core.normalizing.by_kind import tidy
from kotrel.core.normalizing.column import ColumnSetting, Trouble
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.as_shown import columns_for
from kotrel.core.tables.table import Table
from kotrel.core.values.conventions import Conventions

_ANY_NUMBER = Field("number", "Number", "number", decimals=12)
_PER_CENT = Field("percent", "%", "number", decimals=12)
"""What a column with a per cent sign in its heading is read as: 40 for a cell that shows 40 %."""


def expression_columns(
    table: Table, compiled: Compiled, conventions: Conventions, today: date
) -> tuple[pl.DataFrame, dict[str, list[Trouble]]]:
    """The columns of the sheet that an expression reads, under the names by which it reads them.

    Returns:
        The columns, and for each letter that is read as numbers what could not be read: those are blank.
    """
    roots = set(compiled.expr.meta.root_names())
    numbers = [column for column in table.readable if number_column(column.letter) in roots]
    texts = [column.letter for column in table.readable if sheet_column(column.letter) in roots]
    frame = columns_for(table, texts)
    troubles: dict[str, list[Trouble]] = {}
    columns = []
    for column in numbers:
        letter = column.letter
        setting = ColumnSetting(conventions, today, None, not table.sheet, formats=table.formats, letter=letter)
        read = tidy(
            table.cells[ROW],
            table.cells[letter],
            partial(table.kind_is, letter),
            _PER_CENT if "%" in column.heading else _ANY_NUMBER,
            setting,
        )
        values = read.values
        if read.troubles:
            troubles[letter] = read.troubles
            wrong = pl.concat([each.cells[ROW] for each in read.troubles])
            values = values.set(table.cells[ROW].is_in(wrong.implode()), None)
        columns.append(values.alias(number_column(letter)))
    return (frame.hstack(columns) if frame.width else pl.DataFrame(columns)), troubles


def unread_findings(
    rows: Rows, field: str | None, troubles: Mapping[str, Sequence[Trouble]], others: Sequence[Trouble]
) -> list[FindingGroup]:
    """What an expression could not read as findings: at the cells of its columns,
    or at the rows of texts that it makes.
    """
    at_cells = [(letter, each) for letter, found in troubles.items() for each in found]
    return [
        replace(rows.group(each.severity, each.kind, each.title, field, each.cells), letter=letter)
        for letter, each in [*at_cells, *((None, each) for each in others)]
    ]


def unread_texts(compiled: Compiled, frame: pl.DataFrame) -> list[Trouble]:
    """Texts that an expression makes and reads as numbers, where they are none.

    Args:
        frame: with ``ROW`` and all that the expression reads.
    """
    troubles: list[Trouble] = []
    for text, number in compiled.read_texts:
        texts = compiled.column(frame, text)
        wrong = texts.is_not_null() & compiled.column(frame, number).is_null()
        if wrong.any():
            message = "“number(…)” reads no number in this text, or more than one"
            troubles.append(
                Trouble(
                    "error",
                    "not-a-number",
                    "not a number",
                    cells_of(frame[ROW].filter(wrong), texts.filter(wrong), message),
                )
            )
    return troubles
