"""Rows as they were read → rows ready for the checks:
repaired, found in the system, compared with their export, filled in.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from functools import partial

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.model import DefaultSet, Description
from kotrel.core.description.record_names import meant
from kotrel.core.errors import WrongUse
from kotrel.core.phrases import count, those_there
from kotrel.core.resolving.export_witness import find_changed_keys, find_moved_columns
from kotrel.core.resolving.exported_sheets import (
    find_changed_names,
    find_renamed,
    with_exported_keys,
    without_untouched,
)
from kotrel.core.resolving.filling import fill_keys, fill_same, make_values, without_lonely
from kotrel.core.resolving.list_additions import Consequence, created_rows
from kotrel.core.resolving.near_duplicates import find_near_keys, find_repeated
from kotrel.core.resolving.new_codes import find_doubtful_codes
from kotrel.core.resolving.periods import follow_periods
from kotrel.core.resolving.repairing import repair
from kotrel.core.resolving.row_lookup import (
    choose_rows,
    clear_blanks,
    codes_in_key,
    match_group,
    match_other_codes,
    match_own_codes,
    match_rows,
    other_code_named,
    with_found_keys,
)
from kotrel.core.resolving.taken_identities import find_taken_identities
from kotrel.core.resolving.three_way import ExportBase, effective_base, only_edited
from kotrel.core.rows.findings import AS_SHOWN
from kotrel.core.rows.load_options import ALL, LoadOptions
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, behind_rows, is_new
from kotrel.core.similarity import did_you_mean
from kotrel.core.values.conventions import Conventions


class Ready(Struct, frozen=True):
    """Rows ready to be checked.

    Attributes:
        remarks: what was left out or left unchanged, in words.
        consequences: rows of other records that change because of these.
        now: what the system holds for these rows, if it was read: the key and the fields they carry.
    """

    rows: Rows
    remarks: tuple[str, ...]
    consequences: tuple[Consequence, ...]
    now: pl.DataFrame | None


def require_known_options(options: LoadOptions, description: Description, records: Sequence[str]) -> None:
    """Makes sure that the load options name known records, fields and sets of defaults.

    Raises:
        WrongUse: one of them is not known.
    """
    for name in options.create:
        if name not in description.records:
            raise WrongUse(f"--create: there is no record “{name}”", meant(name, description), "no-such-record")
        if len(description.records[name].key) > 1:
            raise WrongUse(
                f"--create: the key of {name} has several fields; load new ones from their own sheet",
                "",
                "wrong-command-line",
            )
    for name in options.defaults:
        if name not in description.defaults:
            hint = did_you_mean(
                name, description.defaults, those_there("sets in system.toml", list(description.defaults))
            )
            raise WrongUse(f"there is no set of defaults “{name}”", hint, "no-such-defaults")
    for name in options.only_of:
        if name not in description.records:
            raise WrongUse(f"--only: there is no record “{name}”", meant(name, description), "no-such-record")
    if any(options.of(name).only == "changes" and description.records[name].nature == "document" for name in records):
        raise WrongUse(
            "--only changes: a posted document never changes",
            "Leave it out, or undo the load that posted it.",
            "wrong-command-line",
        )
    if options.match_on is not None and not any(
        options.match_on in description.records[name].fields
        or other_code_named(description.records[name], options.match_on)
        for name in records
    ):
        match_group(description.records[records[0]], options.match_on)


def _repair_rows(
    rows: Rows, state: SystemState, options: LoadOptions, conventions: Conventions, by_other_codes: bool
) -> Rows:
    # Where the key column holds other codes, the list of keys proves nothing of them.
    only = [name for name in rows.fields if name not in rows.record.key] if by_other_codes else None
    return repair(rows, state, conventions.spellings, only, (ALL,) if options.only == "new" else options.new_codes)


def ready_rows(
    rows: Rows,
    base: ExportBase | None,
    state: SystemState,
    options: LoadOptions,
    conventions: Conventions,
    alone: bool = True,
    today: date | None = None,
) -> Ready:
    """Makes rows ready for the checks; each step works on what the one before has put right.

    Args:
        base: what the sheet was exported with, or None where it did not come from an export.
        alone: no other sheet of the load has rows of this record; else their periods are followed for all of them
            together.
        today: as of :func:`kotrel.core.resolving.periods.follow_periods`.
    """
    record = rows.record
    options = options.of(record.name)
    dotted = codes_in_key(rows, options.match_on) if options.match_on is not None else None
    rows = _repair_rows(rows, state, options, conventions, dotted is not None)
    rows, remarks = _with_keys(rows, base, dotted, state, options)
    sets = [each for each in state.description.defaults.values() if _is_used(each, record.name, options)]
    rows = filled_keys(rows, state, sets, conventions)
    now: pl.DataFrame | None = None
    if base is not None and rows.has_key and set(record.key) <= set(base.rows.columns):
        rows, now, said = _compared(rows, base, state, options)
        remarks += said
    elif options.blanks == "clear":
        rows = clear_blanks(rows)
    rows = rows.with_findings(find_changed_names(rows, state, now is not None))
    rows, left = _chosen(rows, state, options)
    remarks += left
    known: list[pl.Series] = []

    def new() -> pl.Series:
        if not known:
            known.append(is_new(rows, state))
        return known[0]

    remarks += _found_by_repair(rows, new)
    rows = filled_rows(rows, state, new, sets, conventions)
    # Documents are numbered one after the other: their numbers are nearly the same for a reason.
    if rows.has_key and not record.is_posted:
        rows = rows.with_findings(find_doubtful_codes(rows, state, new, options.new_codes))
        rows = rows.with_findings(find_repeated(rows, state, new, options.new_codes))
        rows = rows.with_findings(find_taken_identities(rows, state, new, options.new_codes))
    created: tuple[Consequence, ...] = ()
    if options.create:
        rows, created = created_rows(rows, options.create, state)
    if alone:
        rows, ended, said = follow_periods(rows, state, new, options.after_end, today)
        created, remarks = (*created, *ended), [*remarks, *said]
    return Ready(rows, tuple(remarks), created, now)


def _with_keys(
    rows: Rows, base: ExportBase | None, dotted: tuple[str, str] | None, state: SystemState, options: LoadOptions
) -> tuple[Rows, list[str]]:
    """The rows with their keys as the export, the field to match on, or the expression that makes keys says; and
    remarks.

    Args:
        dotted: the record and field of other codes, where rows are matched on those.
    """
    record = rows.record
    if base is not None and all(name in base.rows.columns for name in record.key):
        rows = with_exported_keys(rows, base.rows)
    if dotted is not None:
        rows = match_other_codes(rows, dotted, state)
    elif options.match_on == record.code and rows.has_key:
        rows = match_own_codes(rows, state)
    elif options.match_on is not None and options.match_on in record.fields and record.key != (options.match_on,):
        rows = match_rows(rows, options.match_on, state)
    if rows.has_key and len(record.key) == 1 and (source := rows.sources.get(record.key[0])) and source.make:
        rows, said = with_found_keys(rows, state, options)
        return rows, list(said)
    return rows, []


def _compared(
    rows: Rows, base: ExportBase, state: SystemState, options: LoadOptions
) -> tuple[Rows, pl.DataFrame, list[str]]:
    """The rows of an export with what was edited in them only, what the system holds of them now, and remarks."""
    record = rows.record
    fields = [name for name in rows.fields if name not in record.key]
    now = state.beside(rows, fields)
    stood = effective_base(record, base, now)
    rows = without_untouched(rows.with_findings(find_renamed(rows, stood)), stood)
    strange = find_changed_keys(rows, stood, state)
    # Where keys have changed rows, all columns seem to have moved.
    rows = rows.with_findings(strange or find_moved_columns(rows, stood))
    done = only_edited(rows, stood, now, options.clash, options.blanks == "clear")
    rows = done.rows
    if options.blanks == "clear":
        # In rows that were not exported, every blank counts.
        rows = clear_blanks(rows, ~_exported(rows, stood))
    return rows, now, list(done.remarks)


def _chosen(rows: Rows, state: SystemState, options: LoadOptions) -> tuple[Rows, list[str]]:
    """The rows to load, and what was left out, in words."""
    # Documents are new or posted as a whole: a single row of one is never left out.
    chosen, remarks = choose_rows(rows, replace(options, only=None) if rows.record.is_posted else options, state)
    if options.only == "changes" and chosen.left_out:
        remarks += _new_like_existing(rows, state, options)
    return chosen, remarks


def _new_like_existing(rows: Rows, state: SystemState, options: LoadOptions) -> list[str]:
    """Of an update, the rows that are left out because their codes are new, but look like existing ones."""
    new = is_new(rows, state)
    found = find_near_keys(rows, state, lambda: new, options.new_codes) if new.any() else []
    groups = [group for group in found if group.kind == "nearly-there"]
    if not groups:
        return []
    cells = pl.concat(group.cells.select(ROW, "value", "suggestion") for group in groups).sort(ROW)
    shown = [
        f"row {row} “{code}”" + (f" like {meant}" if meant else "") for row, code, meant in cells.head(3).iter_rows()
    ]
    more = f" and {cells.height - 3:,} more" if cells.height > 3 else ""
    what = "of them has a code like an existing one" if cells.height == 1 else "of them have codes like existing ones"
    return [f"{cells.height:,} {what}: {', '.join(shown)}{more}"]


_SAME_CODE = ("stray-spaces", "unusual-characters", "text-in-formula", AS_SHOWN)
"""Kinds of repair after which a key is what its cell shows."""


def _found_by_repair(rows: Rows, new: Callable[[], pl.Series]) -> list[str]:
    """How many rows the system has only by a key that was repaired: each of them decides which row is overwritten."""
    # What the mapping itself looks for is no repair of what a cell says.
    looked_for = {name for name, source in rows.sources.items() if source.found_by}
    repaired = {
        row
        for group in rows.repairs
        if group.field in rows.record.key and group.kind not in _SAME_CODE and group.field not in looked_for
        for row in group.cells[ROW]
    }
    if not repaired or not rows.has_key:
        return []
    number = int((rows.values[ROW].is_in(list(repaired)) & ~new()).sum())
    listed_by = "kotrel check --repairs lists them"
    return [f"{count(number, 'row')} found only through a repaired key ({listed_by})"] if number else []


def _exported(rows: Rows, base: pl.DataFrame) -> pl.Series:
    key = list(rows.record.key)
    there = base.select(key).unique().with_columns(pl.lit(True).alias("is exported"))
    joined = rows.values.select(key).join(there, on=key, how="left", maintain_order="left")
    return joined["is exported"].fill_null(False)


def _is_used(each: DefaultSet, record: str, options: LoadOptions) -> bool:
    return each.record == record and (each.where is not None or each.name in options.defaults)


def referenced_values(rows: Rows, state: SystemState, reference: str, name: str) -> pl.Series:
    """What the rows that a field refers to have in another field."""
    return behind_rows(rows, state, reference, name)[1]["value there"]


def filled_keys(rows: Rows, state: SystemState, sets: Sequence[DefaultSet], conventions: Conventions) -> Rows:
    """The rows with the defaults of their keys; names of lists become codes, as in cells."""
    before = {each.field for each in rows.defaulted}
    rows = fill_keys(rows, partial(referenced_values, rows, state), state.names_of, sets, conventions)
    filled = {each.field for each in rows.defaulted} - before
    # Where the list has none of the rows that a part of the key comes from, it is blank: that is what is wrong, not a
    # heading.
    fields, there = rows.record.fields, rows.values
    behind_keys = {name: source[0] for name in rows.record.key if (source := fields[name].default_from) is not None}
    lacking = [name for name, by in behind_keys.items() if name not in there.columns and by in there.columns]
    if lacking:
        rows = replace(rows, values=there.with_columns(pl.lit(None, pl.String).alias(name) for name in lacking))
    references = {name for name in filled if rows.record.fields[name].to}
    return repair(rows, state, conventions.spellings, references) if references else rows


def filled_rows(
    rows: Rows, state: SystemState, new: Callable[[], pl.Series], sets: Sequence[DefaultSet], conventions: Conventions
) -> Rows:
    """The rows with defaults, made values, and what other rows give them.

    Args:
        new: Boolean for each row: the system does not have it.
        sets: the defaults that are used.
    """
    record = rows.record
    rows = make_values(rows, state.names_of, lambda field: state.whole(record, field), new, sets, conventions)
    rows = without_lonely(rows)
    # What was filled in goes the same way as cells: names become codes.
    filled = {each.field for each in rows.defaulted} | {name for name, source in rows.sources.items() if source.make}
    if references := {name for name in filled if record.fields[name].to}:
        rows = repair(rows, state, conventions.spellings, references)
    if any(field.same_as or field.default_from for field in record.fields.values()) and rows.has_key:
        rows = fill_same(rows, new(), partial(referenced_values, rows, state))
    return rows
