"""One item, a customer, a unit, a quantity and a day → the price in force and how it comes about."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from decimal import Decimal, InvalidOperation

import polars as pl
from msgspec import Struct

from kotrel.core.description.model import CURRENCY_FIELD, Description
from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.phrases import listed_and
from kotrel.core.pricing.effective_price import Effective, ListFacts, PriceQuery, PriceRow, effective_price, price_on
from kotrel.core.pricing.list_prices import LIST, book_of, list_facts_of, list_prices, read_known
from kotrel.core.pricing.prices_in_force import BREAK, PRICE
from kotrel.core.pricing.rates import NoRate
from kotrel.core.resolving.other_codes import which_row
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import did_you_mean
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace

NEEDED = ("item", "price", "price_list")
"""Records without which nothing can be repriced."""
CUSTOMER_LIST = ("customer", "price_list", "place", "from_date", "to_date")
"""Fields of a price list that a customer has for a time; ``place`` orders them."""


class PriceLookup(Struct, frozen=True):
    """What the user asks for; blank where it is left out."""

    item: str
    customer: str | None
    unit: str | None
    quantity: Decimal
    day: date
    warehouse: str | None


class PriceFound(Struct, frozen=True):
    """The price, and for what it is, in full.

    Attributes:
        remarks: what one should know besides, such as that the item is archived.
    """

    asked: PriceLookup
    item: str
    description: str
    unit: str
    customer_name: str
    found: Effective
    remarks: tuple[str, ...]


def price_of(asked: PriceLookup, workspace: Workspace) -> PriceFound:
    """The price in force.

    Raises:
        WrongUse: the item, customer, unit or warehouse does not exist.
        NoRate: a discount is off a price in another currency, and there is no rate.
    """
    require_prices(workspace.description)
    with workspace.system().reading() as reading:
        return _Asker(asked, workspace, reading).answer()


def with_discounted(
    prices: pl.DataFrame, workspace: Workspace, reading: Reading, day: date
) -> tuple[pl.DataFrame, list[str]]:
    """Prices in force, with what discounts come to: as :func:`price_of` says it. A discount that comes to nothing is
    left out.

    Returns:
        The prices; and the lists whose discounts need a rate that is not known, in words.

    Args:
        prices: as :func:`kotrel.core.pricing.prices_in_force.in_force` gives them.
    """
    open_rows = prices.filter(pl.col("amount").is_null())
    if not open_rows.height:
        return prices, []
    remembered = _Remembered(reading)
    lacking: dict[str, str] = {}
    plain = _for_one_base_unit(open_rows, workspace, reading, day, lacking)
    amounts: list[Decimal | None] = []
    for code, item, unit, quantity in open_rows.select("target", "item", "unit", "from_quantity").iter_rows():
        if (code, item, unit) in plain and quantity <= 1:
            amounts.append(plain[code, item, unit])
            continue
        if code in lacking:
            amounts.append(None)
            continue
        asked = PriceLookup(item, None, unit, quantity or Decimal(1), day, None)
        try:
            amounts.append(_Asker(asked, workspace, remembered).on_list(code))  # type: ignore[arg-type]
        except NoRate as error:
            amounts.append(None)
            lacking[code] = f"{error.message}: its discounts count as no price"
    known = open_rows.with_columns(pl.Series("amount", amounts, dtype=prices.schema["amount"]))
    return pl.concat([prices.drop_nulls("amount"), known.drop_nulls("amount")]).sort(BREAK), list(lacking.values())


def _for_one_base_unit(
    rows: pl.DataFrame, workspace: Workspace, reading: Reading, day: date, lacking: dict[str, str]
) -> dict[tuple[str, str, str], Decimal | None]:
    """List, item and base unit → the price for one, of all items at a time;
    adds lists without a rate to ``lacking``.
    """
    description = workspace.description
    among = ("code", rows["item"].unique())
    items = read_known(reading.read, description.records["item"], ["code", "unit", "category", "price"], among).unique(
        "code", maintain_order=True
    )
    book = book_of(items, description, reading.read, day.isoformat(), workspace.rates)
    factors: dict[tuple[str, str, str], Decimal | None] = {}
    for code in rows["target"].unique(maintain_order=True):
        try:
            prices = list_prices(book, code)
        except NoRate as error:
            lacking[code] = f"{error.message}: its discounts count as no price"
            continue
        for (item, unit), price in zip(items.select("code", "unit").iter_rows(), prices, strict=True):
            factors[code, item, unit] = price
    return factors


class _Remembered:
    """A reading that reads each record once, for many questions."""

    def __init__(self, reading: Reading) -> None:
        self._reading = reading
        self._frames: dict[tuple[str, tuple[str, ...]], pl.DataFrame] = {}

    def read(
        self, record: str, fields: Sequence[str], among: tuple[str, pl.Series] | None = None, filled: str | None = None
    ) -> pl.DataFrame:
        """As :meth:`kotrel.systems.interface.Reading.read`."""
        names = tuple(dict.fromkeys((*fields, *([among[0]] if among else ()))))
        if (record, names) not in self._frames:
            self._frames[record, names] = self._reading.read(record, names)
        frame = self._frames[record, names]
        frame = frame.filter(pl.col(among[0]).is_in(among[1].implode())) if among else frame
        return (frame.filter(pl.col(filled).is_not_null()) if filled else frame).select(fields)


class _Asker:
    def __init__(self, asked: PriceLookup, workspace: Workspace, reading: Reading) -> None:
        self.asked = asked
        self.workspace = workspace
        self.records = workspace.description.records
        self.reading = reading
        self.remarks: list[str] = []

    def on_list(self, price_list: str) -> Decimal | None:
        """The price on one list, for sale or not."""
        return price_on(self._wanted(self.asked.item)[0], price_list)

    def answer(self) -> PriceFound:
        code = self._item_code()
        wanted, item = self._wanted(code)
        customer, assigned = self._customer(wanted.lists)
        answer = effective_price(wanted, assigned)
        unit = wanted.unit
        return PriceFound(self.asked, code, item.get("description") or "", unit, customer, answer, tuple(self.remarks))

    def _wanted(self, code: str) -> tuple[PriceQuery, dict[str, str | None]]:
        """What the price is calculated from, and what is known of the item."""
        fields = self.records["item"].fields
        wanted = [
            name
            for name in ("code", "description", "unit", "category", "price", "archived", CURRENCY_FIELD)
            if name in fields
        ]
        item = self._row("item", "code", code, wanted)
        if item.get("archived") == "yes":
            self.remarks.append("the item is archived")
        base = str(item["unit"])
        factors = {base: Decimal(1)}
        known = factors_of(self.reading, self.workspace.description, code)
        for unit, factor in known.filter(pl.col("item") == code).select("unit", "factor").iter_rows():
            factors.setdefault(unit, Decimal(factor))
        unit = self._one_of(self.asked.unit or base, factors, f"a unit of {code}")
        lists = list_facts_of(read_known(self.reading.read, self.records["price_list"], LIST))
        standard, source = self._standard_price(code, item)
        categories = list(self._path(item.get("category")))
        return PriceQuery(
            unit,
            base,
            self.asked.quantity,
            self.asked.day,
            factors,
            standard,
            (fields["price"].decimals if "price" in fields else None) or 0,
            source,
            categories,
            lists,
            [*self._prices(code), *self._discounts(categories)],
            item.get(CURRENCY_FIELD) or self.workspace.conventions.currency,
            self.workspace.rates,
        ), item

    def _read(self, record: str, fields: Sequence[str], name: str, value: str) -> pl.DataFrame:
        rows = self.reading.read(record, list(dict.fromkeys((*fields, name))), (name, pl.Series([value])))
        return rows.filter(pl.col(name) == value)

    def _row(self, record: str, name: str, value: str, fields: Sequence[str]) -> dict[str, str | None]:
        rows = self._read(record, fields, name, value)
        if not rows.height:
            codes = self.reading.read(record, [name])[name].to_list()
            title = self.records[record].title.lower()
            hint = did_you_mean(value, codes, f"kotrel export {record} lists what there is.")
            raise WrongUse(f"there is no {title} {value}", hint, "no-such-code")
        return dict(rows.row(0, named=True))

    def _item_code(self) -> str:
        """The item's code, from any of its codes."""
        which = which_row(
            self.records["item"], self.asked.item, SystemState(self.workspace.description, self.reading.read)
        )
        if which.how:
            self.remarks.append(f"found by {which.how}: {self.asked.item}")
        return which.code

    def _one_of(self, value: str, there: Mapping[str, object], what: str) -> str:
        if value not in there:
            raise WrongUse(f"{value} is not {what}", f"Its units are: {', '.join(there)}.", "no-such-code")
        return value

    def _customer(self, lists: Mapping[str, ListFacts]) -> tuple[str, list[str]]:
        """The customer's name, and the lists that count on the day, in their order."""
        code = self.asked.customer
        if code is None:
            return "", []
        if "customer" not in self.records:
            raise WrongUse("the system has no record customer", "Leave out --customer.", "no-such-code")
        fields = self.records["customer"].fields
        row = self._row(
            "customer", "code", code, [name for name in ("name", "price_list", "archived") if name in fields]
        )
        if row.get("archived") == "yes":
            self.remarks.append("the customer is archived")
        names: list[str] = []
        if self.workspace.description.has("customer_price_list", *CUSTOMER_LIST):
            on = self.asked.day.isoformat()
            rows = self._read("customer_price_list", list(CUSTOMER_LIST), "customer", code)
            rows = rows.filter((pl.col("from_date").fill_null("") <= on) & (pl.col("to_date").fill_null("9999") >= on))
            placed = rows.sort(pl.col("place").cast(pl.Int64, strict=False), "price_list", nulls_last=True)
            names = placed["price_list"].to_list()
        if row.get("price_list"):
            names.append(str(row["price_list"]))
        if not names:
            self.remarks.append("the customer has no price list on that day")
        return row.get("name") or "", [each for each in dict.fromkeys(names) if each in lists]

    def _standard_price(self, item: str, row: Mapping[str, str | None]) -> tuple[Decimal | None, str]:
        """The item's standard price, or that of the warehouse where it has one of its own."""
        warehouse = self.asked.warehouse
        if warehouse is not None:
            if not self.workspace.description.has("item_warehouse", "item", "warehouse", "price"):
                raise WrongUse("the system has no prices of warehouses", "Leave out --warehouse.", "no-prices")
            if "warehouse" in self.records:
                self._row("warehouse", "code", warehouse, ["code"])
            own = self._read("item_warehouse", ["warehouse", "price"], "item", item)
            own = own.filter((pl.col("warehouse") == warehouse) & pl.col("price").is_not_null())
            if own.height:
                return Decimal(own["price"][0]), f"of warehouse {warehouse}"
        return (Decimal(str(row["price"])), "of the item") if row.get("price") else (None, "")

    def _path(self, category: str | None) -> Iterator[str]:
        """The category and those above it."""
        parent = self.records["category"].path if "category" in self.records else None
        parents = dict(self.reading.read("category", ["code", parent]).iter_rows()) if parent else {}
        seen: set[str] = set()
        while category and category not in seen:
            seen.add(category)
            yield category
            category = parents.get(category)

    def _prices(self, item: str) -> Iterator[PriceRow]:
        rows = self._read("price", list(self.records["price"].fields), "item", item)
        yield from (_price_row(row) for row in rows.iter_rows(named=True))

    def _discounts(self, categories: Sequence[str]) -> Iterator[PriceRow]:
        if "category_discount" in self.records:
            for row in self.reading.read("category_discount", list(self.records["category_discount"].fields)).iter_rows(
                named=True
            ):
                if row["category"] in categories:
                    yield _price_row(row)


def _price_row(row: Mapping[str, str | None]) -> PriceRow:
    def number(name: str) -> Decimal | None:
        value = row.get(name)
        try:
            return None if value is None else Decimal(value)
        except InvalidOperation:
            raise _unread(row, name) from None

    def day(name: str) -> date | None:
        value = row.get(name)
        try:
            return None if value is None else date.fromisoformat(value)
        except ValueError:
            raise _unread(row, name) from None

    return PriceRow(
        str(row["price_list"]),
        row.get("unit") or "",
        number("from_quantity") or Decimal(0),
        day("from_date"),
        day("to_date"),
        number("amount"),
        number("discount_amount"),
        number("discount_percent"),
        row.get("category") or "",
    )


def _unread(row: Mapping[str, str | None], name: str) -> WrongData:
    price = " / ".join(filter(None, (row["price_list"], row.get("item"), row.get("category"), row.get("unit"))))
    return WrongData(
        f"the price {price} of the system has “{row.get(name)}” as its {name.replace('_', ' ')}, and Kotrel cannot read that",
        "Mend it in the system first: without it, nobody knows which price counts.",
        "not-a-value",
    )


def require_prices(description: Description) -> None:
    """Raises WrongUse where the system has no price lists, or they lack what prices need."""
    missing = [name for name in NEEDED if name not in description.records]
    if missing:
        raise WrongUse(
            f"the system has no record {' and '.join(missing)}, so there are no prices to work with",
            "system.toml has to describe items, price lists and prices.",
            "no-prices",
        )
    for record, fields in (
        ("item", ("code", "unit")),
        ("price_list", ("code", "currency", "decimals")),
        ("price", PRICE),
    ):
        if lacking := [name for name in fields if name not in description.records[record].fields]:
            raise WrongUse(
                f"the record {record} has no field {listed_and(lacking)}, which prices need",
                f"Describe it in system.toml: [record.{record}.field.{lacking[0]}].",
                "no-prices",
            )


def factors_of(reading: Reading, description: Description, item: str | None = None) -> pl.DataFrame:
    """``item``, ``unit``, ``factor`` (String) of all items, or at least of one."""
    if description.conversions is None:
        return pl.DataFrame(schema=dict.fromkeys(("item", "unit", "factor"), pl.String))
    among = None if item is None else ("item", pl.Series([item]))
    return reading.read("unit_conversion", ["item", "unit", "factor"], among)
