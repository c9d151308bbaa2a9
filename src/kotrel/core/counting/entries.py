"""The rows of a count sheet → entries at frozen places, and what is wrong with them, at their cells."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from itertools import chain
from typing import Any, Literal, NamedTuple

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.columns import ROW, worded
from kotrel.core.counting.counted_times import RefusedTime, TimeHabits, days_among, moment_of
from kotrel.core.counting.frames import LINES, NUMBER, line_frame
from kotrel.core.counting.known_places import Known, KnownPlaces
from kotrel.core.counting.variance import CountEntry, Key
from kotrel.core.rows.findings import FindingGroup, RepairGroup, cells_of, repaired_cells
from kotrel.core.rows.rows import Rows
from kotrel.core.values.dates import habits_of

_AT, _ODD = "counted at", "is no time"
Moments = Mapping[tuple[str | None, str | None], tuple[str | None, RefusedTime | None]]
"""Time and date of a line, as they are written → the moment (canonical text), and what is wrong with it."""


def plain_lines(
    rows: Rows,
    lines: pl.DataFrame,
    known: Known,
    moments: Moments,
    round_: int,
) -> tuple[pl.DataFrame, pl.Series]:
    """The plain lines as ``ROW`` and the columns of LINES, and which lines those are (Boolean).

    Args:
        lines: the lines of the sheet, :meth:`KnownPlaces.placed`: ``ROW``, :data:`PLACE` with the sheet's warehouse
            filled in, and ``unit``, ``counted``, ``counter``, ``time``, ``date``, ``remark``.
        moments: of each time and date in the sheet.
    """
    items = lines["item"].drop_nulls().unique()
    base = pl.DataFrame(
        {"item": items, "base unit": [known.units.get(item) for item in items]},
        schema_overrides={"base unit": pl.String},
    )
    times = pl.DataFrame(
        [(time, date, at, bool(odd)) for (time, date), (at, odd) in moments.items()],
        schema={"time": pl.String, "date": pl.String, _AT: pl.String, _ODD: pl.Boolean},
        orient="row",
    )
    table = lines.join(base, on="item", how="left", maintain_order="left").join(
        times, on=["time", "date"], how="left", nulls_equal=True, maintain_order="left"
    )
    own_unit = pl.col("unit").is_null() | (pl.col("unit") == pl.col("base unit"))
    # What has more decimals than its unit, or lies below zero, is looked at by itself.
    decimals = pl.col("base unit").replace_strict(known.decimals, default=-1, return_dtype=pl.Int64)
    countable = (decimals == -1) & ~pl.col("counted").str.starts_with("-")
    for places in set(known.decimals.values()):
        fits = pl.col("counted").str.contains(rf"^[0-9]+(?:\.[0-9]{{0,{places}}}0*)?$")
        countable |= (decimals == places) & fits
    plain = table.select(
        pl.col("counted").is_not_null()
        & pl.col("base unit").is_not_null()
        & pl.col(NUMBER).is_not_null()
        & (pl.col("serial").is_null() | pl.col("counted").is_in(["0", "1"]))
        & ~pl.col("item").is_in(list(known.archived))
        & own_unit
        & countable
        & ~pl.col(_ODD).fill_null(True)
        & pl.col("warehouse").is_not_null()
    ).to_series()
    before, after = _around(rows)
    chosen = table.filter(plain).select(
        ROW,
        NUMBER,
        pl.lit(round_, pl.Int64).alias("round"),
        "counted",
        pl.col("counter").fill_null(""),
        pl.col(_AT).alias("at"),
        worded("{}{}{}", pl.lit(before), ROW, pl.lit(after)).alias("where"),
        pl.col("remark").fill_null(""),
    )
    return chosen.select(ROW, *LINES), plain


def cell_in_words(rows: Rows, row: int, letter: str | None) -> str:
    """The file and the cell; in workbooks with its sheet, of which there may be several."""
    table = rows.table
    return f"{table.file} {table.address(row, letter) if table.sheet else table.place(row, letter)}"


def _around(rows: Rows) -> tuple[str, str]:
    """What stands before and after the row's number in the place of a counted cell."""
    sample = 123_456_789
    text = cell_in_words(rows, sample, rows.letters.get("counted"))
    before, _, after = text.rpartition(str(sample))
    return before, after


class Sheet(Struct, frozen=True):
    """What is known of a sheet besides its rows.

    Attributes:
        round: 0 for a first count, 1 for the first recount.
        warehouse: for rows that name none.
        as_expected: True where a blank means: as expected.
        times: how it says when lines were counted.
        dates: what comes first in its dates: ``day``, ``month`` or ``auto``.
    """

    round: int = 0
    warehouse: str | None = None
    as_expected: bool = False
    times: TimeHabits = TimeHabits()
    dates: Literal["auto", "day", "month"] = "auto"

    def moments_of(self, lines: pl.DataFrame) -> Moments:
        """What each time and date among lines of this sheet means, and what is wrong with it."""
        # A counter writes the same times over and over.
        written: list[tuple[str | None, str | None]] = lines.select("time", "date").unique().rows()
        order, pairs = habits_of(days_among(chain.from_iterable(written)), self.dates)
        habits = replace(self.times, order=order, pairs=pairs)
        return {each: moment_of(*each, habits) for each in written}


class Collected(Struct):
    """What a sheet gave.

    Attributes:
        lines: at places that exist, as :data:`~kotrel.core.counting.frames.LINES`, in the order of the sheet; ``finds``
            at places that the count does not have, each with its place's key.
        blank: lines that were not counted.
    """

    rows: Rows
    lines: pl.DataFrame
    finds: list[tuple[Key, CountEntry]] = field(default_factory=list)
    blank: int = 0


def _as_expected(rows: Rows, line: Mapping[str, Any], sheet: Sheet) -> CountEntry:
    """A line that was left blank, which the user takes as counted as expected."""
    where = cell_in_words(rows, line[ROW], None)
    expected, counter = Decimal(line["expected"]), line["counter"] or ""
    return CountEntry(line[NUMBER], sheet.round, expected, counter, sheet.times.counted_at, where, "as expected")


def collect(rows: Rows, places: KnownPlaces, known: Known, sheet: Sheet) -> Collected:
    """Reads the counted lines; a line with an error is not taken."""
    wrong = set(rows.refused)
    names = ("item", "warehouse", "bin", "lot", "serial", "unit", "counted", "counter", "time", "date", "remark")
    blank = [pl.lit(None, pl.String).alias(name) for name in names if name not in rows.values.columns]
    lines = rows.values.with_columns(blank).select(ROW, *names)
    lines = lines.filter(~pl.col(ROW).is_in(list(wrong))) if wrong else lines
    moments = sheet.moments_of(lines)
    lines, meant = places.placed(
        lines.with_columns(pl.col("warehouse").fill_null(pl.lit(sheet.warehouse, pl.String))), known
    )
    taken, plain = plain_lines(rows, lines, known, moments, sheet.round)
    done = Collected(rows, taken)
    told: _Told = {}
    odd_lines = lines.filter(~plain)
    if not sheet.as_expected:
        done.blank = odd_lines.filter(pl.col("counted").is_null() & pl.col("item").is_not_null()).height
        odd_lines = odd_lines.filter(pl.col("counted").is_not_null())
    if others := _line_by_line(odd_lines, done, known, moments, sheet, told):
        # In the order of the sheet again.
        own = line_frame([entry for _, entry in others]).select(
            pl.Series(ROW, [row for row, _ in others], dtype=taken.schema[ROW]), *LINES
        )
        taken = pl.concat([taken, own]).sort(ROW, maintain_order=True)
    done.lines = taken.drop(ROW)
    done.rows = rows.with_findings([_group(rows, *key, found) for key, found in told.items()])
    repairs = [
        RepairGroup(
            "same-code",
            name,
            rows.letters.get(name, ""),
            repaired_cells(*(list(column) for column in zip(*cells, strict=True))),
        )
        for name, cells in meant.items()
    ]
    done.rows = replace(done.rows, repairs=(*done.rows.repairs, *repairs))
    return done


_Told = dict[tuple[str, str, str | None], list[tuple[int, str, str | None]]]
"""Kind, title and field of a finding → its rows, each with the message and what may be meant."""


def _line_by_line(
    lines: pl.DataFrame,
    done: Collected,
    known: Known,
    moments: Moments,
    sheet: Sheet,
    told: _Told,
) -> list[tuple[int, CountEntry]]:
    """What was counted at places of the count, with its row; finds and blanks go into ``done``, errors into ``told``."""
    rows, entries = done.rows, list[tuple[int, CountEntry]]()
    letter = rows.letters.get("counted")
    for row in lines.iter_rows(named=True):
        number = row[NUMBER]
        if row["item"] is None:
            if row["counted"] is not None:
                kind = ("missing", "a counted line without an item", "item")
                told.setdefault(kind, []).append((row[ROW], "say which item this is", None))
        elif row["counted"] is None:
            if number is not None and sheet.as_expected:
                entries.append((row[ROW], _as_expected(rows, row, sheet)))
            else:
                done.blank += 1
        elif isinstance(read := _counted(row, known, moments), RefusedEntry):
            told.setdefault(read[:3], []).append((row[ROW], read.message, read.meant))
        else:
            where = cell_in_words(rows, row[ROW], letter)
            entry = CountEntry(
                number or 0, sheet.round, read[0], row["counter"] or "", read[1], where, row["remark"] or ""
            )
            if number is not None:
                entries.append((row[ROW], entry))
            elif read[0]:
                key = (row["item"], row["warehouse"], row["bin"], row["lot"], row["serial"])
                done.finds.append((key, entry))
    return entries


class RefusedEntry(NamedTuple):
    """What keeps a line from being taken: the kind of the finding, its title, the field, the message, and what may be
    meant.
    """

    kind: str
    title: str
    field: str
    message: str
    meant: str | None = None


def _counted(row: Mapping[str, Any], known: Known, moments: Moments) -> tuple[Decimal, str | None] | RefusedEntry:
    """The quantity of a counted line in the item's base unit and when it was counted, or what keeps it from being
    taken.

    Args:
        row: a line as :data:`~kotrel.core.counting.frames.LINES` names its parts, with its place where there is one.
        moments: of each time and date in the sheet.
    """
    key = (row["item"], row["warehouse"], row["bin"], row["lot"], row["serial"])
    trouble = _trouble(key, row, row[NUMBER] is not None, known)
    if trouble is not None:
        return trouble
    at, odd = moments[row["time"], row["date"]]
    if odd:
        return RefusedEntry(odd.kind, odd.title, "date" if row["time"] is None else "time", odd.message)
    counted = Decimal(row["counted"])
    if row["unit"] is not None and row["unit"] != known.units.get(row["item"]):
        counted *= known.factors[row["item"], row["unit"]]
    if impossible := known.trouble_of(row["item"], counted):
        return RefusedEntry("not-countable", "not a quantity that can be counted", "counted", impossible)
    if row["serial"] is not None and counted > 1:
        message = "a serial number is one piece: 1, or 0 where it is not there"
        return RefusedEntry("serial-not-one", "a serial number counted more than once", "counted", message)
    if row["item"] in known.archived and counted != Decimal(row["expected"] or 0):
        message = "the item is archived, so its difference cannot be posted: take it out of the archive first"
        return RefusedEntry("archived", "archived items", "item", message)
    return counted, at


def _group(
    rows: Rows, kind: str, title: str, name: str | None, marked: list[tuple[int, str, str | None]]
) -> FindingGroup:
    numbers = [row for row, _, _ in marked]
    stands: list[str | None] = [None] * len(marked)
    if name is not None and name in rows.values.columns:
        cells = dict(rows.values.select(ROW).hstack([rows.as_it_stands(name)]).iter_rows())
        stands = [cells.get(row) for row in numbers]
    return rows.group(
        "error",
        kind,
        title,
        name,
        cells_of(numbers, stands, [each[1] for each in marked], [each[2] for each in marked]),
    )


def _not_there(name: str, title: str, message: str, near: str | None) -> RefusedEntry:
    return RefusedEntry("not-on-list", title, name, message, f"{near}?" if near else None)


def _trouble(key: Key, row: Mapping[str, str | None], has_place: bool, known: Known) -> RefusedEntry | None:
    """What keeps a line from being taken, but for its time and quantity."""
    item, warehouse, bin_, lot, serial = key
    if item not in known.units:
        return _not_there("item", "not an item", "there is no such item", known.nearest_item(str(item)))
    if warehouse is None:
        where = "say where this was counted: a column Warehouse, or --warehouse"
        return RefusedEntry("missing", "no warehouse", "item", where)
    unit = row["unit"]
    if unit is not None and unit != known.units[item] and (item, unit) not in known.factors:
        return RefusedEntry(
            "not-its-own",
            "not a unit of the item",
            "unit",
            f"the item has {known.units[item]} and no conversion from {unit}",
        )
    if has_place:
        return None
    if bin_ is not None and known.bins is not None and (warehouse, bin_) not in known.bins:
        near = known.nearest_bin(warehouse, bin_)
        return _not_there("bin", "not a bin of its warehouse", f"{warehouse} has no bin {bin_}", near)
    for name, value in (("lot", lot), ("serial", serial)):
        tracked = name in known.tracked.get(item, ())
        if tracked and value is None:
            which = f"the item is {name}-tracked: say which {name} this is"
            return RefusedEntry(f"{name}-needed", f"no {name}", name, which)
        if not tracked and value is not None:
            return RefusedEntry(
                f"{name}-not-tracked",
                f"a {name} of an item without",
                name,
                f"the item is not {name}-tracked: clear the cell",
            )
    return None
