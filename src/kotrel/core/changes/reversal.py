"""Reverses a load: what an undo changes, and what stands in its way."""

from __future__ import annotations

import polars as pl
from msgspec import Struct

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.columns import ACTION, MESSAGE, ROW, before, decimal_type, raw_after, raw_before
from kotrel.core.description.in_words import shown
from kotrel.core.description.model import Record


class UndoConflict(Struct, frozen=True):
    """One thing that keeps a load from being undone."""

    record: str
    key: str
    field: str | None
    message: str


def reverse(
    changes: RecordChanges, now: pl.DataFrame, others: pl.DataFrame | None = None
) -> tuple[RecordChanges, list[UndoConflict]]:
    """The changes that undo what a load did to one record.

    New rows are removed, changed rows get their former values back, removed rows are added again. What has changed
    since is in the way, so that nobody's later change is lost.

    Args:
        changes: what the load did, from the journal.
        now: what the system holds for these keys now: the fields of the changes.
        others: the key and the fields that the changes do not carry, of the rows in which one of them is filled,
            including fields the system keeps; a new row in which one has been filled since is in the way.
    """
    record = changes.record
    key = list(record.key)
    fields = changes.fields
    did = changes.frame.filter(pl.col(ACTION).is_in(["new", "changed", "removed"]))
    did = did.with_columns(pl.coalesce(name, before(name)).alias(name) for name in key)
    stands = now.select(*key, *(pl.col(name).alias(f"now {name}") for name in fields if name not in key))
    joined = did.join(stands.with_columns(pl.lit(True).alias("is held")), on=key, how="left", maintain_order="left")
    blocked_by = _moved_since(record, joined, changes)
    if others is not None:
        blocked_by += _filled_since(changes, joined, others)
    back = {"new": "removed", "changed": "changed", "removed": "new"}
    columns: list[pl.Expr] = []
    for name in fields:
        removing = pl.col(ACTION) == "new"
        if name in key:
            # A row that comes back was not there before.
            there = pl.when(pl.col(ACTION) != "removed").then(pl.col(name)).alias(before(name))
            columns += [pl.when(~removing).then(pl.col(name)).alias(name), there]
            continue
        # A changed row keeps its present value in fields that the load did not change.
        untouched = (pl.col(ACTION) == "changed") & pl.col(name).eq_missing(pl.col(before(name)))
        after_back = pl.when(untouched).then(pl.col(f"now {name}")).when(~removing).then(pl.col(before(name)))
        columns += [after_back.alias(name), pl.col(f"now {name}").alias(before(name))]
    # What canonical text does not bring back goes back as the system's own text.
    raws = [
        pl.when(pl.col(ACTION) == "changed").then(pl.col(raw_before(name))).alias(raw_after(name))
        for name in fields
        if raw_before(name) in joined.columns
    ]
    # What is as it was before the load needs nothing.
    as_before = [
        pl.col(name).eq_missing(pl.col(before(name))) | pl.col(f"now {name}").eq_missing(pl.col(before(name)))
        for name in fields
        if name not in key
    ]
    restored = (pl.col(ACTION) == "changed") & pl.all_horizontal(pl.lit(True), *as_before)
    action = pl.when(restored).then(pl.lit("same")).otherwise(pl.col(ACTION).replace(back)).alias(ACTION)
    frame = joined.select(ROW, action, pl.lit(None, pl.String).alias(MESSAGE), *columns, *raws)
    # Where all rows were new, the journal already has what is removed: it need not be written again.
    origin = changes.origin
    if blocked_by or origin is None or did.height != origin.last - origin.first + 1 or not (did[ACTION] == "new").all():
        origin = None
    return RecordChanges(record, changes.file, changes.sheet, fields, frame, origin=origin), blocked_by


def _obstacles(
    record: Record,
    part: pl.DataFrame,
    field: str | None,
    template: str,
    stood: str | None = None,
    stands: str | None = None,
) -> list[UndoConflict]:
    """One thing in the way for each row; ``{stood}`` and ``{stands}`` are replaced by the values of those columns."""
    keys = part.select(key_text(record)).to_series()
    conflicts: list[UndoConflict] = []
    for index, code in enumerate(keys):
        words = template
        if stands is not None:
            about = record.fields[field] if field else None
            former = shown(part[stood][index], about) if stood else None
            words = template.format(stood=former or "blank", stands=shown(part[stands][index], about) or "blank")
        conflicts.append(UndoConflict(record.name, code, field, words))
    return conflicts


def _moved_since(record: Record, joined: pl.DataFrame, changes: RecordChanges) -> list[UndoConflict]:
    """What is no longer as the load left it."""
    gone = joined.filter(pl.col("is held").is_null() & (pl.col(ACTION) != "removed"))
    again = joined.filter(pl.col("is held") & (pl.col(ACTION) == "removed"))
    conflicts = [
        *_obstacles(record, gone, None, "is no longer in the system"),
        *_obstacles(record, again, None, "is in the system again"),
    ]
    held_rows = joined.filter(pl.col("is held") & (pl.col(ACTION) != "removed"))
    for name in changes.fields:
        if name in record.key:
            continue
        loaded = (pl.col(ACTION) == "new") | pl.col(name).ne_missing(pl.col(before(name)))
        moved = held_rows.filter(loaded & pl.col(name).ne_missing(pl.col(f"now {name}")))
        # Somebody has restored it already.
        moved = moved.filter((pl.col(ACTION) == "new") | pl.col(before(name)).ne_missing(pl.col(f"now {name}")))
        template = f"{record.fields[name].title} was {{stood}} after the load and is {{stands}} now"
        conflicts += _obstacles(record, moved, name, template, name, f"now {name}")
    return conflicts


def _filled_since(changes: RecordChanges, joined: pl.DataFrame, others: pl.DataFrame) -> list[UndoConflict]:
    """New rows in which a field that the load did not fill has been filled since."""
    record = changes.record
    key = list(record.key)
    new = joined.filter((pl.col(ACTION) == "new") & pl.col("is held")).select(key)
    conflicts: list[UndoConflict] = []
    for name in others.columns:
        if name in key:
            continue
        field = record.fields[name]
        if name in changes.given and changes.given[name] is None:
            continue
        filled = pl.col(name).is_not_null()
        if name in changes.given:
            filled = filled & (pl.col(name) != changes.given[name])
        elif field.is_kept and field.is_decimal:
            filled = filled & (pl.col(name).cast(decimal_type(6), strict=False) != 0)
        part = new.join(others.filter(filled).select(*key, name), on=key, how="inner", maintain_order="left")
        conflicts += _obstacles(record, part, name, f"{field.title} is now {{stands}}", None, name)
    return conflicts
