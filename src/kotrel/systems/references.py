"""Rows of a system that refer to others: before these go, somebody has to know."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.changes.reversal import UndoConflict
from kotrel.core.columns import ACTION, before
from kotrel.core.description.model import Description, Record
from kotrel.systems.interface import Reading


def refer_to(
    reading: Reading,
    description: Description,
    record: Record,
    keys: pl.DataFrame,
    going: Sequence[RecordChanges],
    but: Collection[str] = (),
) -> list[UndoConflict]:
    """Rows that refer to the given keys of a record.

    Args:
        going: the changes that are about to happen: rows that will be removed or refer to something else do not count.
        but: records whose rows do not count.
    """
    conflicts: list[UndoConflict] = []
    if not keys.height:
        return conflicts
    for other in (each for each in description.records.values() if each.name not in but):
        for field in other.references:
            if field.to != record.name:
                continue
            key_fields = list(other.key)
            wanted = list(dict.fromkeys((*key_fields, *field.within, field.name)))
            rows = reading.read(other.name, wanted, (field.name, keys[record.code]), filled=field.name)
            parts = [*field.within, field.name]
            rows = rows.join(keys.select(record.key), left_on=parts, right_on=list(record.key), how="semi")
            for each in going:
                if each.record.name == other.name and rows.height:
                    rows = rows.join(_leaving(each, field.name), on=key_fields, how="anti")
            named = rows.select(
                key_text(other).alias("own"),
                pl.concat_str([pl.col(name) for name in parts], separator=" / ").alias("target"),
            )
            for one, target in named.iter_rows():
                message = f"{other.title} {one} refers to it ({field.title.lower()})"
                conflicts.append(UndoConflict(record.name, target, field.name, message))
    return conflicts


def _leaving(changes: RecordChanges, field: str) -> pl.DataFrame:
    """The keys of rows that will be removed, or whose reference changes."""
    leaving = pl.col(ACTION) == "removed"
    if field in changes.fields:
        leaving = leaving | ((pl.col(ACTION) == "changed") & pl.col(field).ne_missing(pl.col(before(field))))
    return changes.frame.filter(leaving).select(
        pl.coalesce(before(name), name).alias(name) for name in changes.record.key
    )
