"""Reads saved mappings, which people write and edit, and checks every setting at its line."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from kotrel.core.changes import results as answers
from kotrel.core.counting import sheet_record
from kotrel.core.description.model import Description, Record
from kotrel.core.description.record_names import meant
from kotrel.core.description.toml_reading import numbered
from kotrel.core.documents.families import readable_records
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.phrases import listed_and
from kotrel.core.remembering import for_the_last
from kotrel.core.similarity import did_you_mean, nearest
from kotrel.core.tables.lookups import Lookup
from kotrel.core.tables.sources import part_pattern, parts_of_pattern
from kotrel.core.values.conventions import ROUNDINGS, SheetHabits, is_rounding
from kotrel.workspace.mappings import MapPart, SavedMap
from kotrel.workspace.setting_tables import LOOKUP, MAPPING, MAPPING_FIELD
from kotrel.workspace.settings_file import near_file, read_settings_file

READ_BY = {sheet_record.NAME: "kotrel count collect COUNT FILE", answers.NAME: "kotrel outcome LOAD --result FILE"}
"""Record → the command that reads such a sheet."""


@for_the_last
def with_sheet_records(description: Description) -> Description:
    """The description with these records; where the system has one of the same name, that is meant."""
    sheet_records: dict[str, Record] = {
        answers.NAME: answers.result_record([each for each in description.records.values() if not each.is_kept], [])
    }
    ledger = description.stock_places
    if ledger is not None and "item" in ledger.fields and ledger.fields["item"].to:
        sheet_records[sheet_record.NAME] = sheet_record.count_record(description)
    return replace(description, records={**sheet_records, **description.records})


FOLDER = "maps"
HOWS = ("replace", "add", "take")
AFTER_END = ("resume", "nothing")
FOR = ("new", "all")
"""The rows that defaults and made values are for."""


def read_maps(folder: Path, description: Description) -> list[SavedMap]:
    """All saved mappings of a workspace, by name.

    Raises:
        WrongUse: one of them is wrong, with its line.
    """
    if not (folder / FOLDER).is_dir():
        return []
    return [_read_once(path, description) for path in sorted((folder / FOLDER).glob("*.toml"))]


_READ: dict[Path, tuple[int, int, Description, SavedMap]] = {}
"""Path → when it was last written, its size, the description, and the mapping:
each is read once for all files of a command.
"""


def _read_once(path: Path, description: Description) -> SavedMap:
    """The mapping as it was read before, unless its file or the description is another one by now."""
    about = path.stat()
    known = _READ.get(path)
    if known is not None and known[:2] == (about.st_mtime_ns, about.st_size) and known[2] is description:
        return known[3]
    found = read_map(path, description)
    _READ[path] = (about.st_mtime_ns, about.st_size, description, found)
    return found


def maps_of_system(folder: Path, description: Description) -> list[SavedMap]:
    """Those of them that are for records of the description; the others are for sheets that only some commands read."""
    return [each for each in read_maps(folder, description) if each.record in description.records]


def map_named(folder: Path, name: str, description: Description) -> SavedMap:
    """The saved mapping of that name.

    Raises:
        WrongUse: there is none.
    """
    path = folder / FOLDER / f"{name.removesuffix('.toml')}.toml"
    if not path.is_file():
        hint = near_file(folder / FOLDER, name, "saved mappings", "kotrel map FILE RECORD saves one.")
        raise WrongUse(f"there is no saved mapping {path}", hint, "no-such-map")
    return read_map(path, description)


def read_map(path: Path, description: Description) -> SavedMap:
    """Reads and checks one saved mapping.

    Raises:
        WrongUse: it is wrong, with its line.
        OutOfReach: the file cannot be read.
    """
    try:
        text, data = read_settings_file(path, "wrong-map")
    except FileNotFoundError as error:
        raise OutOfReach(f"{path} cannot be read: {error}", "", "file-not-readable") from None
    description = with_sheet_records(description)
    bare = SavedMap(path.stem, path, text, ())
    for key in data:
        if key not in MAPPING:
            raise bare.wrong(f"“{key}” is not a setting of a mapping", key, hint=did_you_mean(key, MAPPING))
    also = data.get("also", [])
    if not isinstance(also, list) or not all(isinstance(each, dict) for each in also):
        raise bare.wrong("every other record needs a table like [[also]]", "also")
    heading_row = data.get("heading_row")
    if heading_row is not None and (type(heading_row) is not int or heading_row < 0):
        raise bare.wrong("heading_row must be the number of a row, or 0 for none", "heading_row")
    words = 'a list of words, like ["POA", "replaced by *"]'
    no_price = _list_of_texts(bare, data, "no_price", words)
    if not all(each.strip(" *") for each in no_price):
        raise bare.wrong(f"no_price must be {words}", "no_price")
    parts = [
        _part(bare, data, (), description),
        *(_part(bare, each, (numbered("also", n),), description) for n, each in enumerate(also, start=1)),
    ]
    for part in parts:
        _check_from(bare, part, parts[0], description)
    return SavedMap(
        path.stem,
        path,
        text,
        tuple(parts),
        skip=_list_of_texts(bare, data, "skip", "a list of headings"),
        heading_row=heading_row,
        sheet=_one_text(bare, data, "sheet", "the name of a sheet"),
        encoding=_one_text(bare, data, "encoding", "the name of an encoding", 'Like encoding = "mac-roman"'),
        no_price=no_price,
        lookups=_lookups(bare, data.get("lookup", {})),
        replaced_by=_one_text(bare, data, "replaced_by", "the heading of a column") or "",
        lines=_line_patterns(bare, data),
        as_it_stands=_list_of_texts(bare, data, "as_it_stands", "a list of headings"),
        habits=_habits(bare, data),
    )


def _one_text(bare: SavedMap, data: Mapping[str, Any], key: str, meaning: str, hint: str = "") -> str | None:
    value = data.get(key)
    if value is not None and not isinstance(value, str):
        raise bare.wrong(f"{key} must be {meaning}, in quotes", key, hint=hint)
    return value


def _list_of_texts(bare: SavedMap, data: Mapping[str, Any], key: str, meaning: str) -> tuple[str, ...]:
    value = data.get(key, [])
    if not isinstance(value, list) or not all(isinstance(each, str) for each in value):
        raise bare.wrong(f"{key} must be {meaning}", key)
    return tuple(value)


def _line_patterns(bare: SavedMap, data: Mapping[str, Any]) -> tuple[str, ...]:
    """The patterns by which the lines of a program's log are read."""
    value = data.get("lines", [])
    patterns = _list_of_texts(
        bare, {"lines": [value] if isinstance(value, str) else value}, "lines", "a pattern in quotes, or a list of them"
    )
    for pattern in patterns:
        try:
            parts_of_pattern(pattern)
        except ValueError as error:
            hint = 'Like lines = "{when} {outcome} {key}: {message}"'
            raise bare.wrong(f"lines: {error}", "lines", hint=hint) from None
    return patterns


def _habits(bare: SavedMap, data: Mapping[str, Any]) -> SheetHabits:
    """How the sheet writes its numbers and days, as far as the mapping says it."""
    habits = {key: data.get(key, "") for key in ("decimal_mark", "dates")}
    for key, allowed in (("decimal_mark", (".", ",")), ("dates", ("day", "month"))):
        if key in data and habits[key] not in allowed:
            raise bare.wrong(f"{key} must be “{allowed[0]}” or “{allowed[1]}”", key)
    return SheetHabits(**habits)


def _require_kind(bare: SavedMap, key: str, value: Any, at: tuple[str, ...]) -> None:
    """Refuses a value that a setting of a lookup cannot have."""
    if key == "table":
        if not isinstance(value, dict) or not all(map(_is_plain_value, value.values())):
            raise bare.wrong("“table” must be a table like { A = 30, B = 25 }", *at, key)
    elif not (isinstance(value, str) or (key == "default" and _is_plain_value(value))):
        raise bare.wrong(f"“{key}” must be a text in quotes", *at, key)


def _lookups(bare: SavedMap, data: Any) -> tuple[Lookup, ...]:
    """The tables that the sheet is looked up in, checked."""
    if not isinstance(data, dict) or not all(isinstance(each, dict) for each in data.values()):
        raise bare.wrong("every lookup needs a table like [lookup.groups]", "lookup")
    lookups = []
    for name, settings in data.items():
        at = ("lookup", name)
        for key, value in settings.items():
            _require_known(bare, key, LOOKUP, "a lookup", at)
            _require_kind(bare, key, value, at)
        if "by" not in settings:
            raise bare.wrong("a lookup needs “by”: the heading of the column that is looked up", *at)
        if ("table" in settings) == bool({"file", "sheet"} & set(settings)):
            hint = 'Like sheet = "Groups", file = "groups.csv", or table = { A = 30, B = 25 }'
            raise bare.wrong("a lookup needs its table: a sheet, a file, or one written here", *at, hint=hint)
        written = {str(key): str(value) for key, value in settings.get("table", {}).items()}
        default = str(settings["default"]) if "default" in settings else None
        texts = {key: settings.get(key, "") for key in ("file", "sheet", "key")}
        lookups.append(Lookup(name, settings["by"], written, default=default, **texts))
    return tuple(lookups)


def _is_plain_value(value: Any) -> bool:
    return isinstance(value, (str, int, float)) and not isinstance(value, bool)


def _check_per(saved: SavedMap, record: Record, name: str, value: Any, at: tuple[str, ...]) -> None:
    """``per``: a number, the heading of a column, or a table with the column, its words and what a blank means."""
    if record.fields[name].kind != "money":
        raise saved.wrong(f"{name}: “per” is only for amounts of money", *at)
    about = value if isinstance(value, dict) else {}
    numbers = [] if isinstance(value, (str, dict)) else [value]
    if isinstance(value, dict):
        unknown = set(value) - {"column", "words", "default"}
        if unknown or not isinstance(value.get("column"), str) or not isinstance(value.get("words", {}), dict):
            raise saved.wrong(
                f"{name}: “per” as a table has the column, words and a default",
                *at,
                hint='Like per = { column = "PE", words = { C = 100 }, default = 1 }',
            )
        numbers = [*about.get("words", {}).values(), *([about["default"]] if "default" in about else [])]
    if not all(isinstance(each, (int, float)) and not isinstance(each, bool) and each > 0 for each in numbers):
        raise saved.wrong(f"{name}: “per” must be a number above zero, or the heading of a column in quotes", *at)


def _once_per(bare: SavedMap, data: Mapping[str, Any], fields: Mapping[str, Any], at: tuple[str, ...]) -> list[str]:
    said = data.get("once_per", [])
    once = [said] if isinstance(said, str) else said
    if not isinstance(once, list) or not all(isinstance(each, str) for each in once):
        raise bare.wrong("“once_per” must be a field's name in quotes, or a list of such names", *at, "once_per")
    for name in once:
        if name not in fields:
            trouble = f"once_per names a field “{name}” that the mapping does not fill"
            raise bare.wrong(trouble, *at, "once_per", hint=did_you_mean(name, fields))
    return once


def _require_after_end(bare: SavedMap, record: Record, said: Any, at: tuple[str, ...]) -> None:
    if record.period is None:
        raise bare.wrong(f"after_end: {record.name} has no periods", *at, "after_end")
    if said not in AFTER_END:
        raise bare.wrong("after_end: it must be “resume” or “nothing”", *at, "after_end")


def _part(bare: SavedMap, data: Mapping[str, Any], at: tuple[str, ...], description: Description) -> MapPart:
    """One record's part of a mapping, checked."""
    name = data.get("record", "")
    if not isinstance(name, str):
        raise bare.wrong("“record” must be the name of a record, in quotes", *at, "record")
    record = readable_records(description).get(name)
    if record is None:
        raise bare.wrong(f"there is no record “{name}”", *at, "record", hint=meant(name, description))
    fields = data.get("field", {})
    if not isinstance(fields, dict):
        raise bare.wrong("“field” must be tables, like [field.code]", *at, "field")
    if data.get("for", "new") not in FOR:
        raise bare.wrong("“for” must be “new” or “all”", *at, "for")
    for name, settings in fields.items():
        _check_field(bare, record, name, settings, (*at, "field", name))
        if "found_by" in settings:
            _check_found_by(bare, record, name, settings, (*at, "field", name, "found_by"), description)
    if not isinstance(data.get("where", ""), str):
        raise bare.wrong("“where” must be a text in quotes", *at, "where")
    once = _once_per(bare, data, fields, at)
    for name, settings in fields.items():
        _check_default_by(bare, record, name, settings, fields, (*at, "field", name))
    after_end = data.get("after_end")
    if after_end is not None:
        _require_after_end(bare, record, after_end, at)
    if "for" in data:
        fields = {name: {"for": data["for"], **settings} for name, settings in fields.items()}
    return MapPart(record.name, at, fields, data.get("where"), tuple(once), after_end)


def _check_default_by(
    bare: SavedMap,
    record: Record,
    name: str,
    settings: Mapping[str, Any],
    fields: Mapping[str, Any],
    at: tuple[str, ...],
) -> None:
    """``default_by`` goes by a field that the mapping fills, and ``defaults`` by values that it can have."""
    by = settings.get("default_by")
    if by is None:
        return
    if by not in fields:
        hint = did_you_mean(by, fields)
        raise bare.wrong(
            f"{name}: “default_by” names a field “{by}” that the mapping does not fill", *at, "default_by", hint=hint
        )
    about = record.fields[by]
    known = {"choice": about.choices, "yes_no": ("yes", "no")}.get(about.kind)
    for value in settings.get("defaults", {}):
        if known is not None and value not in known:
            raise bare.wrong(f"{name}: {by} is never “{value}”: it is one of {', '.join(known)}", *at, "defaults")


def _check_found_by(
    bare: SavedMap,
    record: Record,
    name: str,
    settings: Mapping[str, Any],
    at: tuple[str, ...],
    description: Description,
) -> None:
    """``found_by`` is for references: it names fields of the record referred to, and the columns with their values."""
    target = record if record.key == (name,) else description.records.get(record.fields[name].to or "")
    if target is None or len(target.key) > 1:
        raise bare.wrong(f"{name}: “found_by” is only for a key, or a reference to a record with one key field", *at)
    for field, heading in settings["found_by"].items():
        if field not in target.fields or not isinstance(heading, str):
            close = nearest(field, target.fields)
            raise bare.wrong(
                f"{name}: “found_by” names fields of {target.name} and their columns, and “{field}” is none",
                *at,
                hint=f"Did you mean {close}?"
                if close and close != field
                else 'Like found_by = { name = "Name", post_code = "Zip" }',
            )


def _check_from(bare: SavedMap, part: MapPart, main: MapPart, description: Description) -> None:
    """``from`` takes a field of the main record, whose rows must be loaded first."""
    for name, settings in part.fields.items():
        if "from" not in settings:
            continue
        at = (*part.at, "field", name, "from")
        if part is main:
            raise bare.wrong("“from” is only for records under [[also]]", *at)
        # The key may come from the row that the system has: by other codes, or with --match-on.
        if (
            settings["from"] not in main.fields
            and (settings["from"],) != readable_records(description)[main.record].key
        ):
            raise bare.wrong(
                f"“from” names a field “{settings['from']}” that the mapping of {main.record} does not fill", *at
            )
        order = description.order
        if order.index(main.record) > order.index(part.record):
            raise bare.wrong(f"{part.record} is loaded before {main.record}, so it cannot take a value from it", *at)


_COMPANY = (
    ("pattern", ("split", "cell")), ("part", ("split", "cell")), ("between", ("join", "list")), ("default_by", ("defaults",)), ("defaults", ("default_by",)),
    ("per", ("column", "make")), ("fill_down", ("column",)), ("translate", ("column", "join", "list", "last", "split")),
)  # fmt: skip
"""Settings of a field that mean nothing without one of others."""


def _check_company(saved: SavedMap, name: str, settings: Mapping[str, Any], at: tuple[str, ...]) -> None:
    """A setting that would do nothing is an error: whoever wrote it counts on it."""
    for key, others in _COMPANY:
        if key in settings and not any(other in settings for other in others):
            needed = listed_and([f"“{other}”" for other in others], "or")
            raise saved.wrong(f"{name}: “{key}” does nothing without {needed}", *at, key)


def _require_known(saved: SavedMap, key: str, known: Collection[str], of: str, at: tuple[str, ...]) -> None:
    """Refuses a setting that there is not."""
    if key not in known:
        hint = did_you_mean(key, known, f"The settings are: {', '.join(known)}.")
        raise saved.wrong(f"“{key}” is not a setting of {of}", *at, key, hint=hint)


def _check_field(saved: SavedMap, record: Record, name: str, settings: Any, at: tuple[str, ...]) -> None:
    if name not in record.fields:
        raise saved.wrong(f"{record.name} has no field “{name}”", *at, hint=did_you_mean(name, record.fields))
    if not isinstance(settings, dict):
        raise saved.wrong(f"{name} must be a table, like [field.{name}]", *at)
    for key, value in settings.items():
        _require_known(saved, key, MAPPING_FIELD, "a field", at)
        _check_setting(saved, record, name, key, value, at)
    _check_together(saved, record, name, settings, at)


_KIND_OF_SETTING: dict[str, type] = {
    "join": list,
    "list": list,
    "last": list,
    "translate": dict,
    "defaults": dict,
    "found_by": dict,
}
"""The settings of a field that are no texts; ``repeat`` is a list or a table."""
_IN_WORDS: dict[type, str] = {list: "a list of headings", dict: 'a table like { old = "new" }', str: "a text in quotes"}


def _check_setting(saved: SavedMap, record: Record, name: str, key: str, value: Any, at: tuple[str, ...]) -> None:
    """Refuses a value that a setting of a field cannot have."""
    if key == "rounding":
        if not is_rounding(value) or not record.fields[name].is_decimal:
            raise saved.wrong(f"{name}: rounding is for numbers: {ROUNDINGS}", *at, key)
    elif key == "fill_down":
        if not isinstance(value, bool):
            raise saved.wrong(f"{name}: “fill_down” is true or false", *at, key)
    elif key == "per":
        _check_per(saved, record, name, value, (*at, key))
    else:
        wanted = _KIND_OF_SETTING.get(key, str)
        if key == "repeat":
            wanted = dict if isinstance(value, dict) else list
        if not isinstance(value, wanted):
            raise saved.wrong(f"“{key}” must be {_IN_WORDS[wanted]}", *at, key)
        inside = value if isinstance(value, list) else value.values() if isinstance(value, dict) else ()
        if not all(isinstance(each, str) for each in inside):
            raise saved.wrong(f"“{key}” holds texts in quotes only", *at, key)


def _check_together(
    saved: SavedMap, record: Record, name: str, settings: Mapping[str, Any], at: tuple[str, ...]
) -> None:
    """Refuses settings of a field that do not go together, or not with this field."""
    options = [
        key
        for key in ("column", "join", "list", "last", "split", "fixed", "repeat", "from", "found_by", "cell")
        if key in settings
    ]
    if len(options) > 1 and set(options) != {"column", "repeat"}:
        raise saved.wrong(f"{name} has {' and '.join(options)}; use only one of them", *at)
    _check_company(saved, name, settings, at)
    if "how" in settings and (record.fields[name].kind != "list" or settings["how"] not in HOWS):
        raise saved.wrong(
            f"{name}: “how” is only for lists; use one of {', '.join(HOWS)}", *at, "how", hint='Like how = "add"'
        )
    if settings.get("for", "new") not in FOR:
        raise saved.wrong(f"{name}: “for” must be “new” or “all”", *at, "for")
    if not re.fullmatch(r"[A-Za-z]{1,3}[1-9][0-9]*", settings.get("cell", "A1")):
        raise saved.wrong(
            f"{name}: “cell” must be the address of a cell above the headings", *at, "cell", hint="Like B2"
        )
    if "split" in settings or "pattern" in settings:
        try:
            part_pattern(str(settings.get("pattern", "")), str(settings.get("part", "")))
        except ValueError as error:
            raise saved.wrong(
                f"{name}: {error}", *at, "pattern", hint='Like pattern = "{diameter} mm / {length} m"'
            ) from None
