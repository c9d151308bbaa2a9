"""A page: its content as plain objects, and the one HTML file made of it, which needs nothing else to be read."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Sequence
from datetime import datetime
from decimal import Decimal
from functools import cache
from pathlib import Path
from typing import Any, Literal

from msgspec import Struct

from kotrel import __version__
from kotrel.core.errors import OutOfReach
from kotrel.sheets.safe_writing import written_whole

MOST_ROWS = 1_000
"""A table on a page has at most these rows; the others are in a workbook beside it."""

Tone = Literal["", "good", "warn", "bad"]


class Cell(Struct, frozen=True):
    """One cell of a table.

    Attributes:
        text: what is in it; texts of a user's file stay texts, whatever is in them.
        number: it is aligned as a number.
        tone: how it is meant; the text says it too.
    """

    text: str
    number: bool = False
    tone: Tone = ""

    @property
    def style(self) -> str:
        """The classes of the cell: a code or a number is never broken over two lines."""
        whole = "number" if self.number else "whole" if len(self.text) <= LONGEST_WHOLE and " " not in self.text else ""
        return " ".join(filter(None, (whole, self.tone)))


LONGEST_WHOLE = 24
"""A word of at most these characters stays on one line: item codes have hyphens."""

Row = Sequence[str | Cell]


class PageTable(Struct, frozen=True):
    """A table.

    Attributes:
        caption: what it shows.
        heads: the headings of its columns.
        rows: texts or cells; at most :data:`MOST_ROWS` are on the page.
        total: how many rows there are; None where all of them are in ``rows``.
        foot: the last row, such as a total.
        searched: the reader may search in it.
    """

    caption: str
    heads: Sequence[str]
    rows: Sequence[Row]
    total: int | None = None
    foot: Row = ()
    searched: bool = False

    @property
    def shown(self) -> Sequence[Row]:
        return self.rows[:MOST_ROWS]

    @property
    def more(self) -> int:
        return (len(self.rows) if self.total is None else self.total) - len(self.shown)


class Bar(Struct, frozen=True):
    """One bar: its label, its value, and the words beside it."""

    label: str
    value: float
    words: str


class Chart(Struct, frozen=True):
    """Bars to the left and the right of zero.

    Attributes:
        caption: what they show.
    """

    caption: str
    bars: Sequence[Bar]

    @property
    def placed(self) -> list[dict[str, Any]]:
        """Each bar with where it begins and how wide it is, in per cent of the room."""
        low = min(0.0, *(bar.value for bar in self.bars))
        high = max(0.0, *(bar.value for bar in self.bars))
        span = (high - low) or 1.0
        zero = -low / span * 100
        placed = []
        for bar in self.bars:
            wide = max(abs(bar.value) / span * 100, 0.4)
            left = zero if bar.value >= 0 else zero - wide
            placed.append({"bar": bar, "left": round(left, 2), "wide": round(wide, 2), "down": bar.value < 0})
        return placed


class Section(Struct, frozen=True):
    """A part of a page, with its heading."""

    title: str
    words: Sequence[str] = ()
    tables: Sequence[PageTable] = ()
    charts: Sequence[Chart] = ()
    notes: Sequence[str] = ()


class Page(Struct, frozen=True):
    """A page.

    Attributes:
        kind: what it is about, such as “Load report”.
        title: its name.
        lead: the one sentence on top.
        tone: whether that is good news.
        facts: what, who, when, in pairs.
        sections: the parts below.
        signed: there is room to sign.
        rest: the workbook with the rows that have no room here, or None.
    """

    kind: str
    title: str
    lead: str
    facts: Sequence[tuple[str, str]]
    sections: Sequence[Section]
    tone: Tone = ""
    signed: bool = False
    rest: str | None = None


def number_cell(value: Decimal | int | None, decimals: int | None = None, tone: Tone = "", sign: bool = False) -> Cell:
    """A number, with its thousands apart; a blank for None."""
    if value is None:
        return Cell("", True)
    form = f"{'+' if sign and value > 0 else ''},{'' if decimals is None else f'.{decimals}'}f"
    exact = Decimal(value)
    if decimals is None:
        exact = exact.normalize() if exact == exact.to_integral_value() or exact.as_tuple().exponent else exact
    return Cell(format(exact, form), True, tone)


@cache
def _environment() -> Any:
    import jinja2

    return jinja2.Environment(
        loader=jinja2.PackageLoader("kotrel.reporting"),
        autoescape=True,
        trim_blocks=True,
        lstrip_blocks=True,
        undefined=jinja2.StrictUndefined,
    )


def render(page: Page, made: datetime) -> str:
    """The page as one HTML file: no text of a cell becomes markup, and nothing is fetched."""
    environment = _environment()
    script = environment.get_template("page.js").render()
    digest = base64.b64encode(hashlib.sha256(script.encode()).digest()).decode()
    html: str = environment.get_template("page.html").render(
        page=page,
        made=made.strftime("%Y-%m-%d %H:%M"),
        version=__version__,
        style=environment.get_template("page.css").render(),
        script=script,
        digest=digest,
        running=_css_text(f"{page.kind}: {page.title}"),
        cell=_cell,
    )
    return html


def _css_text(text: str) -> str:
    """A text as CSS writes it, with nothing in it that CSS or HTML could read otherwise."""
    letters = (
        each if each.isascii() and (each.isalnum() or each in " .,") else f"\\{ord(each):x} " for each in text[:100]
    )
    return f'"{"".join(letters)}"'


def _cell(value: str | Cell) -> Cell:
    return value if isinstance(value, Cell) else Cell(value)


def write_page(page: Page, path: Path, made: datetime) -> None:
    """Writes the page to a new file.

    Raises:
        OutOfReach: it cannot be written.
    """
    text = render(page, made)
    try:
        with written_whole(path) as temporary:
            temporary.write_text(text, "utf-8", newline="\n")
    except OSError as error:
        raise OutOfReach(f"{path} cannot be written: {error.strerror or error}", "", "no-right") from None
