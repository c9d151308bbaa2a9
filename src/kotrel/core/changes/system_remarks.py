"""What the system itself says about rows: what it refused, remarks,
and values that it holds otherwise than they are shown.
"""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from msgspec import Struct

from kotrel.core.changes.change_set import key_text
from kotrel.core.columns import ROW, worded
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.rows import Rows


class Refusal(Struct, frozen=True):
    """What the business system itself says about one row of a load.

    Attributes:
        file, sheet, row: where the row stands.
        key: its key, parts joined by `` / ``.
        message: the system's own words.
        severity: ``error`` where it does not take the row; ``warning`` or ``note`` for a remark on one that it took.
        field: the field it is about, or None for the whole row.
        advice: what the system says to do, or an empty text.
        layout: the upload layout that the row cannot be written in, or an empty text: then the words are Kotrel's own.
    """

    record: str
    file: str
    sheet: str
    row: int
    key: str
    message: str
    severity: Severity = "error"
    field: str | None = None
    advice: str = ""
    layout: str = ""


def replaced_more(rows: Rows, odd: Sequence[tuple[int, str, str]]) -> list[FindingGroup]:
    """Warnings where a load would replace more than is shown of a value: a time with a date, an unknown word."""
    groups = []
    for name in dict.fromkeys(field for _, field, _ in odd):
        mine = [(row, held) for row, field, held in odd if field == name]
        cells = cells_of(
            [row for row, _ in mine],
            None,
            [
                f"the system holds “{held}” here; this field cannot show all of it, and undo would restore it"
                for _, held in mine
            ],
        )
        groups.append(rows.group("warning", "replaces-more", "replaces more than is shown", name, cells))
    return groups


def _said_by_key(refusals: Sequence[Refusal], layout: str) -> pl.DataFrame:
    """``key``, ``said`` and ``advice`` (String): several remarks on one row are one finding."""
    said = pl.DataFrame(
        [(each.key, each.message, each.advice or None) for each in refusals],
        schema=dict.fromkeys(("key", "said", "advice"), pl.String),
        orient="row",
    ).unique(maintain_order=True)
    said = said.group_by("key", maintain_order=True).agg(pl.col("said", "advice").drop_nulls().str.join("; "))
    words = pl.col("said") if layout else worded("the system says: {}", "said")
    return said.with_columns(words.alias("said"), pl.col("advice").replace("", None))


def _kind_of(is_error: bool, layout: str) -> tuple[str, str]:
    """The kind of the finding, and its title."""
    if layout:
        fits = f"does not fit the layout {layout}"
        return ("not-writable", fits) if is_error else ("cleaned", f"cleaned for the layout {layout}")
    return (
        ("refused-by-system", "refused by the system itself")
        if is_error
        else ("system-remark", "the system's own remark")
    )


def with_refusals(rows: Rows, refusals: Sequence[Refusal]) -> Rows:
    """Adds what the system itself reported on the rows as findings."""
    place = (rows.record.name, *rows.table.origin)
    mine = [each for each in refusals if (each.record, each.file, each.sheet) == place]
    if not mine or not rows.has_key:
        return rows
    keys = rows.values.select(ROW, key_text(rows.record).alias("key"))
    groups = []
    for severity, field, layout in dict.fromkeys((each.severity, each.field, each.layout) for each in mine):
        these = [each for each in mine if (each.severity, each.field, each.layout) == (severity, field, layout)]
        said = _said_by_key(these, layout)
        found = keys.join(said, on="key", maintain_order="left")
        if found.height:
            shown = rows.values[field] if field in rows.values.columns else keys["key"]
            values = found.join(pl.DataFrame([keys[ROW], shown.alias("value")]), on=ROW, how="left")["value"]
            cells = cells_of(found[ROW], values, found["said"], found["advice"])
            kind, title = _kind_of(severity == "error", layout)
            groups.append(rows.group(severity, kind, title, field or rows.record.key[0], cells))
    return rows.with_findings(groups)
