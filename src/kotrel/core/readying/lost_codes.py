"""Codes that a spreadsheet has damaged beyond repair: reported, never guessed."""

from __future__ import annotations

from collections.abc import Collection

import polars as pl

from kotrel.core.description.model import Field
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.values.dated_codes import SHAPED_LIKE_DATE, may_be_date
from kotrel.core.values.starts import common_start

EXPONENT = r"^[0-9](?:[.,][0-9]+)?[eE]\+[0-9]{1,2}$"
"""What a spreadsheet shows instead of a long number."""
_TOO_LONG = "^[0-9]{16,}$"
_TOO_LONG_TITLE = "more than 15 digits as a number"
_TOO_LONG_MESSAGE = (
    "a spreadsheet keeps only 15 digits of a number: get it from its source again, into a column formatted as text"
)
_EITHER = f"{EXPONENT}|(?:{SHAPED_LIKE_DATE})"


def lost_texts(rows: Rows, about: Field, values: pl.Series) -> list[FindingGroup]:
    """Findings on texts that a spreadsheet keeps as a date, a yes/no value or a number of too many digits.

    A date may be meant in a note, so it is only doubtful; digits are lost for good.
    """
    kinds = rows.table.kinds.get(rows.letters.get(about.name, ""), "text")
    source = rows.sources.get(about.name)
    if (isinstance(kinds, str) and kinds == "text") or source is None or not source.is_plain:
        return []
    found: list[FindingGroup] = []
    letter = rows.letters[about.name]
    for kind, what in (("date", "a date"), ("yes_no", "a yes/no value")):
        if (here := rows.table.kind_is(letter, kind)).any():
            message = f"the cell holds {what}: if it should be text, format the column as text and type it again"
            found += rows.where(
                "warning", f"became-{kind.replace('_', '-')}", f"{what} in a text", about, here, message
            )
    long = rows.table.kind_is(letter, "number") & values.str.contains(_TOO_LONG).fill_null(False)
    return found + (
        rows.where("error", "digits-lost", _TOO_LONG_TITLE, about, long, _TOO_LONG_MESSAGE) if long.any() else []
    )


def lost_codes(rows: Rows, about: Field, values: pl.Series, repaired: Collection[str]) -> list[FindingGroup]:
    """Findings on codes in exponent form, with digits lost, or turned into dates or yes/no values.

    Args:
        values: of the field.
        repaired: those that a rule has repaired.
    """

    def kind_is(kind: str) -> pl.Series:
        letter = rows.letters.get(about.name)
        if letter is None:
            return pl.Series([False], dtype=pl.Boolean).new_from_index(0, len(values))
        return rows.table.kind_is(letter, kind)

    # The distinct values settle nearly every column of a text file quickly.
    seen = rows.seen(about.name)
    # An exponent form begins with a digit, as dates may.
    odd = seen.filter(seen.str.contains(_EITHER)) if may_be_date(common_start(seen)) else seen.clear()
    in_exponent_form = bool(odd.str.contains(EXPONENT).any())
    dated = pl.Series([False], dtype=pl.Boolean)
    if about.kind == "code" and about.name not in rows.record.key:
        dated = odd.str.contains(SHAPED_LIKE_DATE) & odd.str.contains("[a-z]")
    kinds = rows.table.kinds.get(rows.letters.get(about.name, ""), "text")
    found: list[FindingGroup] = []
    if dated.any():
        wrong = values.str.contains(SHAPED_LIKE_DATE) & values.str.contains("[a-z]") & ~kind_is("date")
        message = "it looks like a date that a spreadsheet made of another code: is it a code?"
        found += rows.where("warning", "became-date", "turned into a date", about, wrong.fill_null(False), message)
    if isinstance(kinds, str) and kinds == "text" and not in_exponent_form:
        return found
    open_ones = ~values.is_in(pl.Series(list(repaired), dtype=pl.String).implode()).fill_null(False)
    for wrong, kind, title, message in (
        (values.str.contains(EXPONENT), "digits-lost", "in exponent form, with digits lost",
         "the spreadsheet dropped digits: get the code from its source again, into a column formatted as text"),
        (kind_is("number") & values.str.contains(_TOO_LONG), "digits-lost", _TOO_LONG_TITLE, _TOO_LONG_MESSAGE),
        (kind_is("date"), "became-date", "turned into a date",
         "the spreadsheet took the code for a date: format the column as text and type the code again"),
        (kind_is("yes_no"), "became-yes-no", "turned into yes or no",
         "the spreadsheet took the code for a yes/no value: format the column as text and type the code again"),
    ):  # fmt: skip
        bad = wrong.fill_null(False) & open_ones
        if bad.any():
            found += rows.where("error", kind, title, about, bad, message)
    return found
