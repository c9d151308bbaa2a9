"""Why sheets and files are not read, and how they could be."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from kotrel.core.description.model import Record
from kotrel.core.documents.families import is_named_only, readable_records
from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.matching.by_headings import is_called, likely_record, name_of, rivals_of
from kotrel.core.matching.likely_records import guessed_record, likely_records
from kotrel.core.phrases import count, listed_and
from kotrel.core.rows.findings import Severity
from kotrel.core.similarity import folded, nearest
from kotrel.core.tables.table import Table
from kotrel.loading.file_options import FileOptions
from kotrel.screen.command_lines import quoted
from kotrel.workspace.mapping_reading import FOLDER, maps_of_system
from kotrel.workspace.mappings import SavedMap
from kotrel.workspace.settings import Workspace

NAMED = 3
"""At most this many of the records that a sheet may be of are named."""


class NotRead(NamedTuple):
    """A sheet with rows that is not read: how bad that is, and what to say of it."""

    severity: Severity
    kind: str
    message: str


def may_be(table: Table, records: Sequence[Record], wanted: FileOptions) -> Sequence[Record]:
    """The records that a sheet may be: documents are so much alike that one must be named,
    by the user or by the sheet's name.
    """
    if wanted.record is not None:
        return records
    return [each for each in records if not is_named_only(each) or is_called(each, name_of(table))]


class NearlyFitting(NamedTuple):
    """A saved mapping that nearly fits a sheet.

    Attributes:
        missing: the headings that the sheet lacks.
        instead: of each, the heading in the sheet that nothing else of the mapping has, and that it may be now.
    """

    saved: SavedMap
    missing: Sequence[str]
    instead: Sequence[str | None]

    @property
    def said(self) -> str:
        """The missing columns, in words: ``“Price 2026” (now “Price 2027”?)``."""
        return listed_and(
            [
                f"“{heading}”" + (f" (now “{now}”?)" if now else "")
                for heading, now in zip(self.missing, self.instead, strict=True)
            ]
        )


def nearly_fitting(tables: Sequence[Table], workspace: Workspace, wanted: FileOptions) -> NearlyFitting | None:
    """A saved mapping that nearly fits one of the tables."""
    if wanted.map_name is not None:
        return None
    for saved in maps_of_system(workspace.folder, workspace.description):
        for table in tables:
            missing = saved.missing_in(table)
            if not missing or len(missing) == len(saved.headings()):
                continue
            there = {folded(column.heading): column.heading for column in table.columns if column.heading}
            # What it leaves out on purpose shows just as well whose sheet it is.
            skipped = [heading for heading in saved.skip if folded(heading) in there]
            if len(missing) * 4 <= len(saved.headings()) + len(skipped):
                known = {folded(heading) for heading in (*saved.headings(), *saved.skip)}
                new = [heading for word, heading in there.items() if word not in known]
                return NearlyFitting(saved, missing, [nearest(heading, new) for heading in missing])
    return None


def nearly_fits(nearly: NearlyFitting) -> WrongUse:
    """The error of a file whose only sheet a saved mapping nearly fits."""
    saved = nearly.saved
    return WrongUse(
        f"the saved mapping {saved.name} almost fits, but there is no column {nearly.said}",
        f"If a heading has changed, edit {FOLDER}/{saved.path.name} (as a workbook: kotrel settings mapping {saved.name}); to use the headings alone, add --as {saved.record}.",
        "map-nearly-fits",
    )


def not_read(table: Table, workspace: Workspace, wanted: FileOptions, mapped: bool) -> NotRead:
    """Why a sheet with rows is not read: an error where its headings nearly fit.

    Args:
        mapped: a saved mapping reads other sheets of the file.
    """
    what = f"sheet “{table.sheet}” has {count(table.rows, 'row')} and is not read"
    nearly = nearly_fitting([table], workspace, wanted)
    if nearly is not None:
        return NotRead(
            "error",
            "sheet-nearly-fits",
            f"{what}: it lacks the column {nearly.said} of the saved mapping {nearly.saved.name}; correct the heading or the mapping, or read one sheet only with --sheet NAME",
        )
    readable = list(readable_records(workspace.description).values())
    known = _with_known_headings(table, readable, what, wanted)
    if known is not None:
        return known
    likely = likely_records(table, readable)
    if likely is not None and likely.is_clear:
        found = _to_be_mapped(table, likely.records, what)
        # Whoever has a mapping for this file, or names what is wanted of it, knows its other sheets.
        is_known = mapped or wanted.record is not None
        return NotRead("warning", "sheet-not-read", found.message) if is_known else found
    best = guessed_record(table, readable) or "RECORD"
    words = f"{what}: its headings match no record. To read it, say what its columns are: {_map(table, best)}"
    return NotRead("warning", "sheet-not-read", words)


def _with_known_headings(table: Table, records: Sequence[Record], what: str, wanted: FileOptions) -> NotRead | None:
    """The same where most of the headings are known ones of a record; None where they are not."""
    matched = likely_record(table, may_be(table, records, wanted))
    headed = sum(1 for column in table.columns if column.heading)
    if matched is None or len(matched.letters) < 2 or len(matched.letters) * 2 <= headed:
        return None
    title, rivals = matched.record.title.lower(), rivals_of(matched, table, records)
    if wanted.record is not None:
        words = f"{what}: its headings look like {title}, and only {wanted.record} is wanted"
        return NotRead("warning", "sheet-not-read", words)
    if len(matched.letters) == headed and not (matched.has_key and rivals):
        words = f"{what}: its headings fit {title}, but are few; name the sheet after its record, or the record with --as, or read one sheet only with --sheet NAME"
        return NotRead("error", "sheet-nearly-fits", words)
    return _to_be_mapped(table, [matched.record, *rivals], what)


def _map(table: Table, record: str) -> str:
    return f"kotrel map {quoted([table.file])} {record} --sheet {quoted([table.sheet])}"


def _to_be_mapped(table: Table, records: Sequence[Record], what: str) -> NotRead:
    """The error of a sheet that looks like one of these records."""
    titles = [record.title.lower() for record in records[:NAMED]]
    looks = f"look like {titles[0]}, but some of them are not known"
    if len(titles) > 1:
        looks = f"could mean {listed_and(titles, 'or')}"
    words = f"{what}: its headings {looks}. To read it: {_map(table, records[0].name)}; or read one sheet only with --sheet NAME"
    return NotRead("error", "sheet-nearly-fits", words)


def nothing_recognised(tables: Sequence[Table], records: Sequence[Record], file: str) -> WrongData:
    """The error of a file in which no sheet is read."""
    seen = ", ".join(f"“{column.heading}”" for column in tables[0].columns[:6] if column.heading) or "none"
    what = records[0].title.lower() if len(records) == 1 else "any record of the system"
    name = guessed_record(tables[0], records)
    if len(records) == 1:
        hint = f"kotrel map {quoted([file])} {records[0].name} proposes which column feeds which field; kotrel records {records[0].name} lists the fields."
    elif name is not None:
        hint = f"kotrel map {quoted([file])} {name} proposes which column feeds which field, if its rows are {name}; kotrel inspect {quoted([file])} shows what is in it."
    else:
        hint = f"kotrel inspect {quoted([file])} shows what is in it; kotrel map {quoted([file])} RECORD matches it with a record."
    if len(records) > 1 and any(map(is_named_only, records)):
        hint += " A document must be named: --as opening_stock."
    return WrongData(f"nothing in {file} is recognised as {what}; its headings are {seen}", hint, "nothing-recognised")
