"""What a load of rows would change, found by putting the system's rows beside them, a few fields at a time."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, RefusedRows
from kotrel.core.columns import ACTION, MESSAGE, ROW, before, clearing, worded
from kotrel.core.rows.beside import Beside, RowsBeside, read_in_turn
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.searching import looked_up


def compare(rows: Rows, now: pl.DataFrame) -> RecordChanges:
    """What a load of the rows would change in the system.

    A blank cell changes nothing, unless it is marked to clear the value. A row with an error is refused.

    Args:
        now: the system's rows for these keys, with all loadable fields the rows carry.
    """
    comparison = _Comparison(rows)
    comparison.add(now)
    return comparison.changes()


def compare_by_fields(rows: Rows, read: Callable[[list[str]], pl.DataFrame]) -> RecordChanges:
    """As :func:`compare`; of a large sheet, a few fields of the system's rows are read and compared before the next.

    Args:
        read: gives these fields of the system's rows for these keys, all of one moment.
    """
    comparison = _Comparison(rows)
    for now in read_in_turn(read, comparison.key, comparison.others, rows.values.height):
        comparison.add(now)
    return comparison.changes()


class _Comparison:
    """Rows of a sheet and what the system holds for each, as it comes."""

    def __init__(self, rows: Rows) -> None:
        self.rows = rows
        self.key = list(rows.record.key)
        self.carried = [name for name in rows.record.loadable if name in rows.fields]
        self.others = [name for name in self.carried if name not in self.key]
        self.lists = {
            name: source.how
            for name in self.others
            if (source := rows.sources.get(name)) is not None and source.how != "replace"
        }
        self.is_held = pl.Series([False]).new_from_index(0, rows.values.height)
        self.differs = self.is_held
        self._beside = RowsBeside(rows.values, self.key)
        self._nothing = pl.Series([None], dtype=pl.String).new_from_index(0, rows.values.height)
        self.after: dict[str, pl.Series] = {}
        self.before: dict[str, pl.Series] = {}

    def add(self, now: pl.DataFrame) -> None:
        """Compares the fields that some of the system's columns are for."""
        known = self._beside.put(now)
        self.is_held = known.is_there
        for name in self.others:
            if name in now.columns:
                self._compare_field(name, known)

    def _compare_field(self, name: str, known: Beside) -> None:
        values = self.rows.values
        any_held = self.is_held.any()
        says, stood = values[name], known.column(name) if any_held else self._nothing
        cleared = name in self.rows.cleared
        if name in self.lists:
            says = list_after(says, stood, self.lists[name] == "add")
        elif not cleared and (as_it_is := _without_comparing(says, stood, bool(any_held))):
            self.after[name], self.before[name] = as_it_is
            return
        clear = pl.lit(values[clearing(name)]) if cleared else pl.lit(False)
        new, old = pl.lit(says), pl.lit(stood)
        kept = pl.coalesce(new, old)
        if name in self.lists:
            # A list becomes blank when everything is taken from it.
            kept = pl.when(kept != "").then(kept)
        differs = (new.is_not_null() & new.ne_missing(old)) | (clear & old.is_not_null())
        found = pl.select(differs.alias("is different"), (pl.when(~clear).then(kept) if cleared else kept).alias(name))
        if any_held:
            self.differs = self.differs | found["is different"]
        self.after[name], self.before[name] = found[name], stood

    def changes(self) -> RecordChanges:
        """What the fields that were compared say together."""
        rows, values = self.rows, self.rows.values
        refused = pl.col(ROW).is_in(rows.refused.implode())
        marks = values.select(ROW).with_columns(self.is_held.alias("is held"), self.differs.alias("is different"))
        marks = looked_up(marks.with_columns(_action(refused)), _messages(rows), [ROW])
        for name in self.key:
            held = self.is_held.all()
            stood = values[name] if held else values.select(pl.when(self.is_held).then(pl.col(name))).to_series()
            self.after[name], self.before[name] = values[name], stood
        frame = pl.DataFrame(
            [
                *(marks[name] for name in (ROW, ACTION, MESSAGE)),
                *(self.after[name].alias(name) for name in self.carried),
                *(self.before[name].alias(before(name)) for name in self.carried),
            ]
        )
        table = rows.table
        return RecordChanges(
            rows.record, table.file, table.sheet, tuple(self.carried), frame, _refused_rows(rows, frame)
        )


def _without_comparing(says: pl.Series, stood: pl.Series, any_held: bool) -> tuple[pl.Series, pl.Series] | None:
    """What a field is after the load and before it, where nothing has to be compared for it; else None.

    Both are columns that there are already: another of a million values would take as much memory again.
    """
    if not any_held:
        # Rows that are all new share one blank column for what they were before.
        return says, stood
    if says.null_count() == len(says):
        return stood, stood
    return (says, says) if says.equals(stood) else None


def _action(refused: pl.Expr) -> pl.Expr:
    return (
        pl.when(refused)
        .then(pl.lit("refused"))
        .when(~pl.col("is held"))
        .then(pl.lit("new"))
        .when(pl.col("is different"))
        .then(pl.lit("changed"))
        .otherwise(pl.lit("same"))
        .alias(ACTION)
    )


def list_after(says: pl.Series, stood: pl.Series, add: bool) -> pl.Series:
    """A list after values were added to it or taken from it; a blank changes nothing, an emptied list is an empty text.

    It works row by row, because the order of a list matters and sets have none.
    """
    done: list[str | None] = []
    for new, old in zip(says, stood, strict=True):
        if new is None:
            done.append(None)
            continue
        there, given = (old.split("; ") if old else []), new.split("; ")
        kept = list(dict.fromkeys([*there, *given])) if add else [one for one in there if one not in given]
        done.append("; ".join(kept) if kept else ("" if there else None))
    return pl.Series(says.name, done, dtype=pl.String)


def _refused_rows(rows: Rows, frame: pl.DataFrame) -> RefusedRows | None:
    refused = frame.filter(pl.col(ACTION) == "refused")[ROW]
    if not len(refused) or not rows.table.columns:
        return None
    from kotrel.core.tables.cell_formats import kinds_as_shown

    wanted = rows.table.cells[ROW].is_in(refused.implode())
    table = rows.table.only(wanted)
    letters = [column.letter for column in table.every_column]
    return RefusedRows(
        tuple(column.heading for column in table.every_column),
        table.cells.select(ROW, *letters),
        table.cells.select(ROW).with_columns(kinds_as_shown(table, letter).alias(letter) for letter in letters),
    )


def _messages(rows: Rows) -> pl.DataFrame:
    """Row → all its findings as one text."""
    parts = [
        group.cells.select(
            ROW,
            worded(f"{group.severity}: {{}}{{}}", pl.lit(_subject(rows, group.field)), pl.col("message")).alias(
                MESSAGE
            ),
        )
        for group in rows.findings
        if group.severity != "note"
    ]
    if not parts:
        return pl.DataFrame(schema={ROW: pl.UInt32, MESSAGE: pl.String})
    return pl.concat(parts).filter(pl.col(ROW) > 0).group_by(ROW).agg(pl.col(MESSAGE).str.join("; "))


def _subject(rows: Rows, field: str | None) -> str:
    return f"{rows.record.fields[field].title}: " if field else ""
