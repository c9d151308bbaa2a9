"""When two texts are the same code or word, written in another way: the one answer for codes, names, choices and words.

Capitals make no difference, and neither do blanks, hyphens and other separators, but for those between two digits and
a minus before or after a number: ``CHT00030`` is ``cht-00030``, while ``1-12`` is neither ``11-2`` nor ``112``,
``-1`` is not ``1``, and signs such as ``+``, ``%`` and ``€`` count.
"""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

import polars as pl

from kotrel.core.values.lookalikes import without_lookalikes

_BLANK = r"[ \t\n\r\x0b\x0c]*"
SEPARATOR = r"[ \t\n\r\x0b\x0c\-_./\\,:;'\"`*|()\[\]!]+"
_DIVIDED = "\x01"
"""Between two digits with a separator between them."""
_STEPS = (
    # A minus, before or behind the number.
    (rf"^{_BLANK}-{_BLANK}([0-9])", "\x02${1}"),
    (rf"^{_BLANK}([0-9][0-9.,' ]*)-{_BLANK}$", "\x02${1}"),
    # Twice: the second digit of a pair may be the first of the next.
    (rf"([0-9]){SEPARATOR}([0-9])", f"${{1}}{_DIVIDED}${{2}}"),
    (rf"([0-9]){SEPARATOR}([0-9])", f"${{1}}{_DIVIDED}${{2}}"),
    (SEPARATOR, ""),
)
"""What becomes of a text in capitals, in patterns that Python and Polars read alike."""
_IN_PYTHON = [(re.compile(pattern), new.replace("${1}", r"\g<1>").replace("${2}", r"\g<2>")) for pattern, new in _STEPS]
_COUNTS = re.compile(rf"^{_BLANK}-|-{_BLANK}$|[0-9]{SEPARATOR}[0-9]")
"""Where a separator may count."""
_NO_SEPARATORS = dict.fromkeys(map(ord, " \t\n\r\x0b\x0c-_./\\,:;'\"`*|()[]!"))
_ODD = r"[^ -~]"


def usual_codes(codes: pl.Series) -> pl.Series:
    """The codes with plain characters instead of those that look like them."""
    odd = codes.filter(codes.str.contains(_ODD).fill_null(False)).unique().to_list()
    return codes.replace({code: usual_text(code) for code in odd}) if odd else codes


def usual_text(text: str) -> str:
    """The text with plain characters instead of those that look like them."""
    return text if text.isascii() else without_lookalikes(unicodedata.normalize("NFKC", text))


def same_form(codes: pl.Series) -> pl.Series:
    """What texts have in common that are the same, written in another way.

    Zeros, and letters that look like digits, make another code: see :func:`kotrel.core.values.near_codes.near_form`.
    """
    usual = usual_codes(codes).str.to_uppercase()
    form = usual
    for pattern, new in _STEPS:
        if form.str.contains(pattern).any():
            form = form.str.replace_all(pattern, new)
    signs_only = form == ""
    # “-” and “--” are two texts, and so are “'” for feet and “"” for inches.
    return form.zip_with(~signs_only, usual.str.strip_chars()) if signs_only.any() else form


def placed_form(codes: pl.Series) -> pl.Series:
    """The same with a ``-`` where digits are divided: codes with the same letters and digits may be compared by it."""
    return same_form(codes).str.replace_all(_DIVIDED, "-", literal=True)


@lru_cache(8_192)
def form_of(text: str) -> str:
    """The same of one text."""
    usual = usual_text(text).upper()
    if _COUNTS.search(usual) is None:
        return usual.translate(_NO_SEPARATORS) or usual.strip()
    form = usual
    for pattern, new in _IN_PYTHON:
        form = pattern.sub(new, form)
    return form or usual.strip()


def are_same(one: str, other: str) -> bool:
    """Whether two texts are the same code or word, written in another way or not."""
    return form_of(one) == form_of(other)
