"""The cell that a value came from, where a field has several columns."""

from __future__ import annotations

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup, RepairGroup
from kotrel.core.rows.rows import Rows


def at_their_cells(rows: Rows) -> Rows:
    """The rows with every finding and repair at the column that its value came from.

    Of joined columns that is the first filled one; of levels, the last.
    """
    several = {name: source for name, source in rows.sources.items() if len(source.columns) > 1}
    if not several:
        return rows
    letters: dict[str, pl.DataFrame] = {}
    headings = {column.letter: column.heading for column in rows.table.columns}
    for name, source in several.items():
        order = reversed(source.columns) if source.last else source.columns
        filled = [pl.when(pl.col(letter).str.strip_chars() != "").then(pl.lit(letter)) for letter in order]
        letters[name] = rows.table.cells.select(
            ROW, pl.coalesce(*filled, pl.lit(source.columns[0])).alias("own letter")
        )
    findings: list[FindingGroup] = []
    for group in rows.findings:
        findings += _split(group, letters.get(group.field or ""), headings)
    repairs: list[RepairGroup] = []
    for repair in rows.repairs:
        if repair.field not in letters:
            repairs.append(repair)
            continue
        placed = repair.cells.join(letters[repair.field], on=ROW, how="left", maintain_order="left")
        for letter in placed["own letter"].unique(maintain_order=True).drop_nulls():
            repairs.append(
                replace(repair, letter=letter, cells=placed.filter(pl.col("own letter") == letter).drop("own letter"))
            )
    return replace(rows, findings=tuple(findings), repairs=tuple(repairs))


def _split(group: FindingGroup, letters: pl.DataFrame | None, headings: dict[str, str]) -> list[FindingGroup]:
    if letters is None:
        return [group]
    placed = group.cells.join(letters, on=ROW, how="left", maintain_order="left")
    findings = []
    for letter in placed["own letter"].unique(maintain_order=True):
        mine = placed.filter(pl.col("own letter").eq_missing(letter)).drop("own letter")
        where = letter or group.letter
        findings.append(replace(group, letter=where, heading=headings.get(where or "", ""), cells=mine))
    return findings
