"""Drafts a system description from a program's exports alone:
records, keys, kinds, lengths, lists, and the list of stock.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from pathlib import Path

import polars as pl
from msgspec.structs import replace

from kotrel.core.description.drafting import draft_description
from kotrel.core.description.model import Description
from kotrel.core.description.table_facts import ColumnFacts, ReferenceFacts, TableFacts
from kotrel.core.errors import KotrelError, WrongUse
from kotrel.core.matching.by_headings import likely_record
from kotrel.core.tables.as_shown import as_shown
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.month_names import plain_letters
from kotrel.core.values.yes_no import read_yes_no
from kotrel.exchange.folder_lists import is_template, list_files
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.sheet_reading import tables_in

QUANTITY = re.compile(r"^(qty|quantity|on_?hand|in_?stock|stock|stock_(qty|quantity|on_hand)|balance)$")
ROLES = (
    ("warehouse", re.compile(r"warehouse|store|site|depot|branch")),
    ("bin", re.compile(r"bin|shelf|location|rack")),
    ("lot", re.compile(r"lot|batch")),
    ("serial", re.compile(r"serial")),
    ("value", re.compile(r"value|worth")),
    ("cost", re.compile(r"cost")),
)  # fmt: skip


def _stock_names(facts: TableFacts, named: dict[str, str]) -> dict[str, str]:
    """Column → what a list of stock calls it.

    Args:
        named: the columns whose parts are known already.
    """
    for role, pattern in ROLES:
        found = next(
            (each.name for each in facts.columns if each.name not in named and pattern.search(each.name)), None
        )
        if found is not None:
            named[found] = role
    names = {each.name: named.get(each.name, each.name) for each in facts.columns}
    # A column that happens to be called like a part that another one plays keeps out of its way.
    return {
        name: f"{new}_2" if new == name and name not in named and new in named.values() else new
        for name, new in names.items()
    }


def _renamed(reference: ReferenceFacts, names: Mapping[str, str]) -> ReferenceFacts:
    return ReferenceFacts(tuple(names[name] for name in reference.columns), reference.table, reference.targets)


def as_stock_list(
    facts: TableFacts, headings: Mapping[str, str], blanks: Sequence[str], sizes: Mapping[str, int]
) -> TableFacts | None:
    """The table with its columns called as a list of stock calls them; None where it is none.

    Such a list refers to the items, has one column with a quantity, and is not itself the list of the items.

    Args:
        headings: column → its heading.
        blanks: columns that are blank in some rows.
        sizes: list → its rows; the longest that a column refers to has the items.
    """
    quantities = [each for each in facts.columns if QUANTITY.match(each.name) and each.kind in ("whole", "decimal")]
    by_column = {each.columns[0]: each.table for each in facts.references if each.table != facts.name}
    if len(quantities) != 1 or not by_column:
        return None
    item = max(by_column, key=lambda name: sizes[by_column[name]])
    names = _stock_names(facts, {item: "item", quantities[0].name: "quantity"})
    columns = [_stock_column(each, names[each.name], headings[each.name]) for each in facts.columns]
    places = ("item", "warehouse", "bin", "lot", "serial")
    full = {names[each.name] for each in facts.columns if each.name not in blanks}
    return replace(
        facts,
        columns=tuple(columns),
        primary=tuple(name for name in places if name in full),
        references=tuple(_renamed(each, names) for each in facts.references),
        nature="stock",
    )


def _stock_column(column: ColumnFacts, name: str, heading: str) -> ColumnFacts:
    title = heading if heading.casefold() != name else ""
    if name == "quantity":
        # What the program counts itself; an administrator who may load it takes that out.
        return replace(
            column, name=name, title=title, made=True, remark="without kept_by, kotrel count post may load it"
        )
    return replace(column, name=name, title=title)


FEW = 12
"""A text column with no more different values, each of them often, is a choice."""


def drafted_description(folder: Path) -> str:
    """The draft, for a person to read.

    Raises:
        WrongUse: there is nothing to learn from.
    """
    tables: dict[str, Table] = {}
    unread: list[str] = []
    for path in list_files(folder):
        if is_template(path):
            unread.append(f"# {path.name} is a template by its name: kotrel layout drafts a layout from it")
            continue
        try:
            list_tables = tables_in(path, FileOptions())
        except KotrelError as error:
            unread.append(f"# {path.name} is not read: {error.message}")
            continue
        for table in list_tables:
            name = _name(table.sheet if len(list_tables) > 1 else path.stem)
            of = f"# {path.name}{f', sheet “{table.sheet}”' if len(list_tables) > 1 else ''}"
            if not table.rows:
                unread.append(f"{of} has no rows: it is not described")
                continue
            while name in tables:
                name += "_2"
                unread.append(f"{of} has the name of another list: it is called {name} here")
            unread += [f"{of}: {said}" for said in _not_described(table)]
            tables[name] = table
    if not tables:
        raise WrongUse(
            f"there is no list in {folder} to learn from",
            "Let the program export its items, units and so on into it.",
            "nothing-to-learn",
        )
    keys = {name: _key(table) for name, table in tables.items()}
    facts = [_facts(name, table, keys, tables) for name, table in tables.items()]
    text = draft_description(facts)
    head = [
        "# A draft from the program's own exports: columns, kinds, lengths and keys as these rows show them.",
        "# They describe only the data in these files; the program may allow more. Read this before the first check, above all\n# lengths, choices and required fields.",
        *unread,
        "",
    ]
    return "\n".join(head) + re.sub(r"\A(#[^\n]*\n)+", "", text).replace(
        'decimals = "plain"                     # as the database has them', 'decimals = "scaled"'
    )


def layouts_offered(folder: Path, description: Description) -> list[tuple[Path, str]]:
    """The templates that lie among the lists, by their names or because they have no rows,
    and the record that each is for.
    """
    layouts: list[tuple[Path, str]] = []
    for path in list_files(folder):
        try:
            tables = tables_in(path, FileOptions())
        except KotrelError:
            continue
        if not is_template(path) and any(table.rows for table in tables):
            continue
        loadable = [record for record in description.records.values() if not record.is_kept]
        fitting = [matched for table in tables if (matched := likely_record(table, loadable)) is not None]
        if fitting:
            layouts.append((path, max(fitting, key=lambda each: each.fit).record.name))
    return layouts


def _name(text: str) -> str:
    """A heading or a file's name as the name of a field or record."""
    spelled = text.strip().lower()
    for letter, letters in (("ä", "ae"), ("ö", "oe"), ("ü", "ue"), ("ß", "ss"), ("æ", "ae"), ("ø", "oe"), ("å", "aa")):
        spelled = spelled.replace(letter, letters)
    name = re.sub(r"[^a-z0-9]+", "_", plain_letters(spelled)).strip("_")
    return name if name and not name[0].isdigit() else f"c_{name or 'column'}"


def _columns(table: Table) -> list[Column]:
    """The columns with a heading; of those that would have one name, the first."""
    named: dict[str, Column] = {}
    for column in table.columns:
        if column.heading:
            named.setdefault(_name(column.heading), column)
    return list(named.values())


def _not_described(table: Table) -> list[str]:
    """The other columns, in words."""
    taken = {_name(column.heading): column for column in _columns(table)}
    return [
        f"column {column.letter} “{column.heading}” would be called {name} as column {taken[name].letter} is: it is not described"
        if column.heading
        else f"column {column.letter} has no heading: it is not described"
        for column in table.columns
        for name in [_name(column.heading)]
        if taken.get(name) is not column
    ]


def _values(table: Table, column: Column) -> pl.Series:
    values = as_shown(table, column.letter).str.strip_chars()
    return values.set(values == "", None)


def _key(table: Table) -> str | None:
    """The heading of the first column that is full and never says the same twice, and is no amount."""
    for column in _columns(table):
        values = _values(table, column)
        amount = QUANTITY.match(_name(column.heading)) or values.str.contains(r"^-?[0-9]+[.,][0-9]+$").any()
        if not values.null_count() and values.n_unique() == len(values) and not amount:
            return column.heading
    return None


def _facts(name: str, table: Table, keys: dict[str, str | None], tables: dict[str, Table]) -> TableFacts:
    columns: list[ColumnFacts] = []
    references: list[ReferenceFacts] = []
    for column in _columns(table):
        values = _values(table, column)
        target = _list_of(name, column, values, keys, tables)
        if target is not None:
            references.append(ReferenceFacts((_name(column.heading),), target, (_name(str(keys[target])),)))
        columns.append(_column(column, values, target is not None or column.heading == keys[name]))
    key = keys[name]
    facts = TableFacts(name, "", tuple(columns), (_name(key),) if key else (), (), tuple(references))
    headings = {_name(column.heading): column.heading for column in _columns(table)}
    blanks = [_name(column.heading) for column in _columns(table) if _values(table, column).null_count()]
    stock = as_stock_list(facts, headings, blanks, {other: each.rows for other, each in tables.items()})
    return stock or facts


def _list_of(
    name: str, column: Column, values: pl.Series, keys: dict[str, str | None], tables: dict[str, Table]
) -> str | None:
    """The other list whose keys hold all values of a column; of several the shortest."""
    distinct = values.unique().drop_nulls()
    if len(distinct) < 2 or column.heading == keys[name]:
        return None
    fitting: list[tuple[int, str]] = []
    for other, table in tables.items():
        key = keys[other]
        if key is None:
            continue
        theirs = _values(table, next(each for each in table.columns if each.heading == key))
        if distinct.is_in(theirs.implode()).all() and not distinct.str.contains(r"^[0-9]{1,2}$").all():
            fitting.append((len(theirs), other))
    return min(fitting)[1] if fitting else None


def _column(column: Column, values: pl.Series, is_code: bool) -> ColumnFacts:
    name, filled = _name(column.heading), values.drop_nulls()
    full = len(filled) == len(values)
    length = max(filled.str.len_chars().to_list()) if len(filled) else None
    room = None if length is None else max(10, -(-length * 3 // 2 // 10) * 10)
    kind, decimals, choices = ("text", None, ()) if is_code else _kind(filled)
    # The heading is the title where the name cannot have its letters.
    title = "" if column.heading.isascii() else " ".join(column.heading.split())
    return ColumnFacts(
        name, kind, room if kind == "text" else None, decimals, must=full, choices=tuple(choices), title=title
    )


def _kind(filled: pl.Series) -> tuple[str, int | None, Sequence[str]]:
    """What all values of a column are, its decimals, and its words if it has only a few."""
    if not len(filled):
        return "text", None, ()
    if filled.str.contains(r"^-?(0|[1-9][0-9]*)$").all() and filled.str.len_chars().max() <= 9:  # type: ignore[operator]
        return "whole", 0, ()
    if filled.str.contains(r"^-?[0-9]+([.,][0-9]{1,6})?$").all() and not filled.str.contains(r"^0[0-9]").any():
        parts = filled.str.extract(r"[.,]([0-9]+)$").str.len_chars().drop_nulls().to_list()
        return "decimal", max(parts, default=0), ()
    if filled.str.contains(r"^[0-9]{4}-[0-9]{2}-[0-9]{2}$|^[0-9]{1,2}[./][0-9]{1,2}[./][0-9]{2,4}$").all():
        return "date", None, ()
    distinct = filled.unique()
    if len(distinct) <= 2 and all(read_yes_no(value) for value in distinct):
        return "yes_no", None, ()
    if len(distinct) <= FEW and len(filled) >= 10 * len(distinct):
        return "text", None, sorted(distinct.to_list())
    return "text", None, ()
