"""Bytes with their checksum: what changed on the disk is never taken for what was written."""

from __future__ import annotations

import zlib

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
