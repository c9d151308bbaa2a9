"""Texts that are no value: names of errors in any language, words for nothing, ditto marks;
and marks of the program they came from.
"""

from __future__ import annotations

import html
import quopri
import re
import unicodedata

ERROR_NAMES = frozenset(
    [
        "#N/A",
        "#REF!",
        "#VALUE!",
        "#DIV/0!",
        "#NAME?",
        "#NUM!",
        "#NULL!",
        "#SPILL!",
        "#CALC!",
        "#FIELD!",
        "#GETTING_DATA",
        "#NV",
        "#BEZUG!",
        "#WERT!",
        "#ZAHL!",
        "#ÜBERLAUF!",
        "#VALEUR!",
        "#NOM?",
        "#NOMBRE!",
        "#NUL!",
        "#N/D",
        "#N/D!",
        "#¡REF!",
        "#¡VALOR!",
        "#¿NOMBRE?",
        "#¡DIV/0!",
        "#¡NUM!",
        "#¡NULO!",
        "#VALOR!",
        "#NOME?",
        "#NÚM!",
        "#NULO!",
        "#RIF!",
        "#VALORE!",
        "#NULLO!",
        "#VERW!",
        "#WAARDE!",
        "#NAAM?",
        "#GETAL!",
        "#LEEG!",
        "#DEEL/0!",
        "#N/B",
        "#REFERENS!",
        "#VÄRDEFEL!",
        "#NAMN?",
        "#OGILTIGT!",
        "#SAKNAS!",
        "#DIVISION/0!",
        "#ADR!",
        "#ARG!",
        "#NAZWA?",
        "#LICZBA!",
        "#ZERO!",
        "#HODNOTA!",
        "#ODKAZ!",
        "#NÁZEV?",
        "#ČÍSLO!",
        "#NENÍ_K_DISPOZICI",
        "#VÆRDI!",
        "#REFERENCE!",
        "#NAVN?",
        "#I/T",
        "#NUL!",
        "#TALL!",
        "#VERDI!",
        "#IT",
    ]
)
"""What spreadsheets show where a formula fails, in the languages that they speak."""
_ERROR = re.compile(r"^(?:Err:[0-9]{3}|#{3,})$", re.IGNORECASE)
NOTHING = frozenset(
    ("null", "nil", "nan", "none", "n/a", "na", "n.a.", "n.a", "n/v", "k.a.", "-", "--", "---", "–", "—", "#", ".", "?", "??", "???", "x.x.", "tbd", "tba",
     "undefined", "(null)", "(none)", "(blank)", "(leer)", "(vide)", "keine", "aucun", "geen", "ninguno", "nessuno", "empty", "leer", "vide")
)  # fmt: skip
"""Words that stand for no value; as a code they are none, unless the list has them."""
DITTO = frozenset(
    (
        '"',
        "''",
        "”",
        "“",
        "„",
        "〃",
        '""',
        "ditto",
        "dito",
        "do.",
        "d.o.",
        "s.o.",
        "id.",
        "idem",
        "dto.",
        "siehe oben",
        "see above",
        "as above",
        "wie oben",
    )
)
"""Marks that repeat what stands above: only a person sees which cell that is."""

_ESCAPES = re.compile(
    r"&(?:[a-z]{2,8}|#[0-9]{2,5}|#x[0-9a-f]{2,5});|<br\s*/?>|</?(?:p|b|i|span|div|font)\b[^>]*>|\\u[0-9a-f]{4}|_x[0-9a-f]{4}_|(?:=[0-9A-F]{2}){2,}",
    re.IGNORECASE,
)
MARKS = r"[\u{ad}\u{2028}\u{2029}\u{2060}\u{200e}\u{200f}\u{202a}-\u{202e}\u{2066}-\u{2069}\u{e000}-\u{f8ff}\u{2003}\u{2002}]"
"""Characters that are not seen, or are seen only in one program:
soft hyphens, line separators, direction marks, private letters.
"""
ESCAPED = r"&(?:[A-Za-z]{2,8}|#[0-9]{2,5}|#x[0-9A-Fa-f]{2,5});|<br ?/?>|</?(?:p|b|i|span|div|font)\b|\\u[0-9A-Fa-f]{4}|_x[0-9A-Fa-f]{4}_|(?:=[0-9A-F]{2}){2,}"
"""Texts in which a program has written characters in its own way."""


def is_error_name(text: str) -> bool:
    """Is it what a spreadsheet shows where a formula fails, or where a number does not fit its column?"""
    return text.strip().upper() in ERROR_NAMES or _ERROR.match(text.strip()) is not None


def as_meant(text: str) -> str:
    """A text with such characters as they were meant: ``Rope &amp; line<br>`` → ``Rope & line``."""
    plain = re.sub(r"_x([0-9A-Fa-f]{4})_", lambda found: chr(int(found[1], 16)), text)
    plain = re.sub(r"\\u([0-9A-Fa-f]{4})", lambda found: chr(int(found[1], 16)), plain)
    if re.search(r"(?:=[0-9A-F]{2}){2,}", plain):
        raw = quopri.decodestring(plain.encode("latin-1", "ignore"))
        plain = raw.decode("utf-8", "replace")
    plain = re.sub(r"<br\s*/?>|</p>", " ", plain, flags=re.IGNORECASE)
    plain = html.unescape(re.sub(r"</?[a-z]+\b[^>]*>", "", plain, flags=re.IGNORECASE))
    kept = [
        " " if each in "\u2028\u2029\u2002\u2003\r\n" else each
        for each in plain
        if unicodedata.category(each) not in ("Cf", "Co") or each == "\u200d"
    ]
    return " ".join("".join(kept).split())
