"""Signs and codes of currencies (ISO 4217) as they stand beside an amount."""

from __future__ import annotations

import re

CODES = [
    "EUR",
    "USD",
    "GBP",
    "CHF",
    "SEK",
    "NOK",
    "DKK",
    "ISK",
    "PLN",
    "CZK",
    "HUF",
    "RON",
    "BGN",
    "RSD",
    "UAH",
    "TRY",
    "JPY",
    "CNY",
    "KRW",
    "INR",
    "AUD",
    "NZD",
    "CAD",
    "ZAR",
    "BRL",
    "MXN",
    "ILS",
    "SGD",
    "HKD",
    "THB",
    "AED",
    "SAR",
]

_DOLLARS = frozenset(["USD", "AUD", "CAD", "NZD", "SGD", "HKD", "MXN", "BRL"])
_CROWNS = frozenset(["SEK", "NOK", "DKK", "ISK"])
_SIGNS = {
    "€": {"EUR"}, "£": {"GBP"}, "₤": {"GBP", "TRY"}, "¥": {"JPY", "CNY"}, "₹": {"INR"}, "₩": {"KRW"}, "₺": {"TRY"}, "₣": {"CHF"},
    "$": _DOLLARS, "US$": {"USD"}, "A$": {"AUD"}, "AU$": {"AUD"}, "C$": {"CAD"}, "CA$": {"CAD"}, "NZ$": {"NZD"}, "S$": {"SGD"},
    "HK$": {"HKD"}, "R$": {"BRL"}, "kr": _CROWNS, "Kr": _CROWNS, "zł": {"PLN"}, "Kč": {"CZK"}, "Ft": {"HUF"}, "Fr": {"CHF"},
    "лв": {"BGN"},
}  # fmt: skip
"""Sign → the currencies it may mean."""

CURRENCY = rf"(?:[A-Z]{{0,2}}[$€£¥₣₤₹₩₺¤]|{'|'.join(CODES)}|[Kk]r\.?|zł|Kč|Ft|Fr\.?|лв\.?)"
"""A regular expression for a sign or a code."""


def may_be(sign: str, currency: str) -> bool:
    """True where a sign or code may mean a currency; ¤ stands for any."""
    word = sign.rstrip(".")
    return word == "¤" or currency == word or currency in _SIGNS.get(word, ())


_IN_HEADING = re.compile(rf"(?:^|[\s(\[/,])({CURRENCY})(?:$|[\s)\]/,:])")


def currency_in(heading: str) -> str | None:
    """The sign or code of a currency that a heading names, such as USD in ``Cost [USD]``; None where it names none."""
    found = _IN_HEADING.search(heading)
    return found[1] if found else None
