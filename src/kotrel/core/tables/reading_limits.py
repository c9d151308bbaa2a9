"""How much a file may take to be read; what goes beyond is refused in words, before it fills the machine."""

from __future__ import annotations

from msgspec import Struct


class Limits(Struct, frozen=True):
    """``[limits]`` in ``kotrel.toml``.

    Attributes:
        cells: that a sheet of a workbook may span, where few of them are filled.
        characters: millions of them that the cells of a workbook may have in all.
        memory_mb, seconds: what reading a workbook of an old or rare kind may take; it is read in a process of its own.
    """

    cells: int = 20_000_000
    characters: int = 1_000
    memory_mb: int = 4_000
    seconds: int = 300


USUAL = Limits()
