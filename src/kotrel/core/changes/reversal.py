"""Reverses a load: what an undo changes, and what stands in its way."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import polars as pl
from msgspec import Struct

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.columns import ACTION, MESSAGE, ROW, before, decimal_type, raw_after, raw_before
from kotrel.core.description.in_words import shown
from kotrel.core.description.model import Record
from kotrel.core.rows.beside import RowsBeside, fields_in_turn


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
    since blocks it, so that nobody's later change is lost. A row that is as it was before the load needs nothing.

    Args:
        changes: what the load did, from the journal.
        now: what the system holds for these keys now: the fields of the changes.
        others: the key and the fields that the changes do not carry, of the rows in which one of them is filled,
            including fields the system keeps; a new row in which one has been filled since is in the way.
    """
    reversal = _Reversal(changes)
    reversal.add(now)
    return reversal.finish([] if others is None else [others])


def reverse_by_fields(
    changes: RecordChanges, read: Callable[[list[str]], pl.DataFrame], others: Iterable[pl.DataFrame] = ()
) -> tuple[RecordChanges, list[UndoConflict]]:
    """As :func:`reverse`; of a large load, a few fields of the system's rows are read and compared before the next.

    Args:
        read: gives these fields of the system's rows for these keys, all of one moment.
        others: as of :func:`reverse`, for a few fields each.
    """
    reversal = _Reversal(changes)
    # Nothing is read ahead: the journal's rows are all there, and take most of the memory.
    for fields in fields_in_turn(reversal.key, reversal.fields, changes.frame.height):
        reversal.add(read(fields))
    return reversal.finish(others)


BACK = {"new": "removed", "changed": "changed", "removed": "new"}
"""What takes back what was done to a row."""


class _Reversal:
    """What a load did to the rows of a record, and what the system holds of each now, as it comes."""

    def __init__(self, changes: RecordChanges) -> None:
        self.changes = changes
        self.key = list(changes.record.key)
        self.fields = [name for name in changes.fields if name not in self.key]
        self.did = changes.rows_of(*BACK)
        self.keys = self.did.select(pl.coalesce(name, before(name)).alias(name) for name in self.key)
        self.action = self.did[ACTION]
        self.all_new = bool((self.action == "new").all())
        self.is_as_before = pl.Series([True]).new_from_index(0, self.did.height)
        self.is_held = ~self.is_as_before
        self._rows = RowsBeside(self.keys, self.key)
        self._blank = pl.Series([None], dtype=pl.String).new_from_index(0, self.did.height)
        self.after: dict[str, pl.Series] = {}
        self.before: dict[str, pl.Series] = {}
        self.moved: list[UndoConflict] = []

    def add(self, now: pl.DataFrame) -> None:
        """Compares the fields that some of the system's columns are for with what the load left."""
        known = self._rows.put(now)
        self.is_held = known.is_there
        for name in self.fields:
            if name in now.columns:
                self._compare_field(name, known.column(name))

    def _compare_field(self, name: str, now: pl.Series) -> None:
        loaded, former = self.did[name], self.did[before(name)]
        if self.all_new and now.equals(loaded):
            # One column for both: another of a million values would take as much memory again.
            self.after[name], self.before[name] = self._blank, loaded
            return
        frame = pl.DataFrame(
            {"action": self.action, "held": self.is_held, "loaded": loaded, "former": former, "now": now}
        )
        new = pl.col("action") == "new"
        stays = pl.col("loaded").eq_missing(pl.col("former"))
        # A changed row keeps its present value in fields that the load did not change.
        untouched = (pl.col("action") == "changed") & stays
        # Somebody may have restored it already.
        moved = (new | (~stays & pl.col("former").ne_missing(pl.col("now")))) & pl.col("loaded").ne_missing(
            pl.col("now")
        )
        found = frame.select(
            pl.when(untouched).then("now").when(~new).then("former").alias(name),
            (stays | pl.col("now").eq_missing(pl.col("former"))).alias("as before"),
            (moved & pl.col("held") & (pl.col("action") != "removed")).alias("has moved"),
        )
        self.after[name], self.before[name] = found[name], now
        self.is_as_before &= found["as before"]
        if found["has moved"].any():
            self._note_moved(name, frame.filter(found["has moved"]), self.keys.filter(found["has moved"]))

    def _note_moved(self, name: str, moved: pl.DataFrame, keys: pl.DataFrame) -> None:
        template = f"{self.changes.record.fields[name].title} was {{stood}} after the load and is {{stands}} now"
        rows = pl.concat([keys, moved.select("loaded", "now")], how="horizontal")
        self.moved += _obstacles(self.changes.record, rows, name, template, "loaded", "now")

    def finish(self, others: Iterable[pl.DataFrame]) -> tuple[RecordChanges, list[UndoConflict]]:
        """What the fields that were compared say together."""
        changes, action, record = self.changes, self.action, self.changes.record
        gone = self.keys.filter(~self.is_held & (action == "changed"))
        again = self.keys.filter(self.is_held & (action == "removed"))
        blocked_by = [
            *_obstacles(record, gone, None, "is no longer in the system"),
            *_obstacles(record, again, None, "is in the system again"),
            *self.moved,
        ]
        new = self.keys.filter((action == "new") & self.is_held)
        for each in others:
            blocked_by += _filled_since(changes, new, each)
        # Where all rows were new, the journal already has what is removed: it need not be written again.
        origin = changes.origin
        whole = origin is not None and self.did.height == origin.last - origin.first + 1 and bool(self.is_held.all())
        if blocked_by or not whole or not self.all_new:
            origin = None
        back = RecordChanges(record, changes.file, changes.sheet, changes.fields, self._frame(), origin=origin)
        return back, blocked_by

    def _frame(self) -> pl.DataFrame:
        for name in self.key:
            values = self.keys[name]
            # A row that comes back was not there before.
            self.after[name] = self._blank if self.all_new else _where(self.action != "new", values)
            self.before[name] = values if self.all_new else _where(self.action != "removed", values)
        # What is as it was before the load needs nothing.
        restored = (pl.col(ACTION) == "changed") & pl.lit(self.is_as_before)
        removed = (pl.col(ACTION) == "new") & pl.lit(~self.is_held)
        acting = pl.when(restored | removed).then(pl.lit("same")).otherwise(pl.col(ACTION).replace(BACK)).alias(ACTION)
        marks = self.did.select(ROW, acting, pl.lit(None, pl.String).alias(MESSAGE))
        columns = [
            column
            for name in self.changes.fields
            for column in (self.after[name].alias(name), self.before[name].alias(before(name)))
        ]
        # What canonical text does not bring back goes back as the system's own text.
        raws = [
            _where(self.action == "changed", self.did[raw_before(name)]).alias(raw_after(name))
            for name in self.changes.fields
            if raw_before(name) in self.did.columns
        ]
        return pl.DataFrame([*marks.get_columns(), *columns, *raws])


def _where(condition: pl.Series, values: pl.Series) -> pl.Series:
    """The values of rows that meet a condition; blank in the others."""
    return pl.select(pl.when(pl.lit(condition)).then(pl.lit(values)).alias(values.name)).to_series()


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


def _filled_since(changes: RecordChanges, new: pl.DataFrame, others: pl.DataFrame) -> list[UndoConflict]:
    """New rows in which a field that the load did not fill has been filled since.

    Args:
        new: the keys of the new rows that are there.
    """
    record = changes.record
    key = list(record.key)
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
