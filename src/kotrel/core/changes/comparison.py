"""Compares two tables: rows added, rows gone, values changed from what to what."""

from __future__ import annotations

import polars as pl
from msgspec import Struct

from kotrel.core.phrases import count


class TableDifference(Struct, frozen=True):
    """What differs between two tables.

    Attributes:
        key: names of the columns that identify a row.
        added, gone: the rows that only the new or only the old table has, with all its columns.
        changed: key (parts joined by `` / ``), column, before, after; one row for each changed cell.
        same: how many rows are the same in both.
        only_old, only_new: columns that only one of them has.
    """

    key: tuple[str, ...]
    added: pl.DataFrame
    gone: pl.DataFrame
    changed: pl.DataFrame
    same: int
    only_old: tuple[str, ...]
    only_new: tuple[str, ...]

    @property
    def changed_rows(self) -> int:
        return self.changed["key"].n_unique()


def compare_tables(old: pl.DataFrame, new: pl.DataFrame, key: tuple[str, ...]) -> TableDifference:
    """Compares two tables of String columns; columns that only one has are listed, not compared.

    Raises:
        ValueError: a key is in one of them twice; the message names it.
    """
    for name, frame in (("old", old), ("new", new)):
        twice = frame.filter(
            frame.select(key).is_duplicated() & frame.select(pl.all_horizontal(pl.col(key).is_not_null())).to_series()
        )
        if twice.height:
            keys = twice.select(key).unique(maintain_order=True)
            first = " / ".join(str(part) for part in keys.row(0))
            more = f" and {count(keys.height - 1, 'more key')} are" if keys.height > 1 else " is"
            raise ValueError(f"{first}{more} in the {name} sheet twice")
    on = list(key)
    shared = [name for name in old.columns if name in new.columns and name not in on]
    both = old.select(*on, *(pl.col(name).alias(f"old {name}") for name in shared)).join(
        new.select(*on, *shared), on=on, how="inner", maintain_order="right"
    )
    key_text = pl.concat_str([pl.col(name) for name in on], separator=" / ")
    cells = [
        both.with_row_index("new place")
        .filter(pl.col(f"old {name}").ne_missing(pl.col(name)))
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
    )
