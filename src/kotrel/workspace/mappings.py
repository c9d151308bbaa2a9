"""Saved mappings, ``maps/NAME.toml``: what one says, and what it makes of a table."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from decimal import Decimal
from pathlib import Path
from typing import Any, Literal

from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.description.model import Description, Field
from kotrel.core.description.toml_reading import line_of
from kotrel.core.documents.families import readable_records
from kotrel.core.errors import WrongUse
from kotrel.core.matching.by_headings import OWN_HEADINGS, Matched
from kotrel.core.phrases import listed, listed_and
from kotrel.core.similarity import folded, nearest
from kotrel.core.tables.lookups import Lookup
from kotrel.core.tables.sources import PriceUnit, Source, columns_named, part_pattern
from kotrel.core.tables.table import Table
from kotrel.core.values.conventions import UNSAID, SheetHabits
from kotrel.core.values.dates import dates_within, read_date
from kotrel.core.values.same_writing import form_of


class MapPart(Struct, frozen=True):
    """What one saved mapping says about one record.

    Attributes:
        at: its path in the file, to point at lines.
        fields: field → its settings.
        where: an expression that picks the rows, or None.
        after_end: ``resume`` or ``nothing``: what follows the end of a period, or None to ask.
        once_per: the fields with one row for each of their values together; none for a row for each row.
    """

    record: str
    at: tuple[str, ...]
    fields: Mapping[str, Mapping[str, Any]]
    where: str | None = None
    once_per: tuple[str, ...] = ()
    after_end: Literal["resume", "nothing"] | None = None

    @property
    def repeated(self) -> tuple[str, Mapping[str, str]] | None:
        """The field that repeats, with a row for each of its values;
        and the values with the words of the headings for them.
        """
        for name, settings in self.fields.items():
            if (said := settings.get("repeat")) is not None:
                return name, said if isinstance(said, dict) else {value: value for value in said}
        return None

    def blocks(self) -> list[Mapping[str, Mapping[str, Any]]]:
        """The settings for each repeated value: ``{warehouse}`` in a heading becomes its word. Where the field that repeats
        has a column, too, its values only tell the columns apart.
        """
        if self.repeated is None:
            return [self.fields]
        name, values = self.repeated
        return [
            {field: _filled_in(settings, name, value, word) for field, settings in self.fields.items()}
            for value, word in values.items()
        ]


def _filled_in(settings: Mapping[str, Any], name: str, value: str, word: str) -> dict[str, Any]:
    if "repeat" in settings and "column" not in settings:
        return {"fixed": value}
    mark = "{" + name + "}"

    def filled(setting: Any) -> Any:
        if isinstance(setting, str):
            return setting.replace(mark, word)
        return [filled(each) for each in setting] if isinstance(setting, list) else setting

    return {
        key: filled(each) if key in ("column", "split", "join", "list", "last", "make") else each
        for key, each in settings.items()
        if key != "repeat"
    }


class SavedMap(Struct, frozen=True):
    """A saved mapping, as it is in its file.

    Attributes:
        name: the file's name without its ending.
        parts: the record it is for, and others made from the same sheet (``[[also]]``).
        skip: headings that are left out on purpose.
        heading_row: the row with the headings, 0 for none, or None to find it.
        sheet: the sheet it is for, or None for any.
        encoding: of a text file, or None to recognise it.
        no_price: words that mean “no price”.
        lookups: tables whose values are further columns.
        lines: patterns of a log, whose lines are rows and whose parts are columns; none for a table.
        habits: how the sheet is written.
        as_it_stands: headings that say something which does not count, such as “(incl. VAT)”.
        replaced_by: the heading of the column that says by which other item a row's is replaced, or an empty text.
    """

    name: str
    path: Path
    text: str
    parts: tuple[MapPart, ...]
    skip: tuple[str, ...] = ()
    heading_row: int | None = None
    sheet: str | None = None
    encoding: str | None = None
    no_price: tuple[str, ...] = ()
    lookups: tuple[Lookup, ...] = ()
    replaced_by: str = ""
    lines: tuple[str, ...] = ()
    as_it_stands: tuple[str, ...] = ()
    habits: SheetHabits = UNSAID

    @property
    def record(self) -> str:
        """The main record it is for."""
        return self.parts[0].record

    def wrong(self, message: str, *at: str, hint: str = "") -> WrongUse:
        return WrongUse(f"{self.path}, line {line_of(self.text, *at)}: {message}", hint, "wrong-map")

    def headings(self) -> list[str]:
        """All headings it needs, in its order, without columns named by letter."""
        headings_read: dict[str, None] = dict.fromkeys([self.replaced_by] if self.replaced_by else [])
        for part in self.parts:
            for fields in part.blocks():
                for settings in fields.values():
                    names = [*_columns(settings), *_in_expression(settings.get("make", ""))]
                    headings_read |= {name: None for name in names if not name.startswith("=")}
            headings_read |= dict.fromkeys(_in_expression(part.where or ""))
        # A column that is looked up stands for the one by which it is.
        by = {self.looked_up(name): None for name in headings_read} | {each.by: None for each in self.lookups}
        return [name for name in by if not name.startswith("=")]

    def looked_up(self, name: str) -> str:
        """The heading in the sheet by which ``groups.Discount`` is looked up; any other heading as it is."""
        return next((each.by for each in self.lookups if name == each.name or name.startswith(f"{each.name}.")), name)

    def missing_in(self, table: Table) -> list[str]:
        """The headings it needs that the table lacks."""
        there = {folded(column.heading) for column in table.columns}
        return [heading for heading in self.headings() if folded(heading) not in there]


def _columns(settings: Mapping[str, Any]) -> list[str]:
    names: list[str] = []
    per = settings.get("per")
    if isinstance(per, str):
        names.append(per)
    elif isinstance(per, dict):
        names.append(per["column"])
    for key in ("column", "split"):
        if isinstance(settings.get(key), str):
            names.append(settings[key])
    for key in ("join", "list", "last"):
        if isinstance(settings.get(key), list):
            names += settings[key]
    if isinstance(settings.get("found_by"), dict):
        names += settings["found_by"].values()
    return names


def _in_expression(text: str) -> list[str]:
    """The headings that an expression names in brackets, outside its texts."""
    return re.findall(r"\[([^\]]+)\]", re.sub(r"'[^']*'|\"[^\"]*\"", "", text))


def _used_in_conditions(saved: SavedMap, table: Table) -> set[str]:
    """The letters of the columns that ``where`` of any part names."""
    named = [name for part in saved.parts for name in _in_expression(part.where or "")]
    return {column.letter for name in named for column in columns_named(table.readable, name)}


def _headed(table: Table, headings: Collection[str]) -> frozenset[str]:
    """The letters of the columns under some headings, which are folded."""
    return frozenset(column.letter for column in table.columns if folded(column.heading) in headings)


def apply_map(saved: SavedMap, table: Table, description: Description) -> list[Matched]:
    """Applies a saved mapping to a table: one match for each record, and for each value that repeats.

    Raises:
        WrongUse: a heading it needs is missing; a changed heading is reported, never guessed.
    """
    used: set[str] = set()
    matches: list[Matched] = []
    for part in saved.parts:
        for fields in part.blocks():
            record = readable_records(description)[part.record]
            sources = {
                name: _source(saved, table, record.fields[name], settings, (*part.at, "field", name), used)
                for name, settings in fields.items()
            }
            # A row counts only if it has any values: not every item has a figure for every warehouse.
            optional = part.repeated is not None or part is not saved.parts[0]
            repeated = fields[part.repeated[0]] if part.repeated else {}
            label = str(repeated.get("fixed", repeated.get("column", "")))
            matches.append(
                Matched(
                    record,
                    sources,
                    {},
                    (),
                    optional,
                    label,
                    where=part.where,
                    once_per=part.once_per,
                    after_end=part.after_end,
                    # A quantity without its price is not left out.
                    counting=(part.repeated[0],) if part.repeated and "column" in repeated else (),
                )
            )
    used |= _used_in_conditions(saved, table) | set(table.origins.values())
    replaced = _letter(saved, table, saved.replaced_by, ("replaced_by",)) if saved.replaced_by else ""
    left_out = _headed(table, {folded(heading) for heading in saved.skip} | OWN_HEADINGS)
    unknown = [each for each in table.columns if each.letter not in used | left_out | {replaced}]
    matches[0] = replace(matches[0], unknown=tuple(unknown))
    stand = _headed(table, {folded(heading) for heading in saved.as_it_stands})
    return [
        replace(
            match,
            skipped=left_out,
            no_price=saved.no_price,
            replaced_by=replaced,
            as_they_stand=stand,
            habits=saved.habits,
        )
        for match in matches
    ]


def _letter(saved: SavedMap, table: Table, heading: str, at: tuple[str, ...]) -> str:
    """The one column with a heading, or with a letter written like ``=C``.

    Raises:
        WrongUse: there is none, or there are several.
    """
    columns = columns_named(table.readable, heading)
    if len(columns) > 1:
        several = listed_and([column.letter for column in columns])
        raise saved.wrong(
            f"the columns {several} of {table.file} are all headed “{heading}”"
            if len(columns) > 2
            else f"the columns {several} of {table.file} are both headed “{heading}”",
            *at,
            hint=f'Write the letter of the one that is meant, like "={columns[0].letter}".',
        )
    if not columns:
        close = nearest(heading, [each.heading for each in table.readable if each.heading])
        hint = (
            f"If “{heading}” is now “{close}”, change it in {saved.path.name}."
            if close
            else "Correct the saved mapping or the sheet."
        )
        raise saved.wrong(f"{table.file} has no column “{heading}”", *at, hint=hint)
    return columns[0].letter


def _source(
    saved: SavedMap, table: Table, field: Field, settings: Mapping[str, Any], at: tuple[str, ...], used: set[str]
) -> Source:
    letters = [_letter(saved, table, heading, at) for heading in _columns({**settings, "per": None})]
    used |= set(letters)
    for heading in _in_expression(settings.get("make", "")):
        used |= {column.letter for column in columns_named(table.readable, heading)}
    per = _price_unit(saved, table, settings.get("per"), at)
    if per is not None and per.letter:
        used.add(per.letter)
    cell = settings.get("cell", "").upper()
    return Source(
        columns=tuple(letters),
        between=settings.get("between", " ")
        if "join" in settings
        else ", "
        if "found_by" in settings
        else "; "
        if "list" in settings
        else None,
        parts="list" in settings,
        last="last" in settings,
        pattern=None if cell else settings.get("pattern"),
        part=settings.get("part"),
        found_by=tuple(settings.get("found_by", ())),
        translate={form_of(old): new for old, new in settings.get("translate", {}).items()},
        fixed=_text_of_cell(saved, table, settings, field, (*at, "cell")) if cell else settings.get("fixed"),
        cell=cell,
        fill_down=settings.get("fill_down", False),
        per=per,
        default=settings.get("default"),
        default_by=settings.get("default_by"),
        defaults=settings.get("defaults", {}),
        of_record=saved.record if "from" in settings else None,
        of_field=settings.get("from"),
        make=settings.get("make"),
        for_all=settings.get("for") == "all",
        how=settings.get("how", "replace"),
        rounding=str(settings.get("rounding", "")),
    )


def _price_unit(saved: SavedMap, table: Table, said: Any, at: tuple[str, ...]) -> PriceUnit | None:
    """What ``per`` says: a number, a column, or a column with words."""
    if said is None:
        return None
    if not isinstance(said, (str, dict)):
        return PriceUnit(Decimal(str(said)))
    about: Mapping[str, Any] = {"column": said} if isinstance(said, str) else said
    words = {form_of(word): Decimal(str(number)) for word, number in about.get("words", {}).items()}
    default = Decimal(str(about["default"])) if "default" in about else None
    return PriceUnit(None, _letter(saved, table, about["column"], (*at, "per")), words, default)


def _text_of_cell(saved: SavedMap, table: Table, settings: Mapping[str, Any], field: Field, at: tuple[str, ...]) -> str:
    """The text of a cell above the headings, or the part of it that is meant: of a date in a sentence, the date.

    Raises:
        WrongUse: nothing stands there, or nobody can say which part is meant.
    """
    address = settings["cell"].upper()
    text = table.above.get(address)
    where = f"sheet “{table.sheet}” of {table.file}" if table.sheet else table.file
    if text is None:
        there = listed([f"{each} “{said[:30]}”" for each, said in table.above.items()], 4) or "nothing"
        raise saved.wrong(
            f"{where} has nothing in {address} above its headings", *at, hint=f"Above its headings it has {there}."
        )
    if "pattern" in settings:
        found = re.match(part_pattern(settings["pattern"], settings.get("part", "")), text)
        if found is None:
            raise saved.wrong(f"{address} of {where} is “{text}”, and the pattern does not fit", *at)
        return found[1]
    if field.kind != "date" or read_date(text, "day", 2000).trouble != "no-date":
        return text
    days = dates_within(text)
    if len(days) != 1:
        many = f"has {len(days)} days: {listed(days, 4)}" if days else "has no day"
        raise saved.wrong(
            f"{address} of {where} is “{text}”, which {many}",
            *at,
            hint='Say which part is meant, like pattern = "valid from {day}" with part = "day".',
        )
    return days[0]
