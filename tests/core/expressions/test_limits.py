"""Expressions that are too long, too deep or too large are errors at their place, never a crash."""

import unittest

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field
from kotrel.core.errors import WrongUse
from kotrel.core.expressions.compiling import compile_expression
from kotrel.core.expressions.scope import Scope

SCOPE = Scope({"cost": Field("cost", "Cost", "money", decimals=2), "code": Field("code", "Code", "code")})
FRAME = pl.DataFrame({ROW: [2, 3, 4], "cost": ["2.00", "99999999999.99", None], "code": ["a", "b", None]})


class Limits(unittest.TestCase):
    def test_what_is_too_much_is_refused_at_its_place(self):
        for text in (
            "+".join(["cost"] * 300), "pad(code, 100000000)", "next(1000000000)", "9" * 30, "0." + "1" * 13,
            "not " * 150 + "cost > 1", "left(code, 99999999999999999999)", "x" * 5000, "if cost > 1 then 'a' else " * 150 + "'b'",
        ):  # fmt: skip
            with self.subTest(text[:30]), self.assertRaises(WrongUse):
                compile_expression(text, SCOPE)

    def test_steps_within_one_another_come_to_an_end(self):
        """Each doubles what is computed where a step names its value twice: thirty would take days."""
        for inner, step, wanted in (
            ("1", "if cost > 5 then ({}) else 2", "2.000000000000"), ("cost", "({}) + 0.5 * cost%", None), ("cost", "({}) - 0.5 * cost%", None),
            ("cost", "0.5 + 1 / ({})", None), ("cost", "1 at margin ({})%", None), ("code", "if ({}) is not one of ('b', 'c') then 'a' else 'b'", "a"),
            ("cost > 1", "text({}) is 'no'", True),
        ):  # fmt: skip
            with self.subTest(step):
                text = inner
                for _ in range(30):
                    text = step.format(text)
                found = compile_expression(text, SCOPE).column(FRAME)
                self.assertEqual(len(found), 3)
                if wanted is not None:
                    self.assertEqual(found.cast(pl.String)[0], str(wanted).casefold() if wanted is True else wanted)

    def test_a_result_that_is_too_large_names_its_row(self):
        with self.assertRaises(WrongUse) as caught:
            compile_expression("cost * cost * cost", SCOPE).column(FRAME)
        self.assertIn("in row 3: the result is too large", caught.exception.message)

    def test_a_division_by_nothing_is_blank(self):
        for text, wanted in (
            ("cost / (cost - 2)", [None, "1.000000000020", None]), ("1 / 0", [None] * 3),             ("5", ["5.000000000000"] * 3),
        ):  # fmt: skip
            found = compile_expression(text, SCOPE).column(FRAME).cast(pl.String).to_list()
            self.assertEqual(found, wanted, text)
