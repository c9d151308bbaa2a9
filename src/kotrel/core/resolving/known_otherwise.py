"""New codes by which the system knows a row already: a sheet with somebody else's codes makes everything twice."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.phrases import listed_and
from kotrel.core.resolving.near_duplicates import is_typed_code
from kotrel.core.resolving.other_codes import known_as
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.load_options import ALL
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState

Codes = Mapping[str, Mapping[str, str]]
"""Value → the codes of the rows that are known by it, each with the title of the field that has it."""
NAMED = 3
"""At most this many of the rows that are known so are named."""


def find_known_otherwise(
    rows: Rows, state: SystemState, new: Callable[[], pl.Series], really_new: Collection[str]
) -> list[FindingGroup]:
    """New keys that are another code of a row which the system has.

    Wherever a code is typed or scanned, such a code means that row (:func:`kotrel.core.resolving.other_codes.known_as`).
    That a vendor's code or a maker's number is somebody's own code may be by chance: only where it is so of most new rows,
    it is an error.

    Args:
        new: Boolean for each row: the system does not have it.
        really_new: codes that are new whatever they look like, or :data:`ALL`.
    """
    record = rows.record
    name = record.key[0]
    fresh = _fresh(rows, new, really_new)
    if fresh is None:
        return []
    codes = known_as(record, fresh[name], state)
    own = [state.description.records[other].fields[field].title.lower() for other, field in record.other_codes]
    by_list = {value for value, held in codes.items() if any(said.startswith(tuple(own)) for said in held.values())}
    others = {value for value in codes if value not in by_list}
    is_usual = 2 * fresh[name].is_in(list(others)).sum() > fresh.height
    findings: list[FindingGroup] = []
    told: tuple[tuple[set[str], Severity], ...] = ((by_list, "error"), (others, "error" if is_usual else "warning"))
    for values, severity in told:
        known = fresh.filter(pl.col(name).is_in(list(values)))
        if known.height:
            settles = 2 * known.height > rows.values.height
            option = _option(rows, [codes[value] for value in known[name]], state) if settles else ()
            findings.append(replace(_finding(rows, known, codes, severity), option=option))
    return findings


def _option(rows: Rows, found: Sequence[Mapping[str, str]], state: SystemState) -> tuple[str, ...]:
    """The option that finds all these rows by what their key column holds, where it is one field and each leads to one
    row: empty otherwise.
    """
    record = rows.record
    titles = {title.partition(",")[0] for held in found for title in held.values()}
    own = {group[-1]: record.fields[group[-1]] for group in record.also_known_by if group[-1] not in rows.fields}
    others = {".".join(dotted): state.description.records[dotted[0]].fields[dotted[1]] for dotted in record.other_codes}
    named = [[name for name, field in each.items() if field.title.lower() in titles] for each in (own, others)]
    meant = named[0] or named[1]
    is_clear = len(titles) == len(meant) == 1 and all(len(held) == 1 for held in found)
    return ("--match-on", meant[0]) if is_clear else ()


def _fresh(rows: Rows, new: Callable[[], pl.Series], really_new: Collection[str]) -> pl.DataFrame | None:
    """``ROW`` and the key of the rows to look at; None where there are none."""
    name = rows.record.key[0]
    if len(rows.record.key) > 1 or not is_typed_code(rows, name) or ALL in really_new:
        return None
    wanted = new() & rows.values[name].is_not_null()
    if really_new:
        wanted = wanted & ~rows.values[name].is_in(list(really_new))
    fresh = rows.values.select(ROW, name).filter(wanted)
    return fresh if fresh.height else None


def _finding(rows: Rows, known: pl.DataFrame, codes: Codes, severity: Severity) -> FindingGroup:
    """A finding at each of these keys: ``ROW`` and the key."""
    name = rows.record.key[0]
    advice = "use its code, or name yours with --new-codes if it is really new"
    messages: list[str] = []
    suggestions: list[str | None] = []
    for value in known[name]:
        held = codes[value]
        said = next(iter(held.values()))
        what, comma, otherwise = said.partition(",")
        # The one row is the suggestion; the same words for all rows are shown once.
        there = "an existing one" if len(held) == 1 else listed_and(list(held)[:NAMED])
        messages.append(
            f"it is the {what} of {there}{comma}{otherwise}: {advice if severity == 'error' else 'is it the same?'}"
        )
        suggestions.append(next(iter(held)) if len(held) == 1 else None)
    cells = cells_of(known[ROW], known[name], messages, suggestions)
    return rows.group(severity, "known-otherwise", "new code, but another code of an existing one", name, cells)
