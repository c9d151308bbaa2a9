"""Reads what no cell holds (defaults, made values) as cells are read: by the kind of its field, with the same doubts."""

from __future__ import annotations

from datetime import date

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Defaulted, Rows
from kotrel.core.understanding.tidying import Setting, Tidied, tidy
from kotrel.core.understanding.tidying.column import Trouble
from kotrel.core.values.conventions import Conventions

_NO_DAY = date(2000, 1, 1)
"""Settings are not written on a day: a year of two digits in one cannot be completed."""


def read_values(rows: pl.Series, values: pl.Series, field: Field, conventions: Conventions) -> Tidied:
    """A column of texts that no cell holds, as values of the field's kind, with what could not be read."""
    nowhere = pl.Series([False], dtype=pl.Boolean).new_from_index(0, len(values))
    tidied = tidy(rows, values, lambda kind: nowhere, field, Setting(conventions, _NO_DAY))
    for repaired in tidied.repairs:
        if repaired.kind == "two-digit-year":
            cells = repaired.cells
            message = "write the year with four digits"
            tidied.troubles.append(
                Trouble(
                    "error", "ambiguous-date", "a year of two digits", cells_of(cells[ROW], cells["before"], message)
                )
            )
    return tidied


class DefaultReader:
    """Reads the defaults of one record, each once, and keeps those that could not be read."""

    def __init__(self, rows: Rows, conventions: Conventions) -> None:
        self._rows = rows
        self._conventions = conventions
        self._troubles: dict[tuple[str, str], Trouble] = {}

    def read(self, name: str, text: str) -> str | None:
        """A default in canonical text; what could not be read stays as it is, and becomes a finding where it is used."""
        field = self._rows.record.fields[name]
        tidied = read_values(pl.Series(ROW, [0], dtype=pl.UInt32), pl.Series([text]), field, self._conventions)
        value = tidied.values[0]
        if tidied.troubles and value is not None:
            self._troubles[name, value] = tidied.troubles[0]
        return None if value is None else str(value)

    def findings(self, used: list[Defaulted]) -> list[FindingGroup]:
        """An error at each row that was given a default that could not be read."""
        found = []
        for each in used:
            trouble = self._troubles.get((each.field, each.value))
            if trouble is not None:
                where = {"match": "the match", "system": "system.toml"}.get(
                    each.source, f"the defaults “{each.source}”"
                )
                message = f"the default “{each.value}” of {where}: {trouble.cells['message'][0]}"
                cells = cells_of(each.rows, [each.value] * len(each.rows), message)
                found.append(self._rows.group("error", trouble.kind, trouble.title, each.field, cells))
        return found
