"""What is known of the items that are counted, asked of the system once for all sheets."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import polars as pl

from kotrel.core.counting.collecting import Known
from kotrel.core.description.model import Record
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace


class KnownItems:
    """Units, conversions and tracking of items; what was asked for once is remembered as long as the count is collected."""

    def __init__(
        self, reading: Reading, workspace: Workspace, item: Record, bins: frozenset[tuple[str, str]] | None
    ) -> None:
        self._reading = reading
        self._item = item
        self._convertible = workspace.description.conversions is not None
        self._known = Known({}, {}, {}, bins)
        self._asked: set[str] = set()

    def known_of(self, codes: pl.Series) -> Known:
        """What is known of these items, and of those asked for before."""
        self.learn(codes)
        return self._known

    def learn(self, codes: pl.Series) -> None:
        """Asks for those that were not asked for yet."""
        new = [code for code in codes.drop_nulls().unique().to_list() if code not in self._asked]
        if not new:
            return
        self._asked.update(new)
        item, key = self._item, self._item.key[0]
        asked = pl.Series(key, new, dtype=pl.String)
        wanted = [name for name in (key, "unit", "lot_tracked", "serial_tracked") if name in item.fields]
        units, factors, tracked = dict(self._known.units), dict(self._known.factors), dict(self._known.tracked)
        for row in self._reading.read(item.name, wanted, (key, asked)).iter_rows(named=True):
            units[row[key]] = row.get("unit") or ""
            tracked[row[key]] = tuple(what for what in ("lot", "serial") if row.get(f"{what}_tracked") == "yes")
        if self._convertible:
            held = self._reading.read("unit_conversion", ["item", "unit", "factor"], ("item", asked)).drop_nulls()
            factors |= {(code, unit): Decimal(factor) for code, unit, factor in held.iter_rows()}
        self._known = Known(units, factors, tracked, self._known.bins)

    def read(
        self, record: str, fields: Sequence[str], among: tuple[str, pl.Series] | None = None, filled: Any = None
    ) -> pl.DataFrame:
        """The system's rows; that items which are known exist is not asked again."""
        key = self._item.key[0]
        if record == self._item.name and list(fields) == [key] and among is not None and among[0] == key:
            codes = among[1].drop_nulls().unique()
            if all(code in self._known.units for code in codes.to_list()):
                return pl.DataFrame({key: codes})
        return self._reading.read(record, fields, among, filled)
