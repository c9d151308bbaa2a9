"""Rows as they were read → rows ready to be checked: mended, found in the system, left with what is to be loaded, filled in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import polars as pl

from kotrel.core.conventions import Conventions
from kotrel.core.creating import created_rows
from kotrel.core.description import DefaultSet, Description
from kotrel.core.errors import WrongUse
from kotrel.core.finding_rows import choose_rows, clear_blanks, match_group, match_rows
from kotrel.core.held import Held, behind_rows, is_new
from kotrel.core.making import fill_keys, fill_same, make_values
from kotrel.core.mending import mend
from kotrel.core.nearness import nearest
from kotrel.core.rows import Rows
from kotrel.core.three_way import effective_base, only_edited
from kotrel.core.ways import Ways
from kotrel.workspace.exports import RememberedExport


@dataclass(frozen=True)
class Ready:
    """Rows ready to be checked.

    Attributes:
        told: what was left out or left alone, in words.
        created: rows of other records that these rows need and that are to be created.
        now: what the system holds for these rows, where it had to be read: the key and the fields they carry.
    """

    rows: Rows
    told: tuple[str, ...]
    created: tuple[Rows, ...]
    now: pl.DataFrame | None


def demand_ways(ways: Ways, description: Description, records: Sequence[str]) -> None:
    """Makes sure that what the user chose fits.

    Raises:
        WrongUse: a list to create in, a set of defaults or a field to match on is not known.
    """
    for name in ways.create:
        if name not in description.records:
            close = nearest(name, description.records)
            hint = f"Did you mean {close}?" if close else f"The system takes: {', '.join(description.records)}."
            raise WrongUse(f"--create: the system takes no record “{name}”", hint, "no-such-record")
        if len(description.records[name].key) > 1:
            raise WrongUse(
                f"--create: a {name} has a key of several fields; load it from a sheet of its own",
                "",
                "wrong-command-line",
            )
    for name in ways.defaults:
        if name not in description.defaults:
            close = nearest(name, description.defaults)
            there = ", ".join(description.defaults) or "none yet"
            hint = f"Did you mean {close}?" if close else f"system.toml has: {there}."
            raise WrongUse(f"there is no set of defaults “{name}”", hint, "no-such-defaults")
    if ways.match_on is not None and not any(ways.match_on in description.records[name].fields for name in records):
        match_group(description.records[records[0]], ways.match_on)


def make_ready(rows: Rows, export: RememberedExport | None, held: Held, ways: Ways, conventions: Conventions) -> Ready:
    """Makes rows ready: each step sees what the one before has put right."""
    record = rows.record
    told: list[str] = []
    rows = mend(rows, held, conventions.spellings)
    if ways.match_on is not None and ways.match_on in record.fields and record.key != (ways.match_on,):
        rows = match_rows(rows, ways.match_on, held)
    rows = fill_keys(rows)
    now: pl.DataFrame | None = None
    round_trip = export is not None and rows.has_key and record.name in export.records
    if round_trip and export is not None:
        base = export.rows(record.name)
        if all(name in base.columns for name in record.key):
            fields = [name for name in rows.fields if name not in record.key]
            now = held.having(record, fields, record.key[0], rows.values[record.key[0]])
            base = effective_base(record, base, export.loaded(record.name), now)
            done = only_edited(rows, base, now, ways.clash, ways.blanks == "clear")
            rows = done.rows
            told += done.told
            if ways.blanks == "clear":
                # Of rows that were not exported, every blank counts.
                rows = clear_blanks(rows, ~_exported(rows, base))
    elif ways.blanks == "clear":
        rows = clear_blanks(rows)
    rows, left = choose_rows(rows, ways, held)
    told += left
    sets = [each for each in held.description.defaults.values() if _is_used(each, record.name, ways)]
    known: list[pl.Series] = []

    def new() -> pl.Series:
        if not known:
            known.append(is_new(rows, held))
        return known[0]

    def taken(field: str) -> pl.Series:
        return held.whole(record, field)

    rows = make_values(rows, held.names_of, taken, new, sets)
    if any(field.same_as for field in record.fields.values()) and rows.has_key:
        rows = fill_same(rows, new(), lambda reference, name: behind_rows(rows, held, reference, name)[1]["behind"])
    created = created_rows(rows, ways.create, held) if ways.create else ()
    return Ready(rows, tuple(told), created, now)


def _exported(rows: Rows, base: pl.DataFrame) -> pl.Series:
    key = list(rows.record.key)
    there = base.select(key).unique().with_columns(pl.lit(True).alias("is exported"))
    joined = rows.values.select(key).join(there, on=key, how="left", maintain_order="left")
    return joined["is exported"].fill_null(False)


def _is_used(each: DefaultSet, record: str, ways: Ways) -> bool:
    return each.record == record and (each.where is not None or each.name in ways.defaults)


def without_rows(rows: Rows, wrong: pl.Series) -> Rows:
    """The rows that are not among the wrong ones (numbers of rows in the sheet)."""
    return replace(rows, findings=()).only(~rows.values["row"].is_in(wrong.implode()))
