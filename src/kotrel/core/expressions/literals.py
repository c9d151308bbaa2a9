"""Texts that are written in an expression and compared with a field: read as a cell of that field is."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from kotrel.core.description.model import Field
from kotrel.core.similarity import did_you_mean, nearest
from kotrel.core.values.dates import read_date, read_moment
from kotrel.core.values.same_writing import are_same

Names = Callable[[str], Mapping[str, str]]
Found = Callable[[Field, str], str | None]
_NO_YEAR = 2000


class NotOfField(Exception):
    """What is wrong with a text for a field, and what to do."""

    def __init__(self, trouble: str, hint: str = "") -> None:
        super().__init__(trouble)
        self.trouble = trouble
        self.hint = hint


def meant_by(field: Field, text: str, names: Names | None, found: Found | None = None) -> str:
    """The canonical value of the field that a text means.

    Args:
        names, found: as :class:`~kotrel.core.expressions.scope.Scope` has them.

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
        moment = read_moment(text, zoned=False)
        return _day(field, text) if moment.value is None or moment.midnight else text
    if found is not None and (code := found(field, text)) is not None:
        return code
    # Items are too many to be listed.
    if field.to is not None and field.to != "item" and names is not None and (there := names(field.to)):
        return _code(field, text, there)
    return text


def _day(field: Field, text: str) -> str:
    read = read_date(text, None, _NO_YEAR)
    if read.value is None or read.guessed_century or read.time:
        why = "could be two days" if read.trouble == "ambiguous" or read.guessed_century else "is not a date"
        raise NotOfField(f"“{text}” {why}", "Write it like '2027-07-01'.")
    return read.value


def _code(field: Field, text: str, names_by_code: Mapping[str, str]) -> str:
    """The code that a text is or names, written in this way or another."""
    if text in names_by_code:
        return text
    codes = {code for code in names_by_code if are_same(code, text)}
    codes = codes or {code for code, name in names_by_code.items() if are_same(name, text)}
    if len(codes) == 1:
        return codes.pop()
    if codes:
        raise NotOfField(f"“{text}” is the name of several: {', '.join(sorted(codes))}", "Write the code.")
    close = nearest(text, [*names_by_code, *names_by_code.values()])
    close = next((code for code, name in names_by_code.items() if name == close), close)
    raise NotOfField(
        f"there is no {field.title.lower()} “{text}”", f"Did you mean {close}?" if close else "Write its code."
    )
