"""New codes that are nearly each other, or that lost the zeros which the codes beside them have."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import NamedTuple

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.phrases import listed_and
from kotrel.core.resolving.cell_damage import DIGITS
from kotrel.core.resolving.known_otherwise import find_known_otherwise
from kotrel.core.resolving.near_duplicates import find_near_keys
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.load_options import ALL
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.lookalikes import OTHER_ALPHABETS, without_lookalikes
from kotrel.core.values.near_codes import all_of_one_shape, near_form, same_places
from kotrel.core.values.same_writing import placed_form

_PADDED = "^0[0-9]+$"
NAMED = 3
"""At most this many of the codes that look alike are named."""


def find_doubtful_codes(
    rows: Rows, state: SystemState, new: Callable[[], pl.Series], really_new: Collection[str]
) -> list[FindingGroup]:
    """What makes it doubtful that new codes are really new: the system knows a row by them, or they are nearly those of
    one, or odd among themselves.

    Args:
        new: Boolean for each row: the system does not have it.
        really_new: codes that the user says are new, or :data:`ALL`.
    """
    known = find_known_otherwise(rows, state, new, really_new)
    near = find_near_keys(rows, state, new, really_new)
    return [*known, *near, *find_odd_codes(rows, state, new, really_new, [*known, *near])]


def find_odd_codes(
    rows: Rows,
    state: SystemState,
    new: Callable[[], pl.Series],
    really_new: Collection[str],
    told: Sequence[FindingGroup] = (),
) -> list[FindingGroup]:
    """What is odd of new codes among themselves, and of bare numbers that are codes only beside others with zeros.

    Args:
        new: Boolean for each row: the system does not have it.
        really_new: codes that the user says are new, or :data:`ALL`.
        told: what was found of new codes already.
    """
    record = rows.record
    name = record.code
    about = record.fields[name]
    if about.to is not None or about.kind not in ("code", "text") or name not in rows.letters or ALL in really_new:
        return []
    if about.check == "gtin":
        # A barcode is one at every length.
        return []
    wanted = new() & rows.values[name].is_not_null()
    findings = _also_with_zeros(rows, ~wanted, name, state)
    if really_new:
        wanted = wanted & ~rows.values[name].is_in(list(really_new))
    if not wanted.any():
        return findings
    fresh = rows.values.select(ROW, *record.key).filter(wanted)
    findings += _looks_latin(rows, fresh, name)
    known = [row for group in told for row in group.cells[ROW]]
    return [
        *findings,
        *_without_zeros(rows, fresh.filter(~pl.col(ROW).is_in(known)), name, state),
        *_alike(rows, fresh, name),
    ]


def _looks_latin(rows: Rows, fresh: pl.DataFrame, name: str) -> list[FindingGroup]:
    """A warning at new codes in Greek or Cyrillic letters that all look like Latin ones:
    typed again, they would be other codes.
    """
    odd = [
        (row, code, without_lookalikes(code))
        for row, code in fresh.filter(pl.col(name).str.contains(OTHER_ALPHABETS)).select(ROW, name).iter_rows()
        if without_lookalikes(code).isascii()
    ]
    if not odd:
        return []
    message = "its letters look like Latin ones and are not: typed in Latin letters, it would be another code"
    cells = cells_of([row for row, _, _ in odd], [code for _, code, _ in odd], message, [other for _, _, other in odd])
    return [rows.group("warning", "other-alphabet", "letters of another alphabet", name, cells)]


def _also_with_zeros(rows: Rows, known: pl.Series, name: str, state: SystemState) -> list[FindingGroup]:
    """A warning at number cells whose number is a code of the system, where a code with zeros before it is another."""
    numbers = rows.table.kind_is(rows.letters[name], "number") & known & rows.values[name].str.contains(DIGITS)
    if len(rows.record.key) > 1 or not numbers.any():
        return []
    part = rows.values.select(ROW, name).filter(numbers)
    held = state.keys_of(rows.record).select(pl.col(name).alias("padded code")).drop_nulls()
    padded = held.filter(pl.col("padded code").str.contains(_PADDED)).with_columns(
        pl.col("padded code").str.strip_chars_start("0").alias(name)
    )
    both = part.join(padded, on=name, how="inner", maintain_order="left").unique(ROW, keep="first", maintain_order=True)
    if not both.height:
        return []
    message = "the cell holds a number, and the system also has this code with zeros in front: is that one meant?"
    cells = cells_of(both[ROW], both[name], message, both["padded code"])
    return [rows.group("warning", "zeros-lost", "may have lost its zeros", name, cells)]


def _without_zeros(rows: Rows, fresh: pl.DataFrame, name: str, state: SystemState) -> list[FindingGroup]:
    """New codes of digits that are shorter than those beside them, all of one length and some with zeros in front."""
    digits = fresh.filter(pl.col(name).str.contains(DIGITS))
    if not digits.height:
        return []
    number_cells = rows.values.filter(rows.table.kind_is(rows.letters[name], "number"))[ROW]
    is_number = digits[ROW].is_in(number_cells.implode())
    beside = rows.values[name].filter(~rows.values[ROW].is_in(number_cells.implode()))
    findings: list[FindingGroup] = []
    for where, codes, part in (
        ("the sheet", beside, digits),
        (
            "the system",
            _padded_keys(state, rows, name) if is_number.any() else beside.clear(),
            digits.filter(is_number),
        ),
    ):
        padded = codes.filter(codes.str.contains(_PADDED).fill_null(False))
        widths = padded.str.len_chars().unique().to_list()
        if len(widths) != 1:
            continue
        odd = part.filter(
            ~pl.col(name).str.starts_with("0")
            & (pl.col(name).str.len_chars() < widths[0])
            & ~pl.col(ROW).is_in([row for group in findings for row in group.cells[ROW]])
        )
        if odd.height:
            sure = bool(odd[ROW].is_in(number_cells.implode()).any())
            message = (
                f"the codes of {where} that begin with zeros have {widths[0]} digits: type it as text with its zeros, "
                "or name it with --new-codes"
            )
            cells = cells_of(odd[ROW], odd[name], message, odd[name].str.zfill(widths[0]))
            severity: Severity = "error" if sure else "warning"
            findings.append(rows.group(severity, "zeros-lost", "may have lost its zeros", name, cells))
    return findings


def _padded_keys(state: SystemState, rows: Rows, name: str) -> pl.Series:
    held_keys = state.keys_of(rows.record)[name].drop_nulls()
    digits = held_keys.filter(held_keys.str.contains(DIGITS))
    # Where the system has shorter codes too, a short one is nothing odd.
    padded = digits.filter(digits.str.contains(_PADDED))
    if not len(padded) or int(digits.str.len_chars().min() or 0) < int(padded.str.len_chars().min() or 0):  # type: ignore[arg-type]
        return held_keys.clear()
    return padded


def _alike(rows: Rows, fresh: pl.DataFrame, name: str) -> list[FindingGroup]:
    """New codes of the sheet that differ from each other only in capitals and separators,
    or in zeros and letters like them.
    """
    within = [part for part in rows.record.key if part != name]
    if fresh.height < 2 or (not within and all_of_one_shape(fresh[name])):
        return []
    distinct = fresh.unique([*within, name], keep="first", maintain_order=True)
    findings: list[FindingGroup] = []
    told: set[int] = set()
    for severity, form in (("error", placed_form(distinct[name])), ("warning", near_form(distinct[name]))):
        bare = form.str.replace_all("-", "", literal=True).alias("bare form")
        groups = distinct.with_columns(bare, form.alias("near form"))
        groups = groups.filter(pl.len().over(*within, "bare form") > 1).filter(~pl.col(ROW).is_in(list(told)))
        if not groups.height:
            continue
        alike: dict[object, list[_NewCode]] = {}
        for row, bare_form, near, code, *parts in groups.select(
            ROW, "bare form", "near form", name, *within
        ).iter_rows():
            alike.setdefault((bare_form, *parts), []).append(_NewCode(row, code, near))
        cells = _alike_cells(rows, name, list(alike.values()))
        if cells.height:
            told |= set(cells[ROW])
            title = "two new codes that look alike"
            findings.append(
                rows.group("error" if severity == "error" else "warning", "nearly-twice", title, name, cells)
            )
    return findings


class _NewCode(NamedTuple):
    """A new code of the sheet, and its form in which others may look like it."""

    row: int
    code: str
    form: str

    def looks_like(self, other: _NewCode) -> bool:
        # 1-12 and 11-2 have a separator each that the other has not: they are two places in one system of numbers.
        return other.row != self.row and same_places(self.form, other.form)


def _alike_cells(rows: Rows, name: str, groups: Sequence[Sequence[_NewCode]]) -> pl.DataFrame:
    said: Mapping[int, tuple[str, str]] = {
        each.row: (each.code, _say_alike(rows, name, others))
        for group in groups
        for each in group
        if (others := [other for other in group if each.looks_like(other)])
    }
    ordered = sorted(said)
    return cells_of(ordered, [said[row][0] for row in ordered], [said[row][1] for row in ordered])


def _say_alike(rows: Rows, name: str, others: Sequence[_NewCode]) -> str:
    places = [f"{rows.table.place(each.row, rows.letters[name])} “{each.code}”" for each in others[:NAMED]]
    more = f" and {len(others) - NAMED} more" if len(others) > NAMED else ""
    return f"looks like {listed_and(places)}{more}: use one of them, or name each with --new-codes"
