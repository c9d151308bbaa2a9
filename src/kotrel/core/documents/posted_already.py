"""Documents that are posted already: they never change, and are never posted twice."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

import polars as pl

from kotrel.core.changes.journal import load_name
from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.documents.document_checks import Found
from kotrel.core.documents.document_tables import PART, Together
from kotrel.core.rows.system_state import Reader

LoadsOf = Callable[[str, Sequence[str]], dict[str, int]]
"""Record and keys → key → the load that wrote that row."""


def standing_numbers(whole: Together, read: Reader) -> dict[str, Literal["same", "other"]]:
    """The numbers of this load that the system holds: with the same content, or with other content."""
    family = whole.family
    numbers = whole.headers["document"].unique().drop_nulls()
    held = read(family.header.name, [family.number], (family.number, numbers))[family.number]
    there = numbers.filter(numbers.is_in(held.implode()))
    if not len(there):
        return {}
    found: dict[str, Literal["same", "other"]] = dict.fromkeys(there.to_list(), "same")
    tables = [(family.header, whole.headers), (family.lines, whole.lines)]
    if family.lots is not None:
        tables.append((family.lots, whole.lots))
    for record, table in tables:
        for number in _differing(record, family.document_of(record), table, whole, there, read):
            found[number] = "other"
    return found


def _differing(
    record: Record, document: str, table: pl.DataFrame, whole: Together, numbers: pl.Series, read: Reader
) -> list[str]:
    """The numbers whose rows of a record differ from the system's: other values, or rows on one side only."""
    del table
    key = list(record.key)
    frames = [rows.values for rows in whole.parts if rows.record.name == record.name and rows.has_key]
    carried = [name for name in record.loadable if any(name in frame.columns for frame in frames)]
    held = read(record.name, list(dict.fromkeys((*key, *carried))), (document, numbers))
    held = held.filter(pl.col(document).is_in(numbers.implode()))
    if not frames:
        return held[document].unique().to_list()
    own = pl.concat(
        [frame.select(pl.col(name) if name in frame.columns else pl.lit(None, pl.String).alias(name) for name in carried)
         for frame in frames]
    ).filter(pl.col(document).is_in(numbers.implode()))  # fmt: skip
    names = [name for name in carried if name in held.columns]
    only_here = own.join(held, on=names, how="anti", nulls_equal=True)
    only_there = held.join(own, on=names, how="anti", nulls_equal=True)
    return list({*only_here[document].drop_nulls(), *only_there[document].drop_nulls()})


def check_standing(
    whole: Together, known: dict[str, Literal["same", "other"]], loads_of: LoadsOf, read: Reader
) -> Found:
    """Errors on documents that are posted already, and on lines for one that this load does not have."""
    family = whole.family
    if known:
        loads = loads_of(family.header.name, list(known))
        for how, kind, title in (("same", "already-posted", "posted already, with the same content"),
                                 ("other", "posted-otherwise", "posted already, with other content")):  # fmt: skip
            bad = whole.headers.filter(
                pl.col("document").is_in([number for number, one in known.items() if one == how])
            )
            if not bad.height:
                continue
            messages = []
            for number in bad["document"]:
                by = f" by {load_name(loads[number])}" if number in loads else ""
                if how == "same":
                    messages.append(f"{number} is posted{by}: it would count twice (--only new leaves it out)")
                else:
                    undo = f", or undo {load_name(loads[number])} first" if number in loads else ""
                    messages.append(f"{number} is posted{by} with other content, and a posted document never changes: "
                                    f"give this one a new number{undo}")  # fmt: skip
            yield from whole.findings("error", kind, title, family.number, bad, messages)
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


def rows_of(whole: Together, numbers: Sequence[str]) -> dict[int, pl.Series]:
    """Part of the load → its rows that belong to documents with these numbers."""
    found: dict[int, list[pl.Series]] = {}
    for table in (whole.headers, whole.lines, whole.lots):
        if not table.height:
            continue
        mine = table.filter(pl.col("document").is_in(list(numbers)))
        for (part,), group in mine.group_by(PART):
            found.setdefault(int(str(part)), []).append(group[ROW])
    return {part: pl.concat(series).unique() for part, series in found.items()}
