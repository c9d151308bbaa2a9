"""The seal of a load in the journal: how many lines it has and what they say, so that a lost or altered line is
noticed.

Each seal is computed over the one before it: an entry that is taken out or written anew breaks the chain.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import polars as pl

from kotrel.core.changes.journal import ROW_COLUMNS
from kotrel.core.changes.journal_lines import ALL_LINES, LinesInOrder

SEALED = tuple(name for name in ROW_COLUMNS if name != "load")
"""The columns of a line that a seal covers."""


class Seal:
    """The digest of a load's lines, part by part in their order."""

    def __init__(self) -> None:
        self._digest = hashlib.sha256()
        self.lines = 0

    def add(self, rows: pl.DataFrame) -> None:
        """Adds lines: a frame with :data:`SEALED`, in their order; an empty text and a blank are the same."""
        texts = rows.select(pl.col(name).cast(pl.String).replace("", None) for name in SEALED)
        for part in texts.iter_slices(20_000):
            self._digest.update(part.write_csv(include_header=False, quote_style="always").encode())
        self.lines += rows.height

    def add_copy(self, load: int, first: int, last: int) -> None:
        """Adds lines that are copied within the journal from another load, turned round."""
        self._digest.update(f"lines {first} to {last} of load {load}, turned round\n".encode())
        self.lines += last - first + 1

    def digest(self) -> str:
        """SHA-256, hexadecimal."""
        return self._digest.hexdigest()


def seal_of(parts: Sequence[Mapping[str, Any]], pieces: Iterable[pl.DataFrame]) -> Seal:
    """The seal of a load as it is in the journal.

    Args:
        parts: of its entry.
        pieces: all its lines, with :data:`SEALED`, in their order.
    """
    seal, lines, last = Seal(), LinesInOrder(pieces), 0
    for part in parts:
        last += int(part["rows"])
        if part.get("copied"):
            # Lines that are missing are not sealed.
            if sum(rows.height for rows in lines.until(last)) == int(part["rows"]):
                seal.add_copy(*part["copied"])
            continue
        for rows in lines.until(last):
            seal.add(rows)
    for rows in lines.until(ALL_LINES):
        seal.add(rows)
    return seal


def chained(previous: str, facts: Sequence[Any]) -> str:
    """The seal of an entry over the one before it: SHA-256, hexadecimal."""
    return hashlib.sha256(f"{previous}\n{json.dumps(list(facts), ensure_ascii=False)}".encode()).hexdigest()


def is_turned_round(copy: pl.DataFrame, source: pl.DataFrame) -> bool:
    """True where copied lines still say what they were copied from: what was after is before, row by row.

    Args:
        copy, source: ``record``, ``file``, ``sheet``, ``row`` and ``key``, with ``before`` of the one and ``after`` of
            the other; in the order of their loads.
    """
    if copy.height != source.height:
        return False
    same = ("record", "file", "sheet", "row", "key")
    left = copy.select(*(pl.col(name).cast(pl.String) for name in same), pl.col("before").alias("image"))
    right = source.select(*(pl.col(name).cast(pl.String) for name in same), pl.col("after").alias("image"))
    return left.with_columns(pl.all().replace("", None)).equals(right.with_columns(pl.all().replace("", None)))
