"""A compiled expression, and how it is computed for the rows of a frame."""

from __future__ import annotations

import os
from collections.abc import Mapping

import polars as pl
from msgspec import Struct, field

from kotrel.core.columns import ROW
from kotrel.core.errors import WrongUse
from kotrel.core.expressions.kinds import Kind
from kotrel.core.parallel import map_parallel

_TALL = 100_000
"""So many rows are worth the threads."""


class Compiled(Struct, frozen=True):
    """A compiled expression.

    Attributes:
        kind: what it gives.
        expr: on a frame with the scope's columns as String in canonical text; numbers come out as Decimal(38, 12),
            texts and dates as String, yes/no as Boolean.
        fields: the fields it reads.
        meant: field and text that is compared with it → the value of the field that it means.
        read_texts: texts that are read as numbers, each with what is read.
        numbered: True where it uses ``next``: its texts hold marks for :func:`kotrel.core.expressions.number_codes`.
    """

    text: str
    kind: Kind
    expr: pl.Expr
    fields: tuple[str, ...]
    numbered: bool
    meant: Mapping[tuple[str, str], str] = field(default_factory=dict)
    read_texts: tuple[tuple[pl.Expr, pl.Expr], ...] = ()

    def column(self, frame: pl.DataFrame, made: pl.Expr | None = None) -> pl.Series:
        """The value for each row of a frame.

        Args:
            made: the expression to compute instead, such as this one rounded.

        Raises:
            WrongUse: a result is too large to be computed exactly; the message names a row.
        """
        expr = self.expr if made is None else made
        try:
            computed = _computed(frame, expr)
        except BaseException as error:
            if not _engine_gave_up(error):
                raise
            raise self._too_large(frame, expr) from None
        return computed if len(computed) == frame.height else computed.new_from_index(0, frame.height)

    def _too_large(self, frame: pl.DataFrame, expr: pl.Expr) -> WrongUse:
        """The error, with the first row that cannot be computed."""
        low, high = 0, frame.height
        while high - low > 1:
            middle = (low + high) // 2
            try:
                _computed(frame.slice(low, middle - low), expr)
                low = middle
            except BaseException as error:
                if not _engine_gave_up(error):
                    raise
                high = middle
        row = frame[ROW][low] if ROW in frame.columns and frame.height else None
        return WrongUse(
            f"“{self.text[:60]}” cannot be computed" + (f" in row {row}" if row else "") + ": the result is too large",
            "Numbers have at most 26 digits before the point.",
            "too-large-to-compute",
        )


def _computed(frame: pl.DataFrame, expr: pl.Expr) -> pl.Series:
    """The value of each row, or one that is the same for all; of many rows, a part on each core."""
    if frame.height < _TALL:
        return frame.select(expr.alias("computed"))["computed"]
    size = -(-frame.height // (os.cpu_count() or 1))
    parts = [frame.slice(at, size) for at in range(0, frame.height, size)]
    found = map_parallel(lambda part: part.select(expr.alias("computed"))["computed"], parts, size)
    return found[0] if len(found[0]) != parts[0].height else pl.concat(found)


def _engine_gave_up(error: BaseException) -> bool:
    """An error or a panic of the engine, which is no subclass of Exception; an interruption by the user is neither."""
    return isinstance(error, pl.exceptions.PolarsError) or type(error).__name__ == "PanicException"
