"""Fields that the system keeps itself: they are never loaded, and an edited value is an error."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW, clearing, decimal_type, worded
from kotrel.core.phrases import count
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState


def check_kept(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Values of kept fields that differ from the system's; a note on columns of kept fields that are left out."""
    kept = [name for name in rows.fields if rows.record.fields[name].is_kept]
    if not kept:
        return []
    key = list(rows.record.key)
    now = state.having(rows.record, kept, key[0], rows.values[key[0]])
    now = now.select(*key, *(pl.col(name).alias(f"held {name}") for name in kept), pl.lit(True).alias("is held"))
    joined = rows.values.select(ROW, *key, *kept).join(now, on=key, how="left", maintain_order="left")
    findings: list[FindingGroup] = []
    for name in kept:
        field = rows.record.fields[name]
        stands = pl.col(f"held {name}").fill_null("0") if field.is_decimal else pl.col(f"held {name}")
        given = pl.col(name)
        if field.is_decimal:
            given = given.cast(decimal_type(6), strict=False)
            stands = stands.cast(decimal_type(6), strict=False)
        edited = joined.with_columns(rows.as_it_stands(name)).filter(
            pl.col(name).is_not_null() & given.ne_missing(stands)
        )
        title = field.title.lower()
        if field.from_ledger == "on hand" and (new := edited.filter(pl.col("is held").is_null())).height:
            # A new item cannot have stock yet: its quantity is no mistake, it only belongs elsewhere.
            edited = edited.filter(pl.col("is held"))
            message = (
                f"{count(new.height, 'quantity', 'quantities')} of new items are not loaded with the items: stock is loaded as a document. "
                "Load the items first, then the quantities with --as opening_stock; or both at once with a mapping that has [[also]]"
            )
            findings.append(
                rows.sheet_finding(
                    "warning",
                    "quantity-not-loaded",
                    "quantities of new items",
                    message,
                    rows.letters.get(name),
                    rows.heading(name),
                )
            )
            if not edited.height:
                continue
        if name in rows.cleared:
            message = f"the system keeps {title} itself: it cannot be cleared"
            clears = rows.values[clearing(name)]
            findings += rows.where(
                "error", "kept-by-system", "kept by the system, never loaded", field, clears, message
            )
        if edited.height:
            message = f"the system keeps {title} itself: clear the cell or delete the column; stock changes only through documents and counts"
            cells = edited.select(
                ROW,
                pl.col("as it stands").alias("value"),
                pl.lit(message).alias("message"),
                worded("{} in the system", pl.col(f"held {name}").fill_null("nothing")).alias("suggestion"),
            )
            findings.append(rows.group("error", "kept-by-system", "kept by the system, never loaded", name, cells))
        elif rows.values[name].null_count() < rows.values.height:
            message = f"{field.title} is kept by the system; the values are unchanged and the column is left out"
            findings.append(
                rows.sheet_finding(
                    "note",
                    "kept-column",
                    "columns kept by the system",
                    message,
                    rows.letters.get(name),
                    rows.heading(name),
                )
            )
    return findings
