"""What a hand scanner reads: plain codes, and GS1 element strings with brackets or with separators.

Source: GS1 General Specifications, section 3 (application identifiers). Only those that a count needs are read; a date
whose day is 00 is the last day of its month; years are read as in section 7.12 (51 to 99 years ahead are in the past
century).
"""

from __future__ import annotations

import calendar
import re
from datetime import date
from decimal import Decimal

from msgspec import Struct

SEPARATOR = "\x1d"
SYMBOLOGY = re.compile(r"^\][A-Za-z][0-9A-Za-z]")
OF_ELEMENTS = ("]C1", "]e0", "]d2", "]Q3", "]J1")
"""The symbologies (as scanners name them) that hold element strings; others hold plain codes."""
FIXED = {"00": 18, "01": 14, "02": 14, "11": 6, "12": 6, "13": 6, "15": 6, "16": 6, "17": 6}
"""Identifiers whose data has a fixed length, and how long it is."""
VARIABLE = {"10": 20, "21": 20, "30": 8, "37": 8, "240": 30, "241": 30}
"""Identifiers whose data ends at a separator, and its greatest length."""
DATES = ("11", "15", "17")
MEASURE = re.compile("3[1-6][0-9][0-9]")
"""Identifiers of weights, lengths, areas and volumes; the last digit says where the decimal point is. Six digits."""
AMOUNT = re.compile("39[0-4][0-9]")
"""Identifiers of amounts to pay."""
MEASURE_DIGITS, AMOUNT_DIGITS = 6, 18


class Scan(Struct, frozen=True):
    """One scanned line.

    Attributes:
        code: the item's code as it was scanned: a GTIN of an element string, or the plain text.
        quantity: from an element string (30 or 37), or None.
        measure: the identifier of a measure or a price in it, which is not read; or an empty text.
    """

    code: str
    quantity: Decimal | None = None
    lot: str | None = None
    serial: str | None = None
    expires_on: str | None = None
    measure: str = ""


def read_scan(text: str, today: date) -> Scan | None:
    """A scanned text; None where it begins like an element string and is none."""
    said = text.strip(" \t\r\n")
    bare = SYMBOLOGY.sub("", said)
    if bare.startswith("("):
        parts = dict(re.findall(r"\((\d{2,4})\)([^()]*)", bare))
        whole = "".join(f"({name}){value}" for name, value in re.findall(r"\((\d{2,4})\)([^()]*)", bare))
        return _scan(parts, today) if parts and whole == bare else None
    if SEPARATOR in bare or said.startswith(OF_ELEMENTS) or _is_element_string(bare):
        found = _elements(bare)
        return _scan(found, today) if found is not None else None
    return Scan(bare) if bare else None


def _is_element_string(text: str) -> bool:
    """True for a text that can only be one: a GTIN identifier, its 14 digits with their check digit,
    and more behind.
    """
    return bool(re.match(r"^0[12]\d{14}", text)) and len(text) > 16 and is_gtin(text[2:16])


def is_gtin(digits: str) -> bool:
    """True where the last digit is the check digit of those before it (GS1 General Specifications 7.9)."""
    if not digits.isascii() or not digits.isdigit():
        return False
    weighted = sum(int(digit) * (3 if place % 2 else 1) for place, digit in enumerate(reversed(digits)))
    return weighted % 10 == 0


def _elements(text: str) -> dict[str, str] | None:
    elements: dict[str, str] = {}
    at = 0
    while at < len(text):
        if text[at] == SEPARATOR:
            at += 1
            continue
        name = next((text[at : at + size] for size in (2, 3) if text[at : at + size] in {**FIXED, **VARIABLE}), None)
        four = text[at : at + 4]
        if MEASURE.fullmatch(four) or AMOUNT.fullmatch(four):
            name = four
        if name is None:
            return None
        at += len(name)
        fixed = FIXED.get(name) or (MEASURE_DIGITS if MEASURE.fullmatch(name) else None)
        if fixed is not None:
            end = at + fixed
            if end > len(text) or not text[at:end].isdigit():
                return None
        else:
            end = text.find(SEPARATOR, at)
            end = len(text) if end < 0 else end
            if not 0 < end - at <= VARIABLE.get(name, AMOUNT_DIGITS):
                return None
        elements[name] = text[at:end]
        at = end
    return elements


def _scan(parts: dict[str, str], today: date) -> Scan | None:
    code, amount, last_day = (
        parts.get(first) or parts.get(second) for first, second in (("01", "02"), ("30", "37"), ("17", "15"))
    )
    expiry = _day(last_day, today) if last_day else None
    if not code or len(code) != 14 or not is_gtin(code):
        return None
    if (amount and not amount.isdigit()) or (last_day and expiry is None):
        return None
    measure = next((name for name in parts if MEASURE.fullmatch(name) or AMOUNT.fullmatch(name)), "")
    return Scan(code, Decimal(amount) if amount else None, parts.get("10"), parts.get("21"), expiry, measure)


def _day(text: str, today: date) -> str | None:
    """``YYMMDD`` → ISO date; day 00 is the last of the month."""
    if len(text) != 6 or not text.isdigit():
        return None
    short, month, day = int(text[:2]), int(text[2:4]), int(text[4:])
    century = today.year // 100
    ahead = short - today.year % 100
    year = (century - (ahead >= 51) + (ahead <= -50)) * 100 + short
    if not 1 <= month <= 12:
        return None
    last = calendar.monthrange(year, month)[1]
    return date(year, month, day or last).isoformat() if day <= last else None
