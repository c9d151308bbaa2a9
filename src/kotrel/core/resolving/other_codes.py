"""Rows found by the other codes they are known by: barcodes, vendors' and makers' codes, alternative codes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import polars as pl

from kotrel.core.description.model import Record
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState


def known_as(record: Record, values: pl.Series, state: SystemState) -> dict[str, dict[str, str]]:
    """Value → the codes of the rows that are known by it, each with the title of the field that says so.

    A vendor's code counts without its vendor here: where two rows have it, both are given.
    """
    if len(record.key) > 1 or not len(values):
        return {}
    wanted = set(values.to_list())
    found: dict[str, dict[str, str]] = {}
    for title, pairs in _lookups(record, values, state):
        for value, code in pairs.iter_rows():
            if value in wanted and code is not None and value != code:
                found.setdefault(value, {}).setdefault(code, title)
    return found


def _lookups(record: Record, values: pl.Series, state: SystemState) -> Iterator[tuple[str, pl.DataFrame]]:
    """The title of each field that leads to rows, and its values with their rows' codes."""
    key = record.key[0]
    for name in dict.fromkeys(name for group in record.also_known_by for name in same_kind(record, group[-1])):
        if name == key:
            continue
        field = record.fields[name]
        if field.kind == "list":
            held = state.having_any(record, name).with_columns(pl.col(name).str.split("; ")).explode(name)
        else:
            held = state.having(record, [name], name, values)
        frames = [held.select(name, key), state.coming(record, (name, key))]
        yield field.title.lower(), pl.concat(frames).drop_nulls()
    for other, name in record.other_codes:
        about = state.description.records[other]
        reference = next(each.name for each in about.references if each.to == record.name and not each.within)
        held = state.having(about, [reference], name, values).select(name, reference)
        yield about.fields[name].title.lower(), pl.concat([held, state.coming(about, (name, reference))]).drop_nulls()


def same_kind(record: Record, name: str) -> Sequence[str]:
    """The fields that share their values with this one: further barcodes with the main barcode."""
    unique = record.fields[name].unique
    return record.unique_groups()[unique] if unique else (name,)


def _comparable(value: pl.Expr, kind: str) -> pl.Expr:
    """What is compared of a value."""
    return value.str.to_lowercase().str.replace_all(r"\s+", " ").str.strip_chars() if kind == "text" else value


def found_keys(rows: Rows, state: SystemState) -> tuple[pl.Series, Mapping[int, Sequence[str]]]:
    """For rows without a key, the one that the system's row has which is known by the same codes.

    Of the groups of fields that identify a row, each that the sheet fills is looked up with all its fields. Names and addresses
    are the same in other capitals or with other blanks; codes are not.

    Returns:
        The keys, blank where nothing or several were found; and row place → the keys, where there are several.
    """
    record, values = rows.record, rows.values
    key = record.key[0]
    blank = values[key].is_null()
    keys: list[set[str]] = [set() for _ in range(values.height)]
    for group in record.also_known_by:
        if key in group or any(name not in rows.fields for name in group):
            continue
        asked = values.select(*group).with_row_index("place").filter(blank).drop_nulls(group)
        if not asked.height:
            continue
        last = group[-1]
        frames = []
        for name in same_kind(record, last) if len(group) == 1 else (last,):
            if record.fields[name].kind == "list":
                held = state.having_any(record, name).with_columns(pl.col(name).str.split("; ")).explode(name)
            else:
                wanted = asked[last]
                if record.fields[name].kind == "text":
                    wanted = pl.concat([wanted, wanted.str.to_lowercase()]).unique()
                held = state.having(record, group, name, wanted)
            frames.append(held.select(pl.col(key).alias("found key"), *group[:-1], pl.col(name).alias(last)))
        alike = [_comparable(pl.col(each), record.fields[each].kind).alias(each) for each in group]
        pairs = asked.with_columns(alike).join(
            pl.concat(frames).with_columns(alike).unique(), on=list(group), how="inner"
        )
        for place, found in pairs.select("place", "found key").drop_nulls().iter_rows():
            keys[place].add(found)
    single = [next(iter(found)) if len(found) == 1 else None for found in keys]
    several = {place: sorted(found) for place, found in enumerate(keys) if len(found) > 1}
    return pl.Series(key, single, dtype=pl.String), several
