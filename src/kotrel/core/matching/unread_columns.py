"""Columns that no field reads although the others would say something else without them."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.matching.by_headings import terms_of_field
from kotrel.core.matching.heading_units import UNIT
from kotrel.core.matching.opposites import opposite_field, out_of_use, status_words
from kotrel.core.matching.quantity_breaks import bare_breaks, break_field, break_said
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.similarity import folded
from kotrel.core.tables.heading_words import (
    BREAK_WORDS,
    END_WORDS,
    PLACE_WORDS,
    is_later_count,
    is_newer,
    is_numbered_alike,
    is_scale,
    terms_of,
)
from kotrel.core.tables.table import Column
from kotrel.core.values.yes_no import read_yes_no

_DAY = r"^[0-9]{1,4}[-./ ][0-9]{1,2}[-./ ][0-9]{1,4}(?: 00:00:00)?$"
_UNTIL, _FROM_ON = "until when a row is valid", "what an amount is from a quantity on"
_FEW_WORDS = 12
"""A column with more different words is no status."""
_OF_AN_END = {"to", "from", "date", "price", "sales"}
_OF_A_UNIT = {"unit", "price", "cost", "sales", "quantity", "base", "item", "main", "our", "order", "code"}
"""Terms that may stand beside the one that matters."""


def about_limits(rows: Rows, unread: Sequence[Column]) -> list[FindingGroup]:
    """Columns that limit or scale what the rows say, and that nobody mapped or skipped:
    without them, the rows say something else.
    """
    findings = []
    bare = bare_breaks(unread) if break_field(rows.record) is not None else {}
    for column in unread:
        what = _limit_said(rows, column.heading)
        cells = rows.table.cells[column.letter].str.strip_chars().fill_null("")
        filled = cells.filter(cells != "")
        if not what and filled.str.contains(r"^[^\w]*[0-9][0-9.,]*[^\w]*$").all():
            what = _figures_said(rows, column) if column not in bare else _FROM_ON
        if not what and filled.str.contains(_DAY).all() and rows.record.period and "to" in terms_of(column.heading):
            what = _UNTIL
        what = what or _use_said(rows, column, filled)
        if what and filled.len():
            message = f"column {column.letter} “{column.heading}” says {what}, and no field reads it: map it with kotrel map, or name it under skip in the mapping"
            findings.append(unread_limit(rows, column, message))
    return findings


def _use_said(rows: Rows, column: Column, filled: pl.Series) -> str:
    """What a column says of rows that are out of use, in words; an empty text where all are in use."""
    few = filled.unique(maintain_order=True)
    if len(few) > _FEW_WORDS:
        return ""
    field = opposite_field(column.heading, rows.record)
    words = few.to_list()
    if field is not None and field.name not in rows.fields:
        no = [word for word in words if read_yes_no(word) == "no"]
        return f"the opposite of {field.title.lower()} (“{no[0]}”)" if no else ""
    archived = out_of_use(rows.record)
    if archived is None or archived.name in rows.fields:
        return ""
    said = [word for word, each in status_words(words).items() if each == "yes"]
    return f"which rows are {archived.title.lower()} (“{said[0]}”)" if said else ""


def unread_limit(rows: Rows, column: Column, message: str) -> FindingGroup:
    """An error about a column that says something of the rows, and that no field reads."""
    title = "a column that counts is not read"
    return rows.sheet_finding("error", "unread-limit", title, message, column.letter, column.heading)


def _figures_said(rows: Rows, column: Column) -> str:
    """What a column of figures says of the others, in words; an empty text where it says nothing of them."""
    fields = rows.record.fields
    if "counted" in fields and is_later_count(column.heading, terms_of_field(fields["counted"])):
        return "what was counted, too"
    amounts = [each for each in fields.values() if each.kind == "money"]
    if (said := break_said(column.heading)) is not None and any(said.is_of(each) for each in amounts):
        return _FROM_ON
    twins = (
        name
        for name in rows.letters
        if fields[name].is_decimal and is_numbered_alike(column.heading, rows.heading(name))
    )
    twin = next(twins, None)
    return f"what {fields[twin].title.lower()} is, too" if twin is not None else ""


def _limit_said(rows: Rows, heading: str) -> str:
    """What a column says of the others that are read, in words; an empty text where it says nothing of them."""
    record, word, terms = rows.record, folded(heading), terms_of(heading)
    if record.period is not None and (word in END_WORDS or ("to" in terms and terms <= _OF_AN_END)):
        return _UNTIL
    if scale := _scale_said(rows, heading, terms):
        return scale
    if word in PLACE_WORDS and (record.is_posted or "quantity" in rows.fields):
        return "of which lot, or where, a quantity is"
    older = next((name for name in rows.letters if is_newer(heading, rows.heading(name))), None)
    return f"what {record.fields[older].title.lower()} is from now on" if older is not None else ""


def _scale_said(rows: Rows, heading: str, terms: frozenset[str]) -> str:
    """What a column says of amounts and quantities: for how many, or in which unit, they are."""
    kinds = {rows.record.fields[name].kind for name in rows.fields}
    if "money" in kinds:
        if is_scale(heading):
            return "how many pieces or which unit an amount is for"
        if folded(heading) in BREAK_WORDS or terms == {"from", "quantity"}:
            return "from which quantity an amount applies"
    if kinds & {"money", "quantity"} and UNIT not in rows.sources and "unit" in terms and terms <= _OF_A_UNIT:
        return "which unit a row is in"
    return ""
