"""Fields that must be filled and are not."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing
from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.phrases import listed_and
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, follows_nothing, is_new

MISSING = "column-missing"
NONE_LIKELY = "if a column has it under another heading, kotrel map says which"


def likely_columns(rows: Rows, state: SystemState, fields: Sequence[Field]) -> Mapping[str, str]:
    """Field → the column that may have it, and why, in words, for the fields where there is one.

    A column is only named: what it feeds is for a mapping to say.
    """
    used = {letter for source in rows.sources.values() for letter in source.columns}
    unused = tuple(column for column in rows.table.columns if column.letter not in used and column.heading)
    if not unused:
        return {}
    # Only a missing column needs it, and every command would wait for it.
    from kotrel.core.matching.proposing import propose

    lists = {field.to for field in fields}

    def names(record: str) -> ListNames:
        about = state.description.records[record]
        # Only these lists are worth reading: others would only say of other fields that the column is theirs.
        held = state.listed(about) if record in lists else pl.DataFrame(schema=dict.fromkeys(about.listed, pl.String))
        return ListNames(held, about)

    proposals, _ = propose(replace(rows.table, columns=unused), rows.record, names)
    return {
        each.field.name: f"column {each.column.letter} “{each.column.heading}” may have it ({each.why}): kotrel map can use it"
        for each in proposals
        if each.field in fields
    }


NOT_FOUND = ("not-found", "not-unique", "nearly-there", "known-otherwise", "other-codes-taken")
"""Kinds of errors that say a row was not found in the system."""


def lost_rows(rows: Rows) -> pl.Series:
    """The numbers of the rows that could not be found in the system, as an error of theirs says: they are not new."""
    lost = [group.cells[ROW] for group in rows.findings if group.kind in NOT_FOUND and group.severity == "error"]
    return pl.concat(lost) if lost else pl.Series(ROW, [], pl.UInt32)


def _required(record: Record) -> list[Field]:
    """The fields that rows must fill; of the key, another check speaks."""
    return [
        field
        for name, field in record.fields.items()
        if field.must != "may" and not field.is_kept and name not in record.key
    ]


def check_present(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Fields that every row, or every new row, must fill."""
    required = _required(rows.record)
    carried = [each for each in required if each.name in rows.fields and rows.values[each.name].null_count()]
    uncarried = _without_source(rows, required)
    everywhere = [each for each in uncarried if each.must == "always"]
    for_new = [each for each in uncarried if each.must != "always"]
    findings: list[FindingGroup] = []
    if carried or for_new:
        new = is_new(rows, state)
        for field in carried:
            findings += _not_filled(rows, state, field, new)
    if everywhere:
        findings += _missing_column(rows, state, everywhere, "required in every row")
    if for_new:
        findings += _without_column(rows, state, for_new, new)
    return findings


def _without_source(rows: Rows, required: Sequence[Field]) -> list[Field]:
    """The fields that nothing feeds; of a column that would name the row which fills another, only that column."""
    lacking = {field.name: field for field in required if field.name not in rows.fields}
    follows = {name: (field.default_from or field.same_as or ("",))[0] for name, field in lacking.items()}
    return [field for name, field in lacking.items() if follows[name] not in lacking]


def _not_filled(rows: Rows, state: SystemState, field: Field, new: pl.Series) -> list[FindingGroup]:
    """Rows in which a required field is blank, or is to be cleared."""
    name, findings = field.name, list[FindingGroup]()
    # A row that this sheet does not fill may be an update: then the system already has the value.
    wrong = rows.values[name].is_null() & (new if field.must == "new" else True)
    if (lost := follows_nothing(rows, state, name)) is not False:
        wrong = wrong & ~lost
    if name in rows.cleared:
        message = f"{field.title.lower()} is required and cannot be cleared"
        findings += rows.where("error", "missing", "required", field, rows.values[clearing(name)], message)
        wrong = wrong & ~rows.values[clearing(name)]
    title = "required in every row" if field.must == "always" else f"required for new {rows.record.title.lower()} rows"
    return [*findings, *rows.where("error", "missing", title, field, wrong, title)]


def _missing_column(rows: Rows, state: SystemState, fields: list[Field], who: str) -> list[FindingGroup]:
    perhaps = likely_columns(rows, state, fields)
    return [
        rows.sheet_finding(
            "error",
            MISSING,
            "the column is missing",
            f"{who}; {perhaps.get(field.name, NONE_LIKELY)}",
            field=field.name,
        )
        for field in fields
    ]


def _without_column(rows: Rows, state: SystemState, fields: list[Field], new: pl.Series) -> list[FindingGroup]:
    """What new rows need and no column has: said once where all rows are new, else at the key of each new row."""
    record = rows.record.title.lower()
    field = rows.record.fields[rows.record.code]
    # Whether a row without a key is new, nobody can know: that is what is wrong with it.
    lost = rows.values[ROW].is_in(lost_rows(rows).implode())
    keyed = new & rows.values[field.name].is_not_null() & ~lost
    if not keyed.any():
        return []
    if new.all():
        return _missing_column(rows, state, fields, f"required for new {record} rows")
    needed = listed_and([field.title.lower() for field in fields])
    message = "; ".join(
        (
            f"no such {record} exists. To create it, add {'a column' if len(fields) == 1 else 'columns'} for {needed}",
            *likely_columns(rows, state, fields).values(),
        )
    )
    return rows.where("error", "not-there-yet", "does not exist yet", field, keyed, message)
