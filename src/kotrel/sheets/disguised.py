"""Files that are not what their ending says, as many programs export them: a web page or XML that is called .xls."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any

import polars as pl

from kotrel.core.errors import OutOfReach
from kotrel.core.tables.reading_limits import Limits
from kotrel.core.tables.table import Grid, letter_of

_SHEET_XML = "{urn:schemas-microsoft-com:office:spreadsheet}"
_OFFICE = "{urn:schemas-microsoft-com:office:excel}"
MOST_BYTES, MOST_CELLS, WIDEST = 200 << 20, 20_000_000, 1 << 14
Cell = tuple[str, str]
"""What a cell says, and its kind (see :data:`kotrel.core.tables.table.CellKinds`)."""


def tables_of_page(path: Path, sheet: str | None, limits: Limits) -> list[Grid]:
    """The tables of a web page, each as a sheet: those with two rows and two columns at least; none where it has no
    such table.

    Raises:
        OutOfReach: it cannot be read, or is too large.
    """
    from lxml import html

    # Nothing is fetched, and no entity of its own is resolved.
    parser = html.HTMLParser(no_network=True, huge_tree=False, encoding=_said_encoding(path))
    try:
        root = _parsed(path, html, parser, limits)
    except OutOfReach as error:
        if error.kind != "damaged-file":
            raise
        # A page with nothing in it has no tables.
        return []
    grids: list[Grid] = []
    for table in root.iter("table"):
        if any(each.tag == "table" for each in table.iterdescendants()):
            # A table that lays out a page; those within it are read.
            continue
        rows = _rows_of_table(table)
        if len(rows) > 1 and max(map(len, rows)) > 1:
            caption = table.find("caption")
            name = " ".join(caption.text_content().split()) if caption is not None else f"Table {len(grids) + 1}"
            grids.append(_grid(path, name, rows))
    return [each for each in grids if sheet is None or each.name == sheet]


def sheets_of_xml(path: Path, sheet: str | None, limits: Limits) -> list[Grid]:
    """The sheets of a workbook written as one XML file (2003); none where it is other XML.

    Raises:
        OutOfReach: it cannot be read, is too large, or declares entities of its own.
    """
    from lxml import etree

    parser = etree.XMLParser(no_network=True, huge_tree=False, resolve_entities=False, load_dtd=False)
    root = _parsed(path, etree, parser, limits)
    document = root.getroottree().docinfo
    if document.internalDTD is not None and any(True for _ in document.internalDTD.iterentities()):
        raise OutOfReach(
            f"{path} declares entities, and Kotrel does not read such a file",
            "Get it from its source again.",
            "damaged-file",
        )
    if root.tag != f"{_SHEET_XML}Workbook":
        return []
    grids: list[Grid] = []
    for page in root.iter(f"{_SHEET_XML}Worksheet"):
        name = str(page.get(f"{_SHEET_XML}Name", f"Sheet {len(grids) + 1}"))
        if sheet is None or name == sheet:
            grids.append(_grid(path, name, _rows_of_sheet(page)))
    return grids


def _parsed(path: Path, module: Any, parser: Any, limits: Limits) -> Any:
    size = path.stat().st_size
    if size > min(MOST_BYTES, limits.characters * 1_000_000):
        raise OutOfReach(f"{path} has {size:,} bytes: that is too large to be read", "Split it.", "too-large")
    try:
        root = module.parse(str(path), parser).getroot()
    except (OSError, ValueError, SyntaxError) as error:
        # What lxml refuses is a SyntaxError of its own.
        raise OutOfReach(f"{path} is damaged: {error}", "Get it from its source again.", "damaged-file") from None
    if root is None:
        raise OutOfReach(f"{path} has nothing in it", "Get it from its source again.", "damaged-file")
    return root


def _said_encoding(path: Path) -> str | None:
    """The encoding of a page that says none itself: UTF-8 where it is that,
    else what Windows writes in western Europe.
    """
    raw = path.read_bytes()
    if b"charset" in raw[:4000].lower() or raw.startswith((b"\xff\xfe", b"\xfe\xff", b"\xef\xbb\xbf")):
        return None
    try:
        raw.decode("utf-8")
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8"


def _rows_of_table(table: Any) -> list[list[Cell]]:
    """The rows of an HTML table; a cell over several rows or columns is in the first of them, as in a workbook."""
    rows: list[list[Cell]] = []
    taken: dict[tuple[int, int], bool] = {}
    for number, line in enumerate(table.iter("tr")):
        cells: list[Cell] = []
        for cell in line.iterchildren("td", "th"):
            while (number, len(cells)) in taken:
                cells.append(("", "text"))
            wide, high = (_span(cell.get(name)) for name in ("colspan", "rowspan"))
            place = len(cells)
            cells.append(_cell_of_page(cell))
            cells += [("", "text")] * (wide - 1)
            taken |= {(number + down, place + right): True for down in range(1, high) for right in range(wide)}
        rows.append(cells)
    return rows


def _span(said: str | None) -> int:
    return min(max(int(said), 1), WIDEST) if said is not None and said.strip().isdigit() else 1


def _cell_of_page(cell: Any) -> Cell:
    text = " ".join(str(cell.text_content()).replace("\xa0", " ").split())
    held = cell.get("x:num") or cell.get(f"{_OFFICE}num") or cell.get("num")
    if held is not None and (number := _plain_number(held)) is not None:
        # What the program held, whatever its cell shows.
        return number, "number"
    return text, "text"


def _rows_of_sheet(page: Any) -> list[list[Cell]]:
    rows: list[list[Cell]] = []
    for line in page.iter(f"{_SHEET_XML}Row"):
        at = int(line.get(f"{_SHEET_XML}Index", len(rows) + 1))
        rows += [[] for _ in range(min(at, 1 << 20) - 1 - len(rows))]
        cells: list[Cell] = []
        for each in line.iterchildren(f"{_SHEET_XML}Cell"):
            place = int(each.get(f"{_SHEET_XML}Index", len(cells) + 1))
            cells += [("", "text")] * (min(place, WIDEST) - 1 - len(cells))
            cells.append(_cell_of_sheet(each))
            cells += [("", "text")] * min(int(each.get(f"{_SHEET_XML}MergeAcross", 0)), WIDEST)
        rows.append(cells)
    return rows


def _cell_of_sheet(cell: Any) -> Cell:
    data = cell.find(f"{_SHEET_XML}Data")
    if data is None:
        return "", "text"
    text, kind = "".join(data.itertext()), data.get(f"{_SHEET_XML}Type", "String")
    if kind == "Number" and (number := _plain_number(text)) is not None:
        return number, "number"
    if kind == "DateTime":
        day, _, time = text.partition("T")
        return (day if time.strip("0:.Z") == "" else f"{day} {time.split('.')[0]}"), "date"
    if kind == "Boolean":
        return ("yes" if text == "1" else "no"), "yes_no"
    return text, "error" if kind == "Error" else "text"


def _plain_number(text: str) -> str | None:
    try:
        number = Decimal(text.strip())
    except InvalidOperation:
        return None
    return f"{number:f}" if number.is_finite() and abs(number.adjusted()) < 40 else None


def _grid(path: Path, name: str, rows: Sequence[Sequence[Cell]]) -> Grid:
    width = max(map(len, rows), default=0)
    if width * len(rows) > MOST_CELLS:
        raise OutOfReach(f"{path} has more cells than can be read", "Split it.", "too-large")

    def column(place: int, part: int) -> Iterator[str | None]:
        for row in rows:
            cell = row[place] if place < len(row) else ("", "text")
            yield cell[part] if part or cell[0] != "" else None

    letters = [letter_of(place) for place in range(width)]
    cells = pl.DataFrame(
        {letter: pl.Series(list(column(place, 0)), dtype=pl.String) for place, letter in enumerate(letters)}
    )
    kinds = {letter: pl.Series(list(column(place, 1)), dtype=pl.String) for place, letter in enumerate(letters)}
    return Grid(str(path), name, cells, kinds)
