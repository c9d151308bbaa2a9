"""Reads a load's rows back before it is kept: the journal has what triggers and defaults made of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl
from msgspec import Struct

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.changes.journal import image
from kotrel.core.columns import ACTION, LINE, MESSAGE, ROW, before
from kotrel.systems.interface import Altered, Refused
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.database_journal import row_table
from kotrel.systems.sql.dialect import quoted
from kotrel.systems.sql.refusals import MOST_REFUSALS, VANISHED, refusal_of
from kotrel.systems.sql.store import Store, read_rows


class Sent(Struct, frozen=True):
    """One record's changes as they were sent: where they stand in the journal."""

    changes: RecordChanges
    store: Store
    lines: range


def _keys_there(rows: pl.DataFrame, key: Sequence[str], renamed: Mapping[int, tuple[str, ...]]) -> pl.DataFrame:
    """``LINE``, and ``own NAME`` for each field of the key: what the database calls the row."""
    sent_keys = rows.select(LINE, *(pl.col(name).alias(f"own {name}") for name in key))
    if not renamed:
        return sent_keys
    as_made = pl.DataFrame(
        [[line, *codes] for line, codes in renamed.items()],
        schema={LINE: pl.UInt32, **{f"made {name}": pl.String for name in key}},
        orient="row",
    )
    return sent_keys.join(as_made, on=LINE, how="left", maintain_order="left").select(
        LINE, *(pl.coalesce(f"made {name}", f"own {name}").alias(f"own {name}") for name in key)
    )


def read_back(database: Database, number: int, sent: Sent, renamed: dict[int, tuple[str, ...]]) -> list[Altered]:
    """What came out otherwise than it was sent; the journal then has it as it came out.

    Args:
        renamed: line → the key that the database made of the key that was sent.

    Raises:
        Refused: rows that were accepted and are not there.
    """
    record, key = sent.changes.record, list(sent.changes.record.key)
    fields = list(sent.changes.fields)
    rows = sent.changes.lines_from(sent.lines.start)
    rows = rows.filter(pl.col(ACTION).is_in(["new", "changed"]))
    if not rows.height:
        return []
    there = _keys_there(rows, key, renamed)
    now = read_rows(database, sent.store, fields, (key[0], there[f"own {key[0]}"])).unique(key, keep="any")
    came = there.join(
        now.select(*(pl.col(name).alias(f"came {name}") for name in fields), pl.lit(True).alias("is held")),
        left_on=[f"own {name}" for name in key],
        right_on=[f"came {name}" for name in key],
        how="left",
        maintain_order="left",
        coalesce=False,
    )
    joined = rows.hstack(came.drop(LINE))
    gone = joined.filter(pl.col("is held").is_null())
    if gone.height:
        lost = gone.head(MOST_REFUSALS).iter_rows(named=True)
        raise Refused([refusal_of(sent.changes, row, VANISHED) for row in lost])
    # In a changed row, only what the load changed was sent.
    was_sent = {name: (pl.col(ACTION) == "new") | pl.col(name).ne_missing(pl.col(before(name))) for name in fields}
    other = {name: was_sent[name] & pl.col(name).ne_missing(pl.col(f"came {name}")) for name in fields}
    odd = joined.filter(pl.any_horizontal(other.values()))
    if not odd.height:
        return []
    altered = [
        Altered(
            record.name,
            sent.changes.file,
            sent.changes.sheet,
            row[ROW],
            row["row key"],
            name,
            row[name],
            row[f"came {name}"],
        )
        for name in fields
        for row in odd.filter(other[name]).with_columns(key_text(record).alias("row key")).iter_rows(named=True)
    ]
    _note(database, number, sent.changes, odd, other, altered)
    return altered


def _note(
    database: Database,
    number: int,
    changes: RecordChanges,
    odd: pl.DataFrame,
    other: dict[str, pl.Expr],
    altered: Sequence[Altered],
) -> None:
    """Puts what came out into the journal, with a message at each row."""
    record, fields = changes.record, list(changes.fields)
    words: dict[int, list[str]] = {}
    for each in altered:
        words.setdefault(each.row, []).append(each.in_words(record))
    after = odd.with_columns(
        pl.when(other[name]).then(pl.col(f"came {name}")).otherwise(pl.col(name)).alias(name) for name in fields
    )
    table = after.select(
        pl.col(LINE).cast(pl.Int64).alias("line"),
        key_text(record).alias("key"),
        image(after, fields).alias("after"),
        pl.concat_str(
            pl.col(MESSAGE),
            pl.Series("said", ["; ".join(words[row]) for row in after[ROW]], dtype=pl.String),
            separator="; ",
            ignore_nulls=True,
        ).alias("message"),
    )
    temporary, long = quoted(database.dialect.temporary, "kotrel_came"), database.dialect.long_text
    database.drop_temporary("kotrel_came")
    columns = ", ".join(f"{quoted(name)} {long}" for name in ("key", "after", "message"))
    database.run(f"CREATE TEMPORARY TABLE kotrel_came (line integer, {columns})")
    database.insert(temporary, table.columns, table)
    sets = [*((quoted(name), f"s.{quoted(name)}") for name in ("key", "after", "message")), ("outcome", "'warning'")]
    where = f"t.{quoted('load')} = ? AND t.line = s.line"
    database.update_from(row_table(database.dialect), sets, temporary, where, [number])
    database.drop_temporary("kotrel_came")
