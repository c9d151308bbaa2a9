"""What headings say, in the languages of :mod:`kotrel.core.languages`, whole or cut short: words → plain terms.

A heading becomes a set of terms (``Lief.-Art.-Nr.`` and ``Supplier part no`` are both vendor, item, code), so that
headings can be compared with the names, titles and synonyms of fields, whatever these are.
"""

from __future__ import annotations

import re
from collections.abc import Set
from functools import cache

from kotrel.core.languages.all_languages import heading_terms, words_of
from kotrel.core.similarity import folded
from kotrel.core.tables.headings import bare_heading
from kotrel.core.values.month_names import plain_letters

_PHRASES = {
    "price your": "cost", "brand code item": "brand code part",
    "code bars": "barcode", "code barcode": "barcode", "barcode code": "barcode", "ean code": "barcode", "net price": "cost",
    "cost price": "cost", "price recommended sales": "recommended price", "price recommended": "recommended price", "fuori produzione": "archived", "unit unit": "unit", "sales unit": "unit",
    "price cost": "cost", "price list": "list price", "category category": "category",
}  # fmt: skip
"""Terms together (in the order of the alphabet) → what they mean together."""
_IDLE = words_of("idle")
"""Words that say nothing about what stands below."""
_NEWER = words_of("newer")
_AGAIN = frozenset(map(plain_letters, words_of("again")))
_CUT = 3
"""A word of at least this many letters, cut short with a point, stands for the only term that begins with it."""


@cache
def _by_word() -> dict[str, str]:
    known: dict[str, str] = {}
    for term, word in heading_terms():
        known.setdefault(plain_letters(word), term)
    return known


@cache
def plain_terms() -> frozenset[str]:
    """All terms that a word of some language stands for."""
    return frozenset(_by_word().values())


def is_heading(text: str) -> bool:
    """True for a short text without digits, of which a word is one that headings have in some language."""
    return len(text) <= 60 and not re.search(r"[0-9]", text) and bool(terms_of(text) & plain_terms())


@cache
def terms_of(heading: str) -> frozenset[str]:
    """The terms of a heading; a word that nobody knows stands for itself."""
    text = re.sub(r"(?<=[a-z]{2})(?=[A-Z][a-z])", " ", bare_heading(heading))
    # Without its accent, the German length would be the French and Dutch “long”.
    text = re.sub("länge", "length", text, flags=re.IGNORECASE)
    text = re.sub(r"n\s?[.]?\s?[º°]", " nr ", text, flags=re.IGNORECASE).replace("#", " nr ")
    words = re.findall(r"[a-z]+", plain_letters(text.replace("ß", "ss")))
    terms: list[str] = []
    for word in words:
        for part in _parts(word):
            if part not in _IDLE:
                terms.append(_by_word().get(part, part))
    return _join_terms(frozenset(terms) or frozenset(words))


def is_newer(heading: str, other: str) -> bool:
    """True where a heading says that what stands below takes the place of what the other says: “New price”, “Price”."""
    terms = terms_of(heading)
    return bool(terms & _NEWER) and terms - _NEWER == terms_of(other)


def is_scale(heading: str) -> bool:
    """True for the heading of a column that says for how many, or for which unit, an amount is: “Per”, “Price qty”."""
    words = re.findall(r"[^\W\d_]+", plain_letters(heading))
    said_per = any(word in _PER for word in words)
    terms = terms_of(" ".join(word for word in words if word not in _PER)) if said_per else terms_of(heading)
    return folded(heading) in SCALE_WORDS or terms == {"price", "quantity"} or (said_per and terms <= _OF_A_SCALE)


def is_numbered_alike(heading: str, other: str) -> bool:
    """True for “Price 2” beside “Price 1”."""
    parts = [re.fullmatch(r"(.*[^0-9\s])\s*([1-9])", each.strip()) for each in (heading, other)]
    first, second = parts
    return first is not None and second is not None and first[1].casefold() == second[1].casefold()


def is_later_count(heading: str, field_terms: Set[frozenset[str]]) -> bool:
    """True for a heading like “Recount”, “Final count” or, beside “Counted”, “Count 2”.

    Args:
        field_terms: the terms of each name of the field with what was counted.
    """
    return bool(terms_of(heading) & _AGAIN) or terms_of(heading) in field_terms


def _join_terms(terms: frozenset[str]) -> frozenset[str]:
    for phrase, meant in _PHRASES.items():
        parts = frozenset(phrase.split())
        if parts <= terms and len(parts) > 1:
            terms = (terms - parts) | frozenset(meant.split())
    return terms


def _parts(word: str) -> list[str]:
    """A word, or the known words that it is put together of: ``artikelgruppe``, ``inkoopprijs``."""
    known = _by_word()
    if word in known or word in _IDLE or len(word) < 6:
        return [word]
    for end in range(len(word) - 2, 2, -1):
        head = word[:end]
        for linked in (head, head.removesuffix("s"), head.removesuffix("en"), head.removesuffix("n")):
            if (
                linked in known
                and len(linked) > 2
                and (rest := _parts(word[end:]))
                and all(part in known for part in rest)
            ):
                return [linked, *rest]
    longer = {term for text, term in known.items() if text.startswith(word)}
    return [next(iter(longer))] if len(word) >= _CUT and len(longer) == 1 else [word]


_PER = frozenset(("per", "pro", "par", "por", "je", "pr", "za"))
_OF_A_SCALE = {"price", "cost", "quantity", "each", "unit"}
"""Terms that may stand beside such a word."""
CURRENCY_WORDS = frozenset(
    ("currency", "curr", "cur", "ccy", "währung", "waehrung", "devise", "monnaie", "valuta", "munt", "moneda", "divisa")
)
"""Headings (folded) of columns that say in which currency the amounts of a row are."""

END_WORDS = frozenset(
    (
        "to",
        "todate",
        "until",
        "validto",
        "validuntil",
        "ends",
        "end",
        "enddate",
        "expires",
        "expireson",
        "bis",
        "gültigbis",
        "au",
        "jusquau",
        "tot",
        "hasta",
    )
)
"""Headings (folded) of columns that say until when a row is valid."""
SCALE_WORDS = frozenset(
    (
        "per",
        "priceunit",
        "priceper",
        "pricingunit",
        "unitofprice",
        "perunit",
        "pe",
        "pu",
        "je",
        "pricebase",
        "pricebasis",
        "preiseinheit",
        "proeinheit",
        "par",
        "unit",
        "uom",
        "unitofmeasure",
    )
)
"""Headings (folded) of columns that say for how many, or for which unit, an amount is."""
BREAK_WORDS = frozenset(
    (
        "fromqty",
        "fromquantity",
        "minqty",
        "minquantity",
        "minimumquantity",
        "qtybreak",
        "quantitybreak",
        "abmenge",
        "staffel",
        "staffelmenge",
    )
)
"""Headings (folded) of columns that say from which quantity an amount applies."""
PLACE_WORDS = frozenset(
    (
        "lot",
        "lotno",
        "lotnumber",
        "batch",
        "batchno",
        "charge",
        "warehouse",
        "warehousecode",
        "lager",
        "depot",
        "magasin",
    )
)
"""Headings (folded) of columns that say of which lot, or in which warehouse, a quantity is."""
