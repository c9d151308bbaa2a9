"""New rows that an undo cannot remove, because posted documents of the same load refer to them: they are archived.

A posted document is never deleted, so whatever it names has to stay: the documents are taken back by others, the stock
is what it was, and the items are withdrawn.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.reversal import UndoConflict
from kotrel.core.columns import ACTION, MESSAGE, ROW, before
from kotrel.core.description.model import Description, Record
from kotrel.core.phrases import count
from kotrel.core.stock.sums import LedgerQuery
from kotrel.systems.interface import Reading
from kotrel.systems.references import refer_to

WITHDRAWN = "archived"
"""The field that takes a row out of use."""
KINDS_OF_MOVEMENT = ("on hand", "on order", "reserved")


class Staying(Struct, frozen=True):
    """The reversal without the rows that have to stay, and what blocks it of taking these out of use.

    Attributes:
        reversal: the rows that stay are changed, not removed.
        blocked_by: of all rows.
        remarks: what stays, and why.
        archived: how many of the rows that stay are archived.
    """

    reversal: tuple[RecordChanges, ...]
    blocked_by: tuple[UndoConflict, ...]
    remarks: tuple[str, ...]
    archived: int = 0


def _parted(part: RecordChanges, keys: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame, set[str]]:
    """Rows that would be removed and have one of the keys, all others, and the keys of the first in words."""
    key = list(part.record.key)
    own = [before(name) for name in key]
    stayed = part.frame.join(keys, left_on=own, right_on=key, how="semi", nulls_equal=True)
    stayed = stayed.filter(pl.col(ACTION) == "removed")
    left = part.frame.filter(~pl.col(ROW).is_in(stayed[ROW].implode()) | (pl.col(ACTION) != "removed"))
    return stayed, left, set(stayed.select(pl.concat_str(own, separator=" / ")).to_series())


def _stay_in_words(record: Record, rows: int, archived: bool) -> str:
    stay, them = ("stays", "it") if rows == 1 else ("stay", "them")
    how = ", archived" if archived else ""
    return f"{count(rows, f'{record.title.lower()} row')} {stay}{how}: posted documents refer to {them} and are never deleted"


def with_staying_rows(
    reading: Reading,
    description: Description,
    reversal: Sequence[RecordChanges],
    posted: Sequence[RecordChanges],
    blocked_by: Sequence[UndoConflict],
) -> Staying:
    """A reversal in which new rows that posted documents of the same load refer to are archived instead of removed.

    Args:
        posted: what the load did to documents and the ledger.
        blocked_by: what blocks it of removing or restoring rows.
    """
    stays = {name: keys for name, keys in _named_by(reversal, posted).items() if keys.height}
    if not stays:
        return Staying(tuple(reversal), tuple(blocked_by), ())
    gone = [_as_removed(each) for each in posted]
    # Balances follow the ledger.
    kept = [each.name for each in description.records.values() if each.nature == "balance"]
    done: list[RecordChanges] = []
    ways = list(blocked_by)
    remarks: list[str] = []
    archived = 0
    for part in reversal:
        record, keys = part.record, stays.get(part.record.name)
        if keys is None:
            done.append(part)
            continue
        stayed, left, names = _parted(part, keys)
        if left.height:
            done.append(replace(part, frame=left, origin=None))
        if not stayed.height:
            continue
        moved = names & _moved_by_others(reading, description, record, keys, posted)
        ways = [way for way in ways if not _is_of_own_documents(way, record, names - moved)]
        removed = stayed.select(pl.col(before(name)).alias(name) for name in record.key)
        ways += refer_to(reading, description, record, removed, [*reversal, *gone], kept)
        withdrawn = _withdrawn(reading, part, stayed)
        if withdrawn is not None:
            done.append(withdrawn)
            archived += withdrawn.count("changed")
        remarks.append(_stay_in_words(record, stayed.height, withdrawn is not None))
    return Staying(tuple(done), tuple(dict.fromkeys(ways)), tuple(remarks), archived)


def _named_by(reversal: Sequence[RecordChanges], posted: Sequence[RecordChanges]) -> Mapping[str, pl.DataFrame]:
    """Record → the keys of rows to be removed that posted rows name, or that a row which stays names in turn."""
    going = {each.record.name: each for each in reversal}
    stays = {name: each.removed_keys().clear() for name, each in going.items()}
    named_from: list[RecordChanges] = list(posted)
    while named_from:
        changes: list[RecordChanges] = []
        for source in named_from:
            for field in source.record.references:
                target = going.get(str(field.to))
                if target is None or field.name not in source.fields:
                    continue
                parts = [*field.within, field.name]
                if any(name not in source.frame.columns for name in parts):
                    continue
                values = source.frame.select(pl.coalesce(name, before(name)).alias(name) for name in parts).drop_nulls()
                new = target.removed_keys().join(values, left_on=list(target.record.key), right_on=parts, how="semi")
                new = new.unique().join(stays[target.record.name], on=list(target.record.key), how="anti")
                if new.height:
                    stays[target.record.name] = pl.concat([stays[target.record.name], new])
                    key = [before(name) for name in target.record.key]
                    rows = target.frame.join(new, left_on=key, right_on=list(target.record.key), how="semi")
                    changes.append(replace(target, frame=rows, origin=None))
        named_from = changes
    return stays


def _as_removed(changes: RecordChanges) -> RecordChanges:
    """Posted rows, as if they went: they are the load's own, and in nobody's way."""
    keys = [pl.coalesce(name, before(name)).alias(before(name)) for name in changes.record.key]
    return replace(changes, frame=changes.frame.with_columns(*keys, pl.lit("removed").alias(ACTION)), origin=None)


def _is_of_own_documents(way: UndoConflict, record: Record, names: set[str]) -> bool:
    field = record.fields.get(way.field or "")
    return way.record == record.name and way.key in names and field is not None and field.is_kept


def _moved_by_others(
    reading: Reading, description: Description, record: Record, keys: pl.DataFrame, posted: Sequence[RecordChanges]
) -> set[str]:
    """The keys that other documents have moved since."""
    ledger = description.ledger
    reference = next((each.name for each in ledger.references if each.to == record.name), None) if ledger else None
    if ledger is None or reference is None or len(record.key) > 1:
        return set()
    own_movements = {
        (movement.record.name, number)
        for movement in posted
        if movement.record.nature == "document"
        for number in movement.frame.select(
            pl.coalesce(movement.record.key[0], before(movement.record.key[0]))
        ).to_series()
    }
    moved: set[str] = set()
    for kind in KINDS_OF_MOVEMENT:
        query = LedgerQuery([reference, "kind", "document"], [(reference, keys[record.key[0]])], kind)
        for code, of, document in reading.ledger_sums(query).select(reference, "kind", "document").iter_rows():
            if (of, document) not in own_movements:
                moved.add(code)
    return moved


def _withdrawn(reading: Reading, changes: RecordChanges, stayed: pl.DataFrame) -> RecordChanges | None:
    """The rows that stay, archived; None where the record cannot say so."""
    record = changes.record
    about = record.fields.get(WITHDRAWN)
    if about is None or about.kind != "yes_no" or about.is_kept:
        return None
    key = list(record.key)
    keys = stayed.select(ROW, *(pl.col(before(name)).alias(name) for name in key))
    now = reading.read(record.name, [*key, WITHDRAWN], (key[0], keys[key[0]])).unique(key, keep="any")
    held = keys.join(now.rename({WITHDRAWN: before(WITHDRAWN)}), on=key, how="left", maintain_order="left")
    frame = held.select(
        ROW,
        pl.when(pl.col(before(WITHDRAWN)).eq_missing(pl.lit("yes")))
        .then(pl.lit("same"))
        .otherwise(pl.lit("changed"))
        .alias(ACTION),
        pl.lit(None, pl.String).alias(MESSAGE),
        *(column for name in key for column in (pl.col(name), pl.col(name).alias(before(name)))),
        pl.lit("yes").alias(WITHDRAWN),
        before(WITHDRAWN),
    )
    return RecordChanges(record, changes.file, changes.sheet, (*key, WITHDRAWN), frame)
