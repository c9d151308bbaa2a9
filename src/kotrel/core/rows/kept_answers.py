"""Answers that several checks want of the same rows."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, TypeVar

import polars as pl

T = TypeVar("T")


class Answers:
    """Keeps the last answer to each question, until somebody asks it of other rows.

    To compare a column with the one asked about takes a tenth of the time of searching a table for its values. Checks
    run in parallel: who asks what another is finding out waits for that.
    """

    def __init__(self) -> None:
        self._kept: dict[Hashable, tuple[pl.Series | pl.DataFrame, Any]] = {}
        self._locks: dict[Hashable, Lock] = {}

    def of(self, question: Hashable, about: pl.Series | pl.DataFrame, find: Callable[[], T]) -> T:
        """The answer to a question about a column, or the columns of a frame.

        Args:
            find: finds the answer; it must depend on nothing else that may change. It may ask other questions.
        """
        with self._locks.setdefault(question, Lock()):
            kept = self._kept.get(question)
            if kept is None or not _is_same(kept[0], about):
                kept = self._kept[question] = (about, find())
            answer: T = kept[1]
            return answer


def _is_same(one: pl.Series | pl.DataFrame, other: pl.Series | pl.DataFrame) -> bool:
    if one is other:
        return True
    if isinstance(one, pl.Series) and isinstance(other, pl.Series):
        return one.equals(other)
    return isinstance(one, pl.DataFrame) and isinstance(other, pl.DataFrame) and one.equals(other)
