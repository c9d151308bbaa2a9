"""Every kind of repair, declared once: its title on the screen, and what proves it."""

from __future__ import annotations

from msgspec import Struct


class RepairKind(Struct, frozen=True):
    """One kind of repair.

    Attributes:
        title: what was done to the cells, as the screen names it.
        proof: why nothing else can have been meant, in a sentence.
    """

    title: str
    proof: str


REPAIRS: dict[str, RepairKind] = {
    name: RepairKind(*facts)
    for name, facts in {
        "stray-spaces": (
            "spaces before or after removed",
            "Spaces at the ends are never part of a value.",
        ),
        "text-in-formula": (
            "texts taken out of formulas",
            'A program wrote ="00123" only to keep a spreadsheet from changing the text.',
        ),
        "unusual-characters": (
            "unusual forms of characters replaced",
            "They are the same characters in another form, such as full-width digits.",
        ),
        "number-as-typed": (
            "numbers read by the column's decimal mark",
            "The other values of the column, or of the sheet, show which mark is the decimal one.",
        ),
        "word-for-number": (
            "words that stand for a number",
            "The field defines what the word means.",
        ),
        "binary-rounding": (
            "rounding noise from the spreadsheet removed",
            "A spreadsheet calculates with 15 digits; the rest is noise.",
        ),
        "percent-as-shown": (
            "percentages read as they are shown",
            "The cell shows 12.5 % and holds 0.125.",
        ),
        "as-shown": (
            "numbers read as their cells show them",
            "The field holds what a person sees, such as a code whose zeros only the format shows.",
        ),
        "rounded": (
            "amounts rounded",
            "The mapping or kotrel.toml asks for it under rounding.",
        ),
        "per-one": (
            "amounts for one",
            "The mapping says how many pieces the amount is for.",
        ),
        "date-as-typed": (
            "dates read in the column's order",
            "Other dates of the column can be read in only one way.",
        ),
        "two-digit-year": (
            "two-digit years completed",
            "It is the year with these digits that is nearest to today.",
        ),
        "time-left-out": (
            "times of day left out",
            "The field holds a date without a time.",
        ),
        "midnight-added": (
            "dates without a time",
            "A day begins at midnight.",
        ),
        "name-for-code": (
            "names and other spellings replaced by codes",
            "It is the name of exactly one code on the list, or one of the known spellings.",
        ),
        "other-case": (
            "codes spelled as on the list",
            "Only one code on the list differs in nothing but capitals and separators.",
        ),
        "look-alike": (
            "look-alike and invisible characters replaced",
            "Only one code on the list looks the same.",
        ),
        "leading-zeros": (
            "lost leading zeros restored",
            "The cell holds a number, and the list has exactly one code with these digits.",
        ),
        "number-for-code": (
            "codes that had become numbers restored",
            "Only one code on the list is this number.",
        ),
        "date-for-code": (
            "codes that had become dates restored",
            "Only one code on the list could have become this date.",
        ),
        "wrong-code-page": (
            "characters from a wrong code page restored",
            "The text converts back into valid UTF-8.",
        ),
        "other-code": (
            "other codes replaced by the code",
            "Exactly one row of the system has this other code.",
        ),
        "digits-apart": (
            "blanks and signs between digits removed",
            "The digits alone are a barcode with a right check digit.",
        ),
        "same-code": (
            "codes written in another way",
            "Only one place of the count differs in nothing but capitals and separators.",
        ),
        "as-exported": (
            "cells restored as they were exported",
            "The spreadsheet made the value from what was exported.",
        ),
    }.items()
}
"""Kind → what it is."""
