"""Keys and other values that may stand only once."""

from __future__ import annotations

import polars as pl

from kotrel.core.description import Field
from kotrel.core.findings import FindingGroup, cells_of
from kotrel.core.held import Held
from kotrel.core.rows import Rows


def check_keys(rows: Rows, held: Held) -> list[FindingGroup]:
    """Rows without a key, and keys that stand twice in the sheet."""
    found: list[FindingGroup] = []
    key = list(rows.record.key)
    for name in key:
        field = rows.record.fields[name]
        if rows.values[name].null_count():
            found += rows.where(
                "error", "missing", "must be filled", field, rows.values[name].is_null(), "every row needs it"
            )
    keyed = rows.values.select(key).drop_nulls()
    if keyed.n_unique() == keyed.height if len(key) > 1 else keyed.to_series().n_unique() == keyed.height:
        return found
    keyed = rows.values.select(key)
    twice = keyed.is_duplicated() & keyed.select(pl.all_horizontal(pl.all().is_not_null())).to_series()
    if twice.any():
        found.append(_twice_in_sheet(rows, rows.values.filter(twice)))
    return found


def _twice_in_sheet(rows: Rows, doubled: pl.DataFrame) -> FindingGroup:
    key = list(rows.record.key)
    others = [name for name in rows.fields if name not in key]
    groups = doubled.group_by(key, maintain_order=True).agg(
        pl.col("row"),
        *((pl.col(name).n_unique() > 1).alias(name) for name in others),
    )
    cells: list[tuple[int, str, str]] = []
    letter = rows.letters.get(key[0])
    # Of a very large file only the keys are kept: then nothing is known of the other columns.
    whole = set(rows.letters) <= set(rows.fields)
    for group in groups.iter_rows(named=True):
        differing = [rows.record.fields[name].title.lower() for name in others if group[name]]
        how = f"; the rows differ in {_few(differing)}" if differing else "; the rows are the same"
        value = " / ".join(str(group[name]) for name in key)
        for row in group["row"]:
            rest = [rows.table.place(other, letter) for other in group["row"] if other != row]
            cells.append((row, value, f"also in {_few(rest)}{how if whole else ''}"))
    columns = list(zip(*cells, strict=True))
    table = cells_of(columns[0], columns[1], columns[2])
    return rows.group("error", "twice-in-sheet", "twice in the sheet", key[0], table)


def _few(words: list[str], most: int = 3) -> str:
    return ", ".join(words[:most]) + (f" and {len(words) - most} more" if len(words) > most else "")


def check_unique(rows: Rows, held: Held) -> list[FindingGroup]:
    """Values that no two rows of the record may share: twice in the sheet, or on another row in the system."""
    found: list[FindingGroup] = []
    for fields in rows.record.unique_groups().values():
        carried = [name for name in fields if name in rows.fields]
        if not carried:
            continue
        parts = pl.concat([_parts(rows, rows.record.fields[name]) for name in carried])
        if parts.height:
            found += _unique_in_sheet(rows, parts)
            found += _unique_in_system(rows, parts, fields, held)
    return found


def _parts(rows: Rows, field: Field) -> pl.DataFrame:
    """Each single value of a field: row, value, the row's key, the field's name; lists are taken apart."""
    key = [pl.col(name).alias(f"own {name}") for name in rows.record.key]
    frame = rows.values.select("row", pl.col(field.name).alias("value"), *key).filter(pl.col("value").is_not_null())
    if field.kind == "list":
        frame = frame.with_columns(pl.col("value").str.split("; ")).explode("value")
    return frame.with_columns(pl.lit(field.name).alias("field"))


def _unique_in_sheet(rows: Rows, parts: pl.DataFrame) -> list[FindingGroup]:
    if parts["value"].n_unique() == parts.height:
        return []
    twice = parts.filter(parts["value"].is_duplicated())
    where = twice.group_by("value", maintain_order=True).agg(
        pl.col("row").alias("all"), pl.col("row").n_unique().alias("rows")
    )
    shared = twice.join(where.filter(pl.col("rows") > 1), on="value", maintain_order="left")
    found: list[FindingGroup] = []
    for (name,), part in shared.group_by("field", maintain_order=True):
        letter = rows.letters.get(str(name))
        messages = [
            "also in " + _few([rows.table.place(other, letter) for other in everyone if other != row])
            for row, everyone in zip(part["row"], part["all"].to_list(), strict=True)
        ]
        cells = cells_of(part["row"], part["value"], messages)
        found.append(rows.group("error", "shared-in-sheet", "on two rows of the sheet", str(name), cells))
    return found


def _unique_in_system(rows: Rows, parts: pl.DataFrame, fields: tuple[str, ...], held: Held) -> list[FindingGroup]:
    key = list(rows.record.key)
    holders: list[pl.DataFrame] = []
    for name in fields:
        if rows.record.fields[name].kind == "list":
            # A list is not searched by one value: all of them are read, and taken apart here.
            there = held.having_any(rows.record, name).with_columns(pl.col(name).str.split("; ")).explode(name)
        else:
            there = held.having(rows.record, (), name, parts["value"])
        holders.append(there.select(*(pl.col(k).alias(f"held {k}") for k in key), pl.col(name).alias("value")))
    taken = pl.concat(holders).lazy()
    clash = (
        parts.lazy()
        .join(taken, on="value")
        .filter(pl.any_horizontal(pl.col(f"own {k}").ne_missing(pl.col(f"held {k}")) for k in key))
        .collect()
    )
    if not clash.height:
        return []
    # Where the same sheet gives the holder another value, the two rows only change places.
    given = parts.select(pl.col(f"own {k}").alias(f"held {k}") for k in key).unique()
    clash = clash.join(given, on=[f"held {k}" for k in key], how="anti").sort("row")
    found: list[FindingGroup] = []
    for (name,), part in clash.group_by("field", maintain_order=True):
        holder = part.select(pl.concat_str([pl.col(f"held {k}") for k in key], separator=" / ")).to_series()
        cells = cells_of(
            part["row"], part["value"], [f"{rows.record.title} {code} has it in the system" for code in holder]
        )
        found.append(rows.group("error", "taken", "already on another row in the system", str(name), cells))
    return found
