"""Another program's own file, as it is: every cell with its look, and how the text is written."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Literal

from msgspec import Struct, field

CellKind = Literal["blank", "text", "number", "date", "other"]


class SampleCell(Struct, frozen=True):
    """One cell.

    Attributes:
        text: its text; of a number its digits, of a day YYYY-MM-DD.
        kind: ``other`` is a formula, a yes/no cell or an error.
        format: how a workbook shows a number.
    """

    text: str = ""
    kind: CellKind = "blank"
    format: str = ""
    bold: bool = False


BLANK = SampleCell()


class Sample(Struct, frozen=True):
    """A template or an example, each line as wide as the widest.

    Attributes:
        separator, encoding, line_end, quotes: of a text file, as a layout has them.
        counts: how many values each line of a text file has.
        ends: whether the last line has its end.
        seen: those of them that the file itself shows; the others are usual.
        sheet: the sheet of a workbook; ``sheets``: all of them.
        choices: place of a column, from 0 → the words of its drop-down list.
        lengths: place of a column → the most characters that it takes.
    """

    path: Path
    kind: Literal["text", "workbook"]
    lines: tuple[tuple[SampleCell, ...], ...]
    encoding: str = "utf-8"
    separator: str = ","
    line_end: str = "\r\n"
    quotes: Literal["needed", "all", "none"] = "needed"
    ends: bool = True
    counts: tuple[int, ...] = ()
    seen: frozenset[str] = frozenset()
    sheet: str = ""
    sheets: tuple[str, ...] = ()
    choices: Mapping[int, tuple[str, ...]] = field(default_factory=dict)
    lengths: Mapping[int, int] = field(default_factory=dict)

    @property
    def width(self) -> int:
        return max((len(line) for line in self.lines), default=0)
