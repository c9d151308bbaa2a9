"""Proposes which column feeds which field: by what its heading says in several languages,
and by what the column holds.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping

from msgspec import Struct
from msgspec.structs import replace
from rapidfuzz import fuzz

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.matching.by_headings import OWN_HEADINGS, bare_terms, headings_of, names_another, terms_of_field
from kotrel.core.matching.column_content import REPEATS, Content, objection_to, on_list, suggests
from kotrel.core.matching.opposites import are_opposites
from kotrel.core.phrases import listed_and
from kotrel.core.similarity import folded
from kotrel.core.tables.heading_words import is_newer, terms_of
from kotrel.core.tables.table import Column, Table

SURE_ENOUGH = 60
"""In per cent; below it nothing is proposed."""
OWN, USUAL, SAME_TERMS, UNSURE = 100, 95, 92, 84
"""How sure a heading makes it: the field's own name, a known heading for this field, the same terms;
and the most without one of them.
"""
GUESSED = 50
"""How sure the first of several columns is that say the same."""
MOSTLY = 70
"""A column of codes holds a list's codes where this many per cent of them are on it."""
GENERIC = ("name", "description", "text", "title", "item", "short description", "short text", "short name")
"""Headings of the column with the name of a row, where no other field claims them."""


class Proposal(Struct, frozen=True):
    """One field and the column proposed for it.

    Attributes:
        sure: how sure, in per cent.
        why: in words.
    """

    field: Field
    column: Column
    sure: int
    why: str


def _candidates(
    table: Table, looked: Mapping[str, Content], record: Record, names: Callable[[str], ListNames]
) -> list[Proposal]:
    """Every column with every field that it may feed, the surest first."""
    columns = [column for column in table.columns if folded(column.heading) not in OWN_HEADINGS]
    fields = [field for field in record.fields.values() if not field.is_kept]
    words = {field.name: _terms_of_field(field, record) for field in fields}
    proposals: list[Proposal] = []
    for column in columns:
        for field in fields:
            sure, why = _judge(column, looked[column.letter], field, record, words, names)
            if sure >= SURE_ENOUGH:
                proposals.append(Proposal(field, column, sure, why))
    proposals = _without_bare_heading(proposals, record)
    proposals += _keys(columns, looked, record, proposals)
    proposals += _names_without_heading(columns, looked, record, proposals)
    order = {name: number for number, name in enumerate(record.fields)}
    return sorted(proposals, key=lambda each: (-each.sure, order[each.field.name]))


def propose(table: Table, record: Record, names: Callable[[str], ListNames]) -> tuple[list[Proposal], list[Column]]:
    """The best proposals, at most one column for each field, and the columns left over.

    A field that the system keeps is never proposed, and nothing is where the column's content speaks against it.

    Args:
        names: record → its codes and names.
    """
    looked = {column.letter: Content(table, column) for column in table.columns}
    candidates = _candidates(table, looked, record, names)
    chosen: list[Proposal] = []
    taken_fields: set[str] = set()
    taken_columns: set[str] = set()
    for candidate in candidates:
        if candidate.field.name not in taken_fields and candidate.column.letter not in taken_columns:
            taken_fields.add(candidate.field.name)
            taken_columns.add(candidate.column.letter)
            chosen.append(candidate)
    left = [column for column in table.columns if column.letter not in taken_columns]
    chosen = [_with_rivals(each, candidates, left) for each in chosen]
    chosen = _without_key_elsewhere(chosen, looked, record, names)
    place = {column.letter: number for number, column in enumerate(table.columns)}
    chosen.sort(key=lambda each: place[each.column.letter])
    return chosen, [
        column
        for column in table.columns
        if column.letter not in taken_columns and (column.heading or not table.heading_row)
    ]


def _without_bare_heading(candidates: list[Proposal], record: Record) -> list[Proposal]:
    """Beside “Art. no.”, “Article” is no code: without it, it may be."""
    mine = [each for each in candidates if record.key == (each.field.name,)]
    coded = bare_terms(each.column.heading for each in mine)
    return [each for each in candidates if each not in mine or terms_of(each.column.heading) not in coded]


def _with_rivals(chosen: Proposal, candidates: list[Proposal], left: list[Column]) -> Proposal:
    """The proposal; it is no more than a guess where another column that feeds nothing says the same as much, or says
    that its values take the place of these.
    """
    as_sure = [each.column for each in candidates if each.field is chosen.field and each.sure == chosen.sure]
    rivals = [column.letter for column in left if column in as_sure or is_newer(column.heading, chosen.column.heading)]
    if not rivals:
        return chosen
    return replace(
        chosen, sure=GUESSED, why=f"{chosen.why}, but column {listed_and(rivals)} fits equally well: please check"
    )


def _without_key_elsewhere(
    chosen: list[Proposal], looked: Mapping[str, Content], record: Record, names: Callable[[str], ListNames]
) -> list[Proposal]:
    """Where no column has the key, a column of other codes may be it: it is, if the system has its values as keys."""
    key = record.key[0]
    if len(record.key) > 1 or any(each.field.name == key for each in chosen):
        return chosen
    proposals: list[Proposal] = []
    for proposal in chosen:
        content = looked[proposal.column.letter]
        if proposal.field.kind == "code" and proposal.field.check is None and content.is_key:
            known = names(record.name)
            if content.share(lambda value, known=known: value in known.code_set) > 50:  # type: ignore[misc]
                proposal = Proposal(
                    record.fields[key], proposal.column, UNSURE, "its values are codes that the system has"
                )
            else:
                proposal = Proposal(
                    proposal.field, proposal.column, UNSURE, f"{proposal.why}; no other column has the {key}"
                )
        proposals.append(proposal)
    return proposals


def _terms_of_field(field: Field, record: Record) -> set[frozenset[str]]:
    found = terms_of_field(field)
    if field.name == record.called:
        found |= {terms_of(word) for word in GENERIC}
    return found


def _judge(
    column: Column,
    content: Content,
    field: Field,
    record: Record,
    words: Mapping[str, set[frozenset[str]]],
    names: Callable[[str], ListNames],
) -> tuple[int, str]:
    """How sure it is that the column feeds the field, and why."""
    if names_another(column.heading, field, record):
        return 0, ""
    if reason := objection_to(content, field, record, names):
        # What stands in the column comes first: a heading alone proves nothing against it.
        own = folded(column.heading) in headings_of(field)
        own = own or (
            reason == REPEATS and field.name == record.called and terms_of(column.heading) in words[field.name]
        )
        return (SURE_ENOUGH, f"its heading, but {reason}") if own else (0, "")
    whose = _whose_code(column, content, field, record, words)
    if whose is not None and on_list(content, whose, names) >= MOSTLY:
        # “Supplier no.” is who supplies the item, not what they call it.
        return 0, ""
    by_heading, why = _by_heading(column, field, record, words)
    if whose is not None and by_heading and content.repeats:
        return SURE_ENOUGH, f"{why}, but its values repeat, so it may be the {whose.title.lower()} itself"
    by_content, seen = suggests(content, field, record, names)
    if by_heading and by_content:
        return max(by_heading, min(by_heading + by_content // 3, UNSURE)), f"{why}, and {seen}"
    if by_heading:
        return by_heading, why
    return min(by_content, UNSURE - 6), seen


def _whose_code(
    column: Column, content: Content, field: Field, record: Record, words: Mapping[str, set[frozenset[str]]]
) -> Field | None:
    """The field with whoever gives the item this code, where the heading names both:
    “Supplier no.” may be the supplier or their code.
    """
    if field.kind != "code" or record.key == (field.name,) or field.to is not None or not content.count:
        return None
    terms = terms_of(column.heading)
    others = (each for each in record.fields.values() if each.to not in (None, record.name))
    return next(
        (each for each in others if any(theirs and theirs < terms for theirs in words.get(each.name, ()))), None
    )


def _by_heading(
    column: Column, field: Field, record: Record, words: Mapping[str, set[frozenset[str]]]
) -> tuple[int, str]:
    heading = folded(column.heading)
    if not heading:
        return 0, ""
    field_headings = headings_of(field)
    for text in (heading, folded(column.lower)):
        if text and text in field_headings:
            return (OWN, "its heading") if text in field_headings[:2] else (USUAL, "a known heading for this field")
    terms = terms_of(column.heading)
    if terms in words[field.name]:
        rivals = sum(terms in theirs for theirs in words.values())
        return (SAME_TERMS if rivals == 1 else UNSURE - 10), "a known name for this field"
    # Another field's heading, whatever it has in common with this one; and whose code "our code" is depends on who
    # wrote the sheet.
    if any(terms in theirs for theirs in words.values()) or terms & {"our", "your"}:
        return 0, ""
    return _by_likeness(column, field, field_headings, words)


def _by_likeness(
    column: Column, field: Field, own: Collection[str], words: Mapping[str, set[frozenset[str]]]
) -> tuple[int, str]:
    """How a heading that is no field's own resembles one of the field's."""
    heading, terms = folded(column.heading), terms_of(column.heading)
    near = max((int(fuzz.ratio(heading, word)) for word in own if not are_opposites(heading, word)), default=0)
    if near >= 85:
        return min(near - 10, UNSURE), "the heading is spelled similarly"
    shared = max((len(terms & theirs) / len(terms | theirs) for theirs in words[field.name]), default=0)
    best = max((len(terms & theirs) / len(terms | theirs) for mine in words.values() for theirs in mine), default=0)
    if shared >= 0.5 and shared == best:
        return 45 + int(30 * shared), "the heading contains part of the field's name"
    return 0, ""


def _names_without_heading(
    columns: list[Column], looked: Mapping[str, Content], record: Record, proposals: list[Proposal]
) -> list[Proposal]:
    """The name of a row by content alone, in a sheet without headings:
    the only column of words that are different in nearly every row.
    """
    field = record.fields.get(record.called or "")
    if field is None or any(column.heading for column in columns) or any(each.field is field for each in proposals):
        return []
    claimed = {each.column.letter for each in proposals}
    fitting = [
        column
        for column in columns
        if column.letter not in claimed
        and (content := looked[column.letter]).share(lambda value: " " in value.strip()) > 50
        and len(content.distinct) * 5 >= content.rows * 4
    ]
    if len(fitting) != 1:
        return []
    return [Proposal(field, fitting[0], UNSURE - 8, "it holds words, different in nearly every row")]


def _keys(
    columns: list[Column], looked: Mapping[str, Content], record: Record, proposals: list[Proposal]
) -> list[Proposal]:
    """The key by content alone: the first column that is full, different in every row, and looks like codes."""
    if len(record.key) > 1:
        return []
    field = record.fields[record.key[0]]
    if any(each.field.name == field.name for each in proposals):
        return []
    claimed = {each.column.letter for each in proposals if each.sure > UNSURE}
    for column in columns:
        content = looked[column.letter]
        if column.letter not in claimed and content.is_key and content.kind in ("code", "whole number", "text"):
            why = "it is filled in every row, and different each time"
            return [Proposal(field, column, UNSURE - 8, why)]
    return []
