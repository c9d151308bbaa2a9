"""Compares two tables: rows added, rows gone, values changed from what to what."""

from __future__ import annotations

from collections.abc import Collection

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type
from kotrel.core.values.same_writing import same_form


class TableDifference(Struct, frozen=True):
    """What differs between two tables.

    Attributes:
        key: names of the columns that identify a row.
        added, gone: the rows that only the new or only the old table has, with all its columns.
        changed: key (parts joined by `` / ``), column, before, after; one row for each changed cell.
        same: how many rows are the same in both.
        only_old, only_new: columns that only one of them has.
        otherwise: keys that the new table writes in another way than the old one, each as ``old`` and ``new``.
        repeated: keys that one of them has more than once, so that their rows are not compared: ``where`` (old, new),
            ``key``, and ``places``, a list of the rows' places in that table, counted from 0.
    """

    key: tuple[str, ...]
    added: pl.DataFrame
    gone: pl.DataFrame
    changed: pl.DataFrame
    same: int
    only_old: tuple[str, ...]
    only_new: tuple[str, ...]
    otherwise: pl.DataFrame
    repeated: pl.DataFrame

    @property
    def changed_rows(self) -> int:
        return self.changed["key"].n_unique()


def in_percent(changed: pl.DataFrame, numbers: Collection[str] | None) -> pl.Series:
    """By how many per cent each changed value is another number: Decimal with one place, blank where that says nothing.

    Args:
        changed: as of :class:`TableDifference`.
        numbers: the columns with numbers; None where nobody knows: then those of which all values are numbers, some
            with decimals, as no codes have them.
    """
    before, after = (pl.col(name).cast(decimal_type(), strict=False) for name in ("before", "after"))
    plain = r"^-?[0-9]+(\.[0-9]+)?$"
    if numbers is None:
        written = (pl.col("before").is_null() | pl.col("before").str.contains(plain)) & (
            pl.col("after").is_null() | pl.col("after").str.contains(plain)
        )
        some = (
            pl.col("before").str.contains(".", literal=True) | pl.col("after").str.contains(".", literal=True)
        ).any()
        counts = (written.all() & some.fill_null(False)).over("column")
    else:
        counts = pl.col("column").is_in(list(numbers))
    zero, hundred = (pl.lit(text).cast(decimal_type()) for text in ("0", "100"))
    change = (after - before) * hundred / pl.when(counts & (before != zero)).then(before)
    return changed.select(
        change.round(1, mode="half_away_from_zero").cast(decimal_type(1)).alias("percent")
    ).to_series()


def compare_tables(
    old: pl.DataFrame, new: pl.DataFrame, key: tuple[str, ...], barcodes: Collection[str] = ()
) -> TableDifference:
    """Compares two tables of String columns; columns that only one has are listed, not compared.

    Args:
        barcodes: columns whose values are one at every length: zeros in front make no difference.
    """
    on = list(key)
    old, new, repeated = _without_repeated(old, new, on)
    new, otherwise = _with_keys_of(old, new, on)
    shared = [name for name in old.columns if name in new.columns and name not in on]
    both = old.select(*on, *(pl.col(name).alias(f"old {name}") for name in shared)).join(
        new.select(*on, *shared), on=on, how="inner", maintain_order="right"
    )

    def comparable(column: str, name: str) -> pl.Expr:
        return pl.col(column).str.zfill(14) if name in barcodes else pl.col(column)

    key_text = pl.concat_str([pl.col(name) for name in on], separator=" / ")
    cells = [
        both.with_row_index("new place")
        .filter(comparable(f"old {name}", name).ne_missing(comparable(name, name)))
        .select(
            "new place",
            key_text.alias("key"),
            pl.lit(name).alias("column"),
            pl.col(f"old {name}").alias("before"),
            pl.col(name).alias("after"),
        )
        for name in shared
    ]
    schema = {"new place": pl.UInt32, **dict.fromkeys(("key", "column", "before", "after"), pl.String)}
    changed = pl.concat([pl.DataFrame(schema=schema), *cells]).sort("new place", maintain_order=True)
    return TableDifference(
        key=key,
        added=new.join(old.select(on), on=on, how="anti", maintain_order="left"),
        gone=old.join(new.select(on), on=on, how="anti", maintain_order="left"),
        changed=changed.drop("new place"),
        same=both.height - changed["new place"].n_unique(),
        only_old=tuple(name for name in old.columns if name not in new.columns),
        only_new=tuple(name for name in new.columns if name not in old.columns),
        otherwise=otherwise,
        repeated=repeated.select("where", key_text.alias("key"), "places"),
    )


def _without_repeated(
    old: pl.DataFrame, new: pl.DataFrame, on: list[str]
) -> tuple[pl.DataFrame, pl.DataFrame, pl.DataFrame]:
    """Both tables without the keys that one of them has more than once, and those keys."""
    repeated = pl.concat([_repeated(old, on, "old"), _repeated(new, on, "new")])
    if not repeated.height:
        return old, new, repeated
    left = [frame.join(repeated, on=on, how="anti", maintain_order="left") for frame in (old, new)]
    return left[0], left[1], repeated


def _repeated(frame: pl.DataFrame, on: list[str], name: str) -> pl.DataFrame:
    """The keys that a table has more than once: ``where``, the parts of the key, and ``places``."""
    filled = frame.select(pl.all_horizontal(pl.col(on).is_not_null())).to_series()
    keys = frame.select(on).with_row_index("place")
    twice = keys.filter(keys.select(on).is_duplicated() & filled)
    grouped = twice.group_by(on, maintain_order=True).agg(pl.col("place").alias("places"))
    return grouped.select(pl.lit(name).alias("where"), *on, "places")


def _with_keys_of(old: pl.DataFrame, new: pl.DataFrame, on: list[str]) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The new table with the old one's keys where it only writes them in another way, and those keys.

    Where several keys of a table are the same but for that, all of them stay as they are.
    """
    gone, added = (
        mine.join(other.select(on), on=on, how="anti").select(on).drop_nulls()
        for mine, other in ((old, new), (new, old))
    )
    forms = [f"{name} in one form" for name in on]

    def formed(keys: pl.DataFrame, whose: str) -> pl.DataFrame:
        columns = [same_form(keys[name]).alias(form) for name, form in zip(on, forms, strict=True)]
        named = keys.select(pl.col(name).alias(f"{whose} {name}") for name in on).with_columns(columns)
        return named.filter(named.select(forms).is_duplicated().not_())

    pairs = formed(gone, "old").join(formed(added, "new"), on=forms, how="inner").drop(forms)
    texts = [
        pl.concat_str([f"{whose} {name}" for name in on], separator=" / ").alias(whose) for whose in ("old", "new")
    ]
    if not pairs.height:
        return new, pairs.select(texts)
    both = new.join(pairs, left_on=on, right_on=[f"new {name}" for name in on], how="left", maintain_order="left")
    keys = [pl.coalesce(f"old {name}", name).alias(name) for name in on]
    return both.with_columns(keys).select(new.columns), pairs.select(texts)
