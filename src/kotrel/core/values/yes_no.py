"""Yes and no, in the words that people use."""

from __future__ import annotations

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
        "oui",
        "o",
        "vrai",
        "si",
        "sí",
        "s",
        "sì",
        "verdadero",
        "sim",
        "tak",
        "да",
        "kyllä",
        "da",
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
        "non",
        "faux",
        "nee",
        "ne",
        "nej",
        "nie",
        "não",
        "нет",
        "ei",
        "нема",
    ]
)


def read_yes_no(text: str) -> str | None:
    """``yes`` or ``no``, or None for any other word."""
    word = text.strip().casefold()
    return "yes" if word in YES else "no" if word in NO else None
