"""Is the journal as it was written? Each load's lines are sealed, and each entry over the one before it."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from kotrel.core.changes.journal import load_name
from kotrel.core.changes.seal import SEALED, chained, is_turned_round, seal_of
from kotrel.core.parallel import one_ahead
from kotrel.core.phrases import count as counted
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.database_journal import SEALED_FACTS, has_journal, line_pieces, load_table, row_table


def _not_undone(number: int, undone_by: int | None, undoes: Mapping[int, int | None]) -> str:
    """What is wrong with the mark of an undo. ``undoes``: number → the load that it takes back."""
    if undone_by is None or undoes.get(undone_by) == number:
        return ""
    return f"it is marked as undone by {load_name(undone_by)}, which did not undo it"


def trouble_with(database: Database, number: int | None = None, newest: int | None = None) -> dict[int, str]:
    """What is wrong with the journal of one load, or of any: a line or an entry that was lost or changed since.

    Of all loads together, the lines of those with more than :data:`MANY_LINES` are only counted.

    Args:
        newest: the number of loads whose lines are looked at, from the last one back; None for all.
    """
    if not has_journal(database):
        return {}
    table, troubles = load_table(database.dialect), dict[int, str]()
    rows = database.run(f'SELECT {SEALED_FACTS}, "lines", digest, chain, undone_by FROM {table} ORDER BY number')
    first = number or (int(rows[-newest][0]) if newest is not None and len(rows) > newest else 0)
    query = f'SELECT "load", count(*) FROM {row_table(database.dialect)} WHERE "load" >= {first} GROUP BY "load"'
    counted = dict(database.run(query))
    undoes = {row[0]: row[7] for row in rows}
    expected, chain = 1, ""
    for *facts, lines, digest, sealed, undone_by in rows:
        mine = int(facts[0])
        if number is None and mine > expected:
            troubles[mine] = f"the entry before it, {load_name(mine - 1)}, is missing from the journal"
        if number in (None, mine):
            trouble = (
                _trouble(database, facts, lines, digest, sealed, chain, counted.get(mine, 0), number is not None)
                if mine >= first
                else _broken_entry(facts, lines, digest, sealed, chain)
            )
            if trouble := trouble or _not_undone(mine, undone_by, undoes):
                troubles[mine] = trouble
        expected, chain = mine + 1, sealed or ""
    return troubles


MANY_LINES = 20_000


def _broken_entry(facts: Sequence[Any], lines: int, digest: str, sealed: str, before: str) -> str:
    """What is wrong with the entry itself; an empty text where nothing is."""
    whole = sealed == chained(before, [*facts, lines, digest])
    return "" if whole else "its entry in the journal, or the one before it, was changed since"


def _trouble(
    database: Database, facts: Sequence[Any], lines: int, digest: str, sealed: str, before: str, count: int, whole: bool
) -> str:
    """What is wrong with one load; an empty text where nothing is."""
    number = int(facts[0])
    if count != lines:
        return f"its journal has {counted(count, 'line')} instead of {lines or 0:,}"
    if broken := _broken_entry(facts, lines, digest, sealed, before):
        return broken
    if not whole and count > MANY_LINES:
        return ""
    parts = json.loads(facts[8])
    if seal_of(parts, one_ahead(line_pieces(database, SEALED, number, last=lines))).digest() != digest:
        return "lines of its journal were changed since"
    start = 1
    for part in parts:
        end = start + int(part["rows"]) - 1
        if part.get("copied"):
            load, first, last = part["copied"]
            copies = line_pieces(database, SEALED, number, "", start, end)
            sources = line_pieces(database, SEALED, load, "", int(first), int(last))
            if not all(map(is_turned_round, copies, sources)) or last - first != end - start:
                return f"lines of its journal, or of {load_name(load)}'s, which it undid, were changed since"
        start = end + 1
    return ""
