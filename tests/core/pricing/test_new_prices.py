"""New prices: rounding rules, steps, units, currencies and guards. All figures are worked out by hand."""

import unittest
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.columns import decimal_type
from kotrel.core.description.model import Field
from kotrel.core.pricing.guards import guarded
from kotrel.core.pricing.new_prices import Goods, work_out
from kotrel.core.pricing.price_rules import FigureSheet, Guards, Outliers, PriceRules, Step
from kotrel.core.pricing.rates import NoRate, Rates
from kotrel.core.pricing.rounding import read_rounding, rounded

FIELDS = {
    **{name: Field(name, name, "text") for name in ("code", "unit", "category")},
    **{name: Field(name, name, "money", decimals=4 if name == "cost" else 2) for name in ("price", "cost")},
}


def frame(heading: str, *lines: str) -> pl.DataFrame:
    """A table of texts; ``-`` is a blank."""
    cells = [[None if cell == "-" else cell for cell in line.split()] for line in lines]
    return pl.DataFrame(cells, schema=dict.fromkeys(heading.split(), pl.String), orient="row")


def numbers(table: pl.DataFrame, *names: str) -> pl.DataFrame:
    return table.with_columns(pl.col(name).cast(decimal_type()) for name in names)


ITEMS = frame("code unit category price cost", "A EA X 8.00 8.40", "B EA X - 0.0500", "C EA Y 5.00 2.00")
PRICES = numbers(
    frame(
        "target item unit from_quantity amount",
        "SHOP A EA 0 21.35", "SHOP A EA 10 20.00", "SHOP A BOX 0 2000.00", "SHOP B EA 0 0.60", "YARD A EA 0 18.00", "ISLE A EA 0 30.00",
    ),
    "from_quantity", "amount",
)  # fmt: skip
FACTORS = frame("item unit factor", "A BOX 100")
LISTS = frame("code currency decimals", "SHOP EUR 2", "YARD EUR 2", "ISLE XTS 0")


def new_prices(
    *steps: Step, every: bool = False, rates: dict[str, str] | None = None, **more: object
) -> dict[str, str]:
    """``SHOP A EA 0`` → its new price."""
    rates = Rates("EUR", {name: Decimal(rate) for name, rate in (rates or {}).items()})
    rules = PriceRules("r", "R", None, every, steps, rates=rates, **more)  # type: ignore[arg-type]
    letter = frame("item letter.cost", "A 9.00", "C 2.10")
    done = work_out(rules, Goods(ITEMS, FIELDS, PRICES, FACTORS, LISTS, letter), lambda record: {})
    return {
        f"{row['target']} {row['item']} {row['unit']} {row['from_quantity'].normalize():f}": f"{row['new'].normalize():f}"
        for row in done.prices.iter_rows(named=True)
    }


def step(where: str | None = None, rule: str | None = None, quantity: str | None = None, **targets: str) -> Step:
    rounding = read_rounding(rule) if rule else None
    rules = dict.fromkeys(targets, rounding) if rounding else {}
    return Step("s", where, targets, rules, None if quantity is None else Decimal(quantity))


def round_half_up(number: Fraction, places: int) -> int:
    return int(number * 10**places + Fraction(1, 2))


class WorkingOut(unittest.TestCase):
    def test_rounding_rules_come_before_the_decimals_of_the_list(self):
        for price, rule, wanted in (
            ("11.34", "nearest to 0.05", "11.35"), ("11.34", "ending 0.95", "10.95"), ("11.34", "up ending 0.95", "11.95"),
            ("0.30", "down ending 0.95", "0.30"), ("11.36", "down to 0.05", "11.35"), ("11.35", "up to 0.05", "11.35"),
            ("11.351", "up to 0.05", "11.40"), ("11.99", "down to 1", "11.00"), ("21.88375", None, "21.88"), ("10.125", None, "10.13"),
            ("0.525", None, "0.53"), ("12.34", "up ending 9.95", "19.95"), ("10.94", "down ending 0.95", "9.95"),
        ):  # fmt: skip
            with self.subTest(price=price, rule=rule):
                one = pl.DataFrame({"x": [price]}).with_columns(pl.col("x").cast(decimal_type()))
                came = one.select(rounded(pl.col("x"), read_rounding(rule) if rule else None, 2))["x"][0]
                self.assertEqual(came, Decimal(wanted))
        for wrong in ("up", "to 0", "sideways to 1", "up to -1"):
            self.assertIsNone(read_rounding(wrong))

    @settings(deadline=None, max_examples=60)
    @given(st.decimals("0", "99999", places=4), st.sampled_from(["0.05", "0.25", "1", "0.01"]))
    def test_nearest_is_never_further_than_half_a_step(self, price, unit):
        one = pl.DataFrame({"x": [str(price)]}).with_columns(pl.col("x").cast(decimal_type()))
        came = one.select(rounded(pl.col("x"), read_rounding(f"nearest to {unit}"), 2))["x"][0]
        self.assertEqual(came, (price / Decimal(unit)).quantize(Decimal(1), ROUND_HALF_UP) * Decimal(unit))

    def test_every_break_and_unit_keeps_its_own(self):
        made = new_prices(step(SHOP="SHOP + 2.5%"))
        # 21.35 × 1.025 = 21.88375; 20 × 1.025 = 20.5; the box of 100: 20 × 1.025 × 100; 0.60 × 1.025 = 0.615, half up.
        self.assertEqual(made, {"SHOP A EA 0": "21.88", "SHOP A EA 10": "20.5", "SHOP A BOX 0": "2050", "SHOP B EA 0": "0.62"})  # fmt: skip
        self.assertEqual(new_prices(step(SHOP="SHOP + 2.5%", quantity="10")), {"SHOP A EA 10": "20.5"})

    def test_a_box_is_worked_out_before_it_is_rounded(self):
        # 0.125 for one is 0.13; a box of 100 is 12.50, not 13.00.
        made = new_prices(step(SHOP="if code = 'A' then 0.125 else blank"))
        self.assertEqual((made["SHOP A EA 0"], made["SHOP A BOX 0"]), ("0.13", "12.5"))

    def test_a_list_is_as_the_steps_before_made_it_and_old_as_it_was(self):
        made = new_prices(step("code = 'A'", SHOP="SHOP * 2", YARD="SHOP - 12.5%", price="old SHOP"))
        # 42.70 less 12.5 % = 37.3625.
        self.assertEqual((made["SHOP A EA 0"], made["YARD A EA 0"], made["price A EA 0"]), ("42.7", "37.36", "21.35"))

    def test_first_step_or_every_step(self):
        steps = step("category is 'X'", price="10"), step(None, price="price + 1")
        # C has no step but the second; B has no price for the second to add to.
        self.assertEqual(new_prices(*steps), {"price A EA 0": "10", "price B EA 0": "10", "price C EA 0": "6"})
        self.assertEqual(new_prices(*steps, every=True)["price A EA 0"], "11")

    def test_a_step_that_works_out_nothing_says_why(self):
        steps = [replace(one, name=name) for name, one in (
            ("none", step("category is 'Z'", SHOP="SHOP + 1")), ("all", step(SHOP="SHOP + 1")), ("late", step("code is 'A'", SHOP="SHOP + 1")),
        )]  # fmt: skip
        goods = Goods(ITEMS, FIELDS, PRICES, FACTORS, LISTS, frame("item letter.cost", "A 9.00"))
        done = work_out(PriceRules("r", "R", None, False, tuple(steps)), goods, lambda record: {})
        self.assertEqual(
            done.idle, {"none": "its condition fits no item", "late": "earlier steps already set all of its items"}
        )
        step_of = replace(step(quantity="7", SHOP="SHOP + 1"), name="seven")
        done = work_out(PriceRules("r", "R", None, False, (step_of,)), goods, lambda record: {})
        self.assertEqual(done.idle, {"seven": "there is no such price"})

    def test_a_blank_makes_no_price_and_a_sheet_gives_figures(self):
        made = new_prices(step(cost="[letter.cost]", YARD="[letter.cost] at margin 30%"))
        # 9.00 ÷ 0.7 = 12.857…; 2.10 ÷ 0.7 = 3.00: a first price for C; the letter has no B.
        self.assertEqual(made, {"cost A EA 0": "9", "cost C EA 0": "2.1", "YARD A EA 0": "12.86", "YARD C EA 0": "3"})

    def test_another_currency_needs_a_rate_and_has_its_own_decimals(self):
        one = step("code = 'A'", ISLE="SHOP")
        # One XTS is 0.05 EUR: 21.35 ÷ 0.05 = 427.
        self.assertEqual(new_prices(one, rates={"XTS": "0.05"})["ISLE A EA 0"], "427")
        with self.assertRaisesRegex(NoRate, "no rate of XTS"):
            new_prices(one)

    def test_own_prices_and_figures_of_sheets_come_in_the_currency_of_the_list(self):
        rates = {"XTS": "0.08", "USD": "0.92"}
        # 8.40 EUR is 105 XTS, twice as much 210; the standard price of 8.00 EUR is 100 XTS.
        self.assertEqual(new_prices(step("code = 'A'", ISLE="cost * 2"), rates=rates)["ISLE A EA 0"], "210")
        self.assertEqual(new_prices(step("code = 'A'", ISLE="price"), rates=rates)["ISLE A EA 0"], "100")
        # The other way: a list of 30 XTS is 2.40 EUR. A number of its own is in the currency of what it sets.
        self.assertEqual(new_prices(step("code = 'A'", price="ISLE + 1"), rates=rates)["price A EA 0"], "3.4")
        # A letter in USD: 9.00 USD are 8.28 EUR, and 103.50 XTS, without decimals 104.
        letter = {"letter": FigureSheet("letter.csv", currency="USD")}
        made = new_prices(step(cost="[letter.cost]", ISLE="[letter.cost]"), rates=rates, sheets=letter)
        self.assertEqual((made["cost A EA 0"], made["ISLE A EA 0"]), ("8.28", "104"))
        for wrong in (step(ISLE="cost"), step(ISLE="price * 2"), step(price="ISLE")):
            with self.assertRaises(NoRate):
                new_prices(wrong)

    @settings(deadline=None, max_examples=30)
    @given(
        st.decimals("0.0001", "99999", places=4), st.decimals("0.0001", "500", places=4), st.decimals("0.0001", "500", places=4),
        st.sampled_from(["cost", "price", "SHOP", "ISLE"]), st.sampled_from(["ISLE", "USDX", "price", "SHOP"]),
    )  # fmt: skip
    def test_two_currencies_against_a_calculation_apart(self, amount, skr, usd, source, target):
        items = ITEMS.filter(pl.col("code") == "A").with_columns(
            *(pl.lit(str(amount)).alias(name) for name in ("price", "cost"))
        )
        prices = numbers(
            frame("target item unit from_quantity amount", f"SHOP A EA 0 {amount}", f"ISLE A EA 0 {amount}"),
            "from_quantity",
            "amount",
        )
        lists = frame("code currency decimals", "SHOP EUR 2", "ISLE XTS 2", "USDX USD 2")
        rules = PriceRules(
            "r", "R", None, False, (step(**{target: f"{source} * 2"}),), rates=Rates("EUR", {"XTS": skr, "USD": usd})
        )
        goods = Goods(items, FIELDS, prices, FACTORS, lists, frame("item letter.cost", "C 1"))
        done = work_out(rules, goods, lambda record: {}).prices
        worth = {"ISLE": skr, "USDX": usd}
        exact_price = Fraction(amount) * 2 * Fraction(worth.get(source, 1)) / Fraction(worth.get(target, 1))
        if source == target:
            exact_price = Fraction(amount) * 2
        # Half away from zero; to 12 decimals before, as every column is.
        fine = Decimal(round_half_up(exact_price, 12)).scaleb(-12)
        self.assertEqual(
            done.filter(pl.col("unit") == "EA")["new"].to_list(), [fine.quantize(Decimal("0.01"), ROUND_HALF_UP)]
        )


class Guarding(unittest.TestCase):
    def told(
        self,
        lines: list[str],
        guards: Guards,
        standing: list[str] | None = None,
        rates: dict[str, Decimal] | None = None,
    ) -> set[tuple[str, int]]:
        table = frame("target item unit from_quantity old new cost group", *lines)
        stands = numbers(frame("target item unit from_quantity amount", *(standing or [])), "from_quantity", "amount")
        prices = numbers(table, "from_quantity", "old", "new", "cost")
        return {
            (each.kind, place)
            for each in guarded(prices, stands, guards, Outliers(), {"ISLE": "XTS"}, Rates("EUR", rates or {}))
            for place in each.rows["place"].to_list()
        }

    def test_each_guard_at_its_row_and_not_a_cent_sooner(self):
        guards = Guards({"": Decimal(15), "YARD": Decimal(10)}, Decimal(12), Decimal(5), not_above=(("YARD", "SHOP"),))
        lines = [
            "SHOP A EA 0 10.00 11.20 9.52 X",  # up 12 %, margin 15 %: just right
            "SHOP B EA 0 10.00 11.21 9.52 X",  # up 12.1 %
            "SHOP C EA 0 10.00 9.50 8.08 X",  # down 5 %, margin 14.95 %
            "SHOP D EA 0 10.00 9.49 1.00 X",  # down 5.1 %
            "YARD E EA 0 10.00 10.00 9.00 X",  # margin 10 %
            "YARD F EA 0 10.00 10.00 10.01 X",  # below cost
            "YARD A EA 0 11.00 11.21 1.00 X",  # above SHOP A
            "SHOP G EA 0 5.00 0 1.00 X",
        ]
        self.assertEqual(
            self.told(lines, guards),
            {("up-too-far", 1), ("margin-too-low", 2), ("down-too-far", 3), ("below-cost", 5), ("above-other-list", 6), ("price-zero", 7)},
        )  # fmt: skip

    def test_a_new_price_is_held_against_a_list_that_stays(self):
        guards = Guards(not_above=(("YARD", "SHOP"),))
        self.assertEqual(self.told(["YARD A EA 0 9 10 - X"], guards, ["SHOP A EA 0 9.99"]), {("above-other-list", 0)})
        self.assertEqual(self.told(["SHOP A EA 0 11 9 - X"], guards, ["YARD A EA 0 9.01"]), {("above-other-list", 0)})
        self.assertEqual(self.told(["SHOP A EA 0 11 9 - X"], guards, ["YARD A EA 0 9", "YARD A BOX 0 900"]), set())

    def test_lists_of_two_currencies_are_compared_in_one(self):
        guards = Guards(not_above=(("ISLE", "SHOP"),))
        rates = {"XTS": Decimal("0.08")}
        # 10.00 EUR are 125 XTS.
        self.assertEqual(
            self.told(["ISLE A EA 0 9 126 - X"], guards, ["SHOP A EA 0 10"], rates), {("above-other-list", 0)}
        )
        self.assertEqual(self.told(["ISLE A EA 0 125 125 - X"], guards, ["SHOP A EA 0 10"], rates), set())
        with self.assertRaises(NoRate):
            self.told(["ISLE A EA 0 9 126 - X"], guards, ["SHOP A EA 0 10"])

    def test_what_is_unlike_its_group_and_a_moved_decimal_point(self):
        lines = [f"SHOP I{n} EA 0 100 {new} - X" for n, new in enumerate(("104.0", "104.1", "103.9", "104.0", "139.8"))]
        lines += ["SHOP J EA 0 1.00 10.2 - Y", "SHOP K EA 0 100 140 - Z"]
        # K is alone in its group: nothing to be unlike.
        self.assertEqual(self.told(lines, Guards()), {("unlike-others", 4), ("unlike-others", 5)})


if __name__ == "__main__":
    unittest.main()
