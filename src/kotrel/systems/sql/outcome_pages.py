"""The first page of a load's outcome, without reading all its lines: a load may have millions."""

from __future__ import annotations

import polars as pl

from kotrel.core.changes.outcome_page import OutcomePage
from kotrel.systems.sql import database_journal as journal
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.dialect import quoted

SPECIAL = "outcome <> 'done'"
"""Rows that were refused or have a warning. An index
of the journal knows them (:mod:`kotrel.systems.sql.journal_tables`).
"""
NAMES = ("file", "sheet", "row", "record", "key", "action", "outcome", "message")


def outcome_page(database: Database, number: int, most: int) -> OutcomePage:
    """The first rows, and how many there are of each kind: what was done is counted by the load's own entry."""
    parts = journal.load_parts(database, number)
    counts = {
        action: sum(int(part["counts"].get(action, 0)) for part in parts)
        for action in ("new", "changed", "removed", "same", "refused")
    }
    special = journal.load_rows_of(database, NAMES, f'"load" = ? AND {SPECIAL}', number)
    refused = special.filter(pl.col("outcome") == "refused")
    warned = special.filter(pl.col("outcome") != "refused")
    acting = counts["new"] + counts["changed"] + counts["removed"]
    done = acting - warned.filter(pl.col("action") != "same").height
    rows = pl.concat([refused, warned]).head(most)
    left = most - rows.height
    if left > 0 and done > 0:
        first = (
            f"SELECT line FROM {journal.row_table(database.dialect)} WHERE {quoted('load')} = {int(number)} AND outcome = 'done' "
            f"AND action <> 'same' ORDER BY line LIMIT {left}"
        )
        condition = f'"load" = ? AND line IN (SELECT line FROM ({first}) AS few)'
        rows = pl.concat([rows, journal.load_rows_of(database, NAMES, condition, number)])
    same = counts["same"] - warned.filter(pl.col("action") == "same").height
    total = sum(counts.values())
    return OutcomePage(
        rows, total, warned.height, refused.height, 0, same, refused.height + warned.height + done - rows.height
    )
