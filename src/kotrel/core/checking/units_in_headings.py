"""Headings that say in which unit their figures are, where the rows are in another one: boxes counted as pieces."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Record
from kotrel.core.matching.heading_units import (
    UNIT,
    measure_words,
    pack_said,
    singulars,
    unit_field,
    unit_said,
    unit_words,
)
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, after_load


def check_units_in_headings(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """An error for each column of quantities or amounts whose heading names a unit that is not that of every row.

    A row without a unit is in its item's own.
    """
    said = {name: words for name in rows.letters if _may_say(rows, name) and (words := unit_words(rows.heading(name)))}
    units = unit_list(rows.record, state) if said else None
    if units is None:
        return []
    known = ListNames(
        state.listed(units), units, [form for words in said.values() for word in words for form in singulars(word)]
    )
    findings: list[FindingGroup] = []
    own: pl.Series | None = None
    for name, words in said.items():
        if (code := unit_said(words, known)) is None:
            if (pack := pack_said(words)) is not None:
                findings.append(_says_unknown(rows, name, pack))
            continue
        own = units_of_rows(rows, state) if own is None else own
        odd = (rows.values[name].is_not_null() & (own != code)).fill_null(False)
        if odd.any():
            findings.append(_says_another(rows, name, code, rows.values.select(ROW, own.alias("its unit")).filter(odd)))
    return findings


def check_units_of_measures(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """An error for each column of weights or sizes whose heading names a unit that is not that of every row, or that no
    column says: 400 under “Weight (g)” is no 400 kg.
    """
    findings: list[FindingGroup] = []
    for name in rows.letters:
        field, heading = rows.record.fields[name], rows.heading(name)
        beside = None if is_amount(rows, name) else unit_field(rows.record, field)
        if beside is None or not _is_plain(rows, name) or not (words := measure_words(heading, field)):
            continue
        units = state.description.records.get(str(rows.record.fields[beside].to))
        forms = [form for word in words for form in singulars(word)]
        known = ListNames(state.listed(units), units, forms) if units is not None else None
        code = unit_said(words, known) if known is not None else None
        own = unit_beside(rows, beside, state)
        is_other = own != code if code is not None else own.str.to_lowercase() != words[-1].lower()
        odd = rows.values[name].is_not_null() & is_other.fill_null(True)
        if odd.any():
            findings.append(
                _says_measure(
                    rows, name, code or words[-1], beside, rows.values.select(ROW, own.alias("its unit")).filter(odd)
                )
            )
    return findings


def unit_beside(rows: Rows, name: str, state: SystemState) -> pl.Series:
    """A field of each row: what the sheet says, else what the system holds."""
    own = rows.values[name] if name in rows.values.columns else None
    if own is not None and not own.null_count():
        return own
    if not rows.has_key:
        return own if own is not None else pl.repeat(None, rows.values.height, dtype=pl.String, eager=True)
    return after_load(rows, state, (name,))[name]


def _says_measure(rows: Rows, name: str, unit: str, beside: str, odd: pl.DataFrame) -> FindingGroup:
    letter, heading = rows.letters[name], rows.heading(name)
    title = rows.record.fields[beside].title.lower()
    row, held = odd.row(0)
    where = rows.table.place(row, None)
    but = f"{where} has no {title}" if held is None else f"the {title} of {where} is {held}"
    message = (
        f"column {letter} “{heading}” says that its figures are in {unit}, and {but}: write the {title} into a column, or "
        f'give it a fixed value in the mapping; to use the column as it is, name it in the mapping: as_it_stands = ["{heading}"]'
    )
    return rows.sheet_finding("error", "heading-says", "what a heading says", message, letter, heading)


def is_amount(rows: Rows, name: str) -> bool:
    """Whether a field is an amount or a quantity, which are of a unit, and a sheet may change it."""
    return rows.record.fields[name].kind in ("quantity", "money") and not rows.record.fields[name].is_kept


def _may_say(rows: Rows, name: str) -> bool:
    return is_amount(rows, name) and _is_plain(rows, name)


def _is_plain(rows: Rows, name: str) -> bool:
    """Whether a field has the figures of a column as they are."""
    source = rows.sources.get(name)
    return (
        source is not None
        and source.is_plain
        and source.per is None
        and rows.letters[name] not in rows.as_they_stand
        and name in rows.values.columns
    )


def unit_list(record: Record, state: SystemState) -> Record | None:
    """The list of the units that the rows, or their items, are in."""
    item = _item_of(record, state)
    own = record.fields.get(UNIT) or (item.fields.get(UNIT) if item is not None else None)
    return state.description.records[own.to] if own is not None and own.to is not None else None


def _item_of(record: Record, state: SystemState) -> Record | None:
    """The list of the items that the rows refer to."""
    to = record.fields["item"].to if "item" in record.fields else None
    return state.description.records[to] if to is not None else None


def units_of_rows(rows: Rows, state: SystemState) -> pl.Series:
    """The unit of each row: what the sheet or a default says, else the item's own; blank where nobody knows."""
    values = rows.values
    own = values[UNIT] if UNIT in values.columns else pl.repeat(None, values.height, dtype=pl.String, eager=True)
    if not own.null_count():
        return own
    item = _item_of(rows.record, state)
    if item is not None and UNIT in item.fields and "item" in values.columns:
        key, held = ["item"], state.having(item, [UNIT], item.key[0], values["item"].drop_nulls().unique())
        held = held.rename({item.key[0]: "item"})
    elif UNIT in rows.record.fields and rows.has_key:
        key, held = list(rows.record.key), state.beside(rows, [UNIT])
    else:
        return own
    held = held.select(*key, pl.col(UNIT).alias("its unit")).unique(key)
    base = values.select(key).join(held, on=key, how="left", maintain_order="left")["its unit"]
    return own.zip_with(own.is_not_null(), base)


def _says_unknown(rows: Rows, name: str, pack: str) -> FindingGroup:
    letter, heading = rows.letters[name], rows.heading(name)
    message = (
        f"column {letter} “{heading}” says “{pack}”, which is no unit on the list: write which unit that is into a column, or add it "
        f'to the list; to use the column as it is, name it in the mapping: as_it_stands = ["{heading}"]'
    )
    return rows.sheet_finding("error", "heading-says", "what a heading says", message, letter, heading)


def _says_another(rows: Rows, name: str, code: str, odd: pl.DataFrame) -> FindingGroup:
    letter, heading = rows.letters[name], rows.heading(name)
    row, unit = odd.row(0)
    what = "amounts are for one" if rows.record.fields[name].kind == "money" else "figures are in"
    then = (
        f"give the rows the unit {code}, in a column or in the mapping"
        if {UNIT, "item"} <= set(rows.record.fields)
        else "calculate them in the mapping (make)"
    )
    message = (
        f"column {letter} “{heading}” says that its {what} {code}, and {rows.table.place(row, None)} is in {unit}: {then}; "
        f'to use the column as it is, name it in the mapping: as_it_stands = ["{heading}"]'
    )
    return rows.sheet_finding("error", "heading-says", "what a heading says", message, letter, heading)
