"""The state of the business system, as far as the checks of one load need it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from copy import copy
from threading import RLock
from typing import Protocol

import polars as pl
from msgspec import Struct

from kotrel.core.columns import ROW, clearing
from kotrel.core.description.model import Description, Record
from kotrel.core.rows.beside import RowsBeside, read_in_turn, shared
from kotrel.core.rows.kept_answers import Answers
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.searching import all_rows_differ, run_position

WHOLE = 50_000
"""With more values than this, the whole column is read instead."""


class Reader(Protocol):
    """Reads rows of a record from the business system."""

    def __call__(
        self,
        record: str,
        fields: Sequence[str],
        among: tuple[str, pl.Series] | None = None,
        filled: str | Sequence[str] | None = None,
    ) -> pl.DataFrame:
        """String columns ``fields`` in canonical text, blank as null.

        Args:
            among: a field and values: only rows whose field has one of the values are wanted. More may come back.
            filled: only rows in which this field, or one of these, is filled.
        """


class FileFacts(Struct, frozen=True):
    """What is known about a file that a value names.

    Attributes:
        sha256: of its content, hexadecimal, where it was asked for.
        differs: there are two of that name, with different content.
    """

    bytes: int
    is_picture: bool
    sha256: str = ""
    differs: bool = False


Files = Callable[[Sequence[str]], Mapping[str, FileFacts] | None]
"""Names of files → what is known about those that exist; None where nobody knows."""


class PendingRows(Struct, frozen=True):
    """The rows of one record that come earlier in the same load.

    Attributes:
        values: the values of rows without an error: the key, and every field they carry.
        refused: key (parts joined by `` / ``), or name → its place in the sheet, for rows with an error.
    """

    values: pl.DataFrame
    refused: Mapping[str, str]


class SystemState:
    """Answers the checks' questions about the system and reads nothing twice. Each part of a load has its own, made
    of the one before it.

    Args:
        description: the system's records.
        read: reads from the system.
        pending: record → its earlier rows of this load; those without an error count as existing.
        files: looks up the files that values name, or None where no folder is set.
        largest_file: bytes such a file may have.
    """

    def __init__(
        self,
        description: Description,
        read: Reader,
        pending: Mapping[str, PendingRows] | None = None,
        files: Files | None = None,
        largest_file: int = 0,
    ) -> None:
        self.description = description
        self._reader = read
        self.files = files
        self.largest_file = largest_file
        # Checks run in parallel, but a connection answers one question at a time.
        self._one_at_a_time = RLock()
        self._pending = dict(pending or {})
        self._lists: dict[str, pl.DataFrame] = {}
        self._wholes: dict[tuple[object, ...], pl.DataFrame] = {}
        self.answers = Answers()
        """Of the system's rows alone, whatever the load brings."""

    def with_pending(self, pending: Mapping[str, PendingRows]) -> SystemState:
        """The state with other earlier rows of the load; what was read of the system is not read again."""
        other = copy(self)
        other._pending = dict(pending)
        return other

    def with_own_answers(self) -> SystemState:
        """The state for rows that are looked at while others are: what was found of those is not asked again."""
        other = copy(self)
        other.answers = Answers()
        return other

    def _read(
        self,
        record: str,
        fields: Sequence[str],
        among: tuple[str, pl.Series] | None = None,
        filled: str | Sequence[str] | None = None,
    ) -> pl.DataFrame:
        with self._one_at_a_time:
            if among is None or len(among[1]) <= WHOLE:
                return self._reader(record, fields, among, filled)
            # With this many values all rows are read, once: the parts of a large file ask for the same again.
            whole = (record, tuple(fields), str(filled))
            if whole not in self._wholes:
                self._wholes[whole] = self._reader(record, fields, None, filled)
            return self._wholes[whole]

    def existing(self, rows: Rows) -> pl.DataFrame:
        """The keys of the system's rows that have a key of these rows, as String columns; more may come back."""
        key = rows.record.key
        return self._read(rows.record.name, key, (key[0], rows.values[key[0]]))

    def having(self, record: Record, fields: Sequence[str], field: str, values: pl.Series) -> pl.DataFrame:
        """The key, ``field`` and ``fields`` of the system's rows whose ``field`` has one of the values, as String columns
        in canonical text; more may come back.
        """
        wanted = list(dict.fromkeys((*record.key, field, *fields)))
        return self._read(record.name, wanted, (field, values))

    def beside(self, rows: Rows, fields: Sequence[str]) -> pl.DataFrame:
        """What the system holds of these rows, in their order: the key and fields, as String columns in canonical text;
        a row that is twice in the sheet comes once.

        Of a large sheet, a few fields are read at a time, and columns that say what the sheet says are the sheet's.
        """
        key, values = rows.record.key, rows.values
        place = RowsBeside(values, key)
        columns = {name: values[name] for name in key}
        is_held = values[key[0]].is_not_null()
        for now in read_in_turn(lambda wanted: self._asked(rows, wanted), key, fields, values.height):
            known = place.put(now)
            is_held = known.is_there
            columns |= {name: shared(known.column(name), values) for name in now.columns if name not in key}
        held = pl.DataFrame(list(columns.values()))
        held = held if is_held.all() else held.filter(is_held)
        return held if all_rows_differ(held.select(key)) else held.unique(key, keep="first", maintain_order=True)

    def _asked(self, rows: Rows, fields: Sequence[str]) -> pl.DataFrame:
        """Fields of the system's rows for these rows, as they are read."""
        key = rows.record.key[0]
        with self._one_at_a_time:
            return self._reader(rows.record.name, fields, (key, rows.values[key]), None)

    def having_any(self, record: Record, field: str, *others: str) -> pl.DataFrame:
        """The key, the field and others of all the system's rows in which that field is filled, as String columns."""
        return self._read(record.name, list(dict.fromkeys((*record.key, field, *others))), filled=field)

    def whole(self, record: Record, field: str) -> pl.Series:
        """All values of a field that the system holds."""
        return self._read(record.name, [field])[field]

    def are_known(self, record: Record, values: pl.Series) -> pl.Series:
        """Boolean for each value: it is a code of the record, in the system or earlier in this load; null for a blank."""

        def find() -> pl.Series:
            return values.is_in(self.held_codes(record, values).implode())

        known = self.answers.of(("held", record.name), values, find)
        if record.name not in self._pending:
            return known
        return known | values.is_in(self._pending[record.name].values[record.code].implode())

    def known_codes(self, record: Record, values: pl.Series) -> pl.Series:
        """Which of the values are codes of the record, in the system or earlier in this load."""
        codes = self.held_codes(record, values)
        if record.name not in self._pending:
            return codes
        return pl.concat([codes, self._pending[record.name].values[record.code]])

    def held_codes(self, record: Record, values: pl.Series) -> pl.Series:
        """The codes of the system's rows that have one of the values, as often as they stand there;
        more may come back.
        """
        return self._read(record.name, [record.code], (record.code, values))[record.code]

    def known_keys(self, record: Record, keys: pl.DataFrame) -> pl.DataFrame:
        """The keys of the record's rows, in the system or earlier in this load, that begin like one of the keys.

        Args:
            keys: the columns of the key: String.

        Returns:
            The same columns.
        """
        names = list(record.key)
        found = self._read(record.name, names, (names[0], keys[names[0]])).select(names)
        if record.name in self._pending:
            found = pl.concat([found, self._pending[record.name].values.select(names)])
        return found

    def coming(self, record: Record, fields: Sequence[str]) -> pl.DataFrame:
        """``fields`` of the record's earlier rows of this load without an error, as String columns;
        blank where they do not carry one.
        """
        if record.name not in self._pending:
            return pl.DataFrame(schema=dict.fromkeys(fields, pl.String))
        rows = self._pending[record.name].values
        return rows.select(
            pl.col(name) if name in rows.columns else pl.lit(None, pl.String).alias(name) for name in fields
        )

    def brings(self, record: Record) -> bool:
        """Whether rows of the record come earlier in this load."""
        return record.name in self._pending

    def refused_in_load(self, record: str) -> Mapping[str, str]:
        """Key → its place in the sheet, for earlier rows of this load with an error."""
        return self._pending[record].refused if record in self._pending else {}

    def behind(self, record: Record, codes: pl.Series, fields: Sequence[str]) -> pl.DataFrame:
        """What rows of a record with one key field will hold after this load: the key and ``fields``, as String columns
        in canonical text.
        """
        key = record.key[0]
        wanted = list(dict.fromkeys((key, *fields)))
        held = self._read(record.name, wanted, (key, codes))
        target_rows = self.answers.of(
            ("once", record.name, *wanted), held, lambda: held.select(wanted).unique(subset=key, keep="any")
        )
        if record.name not in self._pending:
            return target_rows
        pending = self._pending[record.name].values
        cleared = [name for name in wanted if clearing(name) in pending.columns]
        coming = self.coming(record, wanted).with_columns(pending[clearing(name)] for name in cleared)

        def after(name: str) -> pl.Expr:
            kept = pl.coalesce(name, f"{name} held")
            return pl.when(pl.col(clearing(name)).not_().fill_null(True)).then(kept) if name in cleared else kept

        return (
            coming.join(target_rows, on=key, how="full", coalesce=True, suffix=" held")
            .select(key, *(after(name).alias(name) for name in wanted if name != key))
            .unique(subset=key, keep="any")
        )

    def names_of(self, record: str) -> dict[str, str]:
        """Code → name of each row of a list, or the code again where it has none."""
        about = self.description.records[record]
        called = pl.coalesce(about.called or about.code, about.code).alias("name or code")
        return dict(self.listed(about).select(about.code, called).drop_nulls().iter_rows())

    def listed(self, record: Record) -> pl.DataFrame:
        """The whole list as :meth:`all_of`, with the rows of this load that come before."""
        held = self.all_of(record)
        return pl.concat([held, self.coming(record, held.columns)]) if record.name in self._pending else held

    def keys_of(self, record: Record) -> pl.DataFrame:
        """The keys of all the system's rows, as String columns."""
        with self._one_at_a_time:
            if record.name in self._lists:
                return self._lists[record.name].select(record.key)
            return self._read(record.name, record.key)

    def all_of(self, record: Record) -> pl.DataFrame:
        """The whole list: the fields of :attr:`kotrel.core.description.model.Record.listed`, as String columns."""
        with self._one_at_a_time:
            if record.name not in self._lists:
                self._lists[record.name] = self._read(record.name, record.listed)
            return self._lists[record.name]


def all_keys_differ(rows: Rows, state: SystemState) -> bool:
    """Whether no key is in the sheet twice; a blank is a value like any other."""
    keys = rows.values.select(rows.record.key)
    return state.answers.of(("keys differ", rows.record.name), keys, lambda: all_rows_differ(keys))


def is_new(rows: Rows, state: SystemState) -> pl.Series:
    """Boolean for each row: the system holds no row with its key.
    Without a value for each part of the key, all are new.
    """
    if not rows.has_key:
        return pl.Series([True], dtype=pl.Boolean).new_from_index(0, rows.values.height)
    keys = rows.values.select(rows.record.key)
    return state.answers.of(("new", rows.record.name), keys, lambda: _are_new(rows, state))


def _are_new(rows: Rows, state: SystemState) -> pl.Series:
    key = list(rows.record.key)
    if len(key) == 1:
        own, there = rows.values[key[0]], state.existing(rows)[key[0]]
        if run_position(own, there) is not None:
            return own.is_null()
        return ~own.is_in(there.implode()).fill_null(False)
    known = state.existing(rows).select(key)
    if not rows.values[key[0]].is_in(known[key[0]].implode()).any():
        # A new price list, say: none of its rows need be looked up.
        return pl.Series([True], dtype=pl.Boolean).new_from_index(0, rows.values.height)
    known = known.unique().with_columns(pl.lit(True).alias("is there"))
    joined = rows.values.select(key).join(known, on=key, how="left", maintain_order="left")
    return joined["is there"].is_null()


def after_load(rows: Rows, state: SystemState, fields: Sequence[str]) -> pl.DataFrame:
    """What the rows will hold after the load: ``ROW`` and ``fields``.
    Where the sheet is blank, the system's value stays.
    """
    key = list(rows.record.key)
    carried = [name for name in fields if name in rows.fields]
    sheet_values = rows.values.select(
        ROW,
        *key,
        *(name for name in carried if name not in key),
        *(clearing(name) for name in carried if clearing(name) in rows.values.columns),
    )
    if is_new(rows, state).all():
        return sheet_values.select(
            ROW, *(pl.col(name) if name in carried else pl.lit(None, pl.String).alias(name) for name in fields)
        )
    now = state.having(rows.record, fields, key[0], rows.values[key[0]]).unique(subset=key, keep="any")
    now = now.select(*key, *(pl.col(name).alias(f"now {name}") for name in fields))
    joined = sheet_values.join(now, on=key, how="left", maintain_order="left")

    def after(name: str) -> pl.Expr:
        if name not in carried:
            return pl.col(f"now {name}").alias(name)
        kept = pl.coalesce(name, f"now {name}")
        return (pl.when(~pl.col(clearing(name))).then(kept) if clearing(name) in sheet_values.columns else kept).alias(
            name
        )

    return joined.select(ROW, *(after(name) for name in fields))


def follows_nothing(rows: Rows, state: SystemState, name: str) -> pl.Series | bool:
    """Where a field takes its value from a row that does not exist: its blank is no mistake of its own."""
    field = rows.record.fields[name]
    dotted = field.same_as or field.default_from
    if dotted is None or dotted[0] not in rows.fields:
        return False
    known = behind_rows(rows, state, *dotted)[1]["is known"]
    return ~known & rows.values[dotted[0]].is_not_null()


def behind_rows(rows: Rows, state: SystemState, reference: str, name: str) -> tuple[Record, pl.DataFrame]:
    """For each row the value in a field of the row it refers to (``value there``), and whether that row exists (``is
    known``).

    Where the sheet does not have the reference, the one that the system holds counts.
    """
    target = state.description.records[str(rows.record.fields[reference].to)]
    key = target.key[0]
    references = rows.values if reference in rows.fields else after_load(rows, state, (reference,))
    codes = references[reference]

    def find() -> pl.DataFrame:
        found = state.behind(target, codes, (name,))
        found = found.select(
            pl.col(key).alias(reference), pl.col(name).alias("value there"), pl.lit(True).alias("is known")
        )
        joined = codes.to_frame().join(found, on=reference, how="left", maintain_order="left")
        return joined.select("value there", pl.col("is known").fill_null(False))

    if state.brings(target):
        return target, find()
    return target, state.answers.of(("behind", target.name, name), codes, find)
