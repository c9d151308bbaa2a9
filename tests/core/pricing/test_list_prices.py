"""Prices of whole lists are the prices that each item has for itself."""

import unittest
from datetime import date
from decimal import Decimal

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.pricing.effective_price import ListFacts, PriceQuery, PriceRow, effective_price
from kotrel.core.pricing.list_prices import OF_CATEGORY, OF_ITEM, Book, list_prices
from kotrel.core.pricing.rates import Rates

DAY = "2026-06-01"
RATES = Rates("EUR", {"USD": Decimal("0.92"), "XTS": Decimal("0.08")})
LISTS = ("SHOP", "YARD", "FLEET")
ITEMS = {"A": ("M", ["BRAID", "ROPE"]), "B": ("EA", ["ROPE"]), "C": ("EA", [])}
PARENTS = {"BRAID": "ROPE", "ROPE": None}
AMOUNT = st.decimals("0", "99.9999", places=4).map(str)
DISCOUNT = st.fixed_dictionaries({"discount_amount": AMOUNT}) | st.fixed_dictionaries(
    {"discount_percent": st.decimals("0", "100", places=3).map(str)}
)
FIRST, LAST = (st.sampled_from([None, "2026-01-01", DAY, "2026-06-02"]) for _ in range(2))


def rows(of, terms):
    """Up to six rows, with no key twice: list, what for, unit, quantity, first day, last day, terms."""
    key = (st.sampled_from(LISTS), st.sampled_from(of), st.sampled_from(["M", "EA"]), st.sampled_from(["0", "1", "2"]), FIRST)  # fmt: skip
    with_unit = of == list(ITEMS)

    def key_of(row):
        return row[0], row[1], with_unit and row[2], row[3], row[4]

    return st.lists(st.tuples(*key, LAST, terms), max_size=6, unique_by=key_of)


class ListPrices(unittest.TestCase):
    @given(rows(list(ITEMS), DISCOUNT | st.fixed_dictionaries({"amount": AMOUNT})), rows(["BRAID", "ROPE"], DISCOUNT),
           st.tuples(*[st.sampled_from(["", *LISTS])] * 3), st.tuples(*[st.integers(0, 4)] * 3), st.tuples(*[st.none() | AMOUNT] * 3),
           st.tuples(*[st.sampled_from(["EUR", "", "USD", "XTS"])] * 3))  # fmt: skip
    def test_they_are_the_price_in_force_of_each_item(self, own, of_category, off, decimals, standard, currencies):
        lists = zip(LISTS, currencies, decimals, off, strict=True)
        facts = {code: ListFacts(code, *each) for code, *each in lists}
        items = pl.DataFrame(
            {"code": list(ITEMS), "unit": [unit for unit, _ in ITEMS.values()], "price": standard,
             "category": [next(iter(path), None) for _, path in ITEMS.values()]},
            schema_overrides={"price": pl.String},
        )  # fmt: skip
        book = Book(items, 2, facts, frame(own, OF_ITEM), frame(of_category, OF_CATEGORY), PARENTS, DAY, RATES)
        for code in LISTS:
            wanted = []
            for (item, (unit, path)), price in zip(ITEMS.items(), standard, strict=True):
                its = [price_row(each, "") for each in own if each[1] == item]
                its += [price_row(each, each[1]) for each in of_category]
                basis = None if price is None else Decimal(price)
                found = effective_price(
                    PriceQuery(unit, unit, Decimal(1), date.fromisoformat(DAY), {unit: Decimal(1)}, basis, 2, "", path, facts, its, "EUR", RATES), [code]
                )  # fmt: skip
                # The last step of a price on the list is the list's; where it has none, the standard price follows.
                ends = [line for line in found.lines if line.price_list == code][-1].what
                none = ends.startswith("no price for") or "refer back" in ends or "nothing to discount" in ends
                wanted.append(None if none else found.price)
            self.assertEqual(list_prices(book, code).to_list(), wanted, code)


def frame(given_rows, fields):
    named = [dict(zip(("price_list", fields[1], "unit", "from_quantity", "from_date", "to_date"), each[:6], strict=True)) | each[6]
             for each in given_rows]  # fmt: skip
    return pl.DataFrame(
        [{name: each.get(name) for name in fields} for each in named], schema=dict.fromkeys(fields, pl.String)
    )


def price_row(each, category):
    first, last = (None if day is None else date.fromisoformat(day) for day in each[4:6])
    terms = {name: Decimal(value) for name, value in each[6].items()}
    return PriceRow(each[0], "" if category else each[2], Decimal(each[3]), first, last, category=category, **terms)


if __name__ == "__main__":
    unittest.main()
