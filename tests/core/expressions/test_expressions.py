"""The expression language: what it gives, and that its errors point at the character."""

import unittest
from decimal import ROUND_HALF_UP, Decimal

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.expressions.compiling import compile_expression
from kotrel.core.expressions.numbering import counts_up, number_codes
from kotrel.core.expressions.parsing import ExpressionError
from kotrel.core.expressions.scope import Scope
from tests.support import small

FRAME = pl.DataFrame(
    {
        "code": ["A-1", "B-2", None],
        "description": ["Rope, red", "chain", None],
        "unit": ["EA", "M", None],
        "cost": ["10.00", "0.35", None],
        "lot_tracked": ["yes", "no", None],
        "since": ["2026-01-31", None, None],
        "column H": ["x", None, "z"],
    },
    schema=dict.fromkeys(("code", "description", "unit", "cost", "lot_tracked", "since", "column H"), pl.String),
)
SCOPE = Scope(
    {name: field for name, field in small().records["item"].fields.items() if name in FRAME.columns},
    {"costprice": ("H",)},
    lambda record: {"EA": "each", "M": "metre", "KG": "kilogram"},
)


def value(text: str) -> list:
    compiled = compile_expression(text, SCOPE)
    frame = FRAME.select("code", compiled.expr.alias("x"))
    return [each.normalize() if isinstance(each, Decimal) else each for each in frame["x"].to_list()]


def first(text: str):
    return value(text)[0]


class Values(unittest.TestCase):
    def test_which_expressions_count_up(self):
        for text, counts in (("'X-' + next(5)", True), ("if code is blank then 'A' + NEXT(3) else code", True),
                             ("number([Next price]) * 12", False), ("'next(5)'", False), ("next(", False)):  # fmt: skip
            self.assertEqual(counts_up(text), counts, text)

    def test_percent_works_as_on_a_pocket_calculator(self):
        # By hand: 10 + 35 % of 10; 10 − 10 %; 35 % of 10; then 200 + 3 % of 200.
        for text, wanted in (
            ("cost + 35%", "13.5"),
            ("cost - 10%", "9"),
            ("cost * 35%", "3.5"),
            ("cost * 20 + 3%", "206"),
        ):
            self.assertEqual(first(text), Decimal(wanted), text)

    def test_markup_is_on_cost_and_margin_on_price(self):
        # A markup of 25 % on 10 is 12.50; a price of 12.50 at a cost of 10 has a margin of 20 %.
        self.assertEqual(first("cost at markup 25%"), Decimal("12.5"))
        self.assertEqual(first("cost at margin 20%"), Decimal("12.5"))

    @given(st.decimals(0, 10**6, places=4), st.decimals(0, 99, places=2))
    def test_exact_as_decimals_by_hand(self, cost, percent):
        frame = pl.DataFrame({"cost": [str(cost)]})
        for text, wanted in (
            (f"cost + {percent}%", cost + cost * percent / 100),
            (f"cost * {percent}", cost * percent),
            (f"round(cost - {percent}%, 2)", (cost - cost * percent / 100).quantize(Decimal("0.01"), ROUND_HALF_UP)),
        ):
            got = frame.select(compile_expression(text, SCOPE).expr).to_series()[0]
            self.assertEqual(got, wanted, text)

    def test_order_of_reckoning(self):
        for text, wanted in (
            ("2 + 3 * 4 - 1", 13),
            ("(2 + 3) * 4", 20),
            ("-cost + 1", -9),
            ("12 / 4 / 3", 1),
            ("round(2.5)", 3),
            ("round(-cost / 4)", -3),
        ):
            self.assertEqual(first(text), wanted, text)
        self.assertIsNone(first("cost / 0"))

    def test_text(self):
        cases = {
            "left(code, 1) + '/' + unit": "A/EA", "upper(description)": "ROPE, RED", "pad(right(code, 1), 3)": "001",
            "mid(description, 2, 3)": "ope", "replace(code, '-', '')": "A1", "name of unit": "each", "[Cost price] + '!'": "x!",
            "text(cost) + ' EUR'": "10 EUR", "trim(' a ') + \"'\"": "a'", "if cost > 5 then 'dear' else 'cheap'": "dear",
        }  # fmt: skip
        for text, wanted in cases.items():
            self.assertEqual(first(text), wanted, text)

    def test_conditions(self):
        cases = {
            "unit is 'EA'": [True, False, False], "unit is not 'EA'": [False, True, True], "cost is blank": [False, False, True],
            "cost is not blank and not lot_tracked": [False, True, False], "cost > 1 or unit is 'M'": [True, True, False],
            "code begins with 'A' or code ends with '2'": [True, True, False], "unit is one of ('M', 'KG')": [False, True, False],
            "description contains 'red'": [True, False, False], "since <= '2026-01-31'": [True, False, False],
            "cost >= 0.35 and cost < 10": [False, True, False], "UNIT IS 'EA' AND NOT (cost = 3)": [True, False, False],
            # Texts are read as cells of the field are.
            "unit is 'Each'": [True, False, False], "unit is one of ('ea', 'metre')": [True, True, False], "since is '31.1.2026'": [True, False, False],
            "number('1.200,50') = 1200.5": [True, True, True],
        }  # fmt: skip
        for text, wanted in cases.items():
            self.assertEqual(value(text), wanted, text)


class Errors(unittest.TestCase):
    def test_a_text_that_no_value_of_its_field_can_be_is_an_error_at_its_place(self):
        for text, at, said in (
            ("unit is 'eech'", 8, "Did you mean EA?"), ("since >= '1.7.2027'", 9, "could be two days"), ("cost > 1 and since is 'soon'", 22, "is not a date"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaises(ExpressionError) as caught:
                compile_expression(text, SCOPE)
            self.assertEqual(caught.exception.at, at)
            self.assertIn(said, f"{caught.exception} {caught.exception.hint}")

    def test_they_point_at_the_character(self):
        cases = (
            ("cost + ", 7, "too early"), ("cots > 3", 0, "cots"), ("unit is 'EA", 8, "quote"), ("cost > 'a'", 7, "compared"),
            ("cost + code", 7, "cannot be joined"), ("upper(cost)", 6, "a text is needed"), ("foo(1)", 0, "foo"), ("pad(code)", 0, "2 values"),
            ("name of cost", 0, "list"), ("[Nothing]", 0, "Nothing"), ("pad(code, cost)", 10, "whole number"),
            ("__import__('os')", 0, ""), ("cost; 1", 4, ""), ("", 0, "empty"),
        )  # fmt: skip
        for text, at, words in cases:
            with self.subTest(text), self.assertRaises(ExpressionError) as caught:
                compile_expression(text, SCOPE)
            self.assertEqual(caught.exception.at, at, text)
            self.assertIn(words, caught.exception.trouble)
            self.assertTrue(caught.exception.message.endswith(" " * at + "^"))

    def test_numbers_go_on_only_where_they_end_up_in_a_code(self):
        for text, at, words in (
            ("next(2) + next(3)", 10, "once"), ("left(next(5), 2)", 5, "function"), ("if next(3) is '1' then 'a' else 'b'", 3, "condition"),
            ("text(cost) + upper('x' + next(3))", 25, "function"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaises(ExpressionError) as caught:
                compile_expression(text, SCOPE, may_number=True)
            self.assertEqual(caught.exception.at, at)
            self.assertIn(words, caught.exception.trouble)
        with self.assertRaises(ExpressionError):
            compile_expression("code is 'a' + next(3)", SCOPE, "yes_no")

    def test_a_filter_has_to_give_yes_or_no(self):
        with self.assertRaises(ExpressionError):
            compile_expression("cost + 1", SCOPE, "yes_no")


class Numbering(unittest.TestCase):
    def codes(self, prefix: str, taken: list) -> list:
        made = compile_expression(f"'{prefix}' + next(3) + 'x'", SCOPE, may_number=True)
        return number_codes(FRAME.select("code", made.expr.alias("x"))["x"], taken).to_list()

    def test_numbers_go_on_after_the_highest_without_gaps(self):
        self.assertEqual(
            self.codes("R-", ["R-007x", "R-12x", "S-900x", "R-xx", "R-99", None]), ["R-013x", "R-014x", "R-015x"]
        )
        self.assertEqual(self.codes("T", []), ["T001x", "T002x", "T003x"])

    def test_each_side_of_a_choice_may_have_numbers(self):
        text = "if cost > 1 then 'A' + next(2) else code + next(3)"
        made = compile_expression(text, SCOPE, may_number=True).column(FRAME)
        wanted = [
            f"A{n:02}" if big else f"{code or ''}001"
            for n, big, code in zip((1, 2, 3), value("cost > 1"), FRAME["code"], strict=True)
        ]
        self.assertEqual(len(set(wanted)), 3)
        self.assertEqual(number_codes(made, []).to_list(), wanted)

    @given(st.lists(st.integers(0, 5000)))
    def test_no_made_code_is_taken_and_the_same_comes_every_time(self, numbers):
        taken = [f"R-{number:03}x" for number in numbers]
        made = self.codes("R-", taken)
        self.assertEqual(made, self.codes("R-", list(reversed(taken))))
        self.assertFalse(set(made) & set(taken))
        self.assertEqual(int(made[0][2:-1]), max(numbers, default=0) + 1)
