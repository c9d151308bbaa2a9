"""Which sheets of a file are read, each by which match, and what is said of those that are not."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from kotrel.core.description.model import Record
from kotrel.core.documents.families import is_flat, is_named_only, of_one_document, readable_records
from kotrel.core.errors import WrongUse
from kotrel.core.matching.by_headings import Matched, is_called, likely_record, match_headings, name_of, rivals_of
from kotrel.core.phrases import listed_and
from kotrel.core.similarity import folded
from kotrel.core.tables.table import Table
from kotrel.loading.file_options import FileOptions, record_named
from kotrel.loading.sheets_in.lookup_tables import looked_up_sheets, matched_by
from kotrel.loading.sheets_in.unread_sheets import (
    NotRead,
    may_be,
    nearly_fits,
    nearly_fitting,
    not_read,
    nothing_recognised,
)
from kotrel.workspace.fitting_maps import map_for
from kotrel.workspace.mapping_reading import READ_BY, map_named, maps_of_system
from kotrel.workspace.settings import Workspace


class ChosenSheets(NamedTuple):
    """A sheet to read: its table, its matches, remarks on how it was chosen,
    the sheets (folded) that it looks values up in, its mapping.
    """

    table: Table
    matches: list[Matched]
    remarks: list[str]
    looked_up: frozenset[str] = frozenset()
    mapping: str = ""


def _asked_for(workspace: Workspace, wanted: FileOptions, readable: Mapping[str, Record]) -> Sequence[Record] | None:
    """The records that the user named; None for any.

    Raises:
        WrongUse: there is none of that name, or no sheet can hold it.
    """
    if not wanted.record:
        return None
    name = record_named(workspace.description, wanted.record).name
    if name not in readable:
        raise WrongUse(
            f"{name} is kept by the system: only documents change it", "Load a document instead.", "no-such-record"
        )
    return of_one_document(workspace.description, name, readable)


def match_tables(
    tables: Sequence[Table], workspace: Workspace, wanted: FileOptions, file: str, exported: bool = False
) -> tuple[list[ChosenSheets], list[NotRead]]:
    """Every table that holds rows of a record, each with its matches, and the sheets with rows that are not read.

    A saved mapping comes before the headings: the one named, or for each sheet the one that needs the most headings.

    Args:
        exported: Kotrel itself wrote the file, with its own headings: a saved mapping that nearly fits is not meant.

    Raises:
        WrongUse, WrongData: nothing fits, or a saved mapping nearly fits the only sheet.
    """
    readable = readable_records(workspace.description)
    records = _asked_for(workspace, wanted, readable)
    saved = _saved(tables, workspace, wanted, file)
    chosen = list(saved.values())
    if wanted.map_name is None:
        others = [table for table in tables if table.sheet not in saved]
        if wanted.record is None and not exported:
            # One that a saved mapping nearly fits is not read by its headings alone: that would drop what the mapping
            # adds.
            others = [table for table in others if nearly_fitting([table], workspace, wanted) is None]
        filled = list(filter(lambda each: each.rows, others)) or ([] if chosen else others)
        chosen += _by_headings(filled, records or list(readable.values()), wanted, bool(chosen))
    if not chosen:
        nearly = nearly_fitting(tables, workspace, wanted) if wanted.record is None else None
        raise nearly_fits(nearly) if nearly else nothing_recognised(tables, records or list(readable.values()), file)
    order = [table.sheet for table in tables]
    chosen.sort(key=lambda each: order.index(each.table.sheet))
    return chosen, [not_read(each, workspace, wanted, bool(saved)) for each in _left_unread(tables, chosen)]


def _left_unread(tables: Sequence[Table], chosen: Sequence[ChosenSheets]) -> list[Table]:
    """Sheets with rows that are neither read nor looked up in."""
    read = {each.table.sheet for each in chosen}
    aside = {sheet for each in chosen for sheet in each.looked_up}
    return [each for each in tables if each.rows and each.sheet not in read and folded(each.sheet) not in aside]


def _saved(tables: Sequence[Table], workspace: Workspace, wanted: FileOptions, file: str) -> dict[str, ChosenSheets]:
    """Sheet → the saved mapping to use for it."""
    if wanted.map_name is not None:
        return _by_name(wanted.map_name, tables, workspace, wanted, file)
    maps = [
        saved
        for saved in maps_of_system(workspace.folder, workspace.description)
        if wanted.record in (None, *(part.record for part in saved.parts))
    ]
    chosen = {}
    for table in tables:
        if (saved := map_for(table, maps)) is not None:
            wider, matches, remarks = matched_by(saved, table, workspace, file)
            said = f"mapping {saved.name} (its headings fit)"
            chosen[table.sheet] = ChosenSheets(wider, matches, [said, *remarks], looked_up_sheets(saved), saved.name)
    return chosen


def _by_name(
    name: str, tables: Sequence[Table], workspace: Workspace, wanted: FileOptions, file: str
) -> dict[str, ChosenSheets]:
    """Sheet → the mapping of that name, where it fits; the other sheets by mappings of their own."""
    saved = map_named(workspace.folder, name, workspace.description)
    if saved.record not in workspace.description.records:
        raise WrongUse(
            f"the saved mapping {saved.name} is for another kind of sheet: {saved.record}",
            f"{READ_BY[saved.record]} --map {saved.name} reads it.",
            "other-map",
        )
    fitting = [each for each in tables if not saved.missing_in(each) and each.rows]
    fitting = fitting or [min(tables, key=lambda each: len(saved.missing_in(each)))]
    by_name = {}
    for table in fitting:
        wider, matches, remarks = matched_by(saved, table, workspace, file)
        by_name[table.sheet] = ChosenSheets(
            wider, matches, [f"mapping {saved.name}", *remarks], looked_up_sheets(saved), saved.name
        )
    others = [
        each for each in tables if each.sheet not in by_name and folded(each.sheet) not in looked_up_sheets(saved)
    ]
    alone = wanted.sheet is not None or saved.sheet is not None or not others
    return by_name if alone else {**_saved(others, workspace, replace(wanted, map_name=None), file), **by_name}


def _require_no_rivals(table: Table, matched: Matched, records: Sequence[Record], wanted: FileOptions) -> None:
    """Raises WrongUse where the headings could as well mean another record."""
    if rivals := rivals_of(matched, table, may_be(table, records, wanted), wanted.options.match_on):
        where = f"sheet “{table.sheet}”" if table.sheet else table.file
        names = [matched.record.name, *(record.name for record in rivals)]
        raise WrongUse(
            f"the headings of {where} could mean {listed_and(names, 'or')}",
            f"Name the record: {listed_and([f'--as {name}' for name in names], 'or')}; or name the sheet or file after it.",
            "which-record",
        )


def _is_by_chance(best: Matched, taken: Sequence[tuple[Table, Matched]], wanted: FileOptions) -> bool:
    """Whether one heading of many is all that fits, or the key is and most of what stands beside it is left out."""
    fed = set(best.letters)
    if wanted.options.match_on or len(fed - set(best.record.key)) > (0 if best.has_key else 1):
        return False
    table = next((table for table, matched in taken if matched is best), None)
    if table is None:
        return False
    left_out = len(table.columns) - len(fed)
    if not best.has_key:
        return len(fed) == 1 and left_out > 1
    return left_out > max(len(fed), 1) and not is_called(best.record, name_of(table))


def _by_headings(
    tables: Sequence[Table], records: Sequence[Record], wanted: FileOptions, beside: bool
) -> list[ChosenSheets]:
    """The tables whose headings fit a record: the best of them, and every other that clearly holds rows.

    Args:
        beside: True where other sheets of the file are read by a saved mapping: then only clear ones are taken.
    """
    likely = (
        (table, likely_record(table, may_be(table, records, wanted), wanted.options.match_on)) for table in tables
    )
    fitting = [(table, matched) for table, matched in likely if matched is not None]
    if not fitting:
        return []
    best = max((matched for _, matched in fitting), key=lambda each: each.fit)
    taken = [
        (table, matched)
        for table, matched in fitting
        if _is_plain(table, matched, wanted) or (not beside and (matched is best or _is_alike(matched, best)))
    ]
    if not wanted.record:
        for table, matched in taken:
            _require_no_document(table, matched, records, wanted)
            _require_no_rivals(table, matched, records, wanted)
        if _is_by_chance(best, taken, wanted):
            return []
    return [ChosenSheets(table, [matched], []) for table, matched in taken]


def _require_no_document(table: Table, matched: Matched, records: Sequence[Record], wanted: FileOptions) -> None:
    """A sheet of items with quantities is rather a document than the record that takes some of its columns.

    Raises:
        WrongUse: more of the headings are a document's.
    """
    documents = [match_headings(table, each) for each in records if is_named_only(each) and is_flat(each)]
    fitting = {each.record.name: len(_fed_in(each, matched)) for each in documents if "quantity" in each.sources}
    fitting = {name: number for name, number in fitting.items() if number > len(matched.sources)}
    if is_called(matched.record, name_of(table)) or not fitting:
        return
    names = [name for name, number in fitting.items() if number == max(fitting.values())][:3]
    where = f"sheet “{table.sheet}”" if table.sheet else table.file
    raise WrongUse(
        f"the headings of {where} fit a document better than {matched.record.name}: {listed_and(names, 'or')}",
        f"Name the record: --as {names[0]}; or, if it is what it looks like, --as {matched.record.name}.",
        "which-record",
    )


def _fed_in(document: Matched, other: Matched) -> set[str]:
    """The fields of a document that the headings feed, its item also where they are the item's own; none without it."""
    fed, item = set(document.sources), document.record.fields.get("item")
    if item is not None and item.to == other.record.name and other.has_key:
        fed.add("item")
    return fed if "item" in fed else set()


def _is_alike(matched: Matched, best: Matched) -> bool:
    """True where a sheet has the same record and key as the best one, and at least another field in common."""
    common = set(matched.sources) & set(best.sources)
    return (
        matched.record.name == best.record.name
        and matched.has_key
        and best.has_key
        and len(common) > len(best.record.key)
    )


def _is_plain(table: Table, matched: Matched, wanted: FileOptions) -> bool:
    """True where a sheet besides the best one clearly holds data: it has a record's name, or most of its headings fit.

    Two columns could be many a record's, unless the user names it.
    """
    headed = sum(1 for column in table.columns if column.heading)
    enough = 3 if wanted.record is None else 2
    return matched.has_key and (
        is_called(matched.record, table.sheet) or (len(matched.letters) >= enough and len(matched.letters) * 2 > headed)
    )
