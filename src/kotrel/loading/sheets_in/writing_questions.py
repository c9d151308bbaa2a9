"""What ``kotrel map`` asks about values that can be read in two ways: 1,234, and 3/4/2026."""

from __future__ import annotations

from collections.abc import Callable

from kotrel.core.columns import ROW
from kotrel.core.matching.proposing import Proposal
from kotrel.core.normalizing.amounts import column_mark
from kotrel.core.normalizing.by_kind import tidy
from kotrel.core.normalizing.column import ColumnSetting
from kotrel.core.phrases import count, listed
from kotrel.core.similarity import folded
from kotrel.core.values.conventions import Conventions, SheetHabits
from kotrel.core.values.numbers import read_number
from kotrel.loading.opening import now
from kotrel.loading.sheets_in.mapping_proposals import Mapped
from kotrel.screen.dialogue import DialogueQuestion, Document

_WAYS = {
    "ambiguous-number": ("decimal_mark", {"point": ".", "comma": ","}),
    "ambiguous-date": ("dates", {"day": "day", "month": "month"}),
}


def about_writing(mapped: Mapped, document: Document, conventions: Conventions) -> list[DialogueQuestion]:
    """One question for numbers, and one for dates, where the columns themselves do not show how they are read."""
    habits = SheetHabits(document.get("decimal_mark", ""), document.get("dates", ""))
    conventions = conventions.for_sheet(habits)
    found: dict[str, list[tuple[Proposal, list[str]]]] = {}
    for each in mapped.proposals:
        for kind, values in _ambiguous(mapped, each, conventions).items():
            found.setdefault(kind, []).append((each, values))
    return [_question(kind, columns) for kind, columns in found.items()]


def _ambiguous(mapped: Mapped, proposal: Proposal, conventions: Conventions) -> dict[str, list[str]]:
    """Kind of finding → the values of a column that have it."""
    if not (proposal.field.is_decimal or proposal.field.kind == "date"):
        return {}
    table, letter = mapped.table, proposal.column.letter
    marks = {
        mark
        for one in mapped.proposals
        if one.field.is_decimal and (mark := column_mark(table.cells[one.column.letter]).mark)
    }
    setting = ColumnSetting(conventions, now().date(), marks.pop() if len(marks) == 1 else None, not table.sheet)
    tidied = tidy(
        table.cells[ROW], table.cells[letter], lambda kind: table.kind_is(letter, kind), proposal.field, setting
    )
    return {
        trouble.kind: trouble.cells["value"].unique(maintain_order=True).to_list()
        for trouble in tidied.troubles
        if trouble.kind in _WAYS
    }


def _question(kind: str, columns: list[tuple[Proposal, list[str]]]) -> DialogueQuestion:
    key, ways = _WAYS[kind]
    values = [value for _, some in columns for value in some]
    headings = listed([f"{each.column.letter} “{each.column.heading}”" for each, _ in columns], 3)
    return DialogueQuestion(
        _question_text(kind, headings, values), _take(key, ways), f"Values: {_list_values(values, 25)}"
    )


def _question_text(kind: str, headings: str, values: list[str]) -> str:
    start = f"{headings}: {count(len(values), 'value')} can be read in two ways ({_list_values(values, 3)})."
    if kind == "ambiguous-date":
        return f"{start} Which comes first?\nday    3/4/2026 is 3 April\nmonth  3/4/2026 is March 4\nType one of them, or Enter to leave them errors"
    point, comma = (read_number(values[0], mark).value for mark in (".", ","))
    return f"{start} How are numbers written here?\npoint  with a decimal point: {values[0]} is {point}\ncomma  with a decimal comma: {values[0]} is {comma}\nType one of them, or Enter to leave them errors"


def _list_values(values: list[str], most: int) -> str:
    """The first values; with semicolons, since they have commas in them."""
    return "; ".join(values[:most]) + (" …" if len(values) > most else "")


def _take(key: str, ways: dict[str, str]) -> Callable[[Document, str], str | None]:
    def take(document: Document, said: str) -> str | None:
        if not said:
            return None
        way = next((value for word, value in ways.items() if folded(said) in (word, word[0]) or said == value), None)
        if way is None:
            return f"answer {' or '.join(ways)}"
        document[key] = way
        return None

    return take
