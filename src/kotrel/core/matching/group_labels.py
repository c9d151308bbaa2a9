"""Labels that stand only in the first row of each group, as pivot tables show them: the rows below would have none."""

from __future__ import annotations

from itertools import pairwise

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows

SURE, FEWEST = 3, 2
LONG, VERY_LONG = 3, 5
"""Groups have so many rows on average; where there are only two of them, each has so many."""


def about_group_labels(rows: Rows) -> list[FindingGroup]:
    """An error for each column of references that looks so:
    its first row has a label, each label stands once, and none in many rows.
    """
    findings = []
    for name, letter in rows.letters.items():
        source, field = rows.sources.get(name), rows.record.fields[name]
        if field.to in (None, rows.record.name) or source is None or source.fill_down or not source.is_plain:
            continue
        values = rows.values[name]
        filled = values.drop_nulls()
        if len(filled) < FEWEST or values[0] is None or len(filled) * LONG > len(values):
            continue
        if len(filled) < SURE and not _all_long(values):
            continue
        # The rows of a group have everything else: a column that is rarely filled is another thing.
        if filled.n_unique() < len(filled) or not _is_filled_beside(rows, name):
            continue
        first = next(place for place, value in enumerate(values) if value is None)
        message = (
            f"column {letter} “{rows.heading(name)}” has {len(filled):,} labels, each once, and {len(values) - len(filled):,} rows without one, "
            f"such as {rows.table.place(int(rows.values[ROW][first]), letter)}: if a label also applies to the rows below it, "
            f'write it there, or set fill_down = true in the mapping; if not, as_it_stands = ["{rows.heading(name)}"]'
        )
        findings.append(
            rows.sheet_finding("error", "labels-of-groups", "labels of groups", message, letter, rows.heading(name))
        )
    return findings


def _all_long(values: pl.Series) -> bool:
    starts = [*values.is_not_null().arg_true().to_list(), len(values)]
    return all(after - start >= VERY_LONG for start, after in pairwise(starts))


def _is_filled_beside(rows: Rows, name: str) -> bool:
    """Are most other columns filled in nearly every row?"""
    others = [rows.values[other].null_count() for other in rows.letters if other != name]
    full = sum(count * 20 <= rows.values.height for count in others)
    return bool(others) and full * 2 > len(others)
