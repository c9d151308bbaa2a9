"""Columns of an exported sheet whose heading was changed: known by what they hold."""

from __future__ import annotations

import polars as pl

from kotrel.core.description.model import Field
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows

ALIKE = 80
"""In per cent of the rows that both fill: so many values must be as they were exported."""
NUMBER = pl.Decimal(38, 6)


def find_renamed(rows: Rows, base: pl.DataFrame) -> list[FindingGroup]:
    """An error on each column that no field knows, but that holds what a missing field held in the export.

    Its edits would be left out, although somebody made them.

    Args:
        base: what was exported: the key and fields.
    """
    record, table = rows.record, rows.table
    key = list(record.key)
    missing = [name for name in base.columns if name in record.fields and name not in rows.fields]
    used = {letter for source in rows.sources.values() for letter in source.columns}
    strange = [column for column in table.columns if column.letter not in used]
    if not missing or not strange:
        return []
    there = base.unique(key, keep="any").select(*key, *(pl.col(name).alias(f"was {name}") for name in missing))
    held = rows.values.select(key).join(there, on=key, how="left", maintain_order="left")
    found = []
    for column in strange:
        cells = table.cells[column.letter].str.strip_chars()
        field = next(
            (record.fields[name] for name in missing if _alike(cells, held[f"was {name}"], record.fields[name])), None
        )
        if field is not None:
            called = f"“{column.heading}”" if column.heading else "without a heading"
            message = (
                f"column {column.letter} {called} holds what “{field.title}” held in this export: give it that "
                "heading again, or delete it if it is not to be loaded"
            )
            found.append(
                rows.sheet_finding(
                    "error", "renamed-heading", "a renamed column of the export", message, column.letter, column.heading
                )
            )
            missing.remove(field.name)
    return found


def _alike(cells: pl.Series, was: pl.Series, field: Field) -> bool:
    """True where nearly all cells say what the field held, and not one value alone."""
    both = pl.DataFrame({"cell": cells, "was": was}).drop_nulls()
    if field.is_decimal:
        both = both.select(pl.all().cast(NUMBER, strict=False)).drop_nulls()
    if not both.height or both["was"].n_unique() < min(2, both.height):
        return False
    return int((both["cell"] == both["was"]).sum()) * 100 >= ALIKE * both.height
