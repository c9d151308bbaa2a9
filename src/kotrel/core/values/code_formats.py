"""Formats of codes, and check digits."""

from __future__ import annotations

from functools import cache

import polars as pl

GTIN_LENGTHS = (8, 12, 13, 14)
LEAST_DIGITS = 7
"""Fewer digits are no barcode that lost zeros, but a number of a shop's own."""


def gtin_check_digit(body: str) -> str:
    """The check digit for all digits of a barcode but the last.

    The rule is that of the GS1 General Specifications, section 7.9 ("Standard check digit calculations for GS1 data
    structures"): from the right, weights 3, 1, 3, 1 …; the digit that completes the sum to a multiple of ten.
    """
    total = sum(int(digit) * (3 if place % 2 == 0 else 1) for place, digit in enumerate(reversed(body)))
    return str(-total % 10)


@cache
def _weighed() -> pl.Expr:
    """What four digits add to the sum of a barcode, by weights 3, 1, 3, 1: for each of the numbers below 10,000."""
    sums = [n // 1000 * 3 + n // 100 % 10 + n // 10 % 10 * 3 + n % 10 for n in range(10_000)]
    return pl.lit(pl.Series(sums, dtype=pl.Int64))


def gtin_has_length(column: pl.Expr) -> pl.Expr:
    """True where the text is 8, 12, 13 or 14 digits."""
    return column.str.contains(r"^(?:[0-9]{8}|[0-9]{12,14})$")


def gtin_fits(column: pl.Expr) -> pl.Expr:
    """True where a text of 8 to 14 digits ends with the right check digit; null where it is not a number.

    Weights are counted from the right, so one rule serves every length (see :func:`gtin_check_digit`).
    """
    number = column.cast(pl.Int64, strict=False)
    fours = (number // 10**place % 10_000 for place in (0, 4, 8, 12))
    return pl.sum_horizontal((_weighed().gather(four) for four in fours), ignore_nulls=False) % 10 == 0


CODE_RULES = {"gtin": "a barcode: 8, 12, 13 or 14 digits, the last a check digit (GS1)"}
"""Name of each code format that a description may ask for → the format in words."""


def gtin_forms(values: pl.Series) -> pl.DataFrame:
    """All ways to write each of different codes: ``value`` and ``form``, a row for each form, first the value itself.

    A GTIN has 14 digits, and leading zeros may be left out down to 8, 12 or 13 (GS1 General Specifications, 3.3). What
    is no GTIN is written in one way only.
    """
    digits = values.filter(values.str.contains(f"^[0-9]{{{LEAST_DIGITS},{GTIN_LENGTHS[-1]}}}$"))
    bare, whole = digits.str.strip_chars_start("0").str.len_chars(), digits.str.zfill(GTIN_LENGTHS[-1])
    frames = [pl.DataFrame({"value": values, "form": values})]
    for size in GTIN_LENGTHS if len(digits) else ():
        form = pl.DataFrame({"value": digits, "form": whole.str.slice(GTIN_LENGTHS[-1] - size)})
        frames.append(form.filter((bare <= size) & (form["form"] != form["value"])))
    return pl.concat(frames)


def gtins_as_written(values: pl.Series) -> pl.Series:
    """Barcodes in all the lengths in which they may be written,
    so that an index finds them (see :func:`gtin_forms`).
    """
    return gtin_forms(values.drop_nulls().unique())["form"].unique().alias(values.name)
