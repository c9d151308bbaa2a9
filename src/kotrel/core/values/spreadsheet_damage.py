"""What a spreadsheet, or the wrong encoding, can turn a code or a text into."""

from __future__ import annotations

import re

from kotrel.core.values.dated_codes import became, days_shown
from kotrel.core.values.lookalikes import LOST, as_number
from kotrel.core.values.yes_no import read_yes_no


def _is_the_number(code: str, shown: str) -> bool:
    """True where a code that is a number is shown as one: itself, cut, or in exponent form."""
    number, seen = as_number(code), as_number(shown.replace(",", "."))
    if number is None or seen is None:
        return False
    if seen == number or _cut(code) == shown:
        return True
    if "E+" not in shown.upper():
        return False
    # In exponent form, only the first digits are left.
    mantissa = shown.upper().partition("E")[0].replace(",", ".")
    digits = len(mantissa.partition(".")[2])
    return f"{number:.{digits}e}" == f"{seen:.{digits}e}"


def could_become(code: str, shown: str) -> bool:
    """True where a spreadsheet, or a text file without line breaks, could have turned ``code`` into ``shown``."""
    if code.split() == shown.split() and code != " ".join(code.split()):
        return True
    if LOST in shown:
        return _lost_letters(code, shown)
    if "?" in shown and len(shown) == len(code):
        # A program that saves in an old encoding writes a question mark for each letter that this lacks.
        return all(one == other or (other == "?" and not one.isascii()) for one, other in zip(code, shown, strict=True))
    if _is_the_number(code, shown) or became(code, days_shown(shown)):
        return True
    said = read_yes_no(code)
    return said is not None and code.upper() in ("TRUE", "FALSE") and read_yes_no(shown) == said


def _lost_letters(code: str, shown: str) -> bool:
    """True where ``shown`` is ``code`` but for letters that a wrong encoding replaced, one mark or more for each."""
    runs = [
        f".{{1,{len(part)}}}" if part[0] == LOST else re.escape(part)
        for part in re.findall(f"{LOST}+|[^{LOST}]+", shown)
    ]
    return re.fullmatch("".join(runs), code, re.DOTALL) is not None


def _cut(code: str) -> str:
    """Digits as a spreadsheet keeps them: the first 15, then zeros."""
    return code[:15] + "0" * (len(code) - 15) if code.isdecimal() else code
