"""What a workbook of settings shows: a sheet for each part of the settings file, made from the declared tables."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from kotrel.core.description.description_settings import DEFAULTS, FIELD, STORE, SYSTEM
from kotrel.core.description.description_settings import RECORD as RECORD_SETTINGS
from kotrel.core.description.model import Description, Record
from kotrel.core.description.setting import Section, Setting
from kotrel.core.description.toml_reading import numbered, parsed
from kotrel.settings_books.book_model import (
    AS_IT_IS,
    EXAMPLE,
    MEANING,
    NAME,
    PART,
    RECORD,
    SETTING,
    SOME,
    USUAL,
    VALUE,
    BookColumn,
    BookRow,
    BookSheet,
    SettingsBook,
    comes_back,
)
from kotrel.settings_books.setting_cells import cell_text, choices_of, shape_of
from kotrel.settings_books.spelling_sheets import spellings_sheet, words_sheet
from kotrel.workspace.setting_tables import (
    FREE,
    LAYOUT,
    LAYOUT_COLUMN,
    LOOKUP,
    MAPPING,
    MAPPING_FIELD,
    PRICE_GUARDS,
    PRICE_OUTLIERS,
    PRICE_RULES,
    PRICE_SHEET,
    PRICE_STEP,
    WORKSPACE,
)
from kotrel.workspace.toml_editing import Path, value_at

Column = tuple[str, Sequence[str]]
"""The heading of a column of the last sheet, and a few of its values."""

HEADINGS = {
    "column": "Column", "make": "Calculated", "translate": "Other spellings", "fixed": "Fixed", "default": "Default", "per": "For how many",
    "where": "Which rows", "set": "Sets", "round": "Rounding", "name": "Name", "field": "Field", "url": "Address", "at_most_mb": "Largest, in MB", "words": "Words", "must": "Must be filled",
}  # fmt: skip
"""What columns are called where the setting's own name says too little."""
MAIN = {
    "mapping": ("column", "fixed", "default", "make", "translate"),
    "lookup": tuple(LOOKUP),
    "step": tuple(PRICE_STEP),
    "price sheet": tuple(PRICE_SHEET),
    "layout": ("heading", "field", "fixed", "make", "must", "length", "decimals", "words"),
    "record": ("title", "key", "called", "nature", "synonyms"),
    "field": ("title", "kind", "must", "to", "length", "decimals", "choices", "synonyms", "meaning"),
    "store": ("table", "schema", "columns", "id", "fixed", "made"),
    "defaults": tuple(DEFAULTS),
}
"""The columns that are always seen."""
_LISTS = {
    "a field": "fields",
    "a record": "records",
    "a heading": "columns",
    "a heading or =letter": "columns",
    "a mapping": "mappings",
    "a layout": "layouts",
}
_WIDE = ("meaning", "where", "make", "set", "translate", "synonyms", "words", "columns", "lines_above")


def heading_of(key: str) -> str:
    """What a setting's column is called."""
    return HEADINGS.get(key, key.replace("_", " ").capitalize())


def _columns(section: Section, main: Sequence[str], used: set[str]) -> list[BookColumn]:
    columns = []
    for key in sorted(section, key=lambda key: main.index(key) if key in main else len(main)):
        setting = section[key]
        if _is_cell(setting):
            width = 40 if key in _WIDE else 28 if key == "name" else 16
            columns.append(
                BookColumn(key, heading_of(key), setting, _choices(setting, key), key in main or key in used, width)
            )
    return columns


def _is_cell(setting: Setting) -> bool:
    return setting.kind not in ("tables", "a table") or setting.example.startswith(("column =",))


def _choices(setting: Setting, key: str) -> str:
    if words := choices_of(setting):
        return "/".join(words)
    return _LISTS.get(setting.kind, "")


class _Building:
    """One workbook while it is made; what it cannot show is collected."""

    def __init__(self) -> None:
        self.left: list[str] = []

    def settings(
        self, title: str, intro: str, file: str, data: Mapping[str, Any], sections: Sequence[tuple[Path, Section, str]]
    ) -> BookSheet:
        """A row for each setting, set or not.

        Args:
            sections: where each section is, its settings, and what it is called in the sheet.
        """
        rows = []
        for at, section, called in sections:
            inside = value_at(data, at) or {}
            for key, setting in section.items():
                if not _is_cell(setting):
                    continue
                row = BookRow(file, (*at, key), setting=setting)
                row.texts |= {
                    PART: called,
                    SETTING: heading_of(key),
                    USUAL: _usual(setting),
                    MEANING: setting.meaning,
                    EXAMPLE: _example(setting),
                }
                self._put_setting(row, VALUE, inside.get(key), setting)
                rows.append(row)
        columns = [
            *([BookColumn(PART, "Part", None, "", True, 12)] if any(called for _, _, called in sections) else []),
            BookColumn(SETTING, "Setting", None, "", True, 20),
            BookColumn(VALUE, "Value", None, "", True, 34),
            BookColumn(USUAL, "Usual", None, "", True, 16),
            BookColumn(MEANING, "What it does", None, "", True, 60),
            BookColumn(EXAMPLE, "Example", None, "", True, 30),
        ]
        return BookSheet(title, "settings", intro, columns, rows, file)

    def tables(
        self,
        title: str,
        intro: str,
        file: str,
        data: Mapping[str, Any],
        parent: Path,
        section: Section,
        main: str,
        name: str,
        extra: Sequence[BookColumn] = (),
        choices: str = "",
    ) -> BookSheet:
        """A row for each table with a name."""
        held = value_at(data, parent) or {}
        rows = [
            self._row(file, (*parent, each), inside, section, {NAME: each})
            for each, inside in held.items()
            if isinstance(inside, dict)
        ]
        used = {key for row in rows for key in row.values}
        columns = [BookColumn(NAME, name, None, choices, True, 20), *extra, *_columns(section, MAIN[main], used)]
        return BookSheet(title, "tables", intro, columns, rows, file, parent)

    def listed(
        self, title: str, intro: str, file: str, data: Mapping[str, Any], name: str, section: Section, main: str
    ) -> BookSheet:
        """A row for each table of a list, in their order."""
        held = data.get(name, [])
        rows = [
            self._row(file, (numbered(name, place),), each, section, {}) for place, each in enumerate(held, start=1)
        ]
        used = {key for row in rows for key in row.values}
        return BookSheet(title, "list", intro, _columns(section, MAIN[main], used), rows, file, (name,))

    def field_rows(self, file: str, records: Mapping[str, Mapping[str, Any]]) -> list[BookRow]:
        """A row for each field of each record."""
        return [
            self._row(file, ("record", name, "field", field), inside, FIELD, {RECORD: name, NAME: field})
            for name, about in records.items()
            for field, inside in (about.get("field") or {}).items()
            if isinstance(inside, dict)
        ]

    def _row(
        self, file: str, path: Path, inside: Mapping[str, Any], section: Section, texts: dict[str, str]
    ) -> BookRow:
        row = BookRow(file, path, texts)
        for key, value in inside.items():
            if key in section and _is_cell(section[key]):
                self._put_setting(row, key, value, section[key])
            elif not (key in section and section[key].kind == "tables"):
                self.left.append(f"{file}: {'.'.join(part.partition(chr(0))[0] for part in (*path, key))}")
        return row

    def _put_setting(self, row: BookRow, key: str, value: Any, setting: Setting) -> None:
        if value is None:
            return
        if not comes_back(value, setting):
            self.left.append(
                f"{row.file}: {'.'.join(part.partition(chr(0))[0] for part in ((*(row.path or ()), key) if key != VALUE else (row.path or ())))}"
            )
            row.texts[key] = AS_IT_IS
            return
        row.put(key, value, setting)


def _example(setting: Setting) -> str:
    """The example's value as a cell has it."""
    _, sign, value = setting.example.partition(" = ")
    try:
        return cell_text(parsed(f"example = {value}")["example"], setting) if sign else setting.example
    except ValueError:
        return setting.example


def _usual(setting: Setting) -> str:
    return "" if setting.default in ("", "none", "[]") else setting.default.strip('"')


def mapping_book(
    name: str,
    file: str,
    text: str,
    description: Description,
    records: Mapping[str, Record],
    sheet: Sequence[Column],
    last: str,
) -> SettingsBook:
    """A mapping: a row for each column and field, and what holds for the whole sheet.

    Args:
        sheet: the columns of the last sheet that it read, or none where that is not known.
        last: that sheet's file, or an empty text.
    """
    data, make = parsed(text), _Building()
    also = list(enumerate(data.get("also", []), start=1))
    parts: list[tuple[Path, str, str]] = [((), str(data.get("record", "")), "Columns")]
    parts += [
        ((numbered("also", place),), str(each.get("record", "")), f"Also {place} {each.get('record', '')}"[:31])
        for place, each in also
    ]
    sheets = []
    values = {heading: ", ".join(some) for heading, some in sheet}
    lists: dict[str, Sequence[tuple[str, str]]] = {"columns": list(values.items())}
    for at, record, title in parts:
        about = records.get(record)
        lists[f"fields of {record}"] = [(each.name, each.title) for each in about.fields.values()] if about else []
        intro = f"Each row: a column of the sheet, and the field of {about.title if about else record} that it feeds."
        shown = [BookColumn(SOME, "Its values", None, "", True, 30)]
        page = make.tables(
            title, intro, file, data, (*at, "field"), MAPPING_FIELD, "mapping", "Feeds", shown, f"fields of {record}"
        )
        for row in page.rows:
            row.texts[SOME] = values.get(row.texts.get("column", ""), "")
        if not at:
            fed = {row.texts.get("column") for row in page.rows} | set(data.get("skip", []))
            left = {heading: some for heading, some in values.items() if heading not in fed}
            page.rows += [BookRow(file, None, {"column": heading, SOME: some}) for heading, some in left.items()]
        page.columns = _keys_first(page.columns, "column", SOME, NAME)
        sheets.append(page)
    sections: list[tuple[Path, Section, str]] = [((), MAPPING, "")]
    shared = {key: MAPPING[key] for key in ("record", "for", "where", "once_per", "after_end")}
    sections += [((numbered("also", place),), shared, f"also {place}") for place, _ in also]
    sheets.append(make.settings("Sheet", "What holds for the whole sheet.", file, data, sections))
    if "lookup" in data:
        sheets.append(
            make.tables(
                "Lookups",
                "Tables whose values are further columns: [NAME.Column] in a calculation.",
                file,
                data,
                ("lookup",),
                LOOKUP,
                "lookup",
                "Name",
            )
        )
    lists["fields"] = lists[f"fields of {data.get('record', '')}"]
    lists["records"] = [(each.name, each.title) for each in records.values()]
    guide = [
        "“Columns” has a row for each column of the sheet: choose in “Feeds” which field it fills.",
        f"“Its values” shows three values of {last}, the last sheet that this mapping read."
        if last
        else "No sheet was read with this mapping yet, so no values are shown.",
        "A field without a column can have a fixed value, a default for blank cells, or a calculation.",
        "A blank “Feeds” leaves the column out. A row may be deleted: then its field gets nothing.",
    ]
    return SettingsBook("mapping", name, f"The mapping {name}", {file: text}, sheets, lists, guide, make.left)


def _keys_first(columns: Sequence[BookColumn], *keys: str) -> list[BookColumn]:
    return [
        *sorted((each for each in columns if each.key in keys), key=lambda each: keys.index(each.key)),
        *(each for each in columns if each.key not in keys),
    ]


def prices_book(
    name: str, file: str, text: str, description: Description, lists: Sequence[tuple[str, str]]
) -> SettingsBook:
    """Price rules: a row for each step, the guards, the rates, and the sheets that they take figures from.

    Args:
        lists: code and name of each price list.
    """
    data, make = parsed(text), _Building()
    top = {key: each for key, each in PRICE_RULES.items() if each.kind in ("text", "a date") or key == "steps"}
    sheets = [
        make.listed(
            "Steps",
            "The steps, in order: which items each is for, and what it sets.",
            file,
            data,
            "step",
            PRICE_STEP,
            "step",
        ),
        make.settings(
            "Guards",
            "What no new price may do, and what is unlike the others.",
            file,
            data,
            [(("guards",), PRICE_GUARDS, "guards"), (("outliers",), PRICE_OUTLIERS, "outliers")],
        ),
        _rates_sheet(file, data),
        make.settings("Rules", "What holds for all steps.", file, data, [((), top, "")]),
        make.tables(
            "Sheets",
            "Sheets to take figures from: [NAME.cost] in a step.",
            file,
            data,
            ("sheets",),
            PRICE_SHEET,
            "price sheet",
            "Name",
        ),
    ]
    items = description.records.get("item")
    known = {
        "fields": [(each.name, each.title) for each in items.fields.values()] if items else [],
        "price lists": list(lists),
    }
    guide = [
        "“Steps” has a row for each step; their order counts. Insert, move or delete rows as you like.",
        "“Which rows” is a condition, such as: category begins with 'ROPE' and cost > 10",
        "“Sets” has a line for each price, such as: SHOP = SHOP + 4%",
        "“Guards” stop prices that go too far. “Rates” are needed for lists in another currency.",
    ]
    return SettingsBook("prices", name, f"The price rules {name}", {file: text}, sheets, known, guide, make.left)


def layout_book(name: str, file: str, text: str, record: Record | None) -> SettingsBook:
    """A layout: a row for each column, and the form of the file."""
    data, make = parsed(text), _Building()
    sheets = [
        make.listed(
            "Columns",
            "The columns of their file, in order: exact headings, and what fills each.",
            file,
            data,
            "column",
            LAYOUT_COLUMN,
            "layout",
        ),
        make.settings("File", "The form of the file.", file, data, [((), LAYOUT, "")]),
    ]
    lists = {"fields": [(each.name, each.title) for each in record.fields.values()] if record else []}
    guide = [
        "“Columns” has a row for each column of the other program's file; their order counts.",
        "Each column has one source: a field, a fixed word, a calculation, or another of the columns to the right.",
        "“File” says how the file is written: separator, decimal mark, dates, words for yes and no.",
        f"To see whether it comes out right: kotrel layout THEIR-FILE {data.get('record', 'RECORD')} --name {name}",
    ]
    return SettingsBook("layout", name, f"The layout {name}", {file: text}, sheets, lists, guide, make.left)


def system_book(file: str, text: str, doubts: Callable[[str, str], str]) -> SettingsBook:
    """The system description: its records, fields, storage and defaults.

    Args:
        doubts: record and field → why a person should look at it first, or an empty text.
    """
    data, make = parsed(text), _Building()
    records = {name: each for name, each in data.get("record", {}).items() if isinstance(each, dict)}
    page = make.tables(
        "Records",
        "What the system keeps: its lists, items, prices, documents.",
        file,
        data,
        ("record",),
        RECORD_SETTINGS,
        "record",
        "Record",
    )
    fields = make.field_rows(file, records)
    for row in fields:
        row.doubt = doubts(row.texts[RECORD], row.texts[NAME])
    used = {key for row in fields for key in row.values}
    head = [BookColumn(RECORD, "Record", None, "records", True, 20), BookColumn(NAME, "Field", None, "", True, 22)]
    stores = [
        make._row(file, ("record", name, "store"), each["store"], STORE, {RECORD: name})
        for name, each in records.items()
        if isinstance(each.get("store"), dict)
    ]
    sheets = [
        BookSheet(
            "Fields",
            "tables",
            "A row for each field: what it is, and what must be in it.",
            [*head, *_columns(FIELD, MAIN["field"], used)],
            fields,
            file,
            ("record",),
        ),
        page,
        make.settings("System", "What holds for the whole system.", file, data, [(("system",), SYSTEM, "")]),
    ]
    if stores:
        used = {key for row in stores for key in row.values}
        columns = [BookColumn(RECORD, "Record", None, "", True, 20), *_columns(STORE, MAIN["store"], used)]
        sheets.append(
            BookSheet(
                "Storage",
                "tables",
                "Where each record's rows are in the database.",
                columns,
                stores,
                file,
                ("record",),
                True,
            )
        )
    if "defaults" in data:
        sheets.append(
            make.tables(
                "Defaults",
                "Sets of values for blank cells of new rows.",
                file,
                data,
                ("defaults",),
                DEFAULTS,
                "defaults",
                "Name",
            )
        )
    lists = {"records": [(name, str(each.get("title", ""))) for name, each in records.items()], "fields": []}
    guide = [
        "“Fields” has a row for each field of each record. What is coloured should be looked at first; the note at it says why.",
        "“Must be filled” is always, new (in new rows), or may.",
        "“Synonyms” has a line for each other heading that your sheets have for the field.",
        "“Records” says which fields identify a row, and which one holds its name.",
    ]
    return SettingsBook("system", "", "The system description", {file: text}, sheets, lists, guide, make.left)


def workspace_book(file: str, text: str) -> SettingsBook:
    """``kotrel.toml``: what is set, what is usual, and what each setting does."""
    data, make = parsed(text), _Building()
    sections = [((name,), section, name) for name, section in WORKSPACE.items() if name not in FREE]
    sheets = [
        make.settings(
            "Settings", "Every setting of the workspace. A blank value is the usual one.", file, data, sections
        ),
        _rates_sheet(file, data),
        spellings_sheet({file: data}),
    ]
    guide = [
        "“Settings” has a row for each setting: what is set, what is usual, and what it does.",
        "“Rates” are for amounts in other currencies. “Other spellings” are words of sheets for codes of your lists.",
    ]
    return SettingsBook("workspace", "", "The settings of the workspace", {file: text}, sheets, {}, guide, make.left)


def is_whole_number(setting: Setting | None) -> bool:
    """True where a cell holds a number: it is written as one."""
    return setting is not None and shape_of(setting) in ("whole number", "number")


def _rates_sheet(file: str, data: Mapping[str, Any]) -> BookSheet:
    """The rates of currencies, for all prices or for one file of rules."""
    about = "What one of another currency is in your own."
    return words_sheet("Rates", about, file, data, ("rates",), "Currency", "Rate", "number")
