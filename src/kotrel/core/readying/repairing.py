"""Repairs damaged codes and names by the lists of the system, and only where the repair can be proved.

What spreadsheets and people do to codes is undone if exactly one code on the list could have become what is in the cell.
Everything else stays as it is, and the checks report it.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field, Record
from kotrel.core.parallel import map_parallel
from kotrel.core.readying.barcode_repairs import repaired_barcodes
from kotrel.core.readying.code_list import BROKEN, CodeList
from kotrel.core.readying.found_by import found_by_fields
from kotrel.core.readying.held_codes import keep_as_held
from kotrel.core.readying.lost_codes import lost_codes, lost_texts
from kotrel.core.readying.other_codes import known_as
from kotrel.core.readying.suspicious import suspicious_keys
from kotrel.core.rows.findings import FindingGroup, RepairGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.lookalikes import plain, right_code_page, seen, unquoted

TITLES = {
    "name-for-code": "names and other spellings replaced by codes",
    "other-case": "codes spelled as on the list",
    "look-alike": "look-alike and invisible characters replaced",
    "leading-zeros": "lost leading zeros restored",
    "number-for-code": "codes that had become numbers restored",
    "date-for-code": "codes that had become dates restored",
    "wrong-code-page": "characters from a wrong code page restored",
    "other-code": "other codes replaced by the code",
    "digits-apart": "blanks and signs between digits removed",
}
"""Kind of repair → its title."""


@dataclass
class _Column:
    """One field's values while they are repaired."""

    rows: Rows
    about: Field
    values: pl.Series
    repairs: dict[str, tuple[str, str, str]] = field(default_factory=dict)
    """Value → (after, kind of repair, proof)."""

    def kind_is(self, kind: str) -> pl.Series:
        letter = self.rows.letters.get(self.about.name)
        if letter is None:
            return pl.Series([False], dtype=pl.Boolean).new_from_index(0, self.values.len())
        return self.rows.table.kind_is(letter, kind)


def repair(
    rows: Rows, state: SystemState, spellings: Mapping[str, Mapping[str, str]], only: Collection[str] | None = None
) -> Rows:
    """Repairs codes, names and texts where a repair can be proved; every repair is recorded.

    Args:
        spellings: record → other spelling, folded → code.
        only: the fields to repair, or None for all.
    """
    rows = keep_as_held(rows, state, only)

    def one(name: str) -> tuple[pl.Series, list[RepairGroup], list[FindingGroup]]:
        about, source = rows.record.fields[name], rows.sources.get(name)
        column = _Column(rows, about, rows.values[name])
        found_by = source is not None and bool(source.found_by)
        if not found_by and column.values.null_count() == len(column.values):
            return column.values, [], []
        if about.to is not None:
            target = state.description.records[about.to]
            if source is not None and found_by:
                column.repairs |= found_by_fields(rows, name, source, target, state)
            else:
                _repair_reference(column, state, target, spellings.get(target.name, {}))
        elif about.check == "gtin" and about.kind != "list":
            column.repairs |= repaired_barcodes(column.rows, about.name, state)
        elif rows.record.key == (name,):
            _repair_key(column, state)
        elif about.kind == "text":
            _repair_texts(column)
        repairs: list[RepairGroup] = []
        after = _repaired(column, repairs) if column.repairs else column.values
        if about.kind in ("code", "reference"):
            return after, repairs, lost_codes(rows, about, column.values, column.repairs)
        return after, repairs, lost_texts(rows, about, column.values) if about.kind == "text" else []

    done = map_parallel(one, [name for name in rows.fields if only is None or name in only], rows.values.height)
    # Where nothing is repaired, what is known of the columns is still known.
    values = rows.values.with_columns(after for after, groups, _ in done if groups)
    if not any(groups for _, groups, _ in done):
        values = rows.values
    repairs = (*rows.repairs, *(group for _, groups, _ in done for group in groups))
    findings = (*rows.findings, *(group for _, _, groups in done for group in groups))
    return replace(rows, values=values, repairs=repairs, findings=findings)


def _repaired(column: _Column, repairs: list[RepairGroup]) -> pl.Series:
    """The column after its repairs; the repair groups are added to the list."""
    after = column.values.replace({value: repair[0] for value, repair in column.repairs.items()}).alias(
        column.about.name
    )
    letter = column.rows.letters.get(column.about.name, "")
    stands = column.rows.as_it_stands(column.about.name)
    for kind in dict.fromkeys(repair[1] for repair in column.repairs.values()):
        mine = {value: repair for value, repair in column.repairs.items() if repair[1] == kind}
        cells = (
            pl.DataFrame(
                [column.rows.values[ROW], column.values.alias("value"), stands.alias("before"), after.alias("after")]
            )
            .filter(pl.col("value").is_in(list(mine)))
            .with_columns(pl.col("value").replace({value: repair[2] for value, repair in mine.items()}).alias("proof"))
            .select(ROW, "before", "after", "proof")
        )
        repairs.append(RepairGroup(kind, TITLES[kind], column.about.name, letter, cells))
    return after


# --- references ------------------------------------------------------------------------------------------------------


def _repair_reference(column: _Column, state: SystemState, target: Record, spellings: Mapping[str, str]) -> None:
    distinct = column.rows.distinct(column.about.name).drop_nulls()
    unknown = distinct.filter(~distinct.is_in(state.known_codes(target, distinct).implode()))
    own_keys = target.name == column.rows.record.name and column.rows.has_key
    if own_keys and len(unknown):
        unknown = unknown.filter(~unknown.is_in(column.rows.values[target.key[0]].implode()))
    if not len(unknown):
        return
    listed = state.listed(target)
    if own_keys:
        # The rows of this sheet are on the list too, by their names and codes.
        own = [name for name in listed.columns if name in column.rows.fields]
        listed = pl.concat([listed, column.rows.values.select(own).drop_nulls(target.key)], how="diagonal").unique(
            target.code, keep="first", maintain_order=True
        )
    words = unknown.to_list()
    known = CodeList(listed, target, words)
    others = known_as(target, unknown, state)
    dates = set(column.values.filter(column.kind_is("date")).to_list())
    for value in words:
        if found := known.repair(value, spellings, value in dates, others.get(value, {})):
            column.repairs[value] = found


# --- keys, barcodes, texts -------------------------------------------------------------------------------------------


def _repair_key(column: _Column, state: SystemState) -> None:
    """Keys that the system does not have, where exactly one that it has could have become this one."""
    record = column.rows.record
    suspicious = suspicious_keys(column.rows, column.about.name) | column.kind_is("date")
    distinct = column.values.filter(suspicious).unique().drop_nulls()
    if not len(distinct):
        return
    unknown = distinct.filter(~distinct.is_in(state.known_codes(record, distinct).implode()))
    if not len(unknown):
        return
    known = CodeList(state.all_of(record), record, unknown.to_list())
    dates = set(column.values.filter(column.kind_is("date")).to_list())
    for value in unknown.to_list():
        found = known.repair(value, {}, value in dates)
        # A new code may resemble an existing name; only damage is repaired here.
        if found and found[1] in ("leading-zeros", "number-for-code", "date-for-code", "look-alike"):
            column.repairs[value] = found
        elif BROKEN.search(value):
            # A line break within a code says nothing about what was there: the check reports it.
            continue
        elif value not in dates and value != (clean := _clean(value)):
            proof = "invisible and look-alike characters, and quotes around a code, are never part of it"
            column.repairs[value] = (clean, "look-alike", proof)


def _clean(code: str) -> str:
    """A new code in plain characters. One written in another alphabet stays so: half of it in Latin would be a third code."""
    return unquoted(plain(code)) if plain(code).isascii() else seen(code)


def _repair_texts(column: _Column) -> None:
    if bool((column.values.str.len_bytes() == column.values.str.len_chars()).all()):
        return
    odd = column.values.filter(column.values.str.contains("[\u00c2-\u00f4][\u0080-\u2122]").fill_null(False)).unique()
    for value in odd.to_list():
        if repaired := right_code_page(value):
            column.repairs[value] = (repaired, "wrong-code-page", "it converts back into valid UTF-8")
