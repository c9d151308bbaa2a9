"""The price in force for an item, a customer, a unit and a quantity on a day, and how it comes about."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from decimal import ROUND_HALF_UP, Decimal

from msgspec import Struct, field

from kotrel.core.phrases import plain_number
from kotrel.core.pricing.rates import NO_RATES, Rates

STANDARD = "standard price"
_FINEST = Decimal("0.000001")
_EXACT = Decimal("1e-12")


class PriceRow(Struct, frozen=True):
    """A row of a price list: a fixed price, or a discount; for an item, or for all of a category.

    Attributes:
        unit: empty for a category's discount.
        category: empty for an item's own row.
        from_date, to_date: the first and last day, or None where it is open.
    """

    price_list: str
    unit: str
    from_quantity: Decimal
    from_date: date | None
    to_date: date | None
    amount: Decimal | None = None
    discount_amount: Decimal | None = None
    discount_percent: Decimal | None = None
    category: str = ""

    def in_force(self, day: date) -> bool:
        return (self.from_date or date.min) <= day <= (self.to_date or date.max)

    def __str__(self) -> str:
        what = self.category or self.unit
        since = f", since {self.from_date}" if self.from_date else ""
        return f"{what} from {plain_number(self.from_quantity)}{since}" + (
            f" until {self.to_date}" if self.to_date else ""
        )


class ListFacts(Struct, frozen=True):
    """A price list; ``off`` is the list that its discounts are off, or empty for the standard price."""

    code: str
    currency: str
    decimals: int
    off: str = ""
    for_sale: bool = True


class PriceQuery(Struct, frozen=True):
    """What a price is wanted for.

    Attributes:
        quantity: in ``unit``.
        factors: unit → base units in one of it; the base unit's own is 1.
        standard: the item's standard price for one base unit, or None; ``standard_decimals`` are its decimals.
        standard_source: where that is from, in words.
        categories: of the item, the nearest first.
        rows: of the lists, for this item and its categories.
        currency: of the standard price.
        rates: for discounts off a price in another currency.
    """

    unit: str
    base_unit: str
    quantity: Decimal
    day: date
    factors: Mapping[str, Decimal]
    standard: Decimal | None
    standard_decimals: int
    standard_source: str
    categories: Sequence[str]
    lists: Mapping[str, ListFacts]
    rows: Sequence[PriceRow]
    currency: str
    rates: Rates = NO_RATES


class PriceStep(Struct, frozen=True):
    """One step of how a price comes about: the list, its row in words (or empty), and what it gave."""

    price_list: str
    row: str
    what: str


class Effective(Struct):
    """The price for one of the unit, or None where there is none; and how it came about."""

    price: Decimal | None = None
    currency: str = ""
    lines: list[PriceStep] = field(default_factory=list)


def effective_price(wanted: PriceQuery, lists: Sequence[str]) -> Effective:
    """The first of the lists that has a price in force; else the standard price.

    Args:
        lists: codes of the customer's lists, in the order in which they count.

    Raises:
        NoRate: a discount is off a price in another currency, and there is no rate.
    """
    effective = Effective()
    for code in lists:
        about = wanted.lists[code]
        if not about.for_sale:
            effective.lines.append(PriceStep(code, "", "its prices are not for sale"))
            continue
        lines: list[PriceStep] = []
        price = _in_list(wanted, about, lines, ())
        effective.lines += lines
        if price is not None:
            effective.price, effective.currency = price, about.currency or wanted.currency
            return effective
    effective.price = _standard_price(wanted, effective.lines)
    effective.currency = wanted.currency
    return effective


def price_on(wanted: PriceQuery, code: str) -> Decimal | None:
    """The price on one list, whether or not it is for sale; None where the list has none."""
    return _in_list(wanted, wanted.lists[code], [], ())


def _in_list(wanted: PriceQuery, about: ListFacts, lines: list[PriceStep], above: tuple[str, ...]) -> Decimal | None:
    row = _row_of(wanted, about.code)
    if row is None:
        lines.append(
            PriceStep(about.code, "", f"no price for {plain_number(wanted.quantity)} {wanted.unit} on {wanted.day}")
        )
        return None
    # A row for another unit, or for a category, is for one base unit.
    times = Decimal(1) if row.unit == wanted.unit else wanted.factors[wanted.unit]
    if row.amount is not None:
        price = row.amount * times
        lines.append(PriceStep(about.code, str(row), _times(row.amount, times, row.unit, wanted.unit)))
    else:
        off = wanted.lists.get(about.off)
        if off is not None and off.code in (*above, about.code):
            lines.append(PriceStep(about.code, str(row), "its discounts refer back to the list itself"))
            return None
        what = f"{_show_discount(row)} off {about.off or 'the standard price'}"
        lines.append(PriceStep(about.code, str(row), what))
        basis = _standard_price(wanted, lines) if off is None else _in_list(wanted, off, lines, (*above, about.code))
        if basis is None:
            lines.append(
                PriceStep(
                    about.code, "", f"{about.off or 'the standard price'} has no price, so there is nothing to discount"
                )
            )
            return None
        basis = _in_currency(wanted, about, off, basis, lines)
        less = _show_discount(row)
        if row.discount_percent is not None:
            price = basis * (100 - row.discount_percent) / 100
        else:
            off_each = row.discount_amount or Decimal(0)
            price = basis - off_each * times
            if times != 1:
                less = f"{less} × {plain_number(times)}, which is {plain_number(off_each * times, 2)},"
        lines.append(PriceStep(about.code, "", f"{_show_amount(basis)} less {less} is {_show_amount(price)}"))
    return _to_decimals(price, about.decimals, about.code, lines)


def _in_currency(
    wanted: PriceQuery, about: ListFacts, off: ListFacts | None, basis: Decimal, lines: list[PriceStep]
) -> Decimal:
    """What discounts are off, in the list's own currency; a step of its own where that is another."""
    one, other = (off.currency if off else wanted.currency) or wanted.rates.home, about.currency or wanted.rates.home
    if one == other:
        return basis
    rate = wanted.rates.between(one, other, f"{about.code}: its discounts are off {about.off or 'the standard price'}")
    # As exact as the columns of many prices: 12 decimals.
    exchanged = (basis * rate.numerator / rate.denominator).quantize(_EXACT, ROUND_HALF_UP)
    lines.append(PriceStep(about.code, "", f"{_show_amount(basis)} {one} is {_show_amount(exchanged)} {other}"))
    return exchanged


def _show_amount(amount: Decimal) -> str:
    """An amount on the way, without the tail of a division."""
    return plain_number(amount.quantize(_FINEST, ROUND_HALF_UP), 2)


def _row_of(wanted: PriceQuery, code: str) -> PriceRow | None:
    """The row that counts: of the same unit, else of the base unit, else of the nearest category."""
    in_force = [row for row in wanted.rows if row.price_list == code and row.in_force(wanted.day)]
    in_base = wanted.quantity * wanted.factors[wanted.unit]
    places = [
        ("", wanted.unit, wanted.quantity),
        ("", wanted.base_unit, in_base),
        *((category, None, in_base) for category in wanted.categories),
    ]
    found = (_of_quantity(in_force, category, unit, quantity) for category, unit, quantity in places)
    return next((row for row in found if row is not None), None)


def _of_quantity(rows: Sequence[PriceRow], category: str, unit: str | None, quantity: Decimal) -> PriceRow | None:
    """Of the rows for a category, or for the item in a unit where it is empty: the one with the highest break that the
    quantity reaches; of several, the latest.
    """
    fitting = [
        row
        for row in rows
        if (row.category or "") == category and unit in (None, row.unit) and row.from_quantity <= quantity
    ]
    return max(fitting, key=lambda row: (row.from_quantity, row.from_date or date.min), default=None)


def _standard_price(wanted: PriceQuery, lines: list[PriceStep]) -> Decimal | None:
    if wanted.standard is None:
        lines.append(PriceStep(STANDARD, "", "none"))
        return None
    times = wanted.factors[wanted.unit]
    what = _times(wanted.standard, times, wanted.base_unit, wanted.unit)
    lines.append(PriceStep(STANDARD, wanted.standard_source, what))
    return _to_decimals(wanted.standard * times, wanted.standard_decimals, STANDARD, lines)


def _to_decimals(price: Decimal, decimals: int, code: str, lines: list[PriceStep]) -> Decimal:
    """A price to its list's decimals, half away from zero; a step of its own where that changes it."""
    rounded = max(price, Decimal(0)).quantize(Decimal(1).scaleb(-decimals), ROUND_HALF_UP)
    if price < 0:
        lines.append(PriceStep(code, "", f"{_show_amount(price)} is below zero, so it is {rounded}"))
    elif rounded != price:
        lines.append(PriceStep(code, "", f"{_show_amount(price)} is {rounded} with {decimals} decimals"))
    return rounded


def _show_discount(row: PriceRow) -> str:
    return (
        f"{plain_number(row.discount_percent)} %"
        if row.discount_percent is not None
        else plain_number(row.discount_amount or Decimal(0), 2)
    )


def _times(amount: Decimal, times: Decimal, unit: str, wanted: str) -> str:
    if times == 1:
        return plain_number(amount, 2)
    return f"{plain_number(amount, 2)} for 1 {unit} × {plain_number(times)} is {plain_number(amount * times, 2)} for 1 {wanted}"
