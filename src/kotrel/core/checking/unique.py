"""Values other than the key that no two rows may share: barcodes, a variant's size and colour."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import polars as pl

from kotrel.core.columns import ROW, clearing
from kotrel.core.description.model import Field, Record
from kotrel.core.rows.duplicate_places import also_in
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.searching import all_different, run_position
from kotrel.core.rows.system_state import WHOLE, SystemState, after_load
from kotrel.core.values.code_formats import GTIN_LENGTHS, gtins_as_written


def check_unique(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Values that no two rows may share: twice in the sheet, or on another row in the system."""
    findings: list[FindingGroup] = []
    for group, fields in rows.record.unique_groups().items():
        carried = [name for name in fields if name in rows.fields]
        if not carried:
            continue
        parts = pl.concat([_parts(rows, rows.record.fields[name]) for name in carried])
        if parts.height:
            findings += _in_sheet(rows, parts)
            findings += _in_system(rows, parts, fields, state)
            findings += _in_other_records(rows, parts, group, state)
    for names in rows.record.unique_together:
        if any(name in rows.fields for name in names):
            findings += _check_together(rows, names, state)
    return findings


def _parts(rows: Rows, field: Field) -> pl.DataFrame:
    """Each single value of a field, with what is compared of it, its row, the row's key and the field's name;
    lists are split.
    """
    key = [pl.col(name).alias(f"own {name}") for name in rows.record.key]
    frame = rows.values.select(ROW, pl.col(field.name).alias("one value"), *key).filter(
        pl.col("one value").is_not_null()
    )
    if field.kind == "list":
        frame = frame.with_columns(pl.col("one value").str.split("; ")).explode("one value")
    return frame.with_columns(_compared(field), pl.lit(field.name).alias("of field"))


def _compared(field: Field) -> pl.Expr:
    """What is compared of a single value: a barcode is one thing at every length in which it can be written."""
    value = pl.col("one value")
    return (value.str.zfill(GTIN_LENGTHS[-1]) if field.check == "gtin" else value).alias("compared value")


def _in_sheet(rows: Rows, parts: pl.DataFrame) -> list[FindingGroup]:
    if all_different(parts["compared value"]):
        return []
    twice = parts.filter(parts["compared value"].is_duplicated())
    where = twice.group_by("compared value", maintain_order=True).agg(
        pl.col(ROW).unique().sort().alias("all rows"), pl.col(ROW).n_unique().alias("row count")
    )
    where = where.filter(pl.col("row count") > 1)
    places = dict(where.select("compared value", "all rows").iter_rows())
    shared = twice.join(where.select("compared value"), on="compared value", maintain_order="left")
    findings: list[FindingGroup] = []
    for (name,), part in shared.group_by("of field", maintain_order=True):
        messages = _also_in(rows, str(name), part[ROW], (places[value] for value in part["compared value"]))
        cells = cells_of(part[ROW], part["one value"], messages)
        findings.append(rows.group("error", "shared-in-sheet", "on two rows of the sheet", str(name), cells))
    return findings


def _also_in(rows: Rows, field: str, own_rows: Iterable[int], places: Iterable[Sequence[int]]) -> list[str]:
    """For each row what is said of the other rows with its value."""
    letter = rows.letters.get(field)
    return [
        also_in(everyone, row, lambda other: rows.table.place(other, letter))
        for row, everyone in zip(own_rows, places, strict=True)
    ]


def _holders(record: Record, name: str, values: pl.Series, owner: str | None, state: SystemState) -> pl.DataFrame:
    """Which rows have one of the values in a field, with their owner,
    or with their key as ``held NAME`` where no owner is asked for.
    """
    owners = [pl.col(owner).alias("owned by")] if owner else [pl.col(key).alias(f"held {key}") for key in record.key]
    if record.fields[name].kind == "list":
        # A list cannot be searched for one value: all lists are read, and split here.
        there = state.having_any(record, name).with_columns(pl.col(name).str.split("; ")).explode(name)
    else:
        wanted = gtins_as_written(values) if record.fields[name].check == "gtin" and len(values) <= WHOLE else values
        there = state.having(record, (owner,) if owner else (), name, wanted)
    return there.select(*owners, pl.col(name).alias("one value")).with_columns(_compared(record.fields[name]))


def _in_system(rows: Rows, parts: pl.DataFrame, fields: tuple[str, ...], state: SystemState) -> list[FindingGroup]:
    key = list(rows.record.key)
    taken = pl.concat(
        [
            _without_given(rows, name, _holders(rows.record, name, parts["one value"], None, state)).with_columns(
                pl.lit(name).alias("held in")
            )
            for name in fields
        ]
    )
    clash = (
        parts.lazy()
        .join(taken.drop("one value").lazy(), on="compared value")
        .filter(pl.any_horizontal(pl.col(f"own {k}").ne_missing(pl.col(f"held {k}")) for k in key))
        .collect()
    )
    if not clash.height:
        return []
    # Where the same sheet gives the holder another value in that field, or clears it, the value is free.
    freed = pl.concat([_keys_given_anew(rows, name) for name in fields if name in rows.fields])
    clash = clash.join(freed, on=[*(f"held {k}" for k in key), "held in"], how="anti").unique().sort(ROW)
    holder = pl.concat_str([pl.col(f"held {k}") for k in key], separator=" / ")
    clash = clash.with_columns(holder.alias("held by"))
    untouched = _untouched(rows, clash, fields, state)
    return [
        *_taken_findings(rows, clash.filter(~untouched), rows.record.title),
        *_taken_findings(rows, clash.filter(untouched), rows.record.title, "warning"),
    ]


def _untouched(rows: Rows, clash: pl.DataFrame, fields: Sequence[str], state: SystemState) -> pl.Series:
    """Boolean for each row of a clash: the system's own row has the value already,
    so that the sheet changes nothing.
    """
    key = list(rows.record.key)
    if not clash.height:
        return pl.Series([], dtype=pl.Boolean)
    sheet_keys = pl.concat(
        _holders(rows.record, name, clash["one value"], None, state).select(
            "compared value", *(pl.col(f"held {k}").alias(f"own {k}") for k in key)
        )
        for name in fields
    ).unique()
    there = sheet_keys.with_columns(pl.lit(True).alias("is held"))
    joined = clash.join(there, on=["compared value", *(f"own {k}" for k in key)], how="left", maintain_order="left")
    return joined["is held"].fill_null(False)


def _without_given(rows: Rows, name: str, taken: pl.DataFrame) -> pl.DataFrame:
    """What is taken, without what a row has and is given again, where the sheet is in the system's own order.

    It can clash with no other row: two rows of a sheet with one value are told as such.
    """
    key = rows.record.key
    if len(key) > 1 or name not in rows.fields or rows.record.fields[name].kind == "list":
        return taken
    sheet_keys = rows.values[key[0]]
    if (start := run_position(sheet_keys, taken[f"held {key[0]}"])) is None:
        return taken
    mine = taken.slice(start, len(sheet_keys))
    mine = mine.filter(mine["one value"].ne_missing(rows.values[name]))
    return pl.concat([taken.head(start), mine, taken.slice(start + len(sheet_keys))])


def _keys_given_anew(rows: Rows, name: str) -> pl.DataFrame:
    """The keys of the rows that give a field another value, or clear it: ``held NAME`` and ``held in``."""
    given = pl.col(name).is_not_null()
    if name in rows.cleared:
        given = given | pl.col(clearing(name))
    keys = [pl.col(key).alias(f"held {key}") for key in rows.record.key]
    return rows.values.filter(given).select(*keys, pl.lit(name).alias("held in"))


def _in_other_records(rows: Rows, parts: pl.DataFrame, group: str, state: SystemState) -> list[FindingGroup]:
    """The same group in another record: a barcode may be in both, but only for one item.

    The owner of a value is what both records are about: the row itself, or the row it refers to.
    """
    findings: list[FindingGroup] = []
    for other in state.description.records.values():
        fields = other.unique_groups().get(group, ())
        if other.name == rows.record.name or not fields:
            continue
        if (owners := _owners(rows.record, other)) is None:
            continue
        sheet_owners, theirs = owners
        holders = pl.concat([_holders(other, name, parts["one value"], theirs, state) for name in fields])
        coming = state.coming(other, [*fields, theirs])
        holders = pl.concat(
            [
                holders,
                *(
                    coming.select(pl.col(theirs).alias("owned by"), pl.col(name).alias("one value")).with_columns(
                        _compared(other.fields[name])
                    )
                    for name in fields
                ),
            ]
        ).drop_nulls()
        mine = (
            parts.filter(parts["compared value"].is_in(holders["compared value"].implode()))
            if holders.height
            else parts.clear()
        )
        if not mine.height:
            continue
        if sheet_owners not in rows.record.key:
            mine = mine.join(after_load(rows, state, (sheet_owners,)), on=ROW)
        mine = mine.with_columns(
            pl.col(f"own {sheet_owners}" if sheet_owners in rows.record.key else sheet_owners).alias("own owner")
        )
        clash = (
            mine.join(holders.drop("one value"), on="compared value")
            .filter(pl.col("own owner").ne_missing(pl.col("owned by")))
            .sort(ROW)
        )
        if clash.height:
            about = state.description.records[str(other.fields[theirs].to)] if theirs not in other.key else other
            findings += _taken_findings(rows, clash.with_columns(pl.col("owned by").alias("held by")), about.title)
    return findings


def _owners(record: Record, other: Record) -> tuple[str, str] | None:
    """The fields of two records that name their common owner, or None."""
    for field in record.references:
        if field.to == other.name:
            return field.name, other.code
    for field in other.references:
        if field.to == record.name:
            return record.code, field.name
    return None


def _taken_findings(rows: Rows, clash: pl.DataFrame, title: str, severity: Severity = "error") -> list[FindingGroup]:
    findings: list[FindingGroup] = []
    for (name,), part in clash.group_by("of field", maintain_order=True):
        cells = cells_of(
            part[ROW], part["one value"], [f"{title} {code} already has it in the system" for code in part["held by"]]
        )
        findings.append(rows.group(severity, "taken", "already on another row in the system", str(name), cells))
    return findings


def _check_together(rows: Rows, names: tuple[str, ...], state: SystemState) -> list[FindingGroup]:
    """Fields whose values together may be on one row only, where all of them are filled."""
    key = list(rows.record.key)
    after = after_load(rows, state, names).hstack(rows.values.select(pl.col(name).alias(f"own {name}") for name in key))
    # S / White and s / white are one variant.
    alike = [f"alike {name}" for name in names]
    after = after.drop_nulls(names).with_columns(map(_alike, names))
    if not after.height:
        return []
    titles = " / ".join(rows.record.fields[name].title.lower() for name in names)
    shown = next(name for name in reversed(names) if name in rows.fields)
    value = pl.concat_str(names, separator=" / ").alias("one value")
    findings: list[FindingGroup] = []
    twice = after.filter(after.select(alike).is_duplicated())
    if twice.height:
        same = {group: part[ROW].to_list() for group, part in twice.group_by(alike)}
        messages = _also_in(rows, shown, twice[ROW], (same[each] for each in twice.select(alike).iter_rows()))
        twice = twice.with_columns(value)
        title = f"the same {titles} on two rows of the sheet"
        findings.append(
            rows.group("error", "shared-in-sheet", title, shown, cells_of(twice[ROW], twice["one value"], messages))
        )
    there = state.having(rows.record, names, names[0], after[names[0]]).drop_nulls(names)
    there = there.join(rows.values.select(key), on=key, how="anti")
    holder = pl.concat_str(key, separator=" / ").alias("held by")
    there = there.with_columns(map(_alike, names)).select(*alike, holder)
    clash = after.join(there, on=alike).sort(ROW).with_columns(value)
    if clash.height:
        messages = [f"{rows.record.title} {code} already has it in the system" for code in clash["held by"]]
        title = f"the same {titles} as another row in the system"
        findings.append(rows.group("error", "taken", title, shown, cells_of(clash[ROW], clash["one value"], messages)))
    return findings


def _alike(name: str) -> pl.Expr:
    return pl.col(name).str.to_lowercase().str.strip_chars().alias(f"alike {name}")
