"""What is known of items, and of the places of a count, when its sheets are collected."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal

import polars as pl
from msgspec import Struct, field

from kotrel.core.columns import ROW
from kotrel.core.counting.frames import NUMBER
from kotrel.core.similarity import nearest
from kotrel.core.stock.sums import PLACE
from kotrel.core.values.same_writing import same_form

_LOOKED_UP = [NUMBER, *PLACE, "expected"]
Readings = Mapping[str, Sequence[tuple[int, str, str, str]]]
"""For each field, what was repaired: row, before, after, proof."""


class Known(Struct, frozen=True):
    """What is known of items.

    Attributes:
        units: item → its base unit.
        factors: item and unit → base units in one.
        tracked: item → ``lot`` and ``serial``, for items that have them.
        decimals: unit → its decimals; nothing for a unit that does not say.
        bins: warehouse and bin that exist; None where the system has no bins.
        archived: items of which nothing can be posted.
        nearest_item: what may be meant by a code that is no item's, or None.
    """

    units: Mapping[str, str]
    factors: Mapping[tuple[str, str], Decimal]
    tracked: Mapping[str, tuple[str, ...]]
    bins: frozenset[tuple[str, str]] | None = None
    decimals: Mapping[str, int] = field(default_factory=dict)
    archived: frozenset[str] = frozenset()
    nearest_item: Callable[[str], str | None] = lambda code: None

    def nearest_bin(self, warehouse: str, code: str) -> str | None:
        """What may be meant by a code that is no bin's of the warehouse, or None."""
        return nearest(code, [bin_ for house, bin_ in self.bins or () if house == warehouse])

    def trouble_of(self, item: str, counted: Decimal) -> str:
        """Why a quantity in the item's base unit cannot have been counted; empty where it can.

        One rule wherever it comes from: a sheet, a scanner's list, or a correction by hand.
        """
        if counted < 0:
            return (
                "a counted quantity is never below zero; a line that was not counted stays blank (where -1 means that, say "
                'not_counted = "-1" under [count] in kotrel.toml)'
            )
        unit = self.units.get(item, "")
        places = self.decimals.get(unit)
        exponent = counted.normalize().as_tuple().exponent
        if places is not None and isinstance(exponent, int) and -exponent > places:
            return f"{unit} has {places or 'no'} decimal{'' if places == 1 else 's'}"
        return ""


class KnownPlaces:
    """The places of a count, as lines are looked up among them: a sheet has few of the items of a large count."""

    def __init__(self, places: pl.DataFrame) -> None:
        """Takes places as :func:`kotrel.core.counting.frames.place_frame`."""
        self._frozen = places.filter(~pl.col("find")).select(_LOOKED_UP).sort("item", maintain_order=True)
        self.warehouses: set[str | None] = set(self._frozen["warehouse"].unique())
        self.look_at_finds(places)

    def look_at_finds(self, places: pl.DataFrame) -> None:
        """Takes the finds among the places anew: there may be more of them."""
        self._finds = places.filter("find").select(_LOOKED_UP)
        self.warehouses |= set(self._finds["warehouse"].unique())

    def _of(self, items: pl.Series) -> pl.DataFrame:
        """The places of some items. A large count has many sheets: none may cost what all places cost."""
        asked, sorted_items = items.drop_nulls().unique(), self._frozen["item"]
        runs = pl.DataFrame(
            {
                "first": sorted_items.search_sorted(asked, "left"),
                "behind": sorted_items.search_sorted(asked, "right"),
            }
        ).filter(pl.col("first") < pl.col("behind"))
        rows = runs.select(pl.int_ranges("first", "behind")).to_series().explode()
        found = self._finds.filter(pl.col("item").is_in(asked.implode()))
        return pl.concat([self._frozen[rows], found]) if runs.height else found

    def placed(self, lines: pl.DataFrame, known: Known) -> tuple[pl.DataFrame, Readings]:
        """Lines of a sheet with :data:`NUMBER` and ``expected`` of the place that each counts,
        blank where the count has none.

        Where a bin, lot or serial number of the place is only written in another way, it is the place's: capitals and
        separators make no other code. Where two existing ones are meant, the cell stays as it is.

        Args:
            lines: with ``ROW`` (UInt32), the columns of ``PLACE`` (String), and any others.

        Returns:
            The lines, and for each field what was repaired.
        """
        places = self._of(lines["item"]).unique(list(PLACE), keep="last")
        found = _joined(lines, places)
        odd = found.filter(pl.col(NUMBER).is_null() & pl.col("item").is_not_null())
        meant = _meant(odd, places, known) if odd.height else {}
        if not meant:
            return found, {}
        for name, readings in meant.items():
            values = {row: after for row, _, after, _ in readings}
            repaired = pl.col(ROW).replace_strict(values, default=None, return_dtype=pl.String)
            lines = lines.with_columns(pl.coalesce(repaired, pl.col(name)).alias(name))
        return _joined(lines, places), meant


def _joined(lines: pl.DataFrame, places: pl.DataFrame) -> pl.DataFrame:
    return lines.join(places, on=list(PLACE), how="left", nulls_equal=True, maintain_order="left")


def _meant(odd: pl.DataFrame, places: pl.DataFrame, known: Known) -> Readings:
    """The bin, lot and serial number that lines mean which name no place of the count.

    Args:
        odd: such lines: ``ROW``, and the columns of ``PLACE``.
        places: those of their items.
    """
    places = places.join(odd.select("item").unique(), on="item", how="semi")
    codes = {
        ("bin", warehouse): {bin_ for house, bin_ in known.bins or () if house == warehouse}
        | set(places.filter(pl.col("warehouse") == pl.lit(warehouse))["bin"].drop_nulls())
        for warehouse in odd["warehouse"].unique()
    }
    for name in ("lot", "serial"):
        for item, those in places.group_by("item").agg(pl.col(name).drop_nulls()).iter_rows():
            codes[name, item] = set(those)
    pairs = [(whose, code) for whose, those in codes.items() for code in sorted(those)]
    forms: dict[tuple[str, str | None], dict[str, list[str]]] = {}
    for (whose, code), form in zip(
        pairs, same_form(pl.Series([code for _, code in pairs], dtype=pl.String)), strict=True
    ):
        forms.setdefault(whose, {}).setdefault(form, []).append(code)
    readings: dict[str, list[tuple[int, str, str, str]]] = {}
    for name, of in (("bin", "warehouse"), ("lot", "item"), ("serial", "item")):
        filled = odd.drop_nulls(name)
        for row, place, value, form in zip(filled[ROW], filled[of], filled[name], same_form(filled[name]), strict=True):
            there = forms.get((name, place), {}).get(form, [])
            if value not in there and len(there) == 1:
                proof = f"the only {name} there that differs only in capitals and separators"
                readings.setdefault(name, []).append((row, value, there[0], proof))
    return readings
