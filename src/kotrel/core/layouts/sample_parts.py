"""Which lines of another program's file are above its headings, about its columns, and rows."""

from __future__ import annotations

import re
from collections.abc import Sequence

from msgspec import Struct

from kotrel.core.layouts.sample import Sample, SampleCell
from kotrel.core.tables.about_columns import are_types, is_must

_PLAIN_NUMBER = re.compile(r"-?[0-9][0-9., ]*")
_DAY = re.compile(r"[0-9]{1,4}[-./][0-9]{1,2}[-./][0-9]{1,4}")
_FIRST = 8
"""Lines below the headings that are looked at, at most."""


class Parts(Struct, frozen=True):
    """Numbers of lines, from 0; the rows begin at ``rows``.

    Attributes:
        headings: the line of the headings, or None.
        why: what shows that a line is about the columns: its number → in words.
    """

    headings: int | None
    rows: int
    why: dict[int, str]


def sample_parts_of(sample: Sample, heading_row: int | None, recognised: int) -> Parts:
    """The parts of a file.

    Args:
        heading_row: as the user named it, 0 for none; None to look for it.
        recognised: the row in which the table's headings were recognised, from 1.
    """
    if heading_row == 0 or (heading_row is None and _is_row(sample, recognised - 1)):
        return Parts(None, 0, {})
    headings = (heading_row or recognised) - 1
    why: dict[int, str] = {}
    rows = headings + 1
    while rows < min(len(sample.lines), headings + 1 + _FIRST) and (said := _about(sample, rows)):
        why[rows] = said
        rows += 1
    return Parts(headings, rows, why)


def _is_row(sample: Sample, at: int) -> bool:
    """True where a line has a number or a day: no heading is one."""
    cells = [cell for cell in sample.lines[at] if cell.kind != "blank"]
    return any(_is_value(cell) for cell in cells)


def _is_value(cell: SampleCell) -> bool:
    text = cell.text.strip()
    return cell.kind in ("number", "date") or bool(_PLAIN_NUMBER.fullmatch(text) or _DAY.fullmatch(text))


def _about(sample: Sample, at: int) -> str:
    """What shows that a line below the headings is about the columns, or an empty text: then it is the first row."""
    texts = [cell.text.strip() for cell in sample.lines[at] if cell.kind != "blank"]
    below = list(filter(_is_filled, sample.lines[at + 1 :]))
    if not texts:
        return "a blank line" if below else ""
    if is_must(texts):
        return "it says what must be filled"
    if are_types(texts):
        return "it has data types"
    words = (index for index, cell in enumerate(sample.lines[at]) if cell.kind == "text" and not _is_value(cell))
    if any(_are_values([line[index] for line in below]) for index in words):
        return "it has words where all rows below it have numbers or days"
    return ""


def _are_values(cells: Sequence[SampleCell]) -> bool:
    filled = [cell for cell in cells if cell.kind != "blank"]
    return bool(filled) and all(map(_is_value, filled))


def _is_filled(line: Sequence[SampleCell]) -> bool:
    return any(cell.kind != "blank" for cell in line)
