"""Stock as the system has it: fetches the ledger's sums, which the system works out itself,
and what is known of the items.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, timedelta

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.columns import decimal_type
from kotrel.core.description.model import Description, Record
from kotrel.core.errors import WrongUse
from kotrel.core.expressions.compiled import Compiled
from kotrel.core.expressions.compiling import compile_expression
from kotrel.core.expressions.narrowing import only_values
from kotrel.core.expressions.scope import Scope
from kotrel.core.resolving.other_codes import which_row
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import did_you_mean
from kotrel.core.stock import views
from kotrel.core.stock.sums import SUMS, LedgerQuery
from kotrel.loading.list_reading import called_in, found_in, names_of
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace

DEFAULT_BY = ("item", "warehouse")


class StockQuestion(Struct, frozen=True):
    """What is asked of stock.

    Attributes:
        items: codes; none for all.
        by: fields of the ledger, or of the item.
        at: the last day that counts, or None for now.
        since, until: the first and the last day of a period, or None.
        against: the number of a load, or None.
        with_empty: True for places that hold nothing, too.
    """

    items: tuple[str, ...] = ()
    where: str | None = None
    by: tuple[str, ...] = DEFAULT_BY
    at: date | None = None
    since: date | None = None
    until: date | None = None
    against: int | None = None
    with_empty: bool = False


class Stock(Struct, frozen=True):
    """The answer.

    Attributes:
        rows: the fields asked for; ``unit`` (blank where a row has several), ``description``; and the amounts as
            Decimals: ``on_hand`` and ``value``, or what a period or a load has.
        amounts: names of the columns with amounts, in their order.
        remarks: what was left out.
    """

    rows: pl.DataFrame
    by: tuple[str, ...]
    amounts: tuple[str, ...]
    remarks: tuple[str, ...] = ()


def _require_fields(by: Sequence[str], places: Sequence[str], item: Record) -> None:
    """Raises WrongUse where stock cannot be shown by one of the names."""
    of_item = [name for name, field in item.fields.items() if not field.is_decimal]
    for name in by:
        if name not in places and name not in of_item:
            hint = f"Use {', '.join(places)}, or a field of the item that is not a number, such as category."
            close = did_you_mean(name, [*places, *of_item])
            raise WrongUse(f"stock cannot be shown by “{name}”", f"{close} {hint}".lstrip(), "no-such-field")


def stock(asked: StockQuestion, workspace: Workspace) -> Stock:
    """Answers a question about stock.

    Raises:
        WrongUse: a field or the condition is wrong, or the system has neither a ledger nor a list of stock.
    """
    ledger = require_stock(workspace.description)
    item = workspace.description.records[str(ledger.fields["item"].to)]
    places = [name for name in views.PLACES if name in ledger.fields]
    _require_fields(asked.by, places, item)
    with workspace.system().reading() as reading:
        asked, remarks = _with_item_codes(asked, item, SystemState(workspace.description, reading.read))
        condition = _condition(asked, item, places, ledger, workspace, reading)
        needed = set(condition.fields) if condition is not None else set()
        keys = [name for name in places if name == "item" or name in asked.by or name in needed]
        among = _filters_of(asked, places, condition.meant if condition is not None else {})
        rows, amounts = _rows(asked, keys, among, reading)
        rows = _with_items(rows, item, asked, needed, reading)
    if condition is not None:
        rows = rows.filter(condition.column(rows).fill_null(False))
    rows = views.grouped(rows, list(asked.by), amounts)
    if not asked.with_empty:
        filled = rows.filter(pl.any_horizontal(pl.col(name) != 0 for name in amounts))
        if empty := rows.height - filled.height:
            remarks.append(f"{empty:,} without stock left out (--with-empty shows them)")
        rows = filled
    return Stock(rows.sort(list(asked.by), nulls_last=True), asked.by, tuple(amounts), tuple(remarks))


def require_stock(description: Description) -> Record:
    """The system's ledger, or its list of stock.

    Raises:
        WrongUse: it has neither that Kotrel knows of.
    """
    places = description.stock_places
    if places is None:
        raise WrongUse(
            "this system has no ledger and no list of stock that Kotrel knows of, so nothing can be said about stock",
            'If one of its tables or lists has it, say so in system.toml: nature = "ledger", or nature = "stock".',
            "no-ledger",
        )
    return places


def _condition(
    asked: StockQuestion, item: Record, places: Sequence[str], ledger: Record, workspace: Workspace, reading: Reading
) -> Compiled | None:
    if asked.where is None:
        return None
    names = names_of(workspace, reading)
    fields = {name: field for name, field in item.fields.items() if not field.from_ledger}
    fields |= {name: ledger.fields[name] for name in places}
    return compile_expression(
        asked.where, Scope(fields, names=called_in(names), found=found_in(workspace, reading, item)), "yes_no"
    )


def _filters_of(
    asked: StockQuestion, places: Sequence[str], meant: Mapping[tuple[str, str], str]
) -> list[tuple[str, pl.Series]]:
    """What the system need read only: the items named, and places that the condition names."""
    filters = [("item", pl.Series("item", asked.items, dtype=pl.String))] if asked.items else []
    for name in places if asked.where else ():
        if (values := only_values(str(asked.where), name, meant)) is not None:
            filters.append((name, pl.Series(name, values, dtype=pl.String)))
    if asked.where and (codes := only_values(asked.where, "code", meant)) is not None:
        filters.append(("item", pl.Series("item", codes, dtype=pl.String)))
    return filters


def _rows(
    asked: StockQuestion, keys: list[str], among: list[tuple[str, pl.Series]], reading: Reading
) -> tuple[pl.DataFrame, list[str]]:
    """Sums by item and place, and the names of their amounts."""
    if asked.since is not None or asked.until is not None:
        first, last = (day.isoformat() if day else None for day in (asked.since, asked.until))
        before = (asked.since - timedelta(days=1)).isoformat() if asked.since else None
        opening = _on_hand_on(before, keys, among, reading)
        closing = _on_hand_on(last, keys, among, reading)
        came, went = (
            reading.ledger_sums(LedgerQuery(keys, among, since=first, until=last, direction=way))
            for way in ("in", "out")
        )
        rows = views.period(opening if before else opening.clear(), came, went, closing, keys)
        names = [
            "opening",
            "in",
            "out",
            "closing",
            "opening value",
            "in value",
            "out value",
            "revalued",
            "closing value",
        ]
        # Where nothing was revalued, nobody need read it.
        return rows, names if (rows["revalued"] != 0).any() else [name for name in names if name != "revalued"]
    if asked.against is not None:
        return _against(keys, among, asked.against, reading)
    return _on_hand_on(asked.at.isoformat() if asked.at else None, keys, among, reading), ["on_hand", "value"]


def _on_hand_on(day: str | None, keys: list[str], among: list[tuple[str, pl.Series]], reading: Reading) -> pl.DataFrame:
    """What is on hand at the end of a day, or now, with its value."""
    return _valued(LedgerQuery(keys, among, until=day), reading)


def _valued(query: LedgerQuery, reading: Reading) -> pl.DataFrame:
    """Places with ``on_hand`` and ``value``: each place's share of its item's value, over all places of the item."""
    sums = reading.ledger_sums(query)
    items = [each for each in query.among if each[0] == "item"]
    if list(query.by) == ["item"] and len(query.among) == len(items):
        return views.on_hand(sums, sums)
    return views.on_hand(sums, reading.ledger_sums(replace(query, by=["item"], among=items)))


def _against(
    keys: list[str], among: list[tuple[str, pl.Series]], load: int, reading: Reading
) -> tuple[pl.DataFrame, list[str]]:
    """Before, change and after a load, at the moment when it posted; what was posted since does not count."""
    exact = decimal_type(6)
    moved = [each.rows_of("new") for each in reading.changes_of(load) if each.record.nature == "ledger"]
    wanted = [pl.col(name).is_in(values.implode()) for name, values in among]
    moved = [frame.filter(pl.col("counts_as") == "on hand", *wanted) for frame in moved]
    if not moved:
        raise WrongUse("that load moved no stock", "kotrel history lists the loads.", "no-stock-in-load")
    movements = pl.concat(moved, how="diagonal")
    change = movements.group_by(keys).agg(
        pl.col("quantity").cast(exact).sum().alias("change"),
        pl.col("value").cast(decimal_type(4)).sum().alias("value_change"),
    )
    timed = "posted_at" in movements.columns and not movements["posted_at"].null_count()
    moment = str(movements["posted_at"].max()) if timed and movements.height else None
    rows = _valued(LedgerQuery(keys, [("item", movements["item"].unique()), *among], as_at=moment), reading)
    joined = change.join(rows, on=keys, how="left", nulls_equal=True).with_columns(
        pl.col("on_hand").fill_null(0).cast(exact)
    )
    joined = joined.with_columns(
        (pl.col("on_hand") - pl.col("change")).cast(exact).alias("before"), pl.col("on_hand").alias("after")
    )
    return joined, ["before", "change", "after", "value_change"]


def _with_items(
    rows: pl.DataFrame, item: Record, asked: StockQuestion, needed: set[str], reading: Reading
) -> pl.DataFrame:
    """The rows with what is known of their items."""
    key = item.key[0]
    also = ("unit", item.called or "", *(name for name in (*asked.by, *needed) if name not in rows.columns))
    fields = list(dict.fromkeys((key, *(name for name in also if name in item.fields))))
    known = reading.read(item.name, fields, (key, rows["item"])).unique(key, keep="any")
    known = known.with_columns(pl.col(key).alias("item"))
    if item.called and item.called != "description":
        known = known.with_columns(pl.col(item.called).alias("description"))
    lacking = {"unit", "description"} - set(known.columns)
    known = known.with_columns(pl.lit(None, pl.String).alias(name) for name in lacking)
    known = known.drop(set(known.columns) & set(rows.columns) - {"item"})
    left = rows.drop(set(SUMS) & set(rows.columns) - {"value"})
    return left.join(known, on="item", how="left", maintain_order="left")


def _with_item_codes(asked: StockQuestion, item: Record, state: SystemState) -> tuple[StockQuestion, list[str]]:
    """The question with the items' own codes, and by which other codes they were found.
    An item that never moved is no error.
    """
    found = [(code, which_row(item, code, state)) for code in asked.items]
    remarks = [f"{meant.code} found by {meant.how}: {code}" for code, meant in found if meant.how]
    return replace(asked, items=tuple(meant.code for _, meant in found)), remarks
