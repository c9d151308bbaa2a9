"""A file → what is in it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from kotrel.core.description.model import Description
from kotrel.core.tables.profiling import Look, look_at
from kotrel.core.tables.table import Table
from kotrel.core.understanding.matching import Matched, likely_record
from kotrel.stages.file_options import Wanted
from kotrel.stages.understanding import tables_in
from kotrel.systems.interface import Step


@dataclass(frozen=True)
class Inspected:
    """A file's tables with their columns, and the record that the first fitting one probably holds."""

    file: Path
    tables: tuple[tuple[Table, tuple[Look, ...]], ...]
    likely: Matched | None
    likely_sheet: str

    @property
    def key(self) -> tuple[str, ...]:
        """Headings of the columns for the likely record's key."""
        if self.likely is None:
            return ()
        letters = [self.likely.letters[name] for name in self.likely.record.key if name in self.likely.letters]
        table = next(table for table, _ in self.tables if table.sheet == self.likely_sheet)
        return tuple(column.heading for column in table.columns if column.letter in letters)


def inspect_file(path: Path, wanted: Wanted, description: Description | None, step: Step) -> Inspected:
    """Inspects every sheet of a file; without a description, nothing is said about records."""
    step(f"reading {path.name}")
    tables = tables_in(path, wanted)
    looked = []
    for table in tables:
        step(f"looking at {table.sheet or path.name}")
        looked.append((table, tuple(look_at(table))))
    best: tuple[int, Matched, str] | None = None
    if description is not None:
        for table in tables:
            matched = likely_record(table, list(description.records.values()))
            # One heading of a wide sheet that happens to match a field says nothing about the sheet.
            by_chance = matched is not None and len(matched.letters) == 1 and len(table.columns) > 3
            if matched is not None and not by_chance and (best is None or len(matched.letters) > best[0]):
                best = (len(matched.letters), matched, table.sheet)
    return Inspected(path, tuple(looked), best[1] if best else None, best[2] if best else "")
