"""Rows found by the other codes they are known by: barcodes, vendors' and makers' codes, alternative codes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import polars as pl

from kotrel.core.description.model import Field, Record
from kotrel.core.errors import WrongUse
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import nearest
from kotrel.core.values.code_formats import gtin_spellings
from kotrel.core.values.near_codes import same_form


def known_as(record: Record, values: pl.Series, state: SystemState) -> dict[str, dict[str, str]]:
    """Value → the codes of the rows that are known by it, each with the title of the field that says so.

    A vendor's code counts without its vendor here: where two rows have it, both are given. A barcode is one thing at every
    length in which it can be written.
    """
    if len(record.key) > 1 or not len(values):
        return {}
    wanted = [value for value in values.unique(maintain_order=True).to_list() if value is not None]
    spelled = {value: gtin_spellings(value) for value in wanted}
    forms = pl.Series(
        values.name, list(dict.fromkeys(each for forms in spelled.values() for each in forms)), dtype=pl.String
    )
    held: dict[str, dict[str, str]] = {}
    for field, pairs in _lookups(record, forms, state):
        asked = set(forms.to_list()) if field.check == "gtin" else set(wanted)
        for value, code in pairs.iter_rows():
            if value in asked and code is not None and value != code:
                held.setdefault(value, {}).setdefault(code, field.title.lower())
    found: dict[str, dict[str, str]] = {}
    for value, others in spelled.items():
        for form in others:
            for code, title in held.get(form, {}).items():
                if code != value:
                    found.setdefault(value, {}).setdefault(code, title)
    return found


@dataclass(frozen=True)
class Meant:
    """The one row that a code leads to, and how: empty where it is the row's own code as it is written."""

    code: str
    how: str = ""


def which_row(record: Record, value: str, state: SystemState) -> Meant:
    """The row that somebody means by one of its codes, as it is found wherever a code is typed or scanned.

    Its own code comes first, then every other code that leads to it, then its own code in other capitals or with other separators.

    Raises:
        WrongUse: there is none, or there are several.
    """
    key, title = record.key[0], record.title.lower()
    asked = pl.Series(key, [value], dtype=pl.String)
    if value in state.having(record, [], key, asked)[key].to_list():
        return Meant(value)
    others = known_as(record, asked, state).get(value, {})
    how = "its " + next(iter(others.values()), "")
    if not others:
        every = state.whole(record, key).drop_nulls()
        same = every.filter(same_form(every) == same_form(asked)[0])
        others, how = dict.fromkeys(same.to_list(), ""), "its code, written in another way"
    if len(others) > 1:
        raise WrongUse(
            f"{value} is a code of several {title}s: {', '.join(sorted(others))}",
            "Use the code of one of them.",
            "no-such-code",
        )
    if not others:
        close = nearest(value, state.whole(record, key).drop_nulls())
        hint = f"Did you mean {close}?" if close else f"kotrel export {record.name} -o FILE writes all of them."
        raise WrongUse(f"there is no {title} {value}", hint, "no-such-code")
    return Meant(next(iter(others)), how)


def _lookups(record: Record, values: pl.Series, state: SystemState) -> Iterator[tuple[Field, pl.DataFrame]]:
    """Each field that leads to rows, and its values with their rows' codes."""
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
        yield field, pl.concat(frames).drop_nulls()
    for other, name in record.other_codes:
        about = state.description.records[other]
        reference = next(each.name for each in about.references if each.to == record.name and not each.within)
        held = state.having(about, [reference], name, values).select(name, reference)
        yield about.fields[name], pl.concat([held, state.coming(about, (name, reference))]).drop_nulls()


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
