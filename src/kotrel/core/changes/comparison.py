"""Compares two tables: rows added, rows gone, values changed from what to what."""

from __future__ import annotations

from collections.abc import Collection

import polars as pl
from msgspec import Struct

from kotrel.core.phrases import count
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
    """

    key: tuple[str, ...]
    added: pl.DataFrame
    gone: pl.DataFrame
    changed: pl.DataFrame
    same: int
    only_old: tuple[str, ...]
    only_new: tuple[str, ...]
    otherwise: pl.DataFrame

    @property
    def changed_rows(self) -> int:
        return self.changed["key"].n_unique()


def compare_tables(
    old: pl.DataFrame, new: pl.DataFrame, key: tuple[str, ...], barcodes: Collection[str] = ()
) -> TableDifference:
    """Compares two tables of String columns; columns that only one has are listed, not compared.

    Args:
        barcodes: columns whose values are one at every length: zeros in front make no difference.

    Raises:
        ValueError: a key is in one of them twice; the message names it.
    """
    for name, frame in (("old", old), ("new", new)):
        _require_once(frame, key, name)
    on = list(key)
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
    )


def _require_once(frame: pl.DataFrame, key: tuple[str, ...], name: str) -> None:
    filled = frame.select(pl.all_horizontal(pl.col(key).is_not_null())).to_series()
    twice = frame.filter(frame.select(key).is_duplicated() & filled)
    if twice.height:
        keys = twice.select(key).unique(maintain_order=True)
        first = " / ".join(str(part) for part in keys.row(0))
        more = f" and {count(keys.height - 1, 'more key')} are" if keys.height > 1 else " is"
        raise ValueError(f"{first}{more} in the {name} sheet twice")


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
