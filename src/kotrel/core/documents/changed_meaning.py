"""Changes of one row that give figures elsewhere another meaning: the unit of an item in stock, the currency of a list."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION, ROW, before, decimal_type, worded
from kotrel.core.description.model import CURRENCY_FIELD, PRICE_LIST, Description, Record
from kotrel.core.documents.stock_rules import NEVER_STOCKED
from kotrel.core.expressions.kinds import exact
from kotrel.core.phrases import listed, plain_number
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import Reader
from kotrel.core.stock.sums import LedgerQuery, Sums

KIND = "another-meaning"
IN_STOCK = "changes an item that is in stock"
_SAID: dict[str, Callable[[str, str], str]] = {
    "unit": lambda held, after: f"{held} on hand would count as {after}: right only where both are the same",
    "lot_tracked": lambda held, after: f"{held} on hand {'have no lot' if after == 'yes' else 'are in lots'}",
    "serial_tracked": lambda held, after: (
        f"{held} on hand {'have no serial number' if after == 'yes' else 'have serial numbers'}"
    ),
    "archived": lambda held, after: f"{held} on hand: no document moves the stock of an archived item",
    "kind": lambda held, after: f"{held} on hand, and a {after} has no stock",
}
"""Field of an item → what its change means for what is on hand, and for its new value."""
_HOME = "the workspace's currency"
USUAL = 3
"""Other items that must have one factor before it is the usual one of a unit."""


def find_changed_meaning(
    rows: Rows, changes: RecordChanges, description: Description, read: Reader, sums: Sums
) -> list[FindingGroup]:
    """Warnings at changes that give figures of other rows another meaning."""
    record = changes.record
    if record.name == "item":
        fields = [name for name in changes.touched_fields() if name in _SAID]
        found = _items(rows, changes, fields, read, sums) if fields else []
        return [*found, *(_still_used(rows, changes, description, read, sums) if "archived" in fields else ())]
    if record is description.conversions and "factor" in changes.fields:
        return _conversions(rows, changes, read)
    if record.name == PRICE_LIST and CURRENCY_FIELD in changes.touched_fields():
        return _price_lists(rows, changes, description, read)
    return []


def _changed(changes: RecordChanges, name: str) -> pl.DataFrame:
    """``ROW``, the code, ``former`` and ``after`` of the rows in which a field changes."""
    differs = (pl.col(ACTION) == "changed") & pl.col(name).ne_missing(pl.col(before(name)))
    code = pl.col(changes.record.code).alias("code")
    return changes.frame.filter(differs).select(ROW, code, former=pl.col(before(name)), after=pl.col(name))


def _items(rows: Rows, changes: RecordChanges, fields: Sequence[str], read: Reader, sums: Sums) -> list[FindingGroup]:
    record = changes.record
    changed = {name: _changed(changes, name) for name in fields}
    codes = pl.concat([each["code"] for each in changed.values()]).unique()
    held = sums(LedgerQuery(["item"], [("item", codes)])).select(
        pl.col("item").alias("code"), pl.col("quantity").cast(decimal_type(), strict=False)
    )
    held = held.filter(pl.col("quantity") != exact(0))
    if not held.height:
        return []
    if "unit" in record.fields:
        units = read(record.name, [record.code, "unit"], (record.code, codes)).unique(record.code)
        held = held.join(units.rename({record.code: "code"}), on="code", how="left")
    else:
        held = held.with_columns(pl.lit(None, pl.String).alias("unit"))
    findings: list[FindingGroup] = []
    for name, frame in changed.items():
        told = frame.join(held, on="code", how="inner", maintain_order="left").filter(_matters(name))
        messages = [
            _SAID[name](" ".join(filter(None, (_grouped(quantity), unit))), after or "")
            for after, quantity, unit in told.select("after", "quantity", "unit").iter_rows()
        ]
        told = told.select(ROW).with_columns(pl.Series("message", messages, dtype=pl.String))
        findings += rows.told("warning", KIND, IN_STOCK, name, told)
    return findings


def _still_used(
    rows: Rows, changes: RecordChanges, description: Description, read: Reader, sums: Sums
) -> list[FindingGroup]:
    """Warnings at items that are archived while orders are open for them, or other items are made of them."""
    changed = _changed(changes, "archived").filter(_matters("archived"))
    codes = changed["code"].unique()
    used: dict[str, list[str]] = {}
    for counts_as, words in (("on order", "on order"), ("reserved", "reserved")):
        found = sums(LedgerQuery(["item"], [("item", codes)], counts_as))
        for code, quantity in found.select("item", "quantity").iter_rows():
            if Decimal(quantity or 0):
                used.setdefault(code, []).append(f"{_grouped(Decimal(quantity))} {words}")
    for record in description.records.values():
        for parent, component in record.circles:
            if parent in record.key and record.fields[component].to == changes.record.name:
                pairs = read(record.name, [parent, component], (component, codes)).drop_nulls().unique()
                for code, made in pairs.group_by(component).agg(pl.col(parent).sort()).iter_rows():
                    used.setdefault(code, []).append(f"a part of {listed(made, 3)}")
    told = changed.filter(pl.col("code").is_in(list(used)))
    messages = pl.Series("message", [f"still used: {'; '.join(used[code])}" for code in told["code"]], dtype=pl.String)
    return rows.told(
        "warning", "still-used", "archives what is still used", "archived", told.select(ROW).with_columns(messages)
    )


def _matters(name: str) -> pl.Expr:
    """Which new values of a field mean something for what is on hand."""
    if name == "archived":
        return pl.col("after") == "yes"
    return pl.col("after").is_in(NEVER_STOCKED) if name == "kind" else pl.col("after").is_not_null()


def _grouped(quantity: Decimal) -> str:
    whole, _, part = plain_number(quantity).partition(".")
    return f"{int(whole):,}" + (f".{part}" if part else "")


def _conversions(rows: Rows, changes: RecordChanges, read: Reader) -> list[FindingGroup]:
    """Factors that are the wrong way round: one divided by what they were, or by what other items have for the unit."""
    record: Record = changes.record
    frame = changes.frame.filter(pl.col(ACTION).is_in(["new", "changed"])).select(
        ROW, "item", "unit", pl.col(before("factor")).alias("former"), factor=pl.col("factor")
    )
    number = pl.col("factor").cast(decimal_type(), strict=False)
    frame = frame.filter(number.is_not_null() & (number != exact(1)))
    if not frame.height:
        return []
    others = read(record.name, ["item", "unit", "factor"], ("unit", frame["unit"].unique()))
    others = others.filter(~pl.col("item").is_in(frame["item"].implode()))
    usual = (
        others.group_by("unit", "factor")
        .len("items")
        .sort("items", descending=True)
        .unique("unit", keep="first", maintain_order=True)
        .filter(pl.col("items") >= USUAL)
        .select("unit", pl.col("factor").alias("usual"), "items")
    )
    told = frame.join(usual, on="unit", how="left", maintain_order="left")
    was, theirs = (pl.col(name).cast(decimal_type(), strict=False) for name in ("former", "usual"))
    words = (
        pl.when(number * was == exact(1))
        .then(worded("it was {}: the other way round?", _plain(was)))
        .when(number * theirs == exact(1))
        .then(worded("for {} other items one {} is {}: the other way round?", "items", "unit", _plain(theirs)))
    )
    told = told.with_columns(words.alias("message")).drop_nulls("message")
    return rows.told("warning", "wrong-way-round", "perhaps the wrong way round", "factor", told)


def _plain(number: pl.Expr) -> pl.Expr:
    return number.cast(pl.String).str.replace(r"\.?0+$", "")


def _price_lists(rows: Rows, changes: RecordChanges, description: Description, read: Reader) -> list[FindingGroup]:
    if not description.has("price", PRICE_LIST, "amount"):
        return []
    changed = _changed(changes, CURRENCY_FIELD)
    prices = read("price", [PRICE_LIST], (PRICE_LIST, changed["code"])).group_by(PRICE_LIST).len("prices")
    told = changed.join(prices.rename({PRICE_LIST: "code"}), on="code", how="inner", maintain_order="left")
    messages = [
        f"{number:,} price{' of this list is' if number == 1 else 's of this list are'} in {former or _HOME}, "
        f"and would count as {after or _HOME}"
        for former, after, number in told.select("former", "after", "prices").iter_rows()
    ]
    told = told.select(ROW).with_columns(pl.Series("message", messages, dtype=pl.String))
    return rows.told("warning", KIND, "changes a list that has prices", CURRENCY_FIELD, told)
