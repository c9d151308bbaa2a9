"""Rows put aside on disk, those that belong together in one file: so that all of them can be looked at without holding all of any."""

from __future__ import annotations

import struct
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from pathlib import Path

import polars as pl

from kotrel.workspace.blocks import blocks_of, frame_in

_LENGTH = struct.Struct("<Q")


class Spool(ExitStack):
    """Rows in so many files; gone when it is closed.

    Args:
        folder: where there is room for them.
        by: rows with the same values in these fields come together.
    """

    def __init__(self, folder: Path, by: Sequence[str], files: int) -> None:
        super().__init__()
        self._by = list(by)
        folder.mkdir(parents=True, exist_ok=True)
        where = Path(self.enter_context(tempfile.TemporaryDirectory(prefix="parts-", dir=folder)))
        self._files = [self.enter_context((where / f"{number}.rows").open("w+b")) for number in range(files)]

    def add(self, rows: pl.DataFrame) -> None:
        """Puts rows aside."""
        # A field that a default fills is a column only where it filled one.
        rows = rows.with_columns(pl.lit(None, pl.String).alias(name) for name in self._by if name not in rows.columns)
        place = pl.struct(self._by).hash(seed=1) % len(self._files)
        for (number,), part in rows.with_columns(place.alias("file")).partition_by("file", as_dict=True).items():
            for block in blocks_of(part.drop("file")):
                self._files[number].write(_LENGTH.pack(len(block)) + block)

    def together(self) -> Iterator[pl.DataFrame]:
        """The rows of each file, in the order in which they came."""
        for file in self._files:
            file.seek(0)
            parts: list[pl.DataFrame] = []
            while head := file.read(_LENGTH.size):
                parts.append(frame_in(file.read(_LENGTH.unpack(head)[0])))
            if parts:
                yield pl.concat(parts, how="diagonal")
