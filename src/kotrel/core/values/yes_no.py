"""Yes and no, in the words that people use."""

from __future__ import annotations

from kotrel.core.values.lookalikes import plain

YES = frozenset(
    [
        "yes",
        "y",
        "true",
        "t",
        "1",
        "x",
        "✓",
        "✔",
        "on",
        "ja",
        "j",
        "wahr",
        "waar",
        "oui",
        "o",
        "vrai",
        "si",
        "sí",
        "s",
        "sì",
        "verdadero",
        "vero",
        "verdadeiro",
        "sim",
        "tak",
        "да",
        "kyllä",
        "da",
        "sant",
        "sand",
    ]
)
NO = frozenset(
    [
        "no",
        "n",
        "false",
        "f",
        "0",
        "-",
        "off",
        "nein",
        "falsch",
        "onwaar",
        "non",
        "faux",
        "nee",
        "ne",
        "nej",
        "nei",
        "nie",
        "não",
        "nao",
        "falso",
        "нет",
        "ei",
        "нема",
        "✗",
        "✘",
        "falsk",
        "usant",
    ]
)


def read_yes_no(text: str) -> str | None:
    """``yes`` or ``no``, or None for any other word."""
    for word in (text.strip().casefold(), plain(text).casefold()):
        if word in YES or word in NO:
            return "yes" if word in YES else "no"
    return None
