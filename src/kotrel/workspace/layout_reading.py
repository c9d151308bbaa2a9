"""Reads ``layouts/NAME.toml``: what another program insists on, checked setting by setting at its line."""

from __future__ import annotations

import codecs
import re
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from kotrel.core.description.model import Description, Field, Record
from kotrel.core.description.record_names import meant
from kotrel.core.description.toml_reading import MOST_DECIMALS, TomlReader, numbered
from kotrel.core.errors import WrongUse
from kotrel.core.expressions.compiled import Compiled
from kotrel.core.expressions.compiling import compile_at
from kotrel.core.expressions.scope import Scope
from kotrel.core.layouts.layout import SOURCES, Layout, LayoutColumn
from kotrel.core.similarity import did_you_mean, nearest
from kotrel.workspace.setting_tables import LAYOUT, LAYOUT_COLUMN
from kotrel.workspace.settings_file import near_file, read_settings_file

_ACTIONS = ("new", "changed", "same", "withdrawn")


class LayoutReader(TomlReader):
    kind = "wrong-layout"

    def flag(self, table: Mapping[str, Any], key: str, default: bool, *at: str) -> bool:
        value = table.get(key, default)
        if not isinstance(value, bool):
            raise self.wrong(f"“{key}” is true or false", *at, key)
        return value


def _require_one_source(reader: LayoutReader, raw: Mapping[str, Any], index: int) -> None:
    """Raises WrongUse where nothing says what fills a column, or several things do."""
    at = numbered("column", index)
    sources = [key for key in SOURCES if key in raw]
    if not sources:
        heading = " ".join(str(raw.get("heading", "")).split())
        raise reader.wrong(
            f"column {index}{f' “{heading}”' if heading else ''} is still open: nothing says what fills it",
            at,
            hint=f"Give it one of {', '.join(SOURCES)}; kotrel layout, run again on a terminal, asks.",
        )
    if len(sources) != 1:
        given = " and ".join(sources)
        raise reader.wrong(f"column {index} has {given}; it needs one of {', '.join(SOURCES)}", at)


def _holds_numbers(raw: Mapping[str, Any], about: Field | None, made: Compiled | None) -> bool:
    """Whether what fills a column is a number."""
    is_number = (about is not None and about.is_decimal) or (made is not None and made.kind == "number")
    return is_number or "price_of" in raw or "stock_in" in raw


def layout_column(
    reader: LayoutReader, raw: Mapping[str, Any], index: int, record: Record, description: Description
) -> LayoutColumn:
    """One column, the ``index``-th.

    Raises:
        WrongUse: a setting is wrong, or means nothing for what the column is filled from.
    """
    at = (numbered("column", index),)
    reader.known_keys(raw, LAYOUT_COLUMN, f"column {index}", *at)
    _require_one_source(reader, raw, index)

    def text(key: str) -> str | None:
        return reader.text_of(raw, key, "", *at) if key in raw else None

    name = text("field")
    about = None if name is None else record.fields.get(name)
    if name is not None and about is None:
        raise reader.wrong(
            f"column {index}: {record.name} has no field “{name}”", *at, hint=did_you_mean(name, record.fields)
        )
    action = reader.mapping(raw, "action", *at)
    if any(key not in _ACTIONS for key in action):
        raise reader.wrong(f"column {index}: “action” has a word for new, changed, same and withdrawn", *at)
    made = _compile_column(reader, raw, index, record) if "make" in raw else None
    words = reader.mapping(raw, "words", *at)
    _require_sense(reader, raw, index, about, made, words, record, description)
    cell = reader.one_of(reader.text_of(raw, "as", "field", *at), ("field", "text", "number"), "as", *at, "as")
    usual = "number" if _holds_numbers(raw, about, made) else "date" if about and about.kind == "date" else "text"
    return LayoutColumn(
        heading=reader.text_of(raw, "heading", "", *at),
        field=name,
        fixed=text("fixed"),
        action=action,
        make=text("make"),
        made_from=made.fields if made else (),
        price_of=text("price_of"),
        stock_in=text("stock_in"),
        at_most=reader.decimal(raw, "at_most", *at),
        name=reader.flag(raw, "name", False, *at),
        decimals=reader.whole(raw, "decimals", 0, *at, most=MOST_DECIMALS),
        length=reader.whole(raw, "length", 1, *at),
        words=words,
        must=reader.flag(raw, "must", False, *at),
        reference=reader.flag(raw, "reference", False, *at),
        place=index,
        cell=cell if cell != "field" else usual,  # type: ignore[arg-type]
    )


def _compile_column(reader: LayoutReader, raw: Mapping[str, Any], place: int, record: Record) -> Compiled:
    """What the column's expression reads."""
    text = reader.text_of(raw, "make", "", numbered("column", place))
    return compile_at(f"{reader.name}, column {place} “{raw.get('heading', '')}”", text, Scope(record.fields))


def _require_sense(
    reader: LayoutReader,
    raw: Mapping[str, Any],
    place: int,
    about: Field | None,
    made: Compiled | None,
    words: Mapping[str, str],
    record: Record,
    description: Description,
) -> None:
    """A setting that would do nothing is an error: whoever wrote it counts on it."""

    def wrong(trouble: str) -> None:
        raise reader.wrong(f"column {place}: {trouble}", numbered("column", place))

    for key, needs in (("price_of", ("price_list", "price")), ("stock_in", ("warehouse",))):
        if key in raw:
            _require_figures(key, needs, record, description, wrong)
    for key in ("at_most", "decimals"):
        if key in raw and not _holds_numbers(raw, about, made):
            wrong(f"“{key}” is only for numbers")
    if "name" in raw and (about is None or about.to is None or not description.records[about.to].called):
        wrong("“name” is only for a field that refers to a list with names")
    _require_words(raw, about, words, wrong)


def _require_words(
    raw: Mapping[str, Any], about: Field | None, words: Mapping[str, str], wrong: Callable[[str], None]
) -> None:
    """Words stand for values that a row of the field can have."""
    if words and ("action" in raw or "fixed" in raw or "empty" in raw or "reference" in raw):
        wrong("“words” is only for values of rows")
    if about is not None:
        known = {"choice": about.choices, "yes_no": ("yes", "no")}.get(about.kind, ())
        if odd := next((each for each in words if known and each not in known), None):
            close = nearest(odd, known)
            wrong(f"“words”: “{odd}” is none of {', '.join(known)}" + (f"; did you mean {close}?" if close else ""))


def _require_figures(
    key: str, needs: Sequence[str], record: Record, description: Description, wrong: Callable[[str], None]
) -> None:
    """The system must have what a column of prices or of stock is taken from."""
    if record.name != "item":
        wrong(f"“{key}” is only for items")
    if missing := [each for each in needs if each not in description.records]:
        wrong(f"“{key}” needs the record {' and '.join(missing)}, which the system does not have")
    if key == "stock_in" and description.stock_places is None:
        wrong("“stock_in” needs a ledger or a list of stock, and system.toml has neither")


FOLDER = "layouts"
_SEPARATORS = {"tab": "\t", "comma": ",", "semicolon": ";", "bar": "|"}
_NOT_IN_SHEETS = re.compile(r"[\[\]:*?/\\\x00-\x1f]")
_LINE_ENDS = {"windows": "\r\n", "unix": "\n", "mac": "\r"}


def layout_named(folder: Path, name: str, description: Description) -> Layout:
    """The layout of that name.

    Raises:
        WrongUse: there is none, or a setting is wrong, with its line.
        OutOfReach: the file cannot be read.
    """
    path = folder / FOLDER / f"{name.removesuffix('.toml')}.toml"
    try:
        text, data = read_settings_file(path, "wrong-layout")
    except FileNotFoundError:
        hint = near_file(folder / FOLDER, name, "layouts", "kotrel layout FILE RECORD drafts one.")
        raise WrongUse(f"there is no layout {path}", hint, "no-such-layout") from None
    return layout_of(text, data, path, folder, description)


def layout_of(text: str, data: Mapping[str, Any], path: Path, folder: Path, description: Description) -> Layout:
    """The layout that a text says.

    Args:
        text: of the file; ``data`` is what is in it.

    Raises:
        WrongUse: a setting is wrong, with its line.
    """
    reader = LayoutReader(text, str(path))
    layout = _layout(reader, data, path.stem, description)
    if not layout.template:
        return layout
    template = folder / layout.template
    if not template.is_file():
        raise reader.wrong(f"there is no template {template}", "template", hint="A path within the workspace.")
    return replace(layout, template=str(template))


def layouts_for(folder: Path, name: str, description: Description) -> list[Layout]:
    """The layouts of one file: the one of that name, or all of the book of that name, or of its book; in load order.

    Raises:
        WrongUse: there is none, a setting is wrong, or two sheets of a book have one name or are for one record.
    """
    there = sorted(each.stem for each in (folder / FOLDER).glob("*.toml"))
    if name in there and not (own := layout_named(folder, name, description)).book:
        # What is wrong with other layouts is no matter of this one.
        return [own]
    every = {each: layout_named(folder, each, description) for each in there}
    book = every[name].book if name in every else name
    mine = [each for each in every.values() if each.book == book] or [layout_named(folder, name, description)]
    mine.sort(key=lambda each: description.order.index(each.record))
    require_apart(mine)
    return mine


def require_apart(layouts: Sequence[Layout]) -> None:
    """Makes sure that sheets of one book have names of their own.

    Raises:
        WrongUse: two have the same.
    """
    seen: dict[tuple[str, str], Layout] = {}
    for each in layouts:
        other = seen.setdefault((each.file, each.sheet.casefold()), each)
        if other is not each:
            raise WrongUse(
                f"the layouts {other.name} and {each.name} are both the sheet “{each.sheet}” of the book {each.book}",
                "Give each its sheet: sheet = “…”.",
                "wrong-layout",
            )


def layouts_by_record(folder: Path, chosen: Mapping[str, str], description: Description) -> dict[str, Layout]:
    """Record → the layout that its loads are written in: the one chosen in ``kotrel.toml``, or the only one there is.

    Raises:
        WrongUse: a layout is wrong, or one that was chosen is for another record.
    """
    if unknown := next((record for record in chosen if record not in description.records), None):
        raise WrongUse(
            f"kotrel.toml: layouts under [folder] names a record “{unknown}”, which the system does not have",
            did_you_mean(unknown, description.records),
            "wrong-settings",
        )
    found = [layout_named(folder, path.stem, description) for path in sorted((folder / FOLDER).glob("*.toml"))]
    by_record: dict[str, Layout] = {}
    for record in description.records:
        mine = [each for each in found if each.record == record]
        if record in chosen:
            mine = [each for each in mine if each.name == chosen[record]]
            if not mine:
                raise WrongUse(
                    f"kotrel.toml says that {record} goes in the layout {chosen[record]}, and there is no such layout of that record",
                    "Correct layouts under [folder].",
                    "wrong-settings",
                )
        if len(mine) == 1:
            by_record[record] = mine[0]
    require_apart([each for each in by_record.values() if each.book])
    return by_record


def _lines(reader: LayoutReader, data: Mapping[str, Any], key: str, columns: int) -> tuple[tuple[str, ...], ...]:
    """Lines of texts, none longer than the row of columns."""
    said = data.get(key, [])
    if not isinstance(said, list) or not all(
        isinstance(line, list) and all(isinstance(each, str) for each in line) for line in said
    ):
        raise reader.wrong(f'“{key}” is a list of lines, like [["C20", "N2"]]', key)
    for line in said:
        if len(line) > columns:
            raise reader.wrong(f"a line of “{key}” has {len(line)} texts for {columns} columns", key)
    return tuple(map(tuple, said))


def _layout(reader: LayoutReader, data: Mapping[str, Any], name: str, description: Description) -> Layout:
    reader.known_keys(data, LAYOUT, "a layout")
    record = description.records.get(reader.text_of(data, "record", ""))
    if record is None:
        said = str(data.get("record", ""))
        raise reader.wrong(f"there is no record “{said}”", "record", hint=meant(said, description))
    raw = data.get("column", [])
    if not isinstance(raw, list) or not raw or not all(isinstance(each, dict) for each in raw):
        raise reader.wrong("a layout needs columns", hint='Like [[column]] with heading = "ArtNr" and field = "code"')
    columns = tuple(layout_column(reader, each, place, record, description) for place, each in enumerate(raw, start=1))
    above, below = (_lines(reader, data, key, len(columns)) for key in ("lines_above", "heading_lines"))
    kind = reader.one_of(reader.text_of(data, "format", "text"), ("text", "workbook"), "format", "format")
    mark = reader.one_of(reader.text_of(data, "decimal_mark", "."), (".", ","), "decimal_mark", "decimal_mark")
    updates = reader.one_of(reader.text_of(data, "updates", "whole"), ("whole", "changed"), "updates", "updates")
    if "cleared" in data and updates == "whole":
        raise reader.wrong('“cleared” is for updates = "changed": a whole row says what is blank', "cleared")
    return Layout(
        name=name,
        record=record.name,
        columns=columns,
        kind=kind,  # type: ignore[arg-type]
        title=reader.text_of(data, "title", ""),
        headings=reader.flag(data, "headings", True),
        above=above,
        below=tuple((*line, *("",) * (len(columns) - len(line))) for line in below),
        decimal_mark=mark,  # type: ignore[arg-type]
        decimals=reader.whole(data, "decimals", 0, most=MOST_DECIMALS),
        date=_date(reader, data),
        yes=reader.text_of(data, "yes", "yes"),
        no=reader.text_of(data, "no", "no"),
        blank=reader.text_of(data, "blank", ""),
        one_line=reader.flag(data, "clean", False),
        most_rows=reader.whole(data, "most_rows", 1),
        updates=updates,  # type: ignore[arg-type]
        cleared=reader.text_of(data, "cleared", "") if "cleared" in data else None,
        **_text_form(reader, data),
        **_book_form(reader, data, kind),
    )


def _date(reader: LayoutReader, data: Mapping[str, Any]) -> str:
    date = reader.text_of(data, "date", "YYYY-MM-DD")
    if not all(part in date for part in ("DD", "MM", "YY")):
        raise reader.wrong("“date” needs DD, MM and YYYY or YY", "date", hint='Like date = "DD.MM.YYYY"')
    return date


def _text_form(reader: LayoutReader, data: Mapping[str, Any]) -> dict[str, Any]:
    """How a text file is written."""
    encoding = reader.text_of(data, "encoding", "utf-8")
    try:
        codecs.lookup(encoding)
    except LookupError:
        raise reader.wrong(
            f"there is no encoding “{encoding}”", "encoding", hint="Like utf-8, utf-8-sig (with a mark), cp1252, cp850"
        ) from None
    separator = reader.text_of(data, "separator", "comma")
    separator = _SEPARATORS.get(separator, separator)
    if len(separator) != 1 or not separator.isascii() or separator.isalnum() or separator in '"\r\n':
        raise reader.wrong(f"“separator” is one character such as #, or {', '.join(_SEPARATORS)}", "separator")
    quotes = reader.one_of(reader.text_of(data, "quotes", "needed"), ("needed", "all", "none"), "quotes", "quotes")
    ends = reader.one_of(reader.text_of(data, "line_end", "windows"), tuple(_LINE_ENDS), "line_end", "line_end")
    ending = reader.text_of(data, "ending", "csv").lstrip(".")
    if not re.fullmatch(r"\w{1,10}", ending):
        raise reader.wrong("“ending” is the ending of the file's name, like txt", "ending")
    return {
        "encoding": encoding,
        "separator": separator,
        "quotes": quotes,
        "line_end": _LINE_ENDS[ends],
        "file_ending": ending,
    }


def _book_form(reader: LayoutReader, data: Mapping[str, Any], kind: str) -> dict[str, Any]:
    """The sheet of a workbook, and which workbook it belongs to."""
    book = reader.text_of(data, "book", "")
    if book and (kind != "workbook" or "most_rows" in data):
        raise reader.wrong(
            "“book” is for sheets of one workbook: "
            + ("leave most_rows out" if kind == "workbook" else 'add format = "workbook"'),
            "book",
        )
    if book and not re.fullmatch(r"[\w-]+", book):
        raise reader.wrong("“book” is part of a file's name: letters, digits, - and _", "book")
    sheet = reader.text_of(data, "sheet", "Sheet1")
    if not 0 < len(sheet) <= 31 or _NOT_IN_SHEETS.search(sheet) or sheet.startswith("'") or sheet.endswith("'"):
        raise reader.wrong(
            f"no workbook can have a sheet “{sheet}”",
            "sheet",
            hint="A name has 1 to 31 characters, none of []:*?/\\, and no quote at its ends.",
        )
    template = reader.text_of(data, "template", "")
    if template and kind != "workbook":
        raise reader.wrong('“template” is a workbook: add format = "workbook"', "template")
    if template and not template.lower().endswith((".xlsx", ".xlsm")):
        raise reader.wrong("“template” must be an .xlsx or .xlsm workbook", "template", hint="Save it as one.")
    return {"book": book, "sheet": sheet, "template": template}
