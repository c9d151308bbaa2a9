"""A system that only exchanges files: it is read from its own exports, and written by upload files alone."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import polars as pl

from kotrel.core.changes.change_set import Rest
from kotrel.core.changes.journal import Entry
from kotrel.core.description.model import Description
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.systems.folder.mirror import FILE
from kotrel.systems.interface import Reading, System, Writing
from kotrel.systems.sql.sqlite import SqliteDatabase
from kotrel.systems.sql.system import SqlReading


class FolderSystem(System):
    """What a program's exports in a folder say.

    Args:
        hidden: where the mirror of the exports is kept.
    """

    def __init__(self, hidden: Path, description: Description, name: str) -> None:
        self._hidden = hidden
        self.description = description
        self.name = name

    @contextmanager
    def reading(self) -> Iterator[Reading]:
        path = self._hidden / FILE
        if not path.is_file():
            raise OutOfReach(f"nothing is known of {self.name} yet", "kotrel lists reads what it gave out.", "no-lists")
        database = SqliteDatabase(path, create=False)
        try:
            with database.looking():
                yield SqlReading(database, self.description)
        finally:
            database.close()

    def writing(self) -> Writing:  # type: ignore[override]
        raise WrongUse(
            f"{self.name} only takes files: nothing can be loaded into it, or undone in it, from here",
            "kotrel write FILE --layout NAME writes the upload file that it reads.",
            "takes-only-files",
        )

    def history(self) -> list[Entry]:
        return []

    def audited_history(self) -> list[Entry]:
        return []

    def settle(self) -> None:
        """Nothing is ever in progress."""

    def outcome(self, number: int) -> pl.DataFrame:
        raise self._no_load(number)

    def rest_of(self, number: int) -> list[tuple[str, str, Rest, dict[int, str]]]:
        raise self._no_load(number)

    def _no_load(self, number: int) -> WrongUse:
        return WrongUse(
            f"there is no load L{number:04d}: {self.name} only takes files", "kotrel write writes them.", "no-such-load"
        )
