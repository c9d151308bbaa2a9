"""What a price list asks for one base unit of each of many items: its fixed prices, and its discounts.

The same prices as :func:`kotrel.core.pricing.effective.effective_price` finds for one item, without how they come
about.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type
from kotrel.core.description.model import Description, Record
from kotrel.core.expressions.exact import times, to_decimals
from kotrel.core.expressions.kinds import exact
from kotrel.core.pricing.effective_price import ListFacts
from kotrel.core.pricing.rates import NO_RATES, Rates
from kotrel.core.rows.system_state import Reader

LIST = ("code", "currency", "decimals", "off", "for_sale")
"""Fields of a price list."""
OF_ITEM = ("price_list", "item", "unit", "from_quantity", "from_date", "to_date", "amount", "discount_amount", "discount_percent")  # fmt: skip
"""Fields of a price."""
OF_CATEGORY = ("price_list", "category", "from_quantity", "from_date", "to_date", "discount_amount", "discount_percent")
"""Fields of a category's discount."""
_TERMS = ("amount", "discount_amount", "discount_percent")


def read_known(
    read: Reader, record: Record, fields: Sequence[str], among: tuple[str, pl.Series] | None = None
) -> pl.DataFrame:
    """Rows of a record with these fields, as String columns in canonical text; those that the system does not have are
    blank.
    """
    there = [name for name in fields if name in record.fields]
    blank = (pl.lit(None, pl.String).alias(name) for name in fields if name not in there)
    return read(record.name, there, among).with_columns(blank).select(fields)


def list_facts_of(lists: pl.DataFrame) -> dict[str, ListFacts]:
    """What there is to know of each price list.

    Args:
        lists: :data:`LIST` in canonical text.
    """
    return {
        code: ListFacts(code, currency or "", int(decimals or 2), off or "", for_sale != "no")
        for code, currency, decimals, off, for_sale in lists.select(LIST).iter_rows()
    }


class Book(Struct, frozen=True):
    """All that prices come from. Frames are String, in canonical text.

    Attributes:
        items: ``code``, ``unit``, ``category`` and ``price``, the standard price; each code once.
        standard_decimals: of the standard price.
        prices: :data:`OF_ITEM`; ``discounts``: :data:`OF_CATEGORY`.
        parents: category → the one above it, or None.
        day: ISO date.
        rates: for discounts off prices in another currency.
    """

    items: pl.DataFrame
    standard_decimals: int
    lists: Mapping[str, ListFacts]
    prices: pl.DataFrame
    discounts: pl.DataFrame
    parents: Mapping[str, str | None]
    day: str
    rates: Rates = NO_RATES


def book_of(items: pl.DataFrame, description: Description, read: Reader, day: str, rates: Rates) -> Book:
    """All that the prices of these items come from.

    Args:
        items: ``code``, ``unit``, ``category`` and ``price``; others are left out.
        day: ISO date.
    """
    items = items.select("code", "unit", "category", "price")
    prices = read_known(read, description.records["price"], OF_ITEM, ("item", items["code"]))
    discounts = pl.DataFrame(schema=dict.fromkeys(OF_CATEGORY, pl.String))
    if "category_discount" in description.records:
        discounts = read_known(read, description.records["category_discount"], OF_CATEGORY)
    category = description.records.get("category")
    parents = dict(read("category", ["code", category.path]).iter_rows()) if category and category.path else {}
    lists = list_facts_of(read_known(read, description.records["price_list"], LIST))
    standard = description.records["item"].fields.get("price")
    return Book(items, (standard.decimals if standard else None) or 0, lists, prices, discounts, parents, day, rates)


def list_prices(book: Book, code: str, above: tuple[str, ...] = ()) -> pl.Series:
    """The price of each item on a list, for one of its base unit: Decimal, null where the list has none.

    Args:
        above: the lists whose discounts are off this one; a list that leads back to itself has no such price.

    Raises:
        NoRate: a discount is off a price in another currency, and there is no rate.
    """
    about = book.lists[code]
    terms = _terms(book, code)
    amounts = terms["amount"]
    discounted = terms["is there"] & amounts.is_null()
    if discounted.any() and about.off not in (*above, code):
        basis = _in_currency(book, about, above, discounted)
        less = (
            pl.when(pl.col("discount_percent").is_not_null())
            .then(pl.col("basis") * (exact(1) - times(pl.col("discount_percent"), Fraction(1, 100))))
            .otherwise(pl.col("basis") - pl.col("discount_amount").fill_null(exact(0)))
        )
        amounts = terms.with_columns(basis.alias("basis")).select(less).to_series().zip_with(discounted, amounts)
    return _rounded(amounts, about.decimals)


def _in_currency(book: Book, about: ListFacts, above: tuple[str, ...], wanted: pl.Series) -> pl.Series:
    """What discounts are off, in the list's own currency.

    Args:
        wanted: where a discount is taken off; elsewhere no rate is needed.
    """
    off = book.lists.get(about.off)
    basis = list_prices(book, off.code, (*above, about.code)) if off is not None else _standard_prices(book)
    one, other = (each or book.rates.home for each in (off.currency if off is not None else "", about.currency))
    if one == other or basis.filter(wanted).null_count() == int(wanted.sum()):
        return basis
    rate = book.rates.between(one, other, f"{about.code}: its discounts are off {about.off or 'the standard price'}")
    return basis.to_frame("basis").select(times(pl.col("basis"), rate)).to_series()


def _standard_prices(book: Book) -> pl.Series:
    return _rounded(book.items["price"].cast(decimal_type()), book.standard_decimals)


def _rounded(prices: pl.Series, decimals: int) -> pl.Series:
    price = pl.col("price")
    none_below_zero = pl.when(price < exact(0)).then(exact(0)).otherwise(price).alias("price")
    return prices.to_frame("price").with_columns(none_below_zero).select(to_decimals(price, decimals)).to_series()


def _terms(book: Book, code: str) -> pl.DataFrame:
    """The row of the list that counts for each item, in the items' order: the item's own, or its nearest category's.

    Returns:
        :data:`_TERMS` (Decimal), and ``is there``.
    """
    list_terms = _in_force(book.prices, code, book.day).unique(["item", "unit"], keep="last", maintain_order=True)
    list_terms = list_terms.select(pl.col("item").alias("code"), "unit", *_TERMS, pl.lit(True).alias("own"))
    of_category = _in_force(book.discounts, code, book.day).unique("category", keep="last", maintain_order=True)
    nearest = _nearest(book, of_category)
    joined = book.items.select("code", "unit", "category").join(
        list_terms, on=["code", "unit"], how="left", maintain_order="left"
    )
    joined = joined.join(nearest, on="category", how="left", maintain_order="left", suffix=" of category")
    is_own = pl.col("own").is_not_null()
    return joined.select(
        pl.when(is_own).then("amount").alias("amount"),
        *(pl.when(is_own).then(name).otherwise(f"{name} of category").alias(name) for name in _TERMS[1:]),
        (is_own | pl.col("of category").is_not_null()).alias("is there"),
    )


def _in_force(rows: pl.DataFrame, code: str, day: str) -> pl.DataFrame:
    """The rows of a list for one unit on a day, the one that counts last."""
    current = rows.filter(
        (pl.col("price_list") == code)
        & (pl.col("from_date").is_null() | (pl.col("from_date") <= day))
        & (pl.col("to_date").is_null() | (pl.col("to_date") >= day))
    )
    numbers = current.with_columns(
        pl.col("from_quantity").cast(decimal_type(), strict=False).fill_null(exact(0)),
        *(pl.col(name).cast(decimal_type(), strict=False) for name in _TERMS if name in current.columns),
    )
    return numbers.filter(pl.col("from_quantity") <= exact(1)).sort("from_quantity", "from_date", nulls_last=False)


def _nearest(book: Book, rows: pl.DataFrame) -> pl.DataFrame:
    """Each category of the items → the terms of the nearest category, itself first, that has any."""
    categories = set(rows["category"])
    leads: dict[str, str | None] = {}
    for category in book.items["category"].drop_nulls().unique().to_list():
        passed: dict[str, None] = {}
        each: str | None = category
        while each and each not in passed and each not in leads and each not in categories:
            passed[each] = None
            each = book.parents.get(each)
        found = each if each in categories else leads.get(each or "")
        leads |= dict.fromkeys((*passed, category), found)
    frame = pl.DataFrame(
        {"category": list(leads), "leads to": list(leads.values())},
        schema_overrides=dict.fromkeys(("category", "leads to"), pl.String),
    )
    terms = rows.select(pl.col("category").alias("leads to"), *_TERMS[1:], pl.lit(True).alias("of category"))
    return (
        frame.drop_nulls()
        .join(terms, on="leads to", how="inner")
        .rename({name: f"{name} of category" for name in _TERMS[1:]})
        .drop("leads to")
    )
