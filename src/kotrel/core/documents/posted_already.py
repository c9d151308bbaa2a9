"""Documents that are posted already: they never change, and are never posted twice."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Literal

import polars as pl

from kotrel.core.changes.journal import load_name
from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.documents.document_checks import Found
from kotrel.core.documents.document_reversal import reversals, taken_back
from kotrel.core.documents.document_tables import PART, DocumentTables
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import Reader

LoadsOf = Callable[[str, Sequence[str]], dict[str, int]]
"""Record and keys → key → the load that wrote that row."""


Standing = Literal["same", "other", "taken back"]
"""What the system holds under a number: the same content, other content, or a document that another one took back."""


def standing_numbers(whole: DocumentTables, read: Reader) -> dict[str, Standing]:
    """The numbers of this load that the system holds, and what it holds under them."""
    family = whole.family
    numbers = whole.headers["document"].unique().drop_nulls()
    held = read(family.header.name, [family.number], (family.number, numbers))[family.number]
    standing = numbers.filter(numbers.is_in(held.implode()))
    if not len(standing):
        return {}
    found: dict[str, Standing] = dict.fromkeys(standing.to_list(), "same")
    for record in family.records:
        for number in _differing(record, family.document_of(record), whole, standing, read):
            found[number] = "other"
    return found | dict.fromkeys(taken_back(list(found), reversals(family, read)), "taken back")


def _differing(record: Record, document: str, whole: DocumentTables, numbers: pl.Series, read: Reader) -> list[str]:
    """The numbers whose rows of a record differ from the system's: other values, or rows on one side only.

    Only cells that are given are compared: a blank agrees with whatever filled it when the document was posted.
    """
    key = list(record.key)
    parts = [rows for rows in whole.parts if rows.record.name == record.name and rows.has_key]
    carried = [name for name in record.loadable if any(name in rows.values.columns for rows in parts)]
    system_rows = read(record.name, list(dict.fromkeys((*key, *carried))), (document, numbers))
    system_rows = system_rows.filter(pl.col(document).is_in(numbers.implode()))
    if not parts:
        return system_rows[document].unique().to_list()
    sheet_rows = pl.concat(
        _values_given(rows).select(
            pl.col(name) if name in rows.values.columns else pl.lit(None, pl.String).alias(name)
            for name in dict.fromkeys((*key, *carried))
        )
        for rows in parts
    ).filter(pl.col(document).is_in(numbers.implode()))
    names = [name for name in carried if name in system_rows.columns and name not in key]
    both = sheet_rows.join(system_rows, on=key, how="full", suffix=" there", coalesce=True)
    alone = pl.concat(
        [
            sheet_rows.join(system_rows, on=key, how="anti"),
            system_rows.select(sheet_rows.columns).join(sheet_rows, on=key, how="anti"),
        ]
    )
    differs = [pl.col(name).is_not_null() & pl.col(name).ne_missing(pl.col(f"{name} there")) for name in names]
    other = both.filter(pl.any_horizontal(pl.lit(False), *differs))
    return list({*alone[document].drop_nulls(), *other[document].drop_nulls()})


def _values_given(rows: Rows) -> pl.DataFrame:
    """The values that the sheet gives: without those that filled its blanks, and without the day that no cell says."""
    values = rows.values
    for each in rows.defaulted:
        if each.field in values.columns and each.field not in rows.record.key:
            filled = pl.col(ROW).is_in(list(each.rows))
            values = values.with_columns(pl.when(~filled).then(pl.col(each.field)).alias(each.field))
    if "date" in values.columns and "date" not in rows.letters and "date" not in rows.sources:
        values = values.with_columns(pl.lit(None, pl.String).alias("date"))
    return values


def _posted_before(
    whole: DocumentTables, known: Mapping[str, Standing], loads: Mapping[str, int], read: Reader
) -> Found:
    """Errors on documents whose number is used. ``loads``: number → the load that posted it, where that is known."""
    family = whole.family
    takers = {of: number for number, of in reversals(family, read).items()} if "taken back" in known.values() else {}

    def said(number: str, how: str) -> str:
        load = load_name(loads[number]) if number in loads else ""
        by, undo = (f" by {load}", f", or undo {load} first") if load else ("", "")
        if how == "same":
            return f"{number} is posted{by}: it would count twice (--only new leaves it out)"
        if how == "taken back":
            return (
                f"{number} was posted and taken back by {takers[number]}, and a number is posted once: "
                "give this document a new one"
            )
        return (
            f"{number} is posted{by} with other content, and a posted document never changes: "
            f"give this one a new number{undo}"
        )

    for how, kind, title in (
        ("same", "already-posted", "posted already, with the same content"),
        ("other", "posted-otherwise", "posted already, with other content"),
        ("taken back", "number-used", "posted and taken back under this number"),
    ):
        numbers = [number for number, one in known.items() if one == how]
        bad = whole.headers.filter(pl.col("document").is_in(numbers))
        if bad.height:
            messages = [said(number, how) for number in bad["document"]]
            yield from whole.findings("error", kind, title, family.number, bad, messages)


def check_standing(whole: DocumentTables, known: dict[str, Standing], loads_of: LoadsOf, read: Reader) -> Found:
    """Errors on documents that are posted already, and on lines for one that this load does not have."""
    family = whole.family
    if known:
        yield from _posted_before(whole, known, loads_of(family.header.name, list(known)), read)
    for record, table in ((family.lines, whole.lines), (family.lots, whole.lots)):
        if record is None or not table.height:
            continue
        document = family.document_of(record)
        lost = table.filter(pl.col("document").is_not_null()).join(whole.headers, on="document", how="anti")
        if not lost.height:
            continue
        held = read(family.header.name, [family.number], (family.number, lost["document"].unique()))[family.number]
        posted = lost.filter(pl.col("document").is_in(held.implode()))
        if posted.height:
            messages = [
                f"{number} is posted already, and nothing is added to a posted document"
                for number in posted["document"]
            ]
            yield from whole.findings(
                "error", "posted-otherwise", "lines for a posted document", document, posted, messages
            )


def document_rows_of(whole: DocumentTables, numbers: Sequence[str]) -> dict[int, pl.Series]:
    """Part of the load → its rows that belong to documents with these numbers."""
    row_numbers: dict[int, list[pl.Series]] = {}
    for table in (whole.headers, whole.lines, whole.lots):
        if not table.height:
            continue
        mine = table.filter(pl.col("document").is_in(list(numbers)))
        for (part,), group in mine.group_by(PART):
            row_numbers.setdefault(int(str(part)), []).append(group[ROW])
    return {part: pl.concat(series).unique() for part, series in row_numbers.items()}
