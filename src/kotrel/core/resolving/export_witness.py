"""What an export proves of the sheet that came from it:
keys that were changed, and rows that have the values of other rows.
"""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.columns import ROW, worded
from kotrel.core.resolving.moved_columns import moved_cells, moved_column
from kotrel.core.rows.beside import Beside, beside
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, is_new
from kotrel.core.values.near_codes import near_form

_SEPARATOR = "\x1f"
ENOUGH = 2
"""Fields that must differ from a row's own exported values before it counts as having another's."""
SHIFTED = 3
"""Keys that must be out of place before a column of keys counts as sorted alone."""


def find_changed_keys(rows: Rows, base: pl.DataFrame, state: SystemState) -> list[FindingGroup]:
    """Errors where the export proves that a key is not the one of its row.

    New rows that were added to the sheet stay new, also where they were copied from another row.

    Args:
        base: what was exported, or loaded from the sheet since: the key and the fields the sheet carries.
    """
    record = rows.record
    key = list(record.key)
    if any(name not in rows.fields or name not in base.columns for name in key):
        return []
    keyed = rows.values.select(ROW, *key)
    own = beside(rows.values, base.drop_nulls(key), key)
    known = own.is_there
    filled = keyed.select(pl.all_horizontal(pl.col(key).is_not_null())).to_series()
    others = _values_of_others(rows, own)
    findings: list[FindingGroup] = []
    if len(others):
        code = record.code
        cells = others.select(
            ROW,
            pl.col(code).alias("value"),
            worded(
                "these were the values of {} in the export: was the column of keys sorted alone, or this key typed over? "
                "Restore it, or compare with the system alone: --since none",
                pl.col("was of"),
            ).alias("message"),
            pl.col("was of").alias("suggestion"),
        )
        findings.append(rows.group("error", "values-of-another", "the values of another exported row", code, cells))
    strange = filled & ~known & ~is_new(rows, state)
    strange = strange & ~rows.values[ROW].is_in(others[ROW].implode() if len(others) else [])
    if strange.any():
        findings.append(_not_exported(rows, base, keyed.filter(strange)))
    return findings


def find_moved_columns(rows: Rows, base: pl.DataFrame) -> list[FindingGroup]:
    """Errors where the export proves that a column was sorted alone, or has slipped up or down.

    Args:
        base: as of :func:`find_changed_keys`.
    """
    own = beside(rows.values, base, rows.record.key)
    findings: list[FindingGroup] = []
    for name in _compared_fields(rows, base):
        before, after = own.column(name), rows.values[name]
        if name not in rows.letters or after.equals(before):
            continue
        moved = moved_cells(before.filter(own.is_there), after.filter(own.is_there))
        if moved is not None:
            findings += moved_column(rows, name, rows.values[ROW].filter(own.is_there).filter(moved), is_proved=True)
    return findings


def _not_exported(rows: Rows, base: pl.DataFrame, strange: pl.DataFrame) -> FindingGroup:
    """Keys that the export lacked though the system has them;
    the exported key that is missing and looks like one is suggested.
    """
    key, code = list(rows.record.key), rows.record.code
    missing = base.select(key).drop_nulls().unique().join(rows.values.select(key), on=key, how="anti")
    meant: dict[str, list[str]] = {}
    for form, value in zip(near_form(missing[code]), missing[code], strict=True):
        meant.setdefault(form, []).append(value)
    suggestions = [near[0] if len(near := meant.get(form, [])) == 1 else None for form in near_form(strange[code])]
    message = (
        "it was not in the export that this sheet came from, but the system has it: restore the key, or compare with "
        "the system alone: --since none"
    )
    cells = cells_of(strange[ROW], strange[code], message, suggestions)
    return rows.group("error", "not-in-export", "a key that was not exported", code, cells)


def _compared_fields(rows: Rows, base: pl.DataFrame) -> list[str]:
    """The fields that the sheet has in columns, and the export had; without the key and what the system keeps."""
    about = rows.record.fields
    there = [name for name in rows.fields if name in rows.letters and name in base.columns]
    return [name for name in there if name not in rows.record.key and not about[name].is_kept]


def _values_of_others(rows: Rows, export_rows: Beside) -> pl.DataFrame:
    """Rows that have all the values of another exported row, which is not in the sheet with them:
    ``ROW``, the code, ``was of``.
    """
    record = rows.record
    key, code = list(record.key), record.code
    fields = _compared_fields(rows, export_rows.others)
    nothing = pl.DataFrame(schema={ROW: pl.UInt32, code: pl.String, "was of": pl.String})
    if not fields or not export_rows.others.height:
        return nothing
    values, known = rows.values, export_rows.is_there
    is_changed = ~known
    for name in fields:
        is_changed = is_changed | values[name].ne_missing(export_rows.column(name))
    if not is_changed.any():
        return nothing
    name_of = pl.concat_str(key, separator=" / ").alias("key name")
    every = pl.concat_str([pl.col(name).fill_null("") for name in fields], separator=_SEPARATOR).alias("whole row")
    changed = (
        values.select(ROW, *key, *fields)
        .filter(is_changed)
        .with_columns(known.filter(is_changed).alias("is known"))
        .with_columns(export_rows.column(name).filter(is_changed).alias(f"own {name}") for name in fields)
        .with_columns(name_of, every)
    )
    # Few rows of the export have such values, field by field; only those are put together and compared as a whole.
    alike = export_rows.others.filter(
        pl.all_horizontal(pl.col(name).is_in(changed[name].unique().implode(), nulls_equal=True) for name in fields)
    )
    was = alike.unique(key, keep="any", maintain_order=True).select(name_of, every)
    once = was.filter(~pl.col("whole row").is_duplicated()).select("whole row", pl.col("key name").alias("was of"))
    pairs = changed.join(once, on="whole row", how="inner", maintain_order="left")
    differs = pl.sum_horizontal(pl.col(name).ne_missing(pl.col(f"own {name}")).cast(pl.Int32) for name in fields)
    filled = pl.sum_horizontal(pl.col(name).is_not_null().cast(pl.Int32) for name in fields)
    enough = pl.when(pl.col("is known")).then(differs).otherwise(filled) >= ENOUGH
    pairs = pairs.filter(pl.col("was of") != pl.col("key name")).filter(enough)
    # Where the other row is here with its own values, this one is a copy.
    there = values.select(key).filter(~is_changed).select(name_of.alias("was of"))
    pairs = pairs.join(there, on="was of", how="anti", maintain_order="left")
    if pairs.height:
        return pairs.select(ROW, code, "was of")
    return _sorted_alone(rows, export_rows.others, known, fields)


def _sorted_alone(rows: Rows, base: pl.DataFrame, known: pl.Series, fields: Sequence[str]) -> pl.DataFrame:
    """Rows whose key alone has moved: all values stand in their exported order, and the keys do not.

    Args:
        base: the exported rows whose keys have no blank.
    """
    key, code = list(rows.record.key), rows.record.code
    nothing = pl.DataFrame(schema={ROW: pl.UInt32, code: pl.String, "was of": pl.String})
    if base.select(key).is_duplicated().any():
        base = base.unique(key, keep="any", maintain_order=True)
    if base.height != rows.values.height or not bool(known.all()):
        return nothing
    if not all(base[name].fill_null("").equals(rows.values[name].fill_null("")) for name in fields):
        return nothing
    name_of = pl.concat_str(key, separator=" / ").alias("key name")
    was = base.select(name_of).to_series()
    moved = was != rows.values.select(name_of).to_series()
    if int(moved.sum()) < SHIFTED:
        return nothing
    return rows.values.select(ROW, code).with_columns(was.alias("was of")).filter(moved)
