"""Texts that are written in an expression and compared with a field: read as a cell of that field is."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from kotrel.core.description.model import Field
from kotrel.core.similarity import did_you_mean, nearest
from kotrel.core.values.dates import read_date, read_moment

Names = Callable[[str], Mapping[str, str]]
_NO_YEAR = 2000


class NotOfField(Exception):
    """What is wrong with a text for a field, and what to do."""

    def __init__(self, trouble: str, hint: str = "") -> None:
        super().__init__(trouble)
        self.trouble = trouble
        self.hint = hint


def meant_by(field: Field, text: str, names: Names | None) -> str:
    """The canonical value of the field that a text means.

    Args:
        names: record → code and name of its rows; None where nobody knows.

    Raises:
        NotOfField: no value of the field can be meant.
    """
    if field.kind == "choice":
        same = [each for each in field.choices if each.casefold() == text.casefold()]
        if same:
            return same[0]
        raise NotOfField(
            f"{field.title} is never “{text}”",
            did_you_mean(text, field.choices, f"It is one of: {', '.join(field.choices)}."),
        )
    if field.kind == "date":
        return _day(field, text)
    if field.kind == "moment":
        found = read_moment(text, zoned=False)
        return _day(field, text) if found.value is None or found.midnight else text
    # Items are too many to be listed for a condition: their codes are compared as they are written.
    if field.to is not None and field.to != "item" and names is not None and (there := names(field.to)):
        return _code(field, text, there)
    return text


def _day(field: Field, text: str) -> str:
    read = read_date(text, None, _NO_YEAR)
    if read.value is None or read.guessed_century or read.time:
        why = "could be two days" if read.trouble == "ambiguous" or read.guessed_century else "is not a date"
        raise NotOfField(f"“{text}” {why}", "Write it like '2027-07-01'.")
    return read.value


def _code(field: Field, text: str, codes_by_form: Mapping[str, str]) -> str:
    if text in codes_by_form:
        return text
    folded = text.casefold()
    codes = {code for code in codes_by_form if code.casefold() == folded}
    codes = codes or {code for code, name in codes_by_form.items() if name.casefold() == folded}
    if len(codes) == 1:
        return codes.pop()
    if codes:
        raise NotOfField(f"“{text}” is the name of several: {', '.join(sorted(codes))}", "Write the code.")
    close = nearest(text, [*codes_by_form, *codes_by_form.values()])
    close = next((code for code, name in codes_by_form.items() if name == close), close)
    raise NotOfField(
        f"there is no {field.title.lower()} “{text}”", f"Did you mean {close}?" if close else "Write its code."
    )
