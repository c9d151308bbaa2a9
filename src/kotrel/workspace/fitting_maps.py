"""Which saved mapping reads a sheet that nobody named one for."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from msgspec.structs import replace

from kotrel.core.errors import WrongUse
from kotrel.core.phrases import listed_and
from kotrel.core.similarity import folded
from kotrel.core.tables.table import Table
from kotrel.workspace.mappings import SavedMap
from kotrel.workspace.settings import made_file_name


def map_for(table: Table, maps: Sequence[SavedMap]) -> SavedMap | None:
    """The mapping that fits a table and needs the most headings; of several, the one for this sheet, or called like the
    file.

    Raises:
        WrongUse: several fit as well, and say different things of the same headings.
    """
    fitting = [each for each in maps if each.headings() and _is_for(each, table) and not each.missing_in(table)]
    if not fitting:
        return None
    own = made_file_name(Path(table.file).stem, "mapping")

    def rank(saved: SavedMap) -> tuple[int, bool, bool]:
        return len(saved.headings()), saved.sheet is not None, folded(saved.name) == folded(own)

    best = max(map(rank, fitting))
    first, *rivals = [each for each in fitting if rank(each) == best]
    if any(_meaning(each) != _meaning(first) for each in rivals):
        names = [each.name for each in (first, *rivals)]
        where = f"sheet “{table.sheet}” of {table.file}" if table.sheet else table.file
        raise WrongUse(
            f"the headings of {where} fit {len(names)} saved mappings: {listed_and(names)}",
            f"Say which reads it: {listed_and([f'--map {name}' for name in names], 'or')}.",
            "which-map",
        )
    return first


def _is_for(saved: SavedMap, table: Table) -> bool:
    """A mapping for one sheet is for no other, however it was found."""
    return saved.sheet is None or not table.sheet or folded(saved.sheet) == folded(table.sheet)


def _meaning(saved: SavedMap) -> SavedMap:
    """What a mapping says, whatever it is called."""
    return replace(saved, name="", path=Path(), text="")
