"""Price changes in any sheet that are unlike the others of the load, or look as if a decimal point had moved."""

from __future__ import annotations

from decimal import Decimal

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import worded
from kotrel.core.description.model import Description, Record
from kotrel.core.pricing.guards import percent, price_text
from kotrel.core.pricing.outliers import unlike
from kotrel.core.pricing.price_impact import moved_prices
from kotrel.core.pricing.price_rules import Outliers
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import Reader

UNLIKE = "a change unlike the others"
USUAL = Outliers()
_LEAST, _MOST = Decimal(-85), Decimal(800)
"""Per cent: a price outside may be a tenth of what it was, or ten times as much."""


def find_odd_prices(rows: Rows, changes: RecordChanges, description: Description, read: Reader) -> list[FindingGroup]:
    """Warnings at prices and costs that change as no other of their category does.

    Prices that stay as they are count for nothing: a sheet may have a few new ones among thousands.
    """
    item = description.records.get("item")
    if item is None or changes.record.name not in ("item", "price"):
        return []
    findings: list[FindingGroup] = []
    for moved in moved_prices([changes], read):
        frame = moved.with_columns(percent(pl.col("price") - pl.col("old"), pl.col("old")).alias("change"))
        frame = frame.drop_nulls("change")
        if frame.height and not _are_alike(frame["change"]):
            findings += _odd(rows, frame, item, read)
    return findings


def _are_alike(changes: pl.Series) -> bool:
    """Whether no change can be odd: all are near each other, and none is near a tenth or ten times.

    Of very many prices that all rise by a few per cent, this takes a small part of the time of their groups.
    """
    low, high = changes.min(), changes.max()
    if not isinstance(low, Decimal) or not isinstance(high, Decimal):
        return False
    return high - low <= USUAL.least and low > _LEAST and high < _MOST


def _odd(rows: Rows, frame: pl.DataFrame, item: Record, read: Reader) -> list[FindingGroup]:
    """What is odd about the changes of one field."""
    group = pl.lit("")
    if USUAL.by in item.fields:
        about = read(item.name, [item.code, USUAL.by], (item.code, frame["item"].unique())).unique(item.code)
        about = about.select(pl.col(item.code).alias("item"), pl.col(USUAL.by).alias("the group"))
        frame = frame.join(about, on="item", how="left", maintain_order="left")
        group = pl.col("the group").fill_null("")
    asked = frame.select(
        "old", pl.col("price").alias("new"), "change", pl.concat_str("list", group, separator="\x1f").alias("group")
    )
    told = frame.with_columns(unlike(asked, USUAL).alias("odd")).drop_nulls("odd")
    words = worded("it was {}: {}", price_text(pl.col("old")), "odd")
    field = str(frame["field"][0])
    return rows.told("warning", "unlike-others", UNLIKE, field, told.with_columns(words.alias("message")))
