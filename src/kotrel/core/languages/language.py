"""What one language calls the things of a sheet. There is one file for each language;
nothing else in the program has its words.
"""

from __future__ import annotations

from msgspec import Struct


class Language(Struct, frozen=True):
    """The words of one language, in small letters without accents.

    Attributes:
        headings: lines ``term: words``: what headings call the thing, whole or as part of a longer word.
        months: the twelve months, in order; several names of one with a bar between them.
        weekdays: their names.
        yes, no: what people write into a cell.
        totals: how a row of totals begins.
        examples: how a row that is an example begins; several words with a low line between them.
        sheet: what a spreadsheet program calls a sheet that nobody has named, before its number.
        other: words in the brackets of a heading that say that its column is another thing: an old price, a mean cost.
        least: words before a number in a heading that say from how many on a price holds.
        more: words behind it that do.
        again: words in headings that say that something was counted once more, or for good.
        packs: what several pieces come in.
        idle: words in headings that say nothing about what stands below.
        newer: words in headings that say that a value takes the place of another.
    """

    headings: str
    months: str
    weekdays: str
    yes: str
    no: str
    totals: str
    sheet: str
    other: str
    least: str
    more: str
    again: str
    packs: str
    idle: str = ""
    newer: str = ""
    examples: str = ""
