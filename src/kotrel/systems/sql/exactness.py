"""What the database holds where our reading would not bring it back exactly: the time in a date, a word that is no yes
or no.

Such a value is kept in the journal as the database's own text, so that an undo restores it to the byte.
"""

from __future__ import annotations

from decimal import Decimal, InvalidOperation

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION, ROW, before, raw_before
from kotrel.core.description.model import Field
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.store import Store, key_condition


def with_raw(database: Database, store: Store, changes: RecordChanges) -> RecordChanges:
    """The changes with the database's own texts of former values that their canonical texts would not bring back."""
    inexact = _inexact(database, store, changes)
    if inexact is None:
        return changes
    key = list(changes.record.key)
    names = [name for name in inexact.columns if name not in key]
    frame = changes.frame.join(
        inexact.rename({name: raw_before(name) for name in names}), on=key, how="left", maintain_order="left"
    )
    mine = pl.col(ACTION) == "changed"
    frame = frame.with_columns(
        pl.when(mine & pl.col(name).ne_missing(pl.col(before(name))))
        .then(pl.col(raw_before(name)))
        .alias(raw_before(name))
        for name in names
    )
    kept = [name for name in names if frame[raw_before(name)].null_count() < frame.height]
    return replace(changes, frame=frame.drop(raw_before(name) for name in names if name not in kept))


def replaced_otherwise(database: Database, store: Store, changes: RecordChanges) -> list[tuple[int, str, str]]:
    """Row, field and the database's own text, where a load replaces something that our reading shows otherwise."""
    done = with_raw(database, store, changes)
    replaced: list[tuple[int, str, str]] = []
    for name in changes.fields:
        if raw_before(name) not in done.frame.columns:
            continue
        field = changes.record.fields[name]
        part = done.frame.filter(pl.col(raw_before(name)).is_not_null()).select(ROW, before(name), raw_before(name))
        for row, read, raw in part.iter_rows():
            if _says_more(field, read, raw[1:]):
                replaced.append((row, name, raw[1:]))
    return replaced


def _says_more(field: Field, read: str | None, raw: str) -> bool:
    """True where a value has more in it than is shown, and not only another form of the same."""
    if read is None:
        return bool(raw.strip())
    if field.kind in ("yes_no", "reference") or raw.split() == read.split():
        return False
    if field.is_decimal:
        try:
            return Decimal(raw) != Decimal(read)
        except InvalidOperation:
            return True
    if field.kind == "moment":
        return raw.replace("T", " ").rstrip("0.:Z+ ") != read.rstrip("0.:Z+ ")
    if field.kind == "date" and raw.startswith(read):
        return bool(raw[len(read) :].strip(" T0:.+-Z"))
    return True


def _inexact(database: Database, store: Store, changes: RecordChanges) -> pl.DataFrame | None:
    """Key and, for each touched field, the raw text where it differs from what is read; None where all is exact."""
    touched = changes.touched_fields()
    if not store.plain or not touched:
        return None
    record = changes.record
    types = database.columns_of(store.schema, store.table)
    exact: dict[str, str] = {}
    for name in touched:
        field = record.fields[name]
        about = types.get(store.column_name(name))
        if about is None:
            continue
        column = f"t.{store.column(name)}"
        # An empty text is read as blank.
        read = f"nullif({store.text(database, 't', field)}, '')"
        exact[name] = database.brings_back(column, store.stored(database, read, field), about)
    if not exact:
        return None
    columns = [store.text(database, "t", record.fields[name]) for name in record.key]
    columns += [
        f"CASE WHEN t.{store.column(name)} IS NOT NULL AND NOT ({same}) THEN {database.raw(f't.{store.column(name)}')} END"
        for name, same in exact.items()
    ]
    keys = changes.rows_of("changed")[record.key[0]]
    conditions, values = key_condition(database, store, record.key[0], keys)
    conditions += store.mine("t")
    conditions.append(
        "(" + " OR ".join(f"(t.{store.column(n)} IS NOT NULL AND NOT ({same}))" for n, same in exact.items()) + ")"
    )
    names = [*record.key, *exact]
    found = database.frame(columns, names, f"FROM {store.name} AS t WHERE {' AND '.join(conditions)}", values)
    return found.unique(list(record.key), keep="any") if found.height else None
