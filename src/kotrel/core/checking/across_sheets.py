"""Rows of one record on several sheets of a load: what may stand only once stands on one of them only."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.checking.circles import circles_across
from kotrel.core.columns import ROW
from kotrel.core.phrases import listed
from kotrel.core.rows.duplicate_places import MOST
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState


def _joined_values(rows: Rows, names: Sequence[str]) -> pl.DataFrame:
    """``ROW`` and ``one value``: the values of several fields as one text, null where one of them is blank."""
    return rows.values.select(ROW, pl.concat_str(names, separator=" / ").alias("one value"))


def check_across(parts: Sequence[Rows], state: SystemState) -> list[list[FindingGroup]]:
    """For each part its findings: keys, and values that must be unique, that another part has too; both are named.

    Args:
        parts: rows of the same record, each from a sheet of its own.
    """
    findings: list[list[FindingGroup]] = [[] for _ in parts]
    record = parts[0].record
    if all(each.has_key for each in parts):
        keys = [_joined_values(each, record.key) for each in parts]
        _add(findings, parts, keys, record.key[0], "twice-in-load", "twice in this load")
    for fields in record.unique_groups().values():
        values = [_values(each, [name for name in fields if name in each.fields]) for each in parts]
        _add(findings, parts, values, fields[0], "shared-in-load", "on two rows of this load")
    for names in record.unique_together:
        joined = [
            _joined_values(each, names) if set(names) <= set(each.fields) else _values(each, []) for each in parts
        ]
        titles = " / ".join(record.fields[name].title.lower() for name in names)
        _add(findings, parts, joined, names[-1], "shared-in-load", f"the same {titles} on two rows of this load")
    if record.circles:
        for place, group in circles_across(parts, state):
            findings[place].append(group)
    return findings


def _values(rows: Rows, fields: Sequence[str]) -> pl.DataFrame:
    """Each single value of some fields, with its row; lists are split."""
    frames = [pl.DataFrame(schema={ROW: pl.UInt32, "one value": pl.String})]
    for name in fields:
        frame = rows.values.select(ROW, pl.col(name).alias("one value"))
        if rows.record.fields[name].kind == "list":
            frame = frame.with_columns(pl.col("one value").str.split("; ")).explode("one value")
        frames.append(frame)
    return pl.concat(frames)


def _add(
    findings: list[list[FindingGroup]],
    parts: Sequence[Rows],
    values: Sequence[pl.DataFrame],
    field: str,
    kind: str,
    title: str,
) -> None:
    """Adds to each part the values that stand on several of them."""
    every = pl.concat(
        [frame.drop_nulls().unique().with_columns(pl.lit(n).alias("part")) for n, frame in enumerate(values)]
    )
    if every["one value"].n_unique() == every.height:
        return
    shared = every.filter(pl.col("part").n_unique().over("one value") > 1).sort("part", ROW)
    for n, rows in enumerate(parts):
        mine = shared.filter(pl.col("part") == n)
        if not mine.height:
            continue
        others = shared.filter((pl.col("part") != n) & pl.col("one value").is_in(mine["one value"].implode()))
        said = {value: _elsewhere(parts, rows, field, part) for (value,), part in others.group_by("one value")}
        messages = [said[value] for value in mine["one value"]]
        findings[n].append(rows.group("error", kind, title, field, cells_of(mine[ROW], mine["one value"], messages)))


def _elsewhere(parts: Sequence[Rows], rows: Rows, field: str, others: pl.DataFrame) -> str:
    """What is said at each of the rows with a value of the rows of other sheets with the same one."""
    first = others.head(MOST).select("part", ROW).iter_rows()
    named = [parts[n].table.address(row, parts[n].letters.get(field)) for n, row in first]
    files = sorted({parts[n].table.file for n in others["part"].unique()})
    return f"also in {listed(named, MOST, others.height)}" + (
        "" if files == [rows.table.file] else f" of {listed(files, MOST)}"
    )
