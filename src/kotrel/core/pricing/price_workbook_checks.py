"""Checks on a workbook of new prices that comes back: the guards, and whether the old prices still stand."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from msgspec import Struct

from kotrel.core.columns import ROW, decimal_type, worded
from kotrel.core.description.model import CURRENCY_FIELD
from kotrel.core.expressions.kinds import exact
from kotrel.core.pricing.guards import guarded, price_text
from kotrel.core.pricing.price_rules import OWN_PRICES, PriceRules
from kotrel.core.pricing.prices_in_force import BREAK, PRICE, base_units, in_force
from kotrel.core.pricing.rates import Rates, exchanged
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState


class PriceBook(Struct, frozen=True):
    """What is known of a workbook of new prices besides its rows.

    Attributes:
        rules: by which the prices were worked out.
        old: field → the column with the price that it was worked out from.
    """

    rules: PriceRules
    old: dict[str, str]


def check_book(parts: Sequence[tuple[Rows, PriceBook | None]], state: SystemState) -> list[list[FindingGroup]]:
    """For each sheet of one record its findings; none for sheets that are not of such a workbook."""
    findings: list[list[FindingGroup]] = [[] for _ in parts]
    record = parts[0][0].record.name
    if record not in ("price", "item"):
        return findings
    # Workbooks of other rules in the same load have guards of their own.
    by_rules: dict[str, list[tuple[int, Rows, PriceBook]]] = {}
    for index, (rows, book) in enumerate(parts):
        if book is not None:
            by_rules.setdefault(book.rules.name, []).append((index, rows, book))
    for books in by_rules.values():
        rules = books[0][2].rules
        frames = [
            (_listed if record == "price" else _own_prices)(rows, book).with_columns(pl.lit(place).alias("part"))
            for place, rows, book in books
        ]
        frame = pl.concat(frames).filter(pl.col("new").is_not_null())
        if not frame.height:
            continue
        frame, standing = _against_system(frame, record, rules, state)
        compared = [code for pair in rules.guards.not_above for code in pair]
        currencies = _currencies(pl.Series([*frame["target"].unique(), *compared]).unique(), state)
        frame = _cost_in_list_currency(frame, currencies, rules.rates)
        for told in guarded(frame, standing, rules.guards, rules.outliers, currencies, rules.rates):
            where = frame.select("part", ROW, "field").with_row_index("place").join(told.rows, on="place")
            _tell(findings, parts, where, told.severity, told.kind, told.title)
        _tell_moved(findings, parts, frame)
    return findings


def _currencies(codes: pl.Series, state: SystemState) -> dict[str, str]:
    """Price list → its currency, also of lists that come with the load; an empty text for the workspace's."""
    about = state.description.records.get("price_list")
    if about is None or CURRENCY_FIELD not in about.fields:
        return {}
    fields = ["code", CURRENCY_FIELD]
    there = [state.having(about, fields, "code", codes).select(fields), state.coming(about, fields).select(fields)]
    return {code: currency or "" for code, currency in pl.concat(there).drop_nulls("code").iter_rows()}


def _cost_in_list_currency(frame: pl.DataFrame, currencies: dict[str, str], rates: Rates) -> pl.DataFrame:
    """The frame with the cost as its list counts; blank where there is no rate,
    which was reported when the prices were calculated.
    """
    own = pl.coalesce("own currency", pl.lit(rates.home))
    listed = {code: currency or rates.home for code, currency in currencies.items()}
    target = pl.coalesce(pl.col("target").replace_strict(listed, default=None, return_dtype=pl.String), own)
    return frame.with_columns(exchanged(frame, pl.col("cost"), own, target, rates, None).alias("cost"))


def _listed(rows: Rows, book: PriceBook) -> pl.DataFrame:
    """The rows of a price list as the guards want them."""
    values = rows.values
    missing = [name for name in (*PRICE, "amount") if name not in values.columns]
    return _with_old(
        rows,
        book,
        "amount",
        values.with_columns(pl.lit(None, pl.String).alias(name) for name in missing).select(
            ROW,
            pl.col("price_list").alias("target"),
            "item",
            "unit",
            pl.col("from_quantity").cast(decimal_type(), strict=False).fill_null(exact(0)),
            "from_date",
            pl.col("amount").cast(decimal_type(), strict=False).alias("new"),
        ),
    )


def _own_prices(rows: Rows, book: PriceBook) -> pl.DataFrame:
    """The items' own prices as the guards want them."""
    frames = [
        _with_old(
            rows,
            book,
            name,
            rows.values.select(
                ROW,
                pl.lit(name).alias("target"),
                pl.col("code").alias("item"),
                pl.lit(None, pl.String).alias("unit"),
                exact(0).alias("from_quantity"),
                pl.lit(None, pl.String).alias("from_date"),
                pl.col(name).cast(decimal_type(), strict=False).alias("new"),
            ),
        )
        for name in OWN_PRICES
        if name in rows.fields
    ]
    empty = _listed_schema()
    return pl.concat(frames) if frames else pl.DataFrame(schema=empty)


def _listed_schema() -> dict[str, pl.DataType | type[pl.DataType]]:
    texts = dict.fromkeys(("target", "item", "unit"), pl.String)
    return {
        ROW: pl.UInt32,
        **texts,
        "from_quantity": decimal_type(),
        "from_date": pl.String,
        "new": decimal_type(),
        "field": pl.String,
        "told old": decimal_type(),
        "has old": pl.Boolean,
    }


def _with_old(rows: Rows, book: PriceBook, field: str, frame: pl.DataFrame) -> pl.DataFrame:
    letter = book.old.get(field)
    has = letter is not None and letter in rows.table.cells.columns
    old = pl.col(letter) if letter is not None and has else pl.lit(None, pl.String)
    cells = rows.table.cells.select(ROW, old.alias("told old"))
    joined = frame.join(cells, on=ROW, how="left", maintain_order="left")
    return joined.with_columns(
        pl.lit(field).alias("field"),
        pl.col("told old").cast(decimal_type(), strict=False),
        pl.lit(has).alias("has old"),
    ).select(list(_listed_schema()))


def _factors(codes: pl.Series, state: SystemState) -> pl.DataFrame:
    """``item``, ``unit`` and ``factor`` (String) of the items' other units."""
    names = ["item", "unit", "factor"]
    conversions = state.description.conversions
    if conversions is None:
        return pl.DataFrame(schema=dict.fromkeys(names, pl.String))
    return state.having(conversions, names, "item", codes)


def _against_system(
    frame: pl.DataFrame, record: str, rules: PriceRules, state: SystemState
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The frame with ``old``, ``cost`` and ``group``; and the prices in force of its items."""
    about = state.description.records["item"]
    wanted = dict.fromkeys(("code", "unit", CURRENCY_FIELD, *OWN_PRICES, rules.outliers.by))
    fields = [name for name in wanted if name in about.fields]
    codes = frame["item"].drop_nulls().unique()
    held_items = state.having(about, fields, "code", codes).unique("code", keep="any")
    blank = pl.lit(None, pl.String)
    own_prices = {name: pl.col(name) if name in fields else blank for name in OWN_PRICES}
    numbers = [expr.cast(decimal_type(), strict=False).alias(f"own {name}") for name, expr in own_prices.items()]
    group = (pl.col(rules.outliers.by) if rules.outliers.by in fields else blank).alias("group")
    currency = (pl.col(CURRENCY_FIELD) if CURRENCY_FIELD in fields else blank).alias("own currency")
    items = held_items.select(pl.col("code").alias("item"), *numbers, group, currency)
    frame = frame.join(items, on="item", how="left", maintain_order="left")
    if record == "item":
        names = [name for name in OWN_PRICES if name in fields]
        old = pl.coalesce(pl.when(pl.col("target") == name).then(f"own {name}") for name in names)
        new_cost = frame.filter(pl.col("target") == "cost").select("item", pl.col("new").alias("new cost"))
        frame = frame.join(new_cost.unique("item"), on="item", how="left", maintain_order="left")
        own = pl.when(pl.col("target") != "cost").then(pl.coalesce("new cost", "own cost"))
        return frame.with_columns(old.alias("old"), own.alias("cost")), _no_prices()
    prices = state.having(state.description.records["price"], PRICE, "item", codes)
    days = sorted(frame["from_date"].drop_nulls().unique())
    standing = [in_force(prices, day).with_columns(pl.lit(day).alias("day")) for day in days]
    standing_prices = (
        pl.concat(standing) if standing else _no_prices().with_columns(pl.lit(None, pl.String).alias("day"))
    )
    discounted = pl.col("amount").is_null().alias("is discount")
    before = standing_prices.select(*BREAK, pl.col("day").alias("from_date"), pl.col("amount").alias("old"), discounted)
    frame = frame.join(before, on=[*BREAK, "from_date"], how="left", maintain_order="left")
    # What a discount came to was calculated with the new prices, and is in the workbook.
    old = pl.when(pl.col("is discount").fill_null(False)).then("told old").otherwise("old").alias("old")
    frame = frame.with_columns(old).drop("is discount")
    coming = state.coming(about, ["code", "cost"]).select(
        pl.col("code").alias("item"), pl.col("cost").cast(decimal_type(), strict=False).alias("new cost")
    )
    factors = _factors(codes, state)
    frame = base_units(
        frame.join(coming.unique("item"), on="item", how="left", maintain_order="left"), held_items, factors
    )
    cost = pl.coalesce("new cost", "own cost") * pl.col("factor")
    last = (
        standing_prices.filter(pl.col("amount").is_not_null() & (pl.col("day") == days[-1]))
        if days
        else standing_prices
    )
    return frame.with_columns(cost.alias("cost")), last.select(*BREAK, "amount")


def _no_prices() -> pl.DataFrame:
    return pl.DataFrame(
        schema={**dict.fromkeys(BREAK[:3], pl.String), "from_quantity": decimal_type(), "amount": decimal_type()}
    )


def _tell_moved(
    findings: list[list[FindingGroup]], parts: Sequence[tuple[Rows, PriceBook | None]], frame: pl.DataFrame
) -> None:
    """Prices that somebody changed since the new ones were worked out from them."""
    now, told, new = pl.col("old"), pl.col("told old"), pl.col("new")
    stands = pl.col("has old") & now.ne_missing(told) & now.is_not_null() & (now != new)
    words = (
        pl.when(told.is_null())
        .then(worded("{} is in force now; there was no price when this one was calculated", price_text(now)))
        .otherwise(worded("it was calculated from {}, but {} is in force now", price_text(told), price_text(now)))
    )
    for severity, which in (("error", told.is_not_null()), ("warning", told.is_null())):
        moved = frame.filter(stands & which).select("part", ROW, "field", words.alias("message"))
        _tell(findings, parts, moved, severity, "price-moved", "the old price has changed since")


def _tell(
    findings: list[list[FindingGroup]],
    parts: Sequence[tuple[Rows, PriceBook | None]],
    told: pl.DataFrame,
    severity: str,
    kind: str,
    title: str,
) -> None:
    """Adds findings, each to its sheet: ``part``, ``ROW``, ``field``, ``message``."""
    for (part, field), cells in told.group_by("part", "field", maintain_order=True):
        rows = parts[int(str(part))][0]
        findings[int(str(part))] += rows.told(severity, kind, title, str(field), cells)  # type: ignore[arg-type]
