"""What a workbook may claim: a stray cell a million rows down, or a made-up count, must not fill the machine."""

from __future__ import annotations

import re
import zipfile
from pathlib import Path

from kotrel.core.errors import OutOfReach
from kotrel.core.tables.reading_limits import USUAL, Limits
from kotrel.core.tables.table import index_of, letter_of
from kotrel.sheets.ooxml.archives import DAMAGED, damaged
from kotrel.sheets.ooxml.binary_parts import extent
from kotrel.sheets.ooxml.sheet_xml import has_any

ROWS, COLUMNS = 1 << 20, 1 << 14
"""A worksheet has no more rows and columns than these (ECMA-376, part 1)."""
SPARSE = 50
"""Beyond that, at least one of this many cells must be filled."""
UNPACKED, RATIO = 64 << 20, 150
"""A part above this size that is packed more tightly than this ratio is made to fill a machine:
rows of cells pack 10 to 40 times.
"""
LOOKED_THROUGH = 48 << 20
"""Larger parts are full of cells; only what they claim at their head is looked at."""

_ROW = re.compile(rb"<(?:[\w.-]+:)?row\b[^<>]*?\sr\s*=\s*[\"']([0-9]+)")
_FAR = re.compile(rb"\sr\s*=\s*[\"']([A-Za-z]{2,})([0-9]+)[\"']")
_DIMENSION = re.compile(rb"<(?:[\w.-]+:)?dimension\b[^<>]*?:([A-Za-z]+)([0-9]+)[\"']")
_COUNT = re.compile(rb"<(?:[\w.-]+:)?sst\b[^<>]*?\suniqueCount\s*=\s*[\"']([0-9]+)")
_CELL = re.compile(rb"<(?:[\w.-]+:)?c[\s/>]")


def require_sane(path: Path, limits: Limits = USUAL) -> None:
    """Makes sure that a workbook of XML parts does not claim far more than it holds.

    Raises:
        OutOfReach: it does; the message says where.
    """
    try:
        with zipfile.ZipFile(path) as book:
            _require_packed_as_usual(path, book, limits)
            for part in book.infolist():
                name = part.filename.replace("\\", "/").lower()
                if name.endswith("sharedstrings.xml"):
                    _require_texts(path, book, part)
                elif "/worksheets/" in name and name.endswith(".xml"):
                    _require_cells(path, book, part, limits)
                elif "/worksheets/" in name and name.endswith(".bin"):
                    _require_room(path, *extent(book.read(part)), limits)
                elif name == "content.xml":
                    _require_repeats(path, book, part, limits)
            _require_expanded(path, book, limits)
    except DAMAGED:
        raise damaged(path) from None


def _require_packed_as_usual(path: Path, book: zipfile.ZipFile, limits: Limits) -> None:
    """Raises OutOfReach where parts unpack to far more than sheets of people do,
    or all of them to more than there is room for.
    """
    for part in book.infolist():
        if part.file_size > UNPACKED and part.file_size > RATIO * max(part.compress_size, 1):
            raise OutOfReach(
                f"{path} is packed as no spreadsheet packs a workbook: {part.filename} would unpack to "
                f"{part.file_size >> 20:,} MB out of {max(part.compress_size >> 20, 1):,}",
                "If you know where it comes from, open it in the spreadsheet program, delete what is not needed, and save it again.",
                "too-large",
            )
    whole = sum(part.file_size for part in book.infolist())
    if whole > limits.memory_mb << 20:
        raise OutOfReach(
            f"{path} unpacks to {whole >> 20:,} MB, more than the {limits.memory_mb:,} that are allowed",
            "Split the workbook, or save its sheets as text files; or allow more: memory_mb under [limits] in kotrel.toml.",
            "too-large",
        )


def _require_texts(path: Path, book: zipfile.ZipFile, part: zipfile.ZipInfo) -> None:
    with book.open(part) as xml:
        found = _COUNT.search(xml.read(4096))
    # The shortest text takes five bytes: <si/>.
    if found and int(found[1]) * 5 > part.file_size + 4096:
        raise damaged(path)


_SHARED = re.compile(rb"<(?:[\w.-]+:)?si[\s>](.*?)</(?:[\w.-]+:)?si>", re.DOTALL)
_SHARED_ENDS = re.compile(rb"</(?:[\w.-]+:)?si>")
_USED = re.compile(rb"\st\s*=\s*[\"']s[\"'][^<>]*>\s*<(?:[\w.-]+:)?v[^<>]*>([0-9]+)<")


def _lengths_of(texts: bytes) -> list[int]:
    """The length of each shared text."""
    # Beyond the last end of a text, none that is begun can end: looking for it from each would take the square of the
    # time.
    ends = [found.end() for found in _SHARED_ENDS.finditer(texts)]
    return [len(found) for found in _SHARED.findall(texts, 0, ends[-1] if ends else 0)]


def _texts_and_sheets(book: zipfile.ZipFile) -> tuple[zipfile.ZipInfo | None, list[zipfile.ZipInfo]]:
    """The part with the shared texts, if there is one, and those of the sheets."""
    names = {part.filename.replace("\\", "/").lower(): part for part in book.infolist()}
    shared = next((part for name, part in names.items() if name.endswith("sharedstrings.xml")), None)
    return shared, [part for name, part in names.items() if "/worksheets/" in name and name.endswith(".xml")]


def _require_expanded(path: Path, book: zipfile.ZipFile, limits: Limits) -> None:
    """Makes sure that shared texts, each written once, do not fill the machine where millions of cells have them."""
    shared, sheets = _texts_and_sheets(book)
    most = limits.characters * 1_000_000
    if shared is None or shared.file_size * sum(part.file_size for part in sheets) < most * 40:
        return
    lengths = _lengths_of(book.read(shared))
    if not lengths or max(lengths) * sum(part.file_size // 20 for part in sheets) < most:
        return
    total = 0
    for part in sheets:
        used = map(int, _USED.findall(book.read(part)))
        total += sum(lengths[number] for number in used if number < len(lengths))
        if total > most:
            raise OutOfReach(
                f"the cells of {path} would have more than {limits.characters:,} million characters in all",
                "Split the workbook, or save its sheets as text files; or allow more: characters under [limits] in kotrel.toml.",
                "too-large",
            )


_REPEAT = re.compile(rb"number-(columns|rows)-repeated\s*=\s*[\"']([0-9]+)[\"']")


def _require_repeats(path: Path, book: zipfile.ZipFile, part: zipfile.ZipInfo, limits: Limits) -> None:
    """Makes sure that repeated cells of an .ods workbook stay within what a sheet can have."""
    with book.open(part) as xml:
        text = xml.read(LOOKED_THROUGH)
    times = {kind: [int(n) for k, n in _REPEAT.findall(text) if k == kind] for kind in (b"columns", b"rows")}
    most = {kind: max(found, default=1) for kind, found in times.items()}
    rows = text.count(b"table-row>") + text.count(b"table-row ") + most[b"rows"] if most[b"columns"] > 1 else 1
    filled_far = re.search(rb"number-columns-repeated\s*=\s*[\"'][0-9]{5,}[\"'][^>]*value-type", text) or re.search(
        rb"value-type[^>]*number-columns-repeated\s*=\s*[\"'][0-9]{5,}[\"']", text
    )
    if filled_far and rows * min(most[b"columns"], COLUMNS) > limits.cells // 10:
        raise OutOfReach(
            f"a sheet of {path} repeats cells {most[b'columns']:,} times in a row",
            "Delete the repeated cells beside the table; then save it.",
            "stray-cells",
        )


_ROW_AS_USUAL = re.compile(rb'<row r="([0-9]+)')
_FAR_AS_USUAL = re.compile(rb'<c r="([A-Za-z]{2,})([0-9]+)"')


def _rows_and_far_cells(text: bytes) -> tuple[list[bytes], list[tuple[bytes, bytes]]]:
    """The numbers of the rows of a sheet, and column and row of its cells beyond column Z.

    A sheet as the common programs write it is searched several times as fast: each row and cell begins with its place.
    """
    rows = _ROW_AS_USUAL.findall(text)
    usual = (
        len(rows) == text.count(b"<row")
        and text.count(b'<c r="') == text.count(b"<c ")
        # The line of the declaration ends with a line break.
        and not has_any(text[text.find(b"<worksheet") :], (b"<!", b":sheetData", b"<c\n", b"<c\r", b"<c\t"))
    )
    return (rows, _FAR_AS_USUAL.findall(text)) if usual else (_ROW.findall(text), _FAR.findall(text))


def _require_cells(path: Path, book: zipfile.ZipFile, part: zipfile.ZipInfo, limits: Limits) -> None:
    with book.open(part) as xml:
        if part.file_size > LOOKED_THROUGH:
            far = _DIMENSION.search(xml.read(4096))
            rows, columns = (int(far[2]), index_of(far[1].decode()) + 1) if far else (0, 0)
            filled = part.file_size // 20
        else:
            text = xml.read()
            numbers, far_cells = _rows_and_far_cells(text)
            rows = max(map(int, numbers), default=0)
            places = [(index_of(letters.decode()) + 1, int(row)) for letters, row in set(far_cells)]
            columns = max((column for column, _ in places), default=26)
            rows = max(rows, max((row for _, row in places), default=0))
            filled = sum(1 for _ in _CELL.finditer(text)) if rows * columns > limits.cells else 0
    _require_room(path, rows, columns, filled, limits)


def _require_room(path: Path, rows: int, columns: int, filled: int, limits: Limits) -> None:
    """Makes sure that a sheet has no place that none can have, and not far more places than filled cells."""
    if rows > ROWS or columns > COLUMNS:
        raise damaged(path)
    if rows * columns > max(limits.cells, filled * SPARSE):
        raise OutOfReach(
            f"a sheet of {path} reaches to {letter_of(columns - 1)}{rows}, but has only {filled:,} cells with anything in them",
            "Delete the stray cells far from the table, and the empty rows and columns before them; then save it. "
            f"Up to {limits.cells:,} cells are read as they are: cells under [limits] in kotrel.toml.",
            "stray-cells",
        )
