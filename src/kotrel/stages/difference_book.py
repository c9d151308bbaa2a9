"""What differs between two files, as a workbook."""

from __future__ import annotations

import polars as pl

from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.stages.comparing import Compared, Part


def difference_book(compared: Compared) -> OutBook:
    """Three sheets for each part: what is changed, added and gone; and one with what was not compared, if anything was not."""
    sheets: list[OutSheet] = []
    for part in compared.parts:
        of = f" {part.name}" if len(compared.parts) > 1 else ""
        changed = part.difference.changed.with_columns(pl.col("column").replace(dict(part.titles)))
        columns = tuple(OutColumn(name) for name in ("Key", "Column", "From", "To"))
        sheets.append(OutSheet(f"Changed{of}", columns, changed))
        sheets.append(_rows(f"Added{of}", part, part.difference.added))
        sheets.append(_rows(f"Gone{of}", part, part.difference.gone))
    if left := compared.left_out:
        sheets.append(OutSheet("Left out", (OutColumn("What was left out"),), pl.DataFrame({"what": left})))
    return OutBook(tuple(sheets))


def _rows(name: str, part: Part, rows: pl.DataFrame) -> OutSheet:
    fields = part.record.fields if part.record else {}
    return OutSheet(
        name, tuple(OutColumn(part.titles.get(each, each), fields.get(each)) for each in rows.columns), rows
    )
