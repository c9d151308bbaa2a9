"""Columns as blocks of bytes with their checksum: what changed on the disk is never taken for what was written."""

from __future__ import annotations

import io
import zlib
from collections.abc import Iterator

import polars as pl

_LENGTH = 4


class Damaged(Exception):
    """The bytes are not as they were written."""


def with_checksum(held: bytes) -> bytes:
    """The bytes as they are kept."""
    return zlib.crc32(held).to_bytes(_LENGTH, "big") + held


def checked(kept: bytes) -> bytes:
    """The bytes as they were.

    Raises:
        Damaged: one of them has changed.
    """
    held = kept[_LENGTH:]
    if zlib.crc32(held).to_bytes(_LENGTH, "big") != kept[:_LENGTH]:
        raise Damaged
    return held


_ROWS = 200_000
"""Rows of one block: far below what SQLite holds in one cell, whatever the descriptions."""


def blocks_of(frame: pl.DataFrame) -> Iterator[bytes]:
    """A frame in blocks."""
    for part in frame.iter_slices(_ROWS):
        block = io.BytesIO()
        part.rechunk().write_ipc(block, compression="lz4")
        yield with_checksum(block.getvalue())


def frame_in(block: bytes) -> pl.DataFrame:
    """The rows of one block.

    Raises:
        Damaged: it is not as it was written.
    """
    return pl.read_ipc(io.BytesIO(checked(block)))
