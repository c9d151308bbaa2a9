"""Units of weights, lengths and volumes by the signs they are written with, and what one of them is in another.

Factors are exact: those of the International System, and of the international yard and pound of 1959 (0.9144 m,
0.45359237 kg). Codes of three letters are those of UN/ECE Recommendation 20.
"""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction

_SIZES: dict[str, dict[str, str]] = {
    # in grams
    "mass": {
        "mg mgm": "0.001",
        "g gr grm gram gramm": "1",
        "kg kgm kilo": "1000",
        "t tne": "1000000",
        "oz onz": "28.349523125",
        "lb lbs lbr": "453.59237",
    },
    # in millimetres
    "length": {
        "mm mmt": "1",
        "cm cmt": "10",
        "dm dmt": "100",
        "m mtr": "1000",
        "km kmt": "1000000",
        "in inch inh": "25.4",
        "ft fot": "304.8",
        "yd yrd": "914.4",
    },
    # in millilitres
    "volume": {"ml mlt": "1", "cl clt": "10", "dl dlt": "100", "l ltr": "1000", "m3 m³ cbm mtq": "1000000"},
}
_SIGNS = {
    sign: (kind, Fraction(size))
    for kind, sizes in _SIZES.items()
    for signs, size in sizes.items()
    for sign in signs.split()
}


def measure_of(word: str) -> tuple[str, Fraction] | None:
    """The kind of a unit (``mass``, ``length``, ``volume``) and its size; None for a word that is no such sign."""
    return _SIGNS.get(word.strip().rstrip(".").lower())


def one_is(unit: str, other: str) -> Decimal | None:
    """How many of another unit one unit is, exactly; None where they are of two kinds, or the number has no end."""
    mine, theirs = measure_of(unit), measure_of(other)
    if mine is None or theirs is None or mine[0] != theirs[0]:
        return None
    number = mine[1] / theirs[1]
    rest = number.denominator
    for prime in (2, 5):
        while rest % prime == 0:
            rest //= prime
    return Decimal(number.numerator) / Decimal(number.denominator) if rest == 1 else None
