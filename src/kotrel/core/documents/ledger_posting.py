"""What documents post to the ledger: quantities in the base unit, values, and average cost for what goes out.

Sources of the rules: a line's value is its quantity times its unit cost as entered; average cost after a receipt = (on
hand × average + received × cost) ÷ (on hand + received), which the sums of quantity and value give by themselves; what
goes out goes at the average, and the last piece takes the rest of the value with it.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

import polars as pl
from msgspec import Struct, field

from kotrel.core.columns import ROW, decimal_type
from kotrel.core.documents.document_tables import PART, DocumentTables, plain_quantity
from kotrel.core.phrases import listed
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.stock.sums import PLACE, VALUE_DECIMALS, LedgerQuery, Sums, average, decimal_series, half_away

MOVEMENT = ("kind", "document", "line", "part", "counts_as", "date", "item", "warehouse", "bin", "lot", "serial", "expires_on",
            "order", "quantity", "value")  # fmt: skip

ZERO = Decimal(0)


class Posted(Struct, frozen=True):
    """What a load posts.

    Attributes:
        movements: :data:`PART`, ``ROW`` and :data:`MOVEMENT` (``quantity`` and ``value`` Decimals, the others String).
        findings: what cannot be posted, each with the part of the load it belongs to.
    """

    movements: pl.DataFrame
    findings: list[tuple[int, FindingGroup]] = field(default_factory=list)


def post(whole: DocumentTables, sums: Sums, below_zero: bool, later: pl.DataFrame | None = None) -> Posted:
    """The movements of all documents of one family, in the order of the sheet.

    Args:
        sums: the system's ledger sums (see :meth:`kotrel.systems.interface.Reading.ledger_sums`).
        below_zero: True where stock may go below zero.
        later: movements of the same load that are posted before, or None.
    """
    pieces = _pieces(whole)
    if not pieces.height:
        return Posted(_empty())
    effect = whole.family.header.effect
    if effect == "none":
        counts_as = whole.family.header.counts_as
        return Posted(_movements(whole, pieces, counts_as) if counts_as else _empty())
    worth: list[tuple[int, FindingGroup]] = []
    simple = effect == "in" and bool((pieces["in base"] >= 0).all()) and not pieces["value"].null_count()
    if not simple:
        pieces, worth = _valued(whole, pieces, sums, later)
    movements = _movements(whole, pieces, "on hand")
    if not below_zero and not simple:
        worth += _below_zero(whole, movements, sums, later)
    return Posted(movements, worth)


def _empty() -> pl.DataFrame:
    decimals = {"quantity": decimal_type(), "value": decimal_type()}
    return pl.DataFrame(schema={PART: pl.Int32, ROW: pl.UInt32, **dict.fromkeys(MOVEMENT, pl.String), **decimals})


def _pieces(whole: DocumentTables) -> pl.DataFrame:
    """The lots of each line, or the line itself: ``in base`` and ``value`` as entered (blank without a cost)."""
    lines = whole.lines.filter(~pl.col("has error") & pl.col("item").is_not_null()).with_row_index("nth line")
    if "quantity" in whole.family.lines.fields:
        lines = lines.filter(pl.col("in base").is_not_null())
    for name in ("lot", "serial", "expires_on"):
        lines = lines.with_columns(pl.lit(None, pl.String).alias(name)) if name not in lines.columns else lines
    keep = [
        "nth line",
        PART,
        ROW,
        "document",
        "line",
        "date",
        "item",
        "warehouse",
        "bin",
        "to_warehouse",
        "to_bin",
        "lot",
        "serial",
        "expires_on",
        "number",
        "in base",
        "factor",
        "unit cost",
        "item cost",
    ]
    lines = lines.with_columns(
        pl.lit(None, pl.String).alias(name) for name in keep if name not in lines.columns
    ).select(keep)
    if whole.lots.height:
        lots = whole.lots.filter(~pl.col("has error")).select(
            "document",
            "line",
            pl.col("lot").alias("of lot"),
            pl.col("serial").alias("of serial"),
            pl.col("expires_on").alias("of expiry"),
            pl.col("number").alias("of number"),
        )
        lines = lines.join(lots, on=["document", "line"], how="left", maintain_order="left_right")
        lines = lines.with_columns(
            pl.coalesce("of lot", "lot").alias("lot"),
            pl.coalesce("of serial", "serial").alias("serial"),
            pl.coalesce("of expiry", "expires_on").alias("expires_on"),
            pl.coalesce("of number", "number").alias("number"),
        ).with_columns((pl.col("number") * pl.col("factor")).alias("in base"))
    # The parts of a line are rounded so that they add up to the line's value.
    exact_value = pl.col("number") * pl.col("unit cost")
    up_to = exact_value.cum_sum().over("nth line").round(VALUE_DECIMALS, mode="half_away_from_zero")
    return lines.with_columns(up_to.alias("up to")).with_columns(
        (pl.col("up to") - pl.col("up to").shift(1).over("nth line").fill_null(0)).alias("value"),
        pl.int_range(1, pl.len() + 1).over("nth line").alias("piece"),
    )


def _worth_of(quantity: Decimal, on_hand: Decimal, worth: Decimal, item_cost: str | None) -> Decimal | None:
    """What a quantity is worth at the average of what is on hand, else at the item's cost; None where there is neither.

    What takes all away takes its whole value: no rest of rounding stays at an item that is no longer there.
    """
    if quantity < 0 and -quantity == on_hand:
        return -worth
    unit_worth = average(on_hand, worth)
    if unit_worth is None and item_cost is not None:
        unit_worth = Decimal(item_cost)
    return None if unit_worth is None else half_away(quantity * unit_worth, VALUE_DECIMALS)


def _valued(
    whole: DocumentTables, pieces: pl.DataFrame, sums: Sums, later: pl.DataFrame | None
) -> tuple[pl.DataFrame, list[tuple[int, FindingGroup]]]:
    """The pieces with the value of what goes out, moves or is valued anew.
    Each depends on those before, so row by row.
    """
    effect = whole.family.header.effect
    stands = _standing(pieces, sums, later)
    quantities: list[Decimal] = []
    values: list[Decimal] = []
    lost: list[int] = []
    empty: list[int] = []
    rows = pieces.select("item", "in base", "value", "unit cost", "item cost").iter_rows()
    for index, (item, given, value, cost, item_cost) in enumerate(rows):
        on_hand, worth = stands.get(item, (ZERO, ZERO))
        quantity = given if given is not None else ZERO
        if effect in ("out", "move"):
            quantity = -quantity
        if effect == "revalue":
            if on_hand <= 0:
                empty.append(index)
            worth_now = half_away(on_hand * cost, VALUE_DECIMALS) - worth if cost is not None else ZERO
        elif quantity >= 0 and value is not None and effect == "in":
            worth_now = value
        else:
            known = _worth_of(quantity, on_hand, worth, item_cost)
            if known is None and quantity:
                lost.append(index)
            worth_now = known or ZERO
        quantities.append(quantity)
        values.append(worth_now)
        if effect != "move":
            stands[item] = (on_hand + quantity, worth + worth_now)
    done = pieces.with_columns(decimal_series("in base", quantities, 12), decimal_series("value", values, 12))
    return done, _about_values(whole, pieces, lost, empty)


def _standing(pieces: pl.DataFrame, sums: Sums, later: pl.DataFrame | None) -> dict[str, tuple[Decimal, Decimal]]:
    """Item → what is on hand of it, and its value, with what other documents of the load have moved."""
    held = sums(LedgerQuery(["item"], [("item", pieces["item"].unique())]))
    stands = {
        item: (Decimal(quantity), Decimal(value))
        for item, quantity, value in held.select("item", "quantity", "value").iter_rows()
    }
    moved = on_hand_only(later)
    if moved is not None:
        for item, quantity, value in moved.select("item", "quantity", "value").iter_rows():
            on_hand, worth = stands.get(item, (ZERO, ZERO))
            stands[item] = (on_hand + quantity, worth + value)
    return stands


def _about_values(
    whole: DocumentTables, pieces: pl.DataFrame, lost: Sequence[int], empty: Sequence[int]
) -> list[tuple[int, FindingGroup]]:
    """What is wrong with the values of pieces.

    Args:
        lost: pieces for which there is no cost; ``empty``: those to revalue of which nothing is on hand.
    """
    findings: list[tuple[int, FindingGroup]] = []
    if lost:
        bad = pieces[lost].unique([PART, ROW], keep="first", maintain_order=True)
        message = "nothing is on hand and the item has no cost: give a unit cost, or load the item's cost first"
        field_name = "cost" if "cost" in whole.family.lines.fields else "item"
        findings = whole.findings("error", "cost-needed", "no cost to post at", field_name, bad, [message] * bad.height)
    if empty:
        bad = pieces[empty]
        message = "nothing is on hand, so there is nothing to revalue"
        findings += whole.findings("error", "nothing-on-hand", "nothing on hand", "item", bad, [message] * bad.height)
    if "cost" in whole.family.lines.fields and whole.family.header.effect == "in":
        unused = pieces.filter((pl.col("in base") < 0) & pl.col("unit cost").is_not_null())
        unused = unused.unique([PART, ROW], keep="first", maintain_order=True)
        if unused.height:
            message = "stock leaves at average cost: this cost is not used"
            findings += whole.findings(
                "warning", "cost-not-used", "a cost that is not used", "cost", unused, [message] * unused.height
            )
    return findings


def _movements(whole: DocumentTables, pieces: pl.DataFrame, counts_as: str) -> pl.DataFrame:
    """The pieces as movements; what moves goes out at one place and in at another, at the same value."""
    columns = [
        pl.lit(whole.family.header.name).alias("kind"),
        pl.col("document"),
        pl.col("line"),
        pl.lit(counts_as).alias("counts_as"),
        pl.col("date"),
        pl.col("item"),
        pl.col("lot"),
        pl.col("serial"),
        pl.col("expires_on"),
        (pl.lit(None, pl.String) if counts_as == "on hand" else pl.col("document")).alias("order"),
    ]
    scale = decimal_type()
    value = pl.col("value").fill_null(0).cast(scale) if counts_as == "on hand" else pl.lit(0).cast(scale)

    def side(warehouse: str, bin_: str, sign: int, part: pl.Expr) -> pl.DataFrame:
        return pieces.select(
            PART,
            ROW,
            *columns,
            pl.col(warehouse).alias("warehouse"),
            pl.col(bin_).alias("bin"),
            (pl.col("in base").fill_null(0).cast(scale) * sign).cast(scale).alias("quantity"),
            (value * sign).cast(scale).alias("value"),
            part.cast(pl.String).alias("part"),
        ).select(PART, ROW, *MOVEMENT)

    piece = pl.col("piece")
    if whole.family.header.effect != "move":
        moved = side("warehouse", "bin", 1, piece)
        return moved.filter((pl.col("quantity") != 0) | (pl.col("value") != 0))
    both = [side("warehouse", "bin", 1, piece * 2 - 1), side("to_warehouse", "to_bin", -1, piece * 2)]
    return pl.concat(both).sort(PART, ROW, maintain_order=True)


def _below_zero(
    whole: DocumentTables, movements: pl.DataFrame, sums: Sums, later: pl.DataFrame | None
) -> list[tuple[int, FindingGroup]]:
    """Places that would hold less than nothing on the day of the document or after it,
    at the rows that take from them.
    """
    days = _running(movements, sums, later)
    short = days.filter((pl.col("balance") < 0) & (pl.col("changed") < 0))
    short = short.unique(list(PLACE), keep="first", maintain_order=True)
    if not short.height:
        return []
    out = (
        movements.filter(pl.col("quantity") < 0)
        .drop("quantity")
        .join(short, on=list(PLACE), how="inner", nulls_equal=True, maintain_order="left")
    )
    out = out.unique([PART, ROW], keep="first", maintain_order=True)
    takers = _takers(short, sums)

    def said(row: dict[str, Any]) -> str:
        place, change = place_name(row), plain_quantity(-row["changed"])
        # A day that is missing or could not be read counts as the first of the load.
        if row["date"] is None or row["day"] <= row["date"]:
            has = plain_quantity(row["balance"] - row["changed"])
            more = (
                f" on {row['date'] or row['day']} ({plain_quantity(row['at the end'])} with what is dated later)"
                if row["at the end"] != row["balance"] - row["changed"]
                else ""
            )
            return f"{place} holds {has}{more}, and {change} would go out"
        whose = takers.get((*(row[name] for name in PLACE), row["day"]), [])
        named = f": {listed(whose, 3)} takes stock out that day" if whose else ""
        return f"{place} would hold {plain_quantity(row['balance'])} on {row['day']}, after {change} go out{named}"

    messages = [said(row) for row in out.iter_rows(named=True)]
    field_name = "quantity" if "quantity" in whole.family.lines.fields else "item"
    return whole.findings("error", "below-zero", "more than is on hand", field_name, out, messages)


def _running(movements: pl.DataFrame, sums: Sums, later: pl.DataFrame | None) -> pl.DataFrame:
    """What places that something is taken from hold, day by day: :data:`PLACE`, ``day``, ``balance`` (with the
    movements), ``changed`` (by the movements until then) and ``at the end`` (without them, all days). In the order of
    days.
    """
    number = decimal_type()
    first = movements["date"].min()
    start = str(first) if isinstance(first, str) else ""
    taken = movements.filter(pl.col("quantity") < 0).select(PLACE).unique()
    balances = places_before(movements, sums, later).rename({"on hand": "held"})
    future = (
        sums(LedgerQuery([*PLACE, "date"], [("item", movements["item"].unique())], since=_day_after(start)))
        if start
        else None
    )
    dated = movements.head(0).select(*PLACE, "date", "quantity")
    if future is not None and "date" in future.columns:
        missing = [pl.lit(None, pl.String).alias(name) for name in PLACE if name not in future.columns]
        after = future.with_columns(missing).filter(pl.col("date") > start)
        dated = after.select(*PLACE, "date", pl.col("quantity").cast(number))
    own = on_hand_only(later)
    if own is not None and own.height:
        dated = pl.concat(
            [dated, own.filter(pl.col("date") > start).select(*PLACE, "date", pl.col("quantity").cast(number))]
        )
    coming = dated.group_by(PLACE).agg(pl.col("quantity").sum().alias("coming"))
    begins = taken.join(balances, on=list(PLACE), how="left", nulls_equal=True)
    begins = begins.join(coming, on=list(PLACE), how="left", nulls_equal=True).with_columns(
        pl.col("held").fill_null(0).cast(number), pl.col("coming").fill_null(0).cast(number)
    )
    steps = pl.concat(
        [
            begins.select(
                *PLACE,
                pl.lit(start).alias("day"),
                (pl.col("held") - pl.col("coming")).alias("step"),
                pl.lit(0).cast(number).alias("mine"),
            ),
            dated.select(
                *PLACE,
                pl.col("date").alias("day"),
                pl.col("quantity").cast(number).alias("step"),
                pl.lit(0).cast(number).alias("mine"),
            ),
            movements.select(
                *PLACE,
                pl.col("date").fill_null(start).alias("day"),
                pl.lit(0).cast(number).alias("step"),
                pl.col("quantity").alias("mine"),
            ),
        ]
    )
    steps = steps.join(taken, on=list(PLACE), how="semi", nulls_equal=True)
    by_day = steps.group_by(*PLACE, "day").agg(pl.col("step").sum(), pl.col("mine").sum()).sort("day")
    return by_day.select(
        *PLACE,
        "day",
        (pl.col("step") + pl.col("mine")).cum_sum().over(list(PLACE)).alias("balance"),
        pl.col("mine").cum_sum().over(list(PLACE)).alias("changed"),
        pl.col("step").sum().over(list(PLACE)).alias("at the end"),
    )


def _day_after(day: str) -> str:
    return (date.fromisoformat(day) + timedelta(days=1)).isoformat()


def _takers(short: pl.DataFrame, sums: Sums) -> dict[tuple[str | None, ...], list[str]]:
    """Place and day → the documents of the system that take from it then."""
    found = sums(LedgerQuery([*PLACE, "date", "document"], [("item", short["item"].unique())]))
    if "date" not in found.columns or "document" not in found.columns:
        return {}
    out = found.filter(pl.col("quantity").cast(decimal_type()) < 0)
    named: dict[tuple[str | None, ...], list[str]] = {}
    for row in out.iter_rows(named=True):
        named.setdefault((*(row.get(name) for name in PLACE), row["date"]), []).append(str(row["document"]))
    return named


def on_hand_only(movements: pl.DataFrame | None) -> pl.DataFrame | None:
    """Movements without those that only reserve or are on order.

    Args:
        movements: the columns of the ledger, ``counts_as`` (String) among them.
    """
    return movements.filter(pl.col("counts_as") == "on hand") if movements is not None else None


def places_before(movements: pl.DataFrame, sums: Sums, later: pl.DataFrame | None = None) -> pl.DataFrame:
    """:data:`PLACE` and ``on hand`` (Decimal) of the items that move."""
    balances = sums(LedgerQuery(list(PLACE), [("item", movements["item"].unique())]))
    names = [name for name in PLACE if name in balances.columns]
    balances = balances.select(
        *names,
        *(pl.lit(None, pl.String).alias(name) for name in PLACE if name not in names),
        pl.col("quantity").cast(decimal_type()).alias("on hand"),
    ).select(*PLACE, "on hand")
    later = on_hand_only(later)
    if later is not None and later.height:
        balances = pl.concat([balances, later.select(*PLACE, pl.col("quantity").alias("on hand"))])
    return balances.group_by(PLACE).agg(pl.col("on hand").sum())


def place_name(row: dict[str, object]) -> str:
    """A place in words: ``ROP-00120 in LOFT L-01-A, lot VM-2611``."""
    where = " ".join(str(row[name]) for name in ("warehouse", "bin") if row.get(name))
    what = ", ".join(
        f"{word} {row[name]}" for name, word in (("lot", "lot"), ("serial", "serial number")) if row.get(name)
    )
    return f"{row['item']}{f' in {where}' if where else ''}{f', {what}' if what else ''}"
