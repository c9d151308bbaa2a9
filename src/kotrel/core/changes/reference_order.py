"""The order in which the rows of one record are written where they refer to each other, over all sheets of a load."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping, Sequence

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION


def in_reference_order(changes: Iterable[RecordChanges]) -> list[RecordChanges]:
    """The same changes, each after those whose new rows it refers to.

    A database checks the rows of one statement together, so the order within a sheet does not matter. Sheets that refer
    to each other are divided: first the rows that refer to no new row, then those that refer to these, and so on.

    Args:
        changes: in load order, those of one record together.
    """
    ordered: list[RecordChanges] = []
    for _, group in itertools.groupby(changes, lambda each: each.record.name):
        ordered += _of_one_record(list(group))
    return ordered


def _all_but(one: int, codes: Mapping[int, pl.Series]) -> pl.Series:
    return pl.concat([codes[one].clear(), *(each for number, each in codes.items() if number != one)])


def _of_one_record(changes: Sequence[RecordChanges]) -> list[RecordChanges]:
    record = changes[0].record
    self_references = [field.name for field in record.references if field.to == record.name]
    if len(changes) < 2 or not self_references:
        return list(changes)
    new = [each.rows_of("new")[record.code] for each in changes]
    ordered: list[RecordChanges] = []
    left = list(range(len(changes)))
    while left:
        # Those that refer to no new row of the others that are left.
        free = [n for n in left if not _refers(changes[n], self_references, _all_but(n, {m: new[m] for m in left}))]
        if not free:
            return ordered + _by_generation([changes[n] for n in left], self_references)
        ordered += [changes[n] for n in free]
        left = [n for n in left if n not in free]
    return ordered


def _refers(changes: RecordChanges, own: Sequence[str], codes: pl.Series) -> bool:
    return bool(changes.frame.select(_waits_for(changes, own, codes).any()).item())


def _waits_for(changes: RecordChanges, own: Sequence[str], codes: pl.Series) -> pl.Expr:
    """Rows to be written that refer to one of the codes; a row that refers to itself waits for nothing."""
    there = [name for name in own if name in changes.fields]
    code = pl.col(changes.record.code)
    refers = [
        pl.lit(False),
        *((pl.col(name).is_in(codes.implode()) & (pl.col(name) != code)).fill_null(False) for name in there),
    ]
    return pl.col(ACTION).is_in(["new", "changed"]) & pl.any_horizontal(refers)


def _by_generation(changes: Sequence[RecordChanges], self_references: Sequence[str]) -> list[RecordChanges]:
    """The changes, divided by how many new rows stand before a row;
    rows of a circle come last, for the system to refuse.
    """
    code = changes[0].record.code
    left = list(changes)
    ordered: list[RecordChanges] = []
    while left:
        waiting_for = pl.concat([each.rows_of("new")[code] for each in left])
        free = [each.frame.filter(~_waits_for(each, self_references, waiting_for)) for each in left]
        if not any(part.height for part in free):
            return ordered + left
        rest = [each.frame.filter(_waits_for(each, self_references, waiting_for)) for each in left]
        ordered += [replace(each, frame=part) for each, part in zip(left, free, strict=True) if part.height]
        # Refused rows are not written, so that they are in the first part of their sheet.
        left = [replace(each, frame=part, rest=None) for each, part in zip(left, rest, strict=True) if part.height]
    return ordered
