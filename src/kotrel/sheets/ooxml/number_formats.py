"""How the cells of a workbook show their numbers, and which of them are struck through."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Collection, Iterator, Mapping
from functools import cached_property, lru_cache
from pathlib import Path
from xml.etree import ElementTree

from kotrel.core.tables.number_display import Shown
from kotrel.core.tables.table import letter_of
from kotrel.core.values.currencies import CURRENCY
from kotrel.sheets.ods_formats import shown_in_ods, struck_in_ods
from kotrel.sheets.old_workbooks import old_sheet
from kotrel.sheets.ooxml.archives import DAMAGED, part_named, sheet_part, version_of, workbook_part
from kotrel.sheets.ooxml.binary_parts import cell_styles, style_formats
from kotrel.sheets.ooxml.text_runs import texts_apart


def struck_styles(styles: ElementTree.Element) -> frozenset[int]:
    """The cell styles of an .xlsx workbook whose font is struck through (ECMA-376, part 1, 18.8.22 and 18.4.10)."""
    parts = {part.tag.rpartition("}")[2]: part for part in styles}
    fonts, cells = parts.get("fonts"), parts.get("cellXfs")
    if fonts is None or cells is None:
        return frozenset()
    struck = {str(place) for place, font in enumerate(fonts) if any(_is_set(each) for each in font)}
    return frozenset(place for place, style in enumerate(cells) if style.get("fontId", "0") in struck)


def _is_set(about: ElementTree.Element) -> bool:
    return about.tag.rpartition("}")[2] == "strike" and about.get("val", "1") not in ("0", "false")


_BUILT_IN = {1: Shown(0), 2: Shown(2), 3: Shown(0), 4: Shown(2), 9: Shown(0, True), 10: Shown(2, True), 37: Shown(0), 38: Shown(0),
             39: Shown(2), 40: Shown(2), 41: Shown(0), 42: Shown(0), 43: Shown(2), 44: Shown(2)}  # fmt: skip
"""The formats that a workbook does not spell out (ECMA-376, part 1, 18.8.30)."""
_ASIDE = re.compile(r"\"[^\"]*\"|\\.|_.|\*.|\[[^\]]*\]")
"""What is no digit in a format: texts, escaped characters, room, colours and conditions."""
_CELL = re.compile(rb'<c r="([A-Z]{1,3})([0-9]+)"[^<>]*?\ss="([0-9]+)"')


def shown_by(code: str) -> Shown | None:
    """What a format such as ``#,##0.00 [$€-1]`` or ``0%`` shows of a number above zero;
    None for General, dates and texts.
    """
    first = _ASIDE.sub("", code.split(";")[0])
    if not re.search(r"[0#?]", first) or re.search(r"[dmyhs]", first, re.IGNORECASE) or "E" in first.upper():
        return None
    digits = re.search(r"\.([0#?]*)", first)
    scaled = re.search(r"[0#?],+(?:[^0#?,.]|$)", first)
    # A format in thousands shows something else altogether.
    if scaled:
        return None
    places = len(digits[1]) if digits else 0
    currency = currency_of(code)
    return Shown(places, "%" in first, "" if places or currency else mask_of(code), currency)


def words_shown(code: str) -> str | None:
    """The words that a format shows beside a number, or instead of it; ``""`` where it shows nothing, None where the
    number alone.

    ``0" per 100"`` shows `` per 100``, ``"on request"`` that alone, ``;;;`` nothing. Signs of currencies and short
    units are none.
    """
    section = code.split(";")[0]
    bare = _ASIDE.sub("", section)
    words = "".join(found[1] or found[2] or "" for found in re.finditer(r'"([^"]*)"|\\(.)', section))
    if not re.search(r"[0#?]", bare):
        if re.search(r"[dmyhsg@]", bare, re.IGNORECASE):
            return None
        return words if words.strip() or ";" in code else None
    if re.search(r"[0#?],+(?:[^0#?,.]|$)", bare):
        return f"{words} (in thousands)"
    plain = words.strip()
    return (
        words
        if re.search(r"[0-9]", plain) or (len(re.sub(r"[\W\d_]", "", plain)) > 4 and not re.fullmatch(CURRENCY, plain))
        else None
    )


_NAMED = re.compile(r"\[\$([^\]-]+)[^\]]*\]|\[[^\]]*\]|\"([^\"]*)\"|\\(.)|([$€£¥])")


def currency_of(code: str) -> str:
    """The sign or code of a currency in a format such as ``[$€-407] #,##0.00`` or ``"USD" 0.00``;
    empty where there is none.
    """
    named = ("".join(filter(None, found.groups())).strip() for found in _NAMED.finditer(code.split(";")[0]))
    return next((each for each in named if re.fullmatch(CURRENCY, each)), "")


_SIGN = re.compile(r"""\"([^\"]*)\"|\\(.)|_.|\*.|\[(?:[A-Za-z]+ ?[0-9]*|\$-[^\]]*)\]|([0#])|([-+ ():/])""")
"""The signs of a format that may show a code: texts, escaped characters, room, colours, languages, digits,
bare characters.
"""


def mask_of(code: str) -> str:
    """The mask of a format such as ``000000``, ``00-000`` or ``"A-"0000`` (see :class:`Shown`);
    empty where it has none.
    """
    first, *others = code.split(";")
    if len(others) > 1 and "@" not in others[-1]:
        # Zero, or text, is shown in a way of its own.
        return ""
    mask, at = "", 0
    while at < len(first):
        sign = _SIGN.match(first, at)
        if sign is None:
            return ""
        text, escaped, digit, bare = sign.groups()
        mask += digit or "".join(f"\\{each}" for each in text or escaped or bare or "")
        at = sign.end()
    return mask if mask.count("0") > 1 or ("\\" in mask and re.search("[0#]", mask)) else ""


@lru_cache(maxsize=4)
def _styles_in(path: Path, version: tuple[int, int]) -> ElementTree.Element:
    """The styles of an .xlsx workbook, which all its sheets share."""
    with zipfile.ZipFile(path) as book:
        main = workbook_part(book)
        return ElementTree.fromstring(book.read(part_named(book, main.rpartition("/")[0] + "/styles.xml")))


class SheetFormats:
    """The formats of one sheet; a part that cannot be read says nothing."""

    def __init__(self, path: Path, sheet: str) -> None:
        self._path = path
        self._sheet = sheet
        self._columns: dict[str, Mapping[int, Shown]] | None = None

    @cached_property
    def any_percent(self) -> bool:
        """True where the workbook has a format that shows percentages."""
        return any(how.percent for how in self._kinds)

    @cached_property
    def currencies(self) -> Collection[str]:
        """The signs and codes of currencies in the formats of the workbook."""
        return {how.currency for how in self._kinds if how.currency}

    @cached_property
    def any_mask(self) -> bool:
        """True where the workbook has a format with a mask, or a cell with a text of its own."""
        return any(how.mask or how.text for how in self._kinds)

    @cached_property
    def struck(self) -> Mapping[str, Collection[int]]:
        """Letter → the rows whose cells are struck through. Of binary workbooks that is not known."""
        cells: dict[str, set[int]] = {}
        try:
            if self._path.suffix.lower() in (".xlsx", ".xlsm"):
                styles = struck_styles(self._styles_part)
                for letter, row, style in self._styled() if styles else ():
                    if style in styles:
                        cells.setdefault(letter, set()).add(row)
            elif self._path.suffix.lower() == ".ods":
                for letter, row in struck_in_ods(self._path, version_of(self._path)).get(self._sheet, ()):
                    cells.setdefault(letter, set()).add(row)
        except DAMAGED:
            return {}
        return cells

    @cached_property
    def otherwise(self) -> Mapping[str, Mapping[int, str]]:
        """Letter → row → the words that a number's format shows beside it, or instead of it;
        known of .xlsx workbooks.
        """
        cells: dict[str, dict[int, str]] = {}
        if self._path.suffix.lower() not in (".xlsx", ".xlsm"):
            return cells
        try:
            words = {place: said for place, code in enumerate(self._codes) if (said := words_shown(code)) is not None}
            for letter, row, style in self._styled() if words else ():
                if style in words:
                    cells.setdefault(letter, {})[row] = words[style]
        except DAMAGED:
            return {}
        return cells

    @cached_property
    def apart(self) -> Mapping[str, Mapping[int, str]]:
        """Letter → row → ``raised`` or ``struck``, where a part of the cell's text is so; known of .xlsx workbooks."""
        if self._path.suffix.lower() not in (".xlsx", ".xlsm"):
            return {}
        try:
            return texts_apart(self._path, self._sheet)
        except (*DAMAGED, ElementTree.ParseError):
            return {}

    @cached_property
    def _codes(self) -> list[str]:
        """The format code of each cell style of an .xlsx workbook; an empty text for one that is not spelled out."""
        styles = self._styles_part
        custom_codes = {
            int(each.get("numFmtId", "0")): each.get("formatCode", "")
            for each in styles.iter()
            if each.tag.endswith("}numFmt")
        }
        cells = next((each for each in styles.iter() if each.tag.endswith("}cellXfs")), None)
        return [custom_codes.get(int(each.get("numFmtId", "0")), "") for each in cells] if cells is not None else []

    @cached_property
    def _kinds(self) -> set[Shown]:
        """Every way in which numbers are shown: in an .xlsx workbook its styles tell, without a look at its cells."""
        if self._path.suffix.lower() in (".xlsx", ".xlsm"):
            return {how for how in self._styles if how is not None}
        return {how for column in self._all_columns().values() for how in column.values()}

    def of(self, letter: str) -> Mapping[int, Shown]:
        """Row in the sheet → how the number there is shown."""
        return self._all_columns().get(letter, {})

    def _all_columns(self) -> dict[str, Mapping[int, Shown]]:
        if self._columns is None:
            shown: dict[str, dict[int, Shown]] = {}
            try:
                for letter, row, how in self._cells():
                    shown.setdefault(letter, {})[row] = how
            except DAMAGED:
                shown = {}
            self._columns = dict(shown)
        return self._columns

    def _cells(self) -> Iterator[tuple[str, int, Shown]]:
        ending = self._path.suffix.lower()
        if ending in (".xlsx", ".xlsm"):
            yield from self._in_xlsx()
        elif ending == ".ods":
            yield from shown_in_ods(self._path, version_of(self._path)).get(self._sheet, ())
        elif ending == ".xls":
            yield from self._in_xls()
        else:
            yield from self._in_xlsb()

    @cached_property
    def _styles_part(self) -> ElementTree.Element:
        """The styles of an .xlsx workbook; none where they cannot be read."""
        try:
            return _styles_in(self._path, version_of(self._path))
        except DAMAGED:
            return ElementTree.Element("none")

    @cached_property
    def _styles(self) -> list[Shown | None]:
        """The number format of each cell style of an .xlsx workbook."""
        styles = self._styles_part
        custom_styles = {
            int(each.get("numFmtId", "0")): shown_by(each.get("formatCode", ""))
            for each in styles.iter()
            if each.tag.endswith("}numFmt")
        }
        cells = next((each for each in styles.iter() if each.tag.endswith("}cellXfs")), None)
        ids = [int(each.get("numFmtId", "0")) for each in cells] if cells is not None else []
        return [custom_styles[number] if number in custom_styles else _BUILT_IN.get(number) for number in ids]

    def _in_xlsx(self) -> Iterator[tuple[str, int, Shown]]:
        styles = self._styles
        for letter, row, style in self._styled():
            if style < len(styles) and (how := styles[style]) is not None:
                yield letter, row, how

    def _styled(self) -> Iterator[tuple[str, int, int]]:
        """The cells of an .xlsx sheet that have a style: letter, row, style."""
        with zipfile.ZipFile(self._path) as book:
            main = workbook_part(book)
            part = sheet_part(book, main, ElementTree.fromstring(book.read(main)), self._sheet)
            text = book.read(part)
        if text.count(b"<c ") == text.count(b'<c r="'):
            for letters, row, style in _CELL.findall(text):
                yield letters.decode(), int(row), int(style)
            return
        for cell in ElementTree.fromstring(text).iter():
            place = re.fullmatch(r"([A-Za-z]{1,3})([0-9]+)", cell.get("r", ""))
            style_of = cell.get("s", "")
            if cell.tag.endswith("}c") and place and style_of.isdigit():
                yield place[1].upper(), int(place[2]), int(style_of)

    def _in_xlsb(self) -> Iterator[tuple[str, int, Shown]]:
        with zipfile.ZipFile(self._path) as book:
            numbers, own = style_formats(book)
            how_of = [shown_by(own[each]) if each in own else _BUILT_IN.get(each) for each in numbers]
            for row, column, style in cell_styles(book, self._sheet):
                if style < len(how_of) and (how := how_of[style]) is not None:
                    yield letter_of(column), row + 1, how

    def _in_xls(self) -> Iterator[tuple[str, int, Shown]]:
        import xlrd

        try:
            with old_sheet(self._path, self._sheet, True) as (book, sheet):
                for row in range(sheet.nrows):
                    for column, kind in enumerate(sheet.row_types(row)):
                        if kind == xlrd.XL_CELL_NUMBER:
                            style = book.xf_list[sheet.cell_xf_index(row, column)]
                            code = book.format_map.get(style.format_key)
                            if code is not None and (how := shown_by(code.format_str)) is not None:
                                yield letter_of(column), row + 1, how
        except ValueError:
            return
