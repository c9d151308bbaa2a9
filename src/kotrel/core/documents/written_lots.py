"""Lots and serial numbers that are an existing one of the item, or another one of the load, written in another way."""

from __future__ import annotations

from collections.abc import Collection

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.documents.document_checks import Found
from kotrel.core.documents.document_tables import PART, DocumentTables
from kotrel.core.rows.load_options import ALL
from kotrel.core.stock.sums import LedgerQuery, Sums
from kotrel.core.values.near_codes import same_places
from kotrel.core.values.same_writing import placed_form

_TITLES = {"lot": "lot", "serial": "serial number"}


def check_written_lots(whole: DocumentTables, sums: Sums, really_new: Collection[str]) -> Found:
    """An error at each lot or serial number that the item has in other capitals or with other separators, and at those
    of the load that differ from each other only so: as another one it would never be found again.

    Args:
        really_new: codes that the user says are new, or :data:`~kotrel.core.rows.load_options.ALL`.
    """
    if not whole.lots.height or ALL in really_new:
        return
    for name in _TITLES:
        lots = whole.lots.filter(pl.col("item").is_not_null() & ~pl.col(name).is_in(list(really_new)))
        if lots.drop_nulls(name).height:
            yield from _written_otherwise(whole, lots.drop_nulls(name), name, sums)


def _written_otherwise(whole: DocumentTables, lots: pl.DataFrame, name: str, sums: Sums) -> Found:
    held = sums(LedgerQuery(["item", name], [("item", lots["item"].unique())])).select("item", name).drop_nulls()
    lots = _formed(lots.select(PART, ROW, "item", name), name)
    unknown = lots.join(held.unique(), on=["item", name], how="anti", maintain_order="left")
    title = _TITLES[name]
    if (found := _alike(unknown, _formed(held.unique(maintain_order=True), name), name)).height:
        said = [
            f"the item has {code}: use that, or name yours with --new-codes if it is another" for code in found["other"]
        ]
        words = f"a {title} that the item has, written in another way"
        yield from whole.findings("error", "nearly-there", words, name, found, said)
    rest = unknown.join(found, on=[PART, ROW], how="anti", maintain_order="left")
    if (twice := _alike(rest, rest.drop(PART, ROW).unique(maintain_order=True), name)).height:
        said = [f"also written {code}: use one of them, or name each with --new-codes" for code in twice["other"]]
        yield from whole.findings("error", "nearly-twice", f"two {title}s that look alike", name, twice, said)


def _formed(lots: pl.DataFrame, name: str) -> pl.DataFrame:
    """The lots with the form in which others may be like them, and with the letters and digits of it alone."""
    form = placed_form(lots[name])
    return lots.with_columns(form.alias("its form"), form.str.replace_all("-", "", literal=True).alias("bare form"))


def _alike(lots: pl.DataFrame, others: pl.DataFrame, name: str) -> pl.DataFrame:
    """The lots that are another one of the item, written in another way, each once with that: ``other``."""
    of = others.select("item", "bare form", pl.col(name).alias("other"), pl.col("its form").alias("other form"))
    pairs = lots.join(of, on=["item", "bare form"], how="inner", maintain_order="left")
    pairs = pairs.filter(pl.col(name) != pl.col("other"))
    # 1-12 is not 11-2: each has a separator between digits that the other has not.
    same = [same_places(one, other) for one, other in pairs.select("its form", "other form").iter_rows()]
    return pairs.filter(pl.Series(same, dtype=pl.Boolean)).unique([PART, ROW], keep="first", maintain_order=True)
