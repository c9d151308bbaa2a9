"""Reads back what a load sent, and reports where the system holds something else."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.changes.journal import Entry, standing
from kotrel.core.columns import ACTION, before
from kotrel.stages.undoing import require_whole
from kotrel.systems.interface import Reading, Step, System


@dataclass(frozen=True)
class Verified:
    """The result of reading a load back.

    Attributes:
        rows: how many rows of the system were read back.
        values: how many values were compared.
        differences: record, key, field (null for the whole row), sent, now.
        too_old: records of which the system has given out nothing since the load, and when it last did: they prove nothing.
    """

    entry: Entry
    rows: int
    values: int
    differences: pl.DataFrame
    too_old: Mapping[str, str] = field(default_factory=dict)

    @property
    def ok(self) -> bool:
        return not self.differences.height and not self.too_old


_SCHEMA = dict.fromkeys(("record", "key", "field", "sent", "now"), pl.String)


def verify_load(system: System, number: int, step: Step) -> Verified:
    """Compares every value that a load sent with what the system holds now.

    Raises:
        WrongUse: there is no such load, it was refused, or it is undone.
    """
    with system.reading_back() as reading:
        entry = standing(
            reading.history(), number, "kotrel verify {undo} reads that back.", sent_too=system.can.answers == "later"
        )
        require_whole(reading, number)
        rows = values = 0
        found = [pl.DataFrame(schema=_SCHEMA)]
        too_old: dict[str, str] = {}
        for changes in reading.changes_of(number):
            step(f"reading {changes.record.title.lower()} back")
            touched = changes.frame.filter(pl.col(ACTION).is_in(["new", "changed", "removed"]))
            if not touched.height:
                continue
            rows += touched.height
            at = reading.as_of(changes.record.name)
            if at is not None and at <= entry.at[:19].replace("T", " "):
                too_old[changes.record.name] = at
            values += int(touched[ACTION].is_in(["new", "changed"]).sum()) * len(changes.fields)
            found.append(_differences(changes, touched, reading))
    return Verified(entry, rows, values, pl.concat(found), too_old)


def _differences(changes: RecordChanges, touched: pl.DataFrame, reading: Reading) -> pl.DataFrame:
    record = changes.record
    key = list(record.key)
    others = [name for name in changes.fields if name not in key]
    sent = touched.with_columns(pl.coalesce(name, before(name)).alias(name) for name in key)
    first = record.key[0]
    now = reading.read(record.name, list(changes.fields), (first, sent[first])).unique(key, keep="any")
    now = now.select(*key, *(pl.col(name).alias(f"now {name}") for name in others), pl.lit(True).alias("is held"))
    joined = sent.join(now, on=key, how="left", maintain_order="left").with_columns(pl.col("is held").fill_null(False))

    def difference(part: pl.DataFrame, field: str | None, says: pl.Expr, stands: pl.Expr) -> pl.DataFrame:
        return part.select(
            pl.lit(record.name).alias("record"),
            key_text(record).alias("key"),
            pl.lit(field, pl.String).alias("field"),
            says.cast(pl.String).alias("sent"),
            stands.cast(pl.String).alias("now"),
        )

    stays = pl.col(ACTION) != "removed"
    found = [
        difference(
            joined.filter(stays & ~pl.col("is held")),
            None,
            pl.lit("a row"),
            pl.lit("not there" if reading.as_of(record.name) is not None else "no longer there"),
        ),
        difference(joined.filter(~stays & pl.col("is held")), None, pl.lit("removed"), pl.lit("back again")),
    ]
    there = joined.filter(stays & pl.col("is held"))
    for name in others:
        # In a changed row, only what the load changed was sent.
        sent_here = (pl.col(ACTION) == "new") | pl.col(name).ne_missing(pl.col(before(name)))
        differs = there.filter(sent_here & pl.col(name).ne_missing(pl.col(f"now {name}")))
        found.append(difference(differs, name, pl.col(name), pl.col(f"now {name}")))
    return pl.concat(found)
