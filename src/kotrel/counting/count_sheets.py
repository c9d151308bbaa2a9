"""Count sheets: made for a clipboard, printed on A4, protected but for what people fill in."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

import polars as pl
from msgspec import Struct

from kotrel.core.counting.variance import CountPlace
from kotrel.core.documents.document_tables import plain_quantity
from kotrel.core.errors import WrongData
from kotrel.core.phrases import count as counted
from kotrel.counting.count_files import open_count
from kotrel.counting.count_state import State, state_of
from kotrel.counting.helpers import Helpers
from kotrel.sheets.cell_texts import writable
from kotrel.sheets.new_workbook import new_workbook
from kotrel.sheets.output import OutColumn, OutSheet
from kotrel.sheets.print_layout import for_print
from kotrel.sheets.safe_writing import free_name, written_whole
from kotrel.sheets.text_writing import text_form, write_text
from kotrel.workspace.settings import Workspace

STAMP = "kotrel_count_sheet"
"""The property that says which sheet of which count a workbook is: ``name/number/round``."""
HEADINGS = ("Item", "Description", "Bin", "Lot", "Serial", "Unit", "Expected", "Counted", "Counter", "Time", "Remark")
FILLED_IN = ("Counted", "Counter", "Time", "Remark")
WIDTHS = {"Item": 13, "Description": 34, "Bin": 9, "Lot": 12, "Serial": 14, "Unit": 6, "Expected": 10, "Counted": 12, "Counter": 10,
          "Time": 17, "Remark": 24}  # fmt: skip
MOST_WRITERS, WORTH_PROCESSES = 4, 10_000
"""The most processes that write sheets, and the lines from which they are worth their start."""
SPARE = 12
"""Blank rows at the end, for finds."""


class CountSheet(Struct, frozen=True):
    """One sheet: its title, its stamp, and the places on it.

    Attributes:
        counter: who is to count it, filled in on every line; or an empty text.
    """

    title: str
    subtitle: str
    stamp: str
    warehouse: str
    places: tuple[CountPlace, ...]
    blind: bool
    counter: str = ""


def write_count_sheet(sheet: CountSheet, path: Path) -> None:
    """Writes a workbook with one sheet."""
    with written_whole(path) as temporary:
        book = new_workbook(temporary, len(sheet.places))
        book.set_custom_property(STAMP, sheet.stamp)
        out = book.add_worksheet("Count")
        title = book.add_format({"bold": True, "font_size": 14})
        small = book.add_format({"font_color": "#555555"})
        heading = book.add_format({"bold": True, "bottom": 1, "bg_color": "#EEF2F3", "valign": "vcenter"})
        fixed = book.add_format({"valign": "vcenter", "bottom": 4, "bottom_color": "#B5C0C4", "num_format": "@"})
        number = book.add_format({"valign": "vcenter", "bottom": 4, "bottom_color": "#B5C0C4"})
        free = book.add_format(
            {"locked": False, "valign": "vcenter", "border": 1, "border_color": "#8FA3AA", "bg_color": "#FFFDF2"}
        )
        time = book.add_format(
            {
                "locked": False,
                "valign": "vcenter",
                "border": 1,
                "border_color": "#8FA3AA",
                "bg_color": "#FFFDF2",
                "num_format": "@",
            }
        )
        headings = [name for name in HEADINGS if not (sheet.blind and name == "Expected")]
        out.write_string(0, 0, sheet.title, title)
        out.write_string(1, 0, sheet.subtitle, small)
        for column, name in enumerate(headings):
            out.write_string(3, column, name, heading)
            out.set_column(column, column, WIDTHS[name])
        for row, place in enumerate(sheet.places, start=4):
            _write_place(
                out, row, place, headings, {"text": fixed, "number": number, "free": free, "time": time}, sheet.counter
            )
        for row in range(4 + len(sheet.places), 4 + len(sheet.places) + SPARE):
            for column, name in enumerate(headings):
                out.write_blank(row, column, None, time if name in ("Item", "Lot", "Serial", "Time", "Bin") else free)
        last = 3 + len(sheet.places) + SPARE
        for row in range(4, last + 1):
            out.set_row(row, 22)
        out.freeze_panes(4, 1)
        out.protect("", {"format_columns": True, "sort": True, "autofilter": True, "select_locked_cells": True})
        for_print(out, headings=3)
        out.set_header(f"&L{_header_text(sheet.title)}&R{_header_text(sheet.subtitle)}")
        out.set_footer("&LCounted by: ____________________   Date: ______________&RPage &P of &N")
        out.print_area(0, 0, last, len(headings) - 1)
        book.close()


def _header_text(text: str) -> str:
    """A text for a header of the printed page, where & begins a code."""
    return text.replace("&", "&&")[:120]


def _texts_of(place: CountPlace) -> dict[str, str | None]:
    """Heading → what a line says of its place."""
    return {
        "Item": place.item,
        "Description": place.description,
        "Bin": place.bin,
        "Lot": place.lot,
        "Serial": place.serial,
        "Unit": place.unit,
    }


def _write_place(out, row: int, place: CountPlace, headings: Sequence[str], formats, counter: str) -> None:  # type: ignore[no-untyped-def]
    values = _texts_of(place)
    for column, name in enumerate(headings):
        if name == "Expected":
            out.write_number(row, column, float(place.expected), formats["number"])
        elif name == "Counter" and counter:
            out.write_string(row, column, writable(counter), formats["free"])
        elif name in FILLED_IN:
            out.write_blank(row, column, None, formats["time" if name == "Time" else "free"])
        elif values.get(name):
            out.write_string(row, column, writable(str(values[name])), formats["text"])
        else:
            out.write_blank(row, column, None, formats["text"])


def write_count_text(sheet: CountSheet, path: Path) -> None:
    """Writes the same as a text file; its warehouse is a column, because a text file has no other place for it."""
    headings = ["Warehouse", *(name for name in HEADINGS if not (sheet.blind and name == "Expected"))]
    rows = []
    for place in sheet.places:
        values = {
            **_texts_of(place),
            "Warehouse": place.warehouse,
            "Expected": plain_quantity(place.expected),
            "Counter": sheet.counter or None,
        }
        rows.append([values.get(name) for name in headings])
    frame = pl.DataFrame(rows, schema=dict.fromkeys(headings, pl.String), orient="row")
    with written_whole(path) as temporary:
        write_text(OutSheet("Count", tuple(map(OutColumn, headings)), frame), temporary, text_form(path.suffix))


class CountSheetOptions(Struct, frozen=True):
    """How sheets are made.

    Attributes:
        per: ``warehouse``, ``bin`` or ``category``: one sheet for each.
        split: each of them in so many parts.
        counters: those who count: a part for each of them, in place of ``split``.
        blind: without what is expected.
        text: text files instead of workbooks.
        recount: only what is to be counted again.
    """

    per: str = "warehouse"
    split: int = 1
    blind: bool = False
    text: bool = False
    recount: bool = False
    counters: tuple[str, ...] = ()


def _recount(round_: int) -> str:
    return "" if not round_ else f" recount {round_}" if round_ > 1 else " recount"


def _wanted_places(name: str, state: State, options: CountSheetOptions) -> list[CountPlace]:
    wanted = [line.place for line in state.open_lines if not options.recount or line.recount]
    if not wanted:
        raise WrongData(
            f"nothing of {name} is to be counted{' again' if options.recount else ''}",
            "kotrel count variance shows how far it is.",
            "nothing-to-count",
        )
    return wanted


def make_sheets(name: str, options: CountSheetOptions, folder: Path, workspace: Workspace) -> list[tuple[Path, int]]:
    """Writes the sheets; returns each file with its number of lines.

    Raises:
        WrongUse: there is no such count.
        WrongData: there is nothing to count (again).
    """
    state = state_of(name, workspace)
    rounds = int(state.counted["round"].max() or 0)  # type: ignore[arg-type]
    wanted = _wanted_places(name, state, options)
    written: dict[Path, CountSheet] = {}
    with open_count(workspace.hidden, name) as count:
        number = int(count.about().get("sheets", "0"))
        folder.mkdir(parents=True, exist_ok=True)
        round_ = rounds + 1 if options.recount else 0
        for key, places in _groups(wanted, options.per):
            parts = _split(places, len(options.counters) or options.split)
            for part, mine in enumerate(parts, start=1):
                number += 1
                counter = options.counters[part - 1] if options.counters else ""
                part_of = f"part {part} of {len(parts)}" if len(parts) > 1 else ""
                sheet = CountSheet(
                    ", ".join(filter(None, (f"Count {name}: {key}{_recount(round_)}", part_of, counter))),
                    f"{counted(len(mine), 'line')} · sheet {number} · {_bins(mine)}",
                    f"{name}/{number}/{round_}",
                    mine[0].warehouse or "",
                    tuple(mine),
                    options.blind,
                    counter,
                )
                ends = _file_name_part(counter) or (str(part) if part_of else "")
                stem = "-".join(filter(None, (name, _file_name_part(key), "recount" if round_ else "", ends)))
                path = free_name(folder / f"{stem}.{'csv' if options.text else 'xlsx'}", written)
                written[path] = sheet
        _write_all(written, write_count_text if options.text else write_count_sheet)
        count.note("sheets", str(number))
    return [(path, len(sheet.places)) for path, sheet in written.items()]


def _write_all(sheets: Mapping[Path, CountSheet], write: Callable[[CountSheet, Path], None]) -> None:
    """Writes the sheets, on all cores where there are many lines: they take a second for each 5,000."""
    lines = sum(len(sheet.places) for sheet in sheets.values())
    cores = min(os.cpu_count() or 1, MOST_WRITERS, len(sheets))
    with Helpers(cores - 1 if lines >= WORTH_PROCESSES else 0, here=True) as helpers:
        for done in [helpers.submit(write, sheet, path) for path, sheet in sheets.items()]:
            done.result()


def _groups(places: Sequence[CountPlace], per: str) -> list[tuple[str, list[CountPlace]]]:
    """The places of each sheet: always of one warehouse."""
    found: dict[tuple[str, str], list[CountPlace]] = {}
    for place in places:
        key = {"bin": place.bin, "category": place.category}.get(per) or ""
        found.setdefault((place.warehouse or "", key), []).append(place)
    return [(" ".join(filter(None, key)), mine) for key, mine in found.items()]


def _split(places: list[CountPlace], parts: int) -> list[list[CountPlace]]:
    """About equal parts, each of neighbouring places."""
    size, rest = divmod(len(places), parts)
    sheets, at = [], 0
    for part in range(parts):
        end = at + size + (part < rest)
        if end > at:
            sheets.append(places[at:end])
        at = end
    return sheets


def _bins(places: Sequence[CountPlace]) -> str:
    bins = [place.bin for place in places if place.bin]
    return f"bins {bins[0]} to {bins[-1]}" if bins and bins[0] != bins[-1] else f"bin {bins[0]}" if bins else "no bins"


def _file_name_part(text: str) -> str:
    return re.sub(r"[^\w.-]+", "-", text).strip("-.")
