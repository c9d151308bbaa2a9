"""Saved matches, ``maps/NAME.toml``: which column feeds which field of a supplier's sheet, for people to read and edit."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from kotrel.core.description.model import Description, Record
from kotrel.core.description.toml_lines import line_of
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.similarity import folded, nearest
from kotrel.core.tables.sources import Source, column_named, part_pattern
from kotrel.core.tables.table import Table
from kotrel.core.understanding.matching import OWN_HEADINGS, Matched

FOLDER = "maps"
HOWS = ("replace", "add", "take")

_FIELD_KEYS = (
    "column", "join", "between", "list", "last", "split", "pattern", "part", "translate", "fixed", "default", "default_by",
    "defaults", "make", "repeat", "how", "for",
)  # fmt: skip


FOR = ("new", "all")
"""The rows that defaults and made values are for."""


@dataclass(frozen=True)
class MapPart:
    """What one saved match says about one record.

    Attributes:
        at: its path in the file, to point at lines.
        fields: field → its settings.
    """

    record: str
    at: tuple[str, ...]
    fields: Mapping[str, Mapping[str, Any]]

    @property
    def repeated(self) -> tuple[str, tuple[str, ...]] | None:
        """The field that repeats, with a row for each of its values, and the values."""
        for name, settings in self.fields.items():
            if "repeat" in settings:
                return name, tuple(settings["repeat"])
        return None

    def blocks(self) -> list[Mapping[str, Mapping[str, Any]]]:
        """The settings for each repeated value: ``{warehouse}`` in a heading becomes the value."""
        if self.repeated is None:
            return [self.fields]
        name, values = self.repeated
        return [
            {field: _filled_in(settings, name, value) for field, settings in self.fields.items()} for value in values
        ]


def _filled_in(settings: Mapping[str, Any], name: str, value: str) -> dict[str, Any]:
    if "repeat" in settings:
        return {"fixed": value}
    mark = "{" + name + "}"

    def filled(setting: Any) -> Any:
        if isinstance(setting, str):
            return setting.replace(mark, value)
        return [filled(each) for each in setting] if isinstance(setting, list) else setting

    return {
        key: filled(each) if key in ("column", "split", "join", "list", "last") else each
        for key, each in settings.items()
    }


@dataclass(frozen=True)
class SavedMap:
    """A saved match, as it is in its file.

    Attributes:
        name: the file's name without its ending.
        parts: the record it is for, and others made from the same sheet (``[[also]]``).
        skip: headings that are left out on purpose.
        heading_row: the row with the headings, 0 for none, or None to find it.
        sheet: the sheet it is for, or None for any.
    """

    name: str
    path: Path
    text: str
    parts: tuple[MapPart, ...]
    skip: tuple[str, ...] = ()
    heading_row: int | None = None
    sheet: str | None = None

    @property
    def record(self) -> str:
        """The main record it is for."""
        return self.parts[0].record

    def wrong(self, message: str, *at: str, hint: str = "") -> WrongUse:
        return WrongUse(f"{self.path}, line {line_of(self.text, *at)}: {message}", hint, "wrong-map")

    def headings(self) -> list[str]:
        """All headings it needs, in its order, without columns named by letter."""
        found: dict[str, None] = {}
        for part in self.parts:
            for fields in part.blocks():
                for settings in fields.values():
                    found |= {name: None for name in _columns(settings) if not name.startswith("=")}
        return list(found)

    def missing_in(self, table: Table) -> list[str]:
        """The headings it needs that the table lacks."""
        there = {folded(column.heading) for column in table.columns}
        return [heading for heading in self.headings() if folded(heading) not in there]


def _columns(settings: Mapping[str, Any]) -> list[str]:
    names: list[str] = []
    for key in ("column", "split"):
        if isinstance(settings.get(key), str):
            names.append(settings[key])
    for key in ("join", "list", "last"):
        if isinstance(settings.get(key), list):
            names += settings[key]
    return names


def read_maps(folder: Path, description: Description) -> list[SavedMap]:
    """All saved matches of a workspace, by name.

    Raises:
        WrongUse: one of them is wrong, with its line.
    """
    if not (folder / FOLDER).is_dir():
        return []
    return [read_map(path, description) for path in sorted((folder / FOLDER).glob("*.toml"))]


def map_named(folder: Path, name: str, description: Description) -> SavedMap:
    """The saved match of that name.

    Raises:
        WrongUse: there is none.
    """
    path = folder / FOLDER / f"{name.removesuffix('.toml')}.toml"
    if not path.is_file():
        there = [each.stem for each in sorted((folder / FOLDER).glob("*.toml"))]
        close = nearest(name, there)
        hint = f"Did you mean {close}?" if close else f"The saved matches are: {', '.join(there) or 'none yet'}."
        raise WrongUse(f"there is no saved match {path}", hint, "no-such-map")
    return read_map(path, description)


def read_map(path: Path, description: Description) -> SavedMap:
    """Reads and checks one saved match.

    Raises:
        WrongUse: it is wrong, with its line.
        OutOfReach: the file cannot be read.
    """
    try:
        text = path.read_text("utf-8-sig")
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise WrongUse(f"{path}: {error}", "Correct that line.", "wrong-map") from None
    except (OSError, UnicodeDecodeError) as error:
        raise OutOfReach(f"{path} cannot be read: {error}", "", "file-not-readable") from None
    bare = SavedMap(path.stem, path, text, ())
    known = ("record", "skip", "field", "also", "for", "heading_row", "sheet")
    for key in data:
        if key not in known:
            close = nearest(key, known)
            raise bare.wrong(
                f"“{key}” is not a setting of a match", key, hint=f"Did you mean “{close}”?" if close else ""
            )
    skip = data.get("skip", [])
    if not isinstance(skip, list) or not all(isinstance(each, str) for each in skip):
        raise bare.wrong("skip must be a list of headings", "skip")
    also = data.get("also", [])
    if not isinstance(also, list) or not all(isinstance(each, dict) for each in also):
        raise bare.wrong("every other record needs a table like [[also]]", "also")
    heading_row, sheet = data.get("heading_row"), data.get("sheet")
    if heading_row is not None and (
        isinstance(heading_row, bool) or not isinstance(heading_row, int) or heading_row < 0
    ):
        raise bare.wrong("heading_row must be the number of a row, or 0 for none", "heading_row")
    if sheet is not None and not isinstance(sheet, str):
        raise bare.wrong("sheet must be the name of a sheet, in quotes", "sheet")
    parts = [_part(bare, data, (), description), *(_part(bare, each, ("also",), description) for each in also)]
    return SavedMap(path.stem, path, text, tuple(parts), tuple(skip), heading_row, sheet)


def _part(bare: SavedMap, data: Mapping[str, Any], at: tuple[str, ...], description: Description) -> MapPart:
    """One record's part of a match, checked."""
    record = description.records.get(data.get("record", ""))
    if record is None:
        close = nearest(str(data.get("record", "")), description.records)
        hint = f"Did you mean {close}?" if close else f"The system takes: {', '.join(description.records)}."
        raise bare.wrong(f"the system takes no record “{data.get('record', '')}”", *at, "record", hint=hint)
    fields = data.get("field", {})
    if data.get("for", "new") not in FOR:
        raise bare.wrong("“for” must be “new” or “all”", *at, "for")
    for name, settings in fields.items():
        _check_field(bare, record, name, settings, (*at, "field", name))
    if "for" in data:
        fields = {name: {"for": data["for"], **settings} for name, settings in fields.items()}
    return MapPart(record.name, at, fields)


def _check_field(saved: SavedMap, record: Record, name: str, settings: Any, at: tuple[str, ...]) -> None:
    if name not in record.fields:
        close = nearest(name, record.fields)
        raise saved.wrong(f"{record.name} has no field “{name}”", *at, hint=f"Did you mean {close}?" if close else "")
    if not isinstance(settings, dict):
        raise saved.wrong(f"{name} must be a table, like [field.{name}]", *at)
    for key, value in settings.items():
        if key not in _FIELD_KEYS:
            close = nearest(key, _FIELD_KEYS)
            hint = f"Did you mean “{close}”?" if close else f"The settings are: {', '.join(_FIELD_KEYS)}."
            raise saved.wrong(f"“{key}” is not a setting of a field", *at, key, hint=hint)
        wanted: type = (
            list if key in ("join", "list", "last", "repeat") else dict if key in ("translate", "defaults") else str
        )
        if not isinstance(value, wanted):
            kind = {"list": "a list of headings", "dict": 'a table like { old = "new" }', "str": "a text in quotes"}[
                wanted.__name__
            ]
            raise saved.wrong(f"“{key}” must be {kind}", *at, key)
    options = [key for key in ("column", "join", "list", "last", "split", "fixed", "repeat") if key in settings]
    if len(options) > 1:
        raise saved.wrong(f"{name} has {' and '.join(options)}; use only one of them", *at)
    if "how" in settings and (record.fields[name].kind != "list" or settings["how"] not in HOWS):
        raise saved.wrong(
            f"{name}: “how” is only for lists; use one of {', '.join(HOWS)}", *at, "how", hint='Like how = "add"'
        )
    if settings.get("for", "new") not in FOR:
        raise saved.wrong(f"{name}: “for” must be “new” or “all”", *at, "for")
    if "split" in settings:
        try:
            part_pattern(str(settings.get("pattern", "")), str(settings.get("part", "")))
        except ValueError as error:
            raise saved.wrong(
                f"{name}: {error}", *at, "pattern", hint='Like pattern = "{diameter} mm / {length} m"'
            ) from None
    if "default_by" in settings and settings["default_by"] not in record.fields:
        raise saved.wrong(
            f"default_by names a field “{settings['default_by']}” that {record.name} does not have", *at, "default_by"
        )


def apply_map(saved: SavedMap, table: Table, description: Description) -> list[Matched]:
    """Applies a saved match to a table: one match for each record, and for each value that repeats.

    Raises:
        WrongUse: a heading it needs is missing; a changed heading is reported, never guessed.
    """
    used: set[str] = set()
    found: list[Matched] = []
    for part in saved.parts:
        for fields in part.blocks():
            sources = {
                name: _source(saved, table, settings, (*part.at, "field", name), used)
                for name, settings in fields.items()
            }
            # A row counts only if it has any values: not every item has a figure for every warehouse.
            optional = part.repeated is not None or part is not saved.parts[0]
            label = str(fields[part.repeated[0]]["fixed"]) if part.repeated else ""
            found.append(Matched(description.records[part.record], sources, {}, (), optional, label))
    skipped = {folded(heading) for heading in saved.skip} | OWN_HEADINGS
    unknown = [c for c in table.columns if c.letter not in used and folded(c.heading) not in skipped]
    found[0] = replace(found[0], unknown=tuple(unknown))
    return found


def _source(saved: SavedMap, table: Table, settings: Mapping[str, Any], at: tuple[str, ...], used: set[str]) -> Source:
    letters = []
    for heading in _columns(settings):
        column = column_named(table.columns, heading)
        if column is None:
            close = nearest(heading, [each.heading for each in table.columns if each.heading])
            hint = (
                f"If “{heading}” is now “{close}”, change it in {saved.path.name}."
                if close
                else "Correct the saved match or the sheet."
            )
            raise saved.wrong(f"{table.file} has no column “{heading}”", *at, hint=hint)
        letters.append(column.letter)
        used.add(column.letter)
    return Source(
        columns=tuple(letters),
        between=settings.get("between", " ") if "join" in settings else "; " if "list" in settings else None,
        last="last" in settings,
        pattern=settings.get("pattern"),
        part=settings.get("part"),
        translate={folded(old): new for old, new in settings.get("translate", {}).items()},
        fixed=settings.get("fixed"),
        default=settings.get("default"),
        default_by=settings.get("default_by"),
        defaults=settings.get("defaults", {}),
        make=settings.get("make"),
        for_all=settings.get("for") == "all",
        how=settings.get("how", "replace"),
    )
