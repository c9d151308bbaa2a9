"""A plan → the upload files that a program reads, handed over exactly once.

The files are written whole beside the place where the program looks, under names that it does not look for. Then the
account is written, and only then do they get their names. Whatever is killed in between: what the account has is handed
over by the next command, and what it does not have was never there.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.system_remarks import Refusal
from kotrel.core.columns import ACTION, ROW, before
from kotrel.core.description.model import Description, Record
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.layouts.column_sources import WITHDRAWN, values_of, without_place
from kotrel.core.layouts.layout import Layout
from kotrel.core.layouts.upload_rows import lay_out, split
from kotrel.core.phrases import listed_and
from kotrel.core.pricing.rates import NO_RATES, Rates
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.tables.table import Table
from kotrel.sheets.upload_files import write_upload
from kotrel.systems.folder.account import Account
from kotrel.systems.folder.mirror import GivenOut
from kotrel.systems.interface import Reading, Refused

READY = ".part"
"""The end of a file that the program is not to look at yet."""


class Uploads(Struct, frozen=True):
    """Where upload files go, and in what shape.

    Attributes:
        folder: where the program looks; ``trial``: where it looks for its trials, or None where it has none.
        layouts: record → its layout.
        rates: for prices in the layouts.
    """

    folder: Path
    trial: Path | None = None
    layouts: dict[str, Layout] = field(default_factory=dict)
    rates: Rates = NO_RATES


class Texts(Struct, frozen=True):
    """The lines of one file in a layout, and what of the changes it holds.

    Attributes:
        changes: the same changes with only what is written.
        left_out: fields of new rows that the layout has no column for.
        bare: no line needs quotes.
        remarks: what is written otherwise than it is, row by row.
    """

    layout: Layout
    lines: pl.DataFrame
    changes: RecordChanges
    left_out: tuple[str, ...] = ()
    bare: bool = False
    remarks: tuple[Refusal, ...] = ()


def _layout_for(record: Record, uploads: Uploads) -> Layout:
    layout = uploads.layouts.get(record.name)
    if layout is None:
        raise WrongUse(
            f"no layout is chosen for {record.title.lower()}",
            f"Write layouts/NAME.toml for the record {record.name}; where there are several, say which under [folder.layouts] in kotrel.toml.",
            "no-layout",
        )
    return layout


def laid_out(
    plan: Plan, uploads: Uploads, description: Description, reading: Reading, reference: str, lists: Sequence[GivenOut]
) -> list[Texts]:
    """The lines of all files.

    Args:
        lists: what the program gave out: a field that none of them has is never written as blank.

    Raises:
        Refused: rows that cannot be written, or whose changes have no place in the layout.
        WrongUse: a record has no layout.
    """
    texts: list[Texts] = []
    refusals: list[Refusal] = []
    day = plan.stamp.at.date().isoformat()
    for part in plan.changes:
        touched = part.rows_of("new", "changed", "removed")
        if not touched.height or part.record.nature == "ledger":
            continue
        layout = _layout_for(part.record, uploads)
        changes = _withdrawn(replace(part, frame=touched, origin=None), layout)
        refusals += _no_place(changes, layout)
        refusals += _not_known(changes, layout, [given for given in lists if given.record == part.record.name])
        values = values_of(layout, changes, None, description, reading, day, uploads.rates, reference, plan.changes)
        rows = Rows(
            Table(part.file, part.sheet, 0, (), changes.frame.select(ROW), {}),
            part.record,
            {},
            values.frame.select(ROW, *changes.fields),
        )
        done = lay_out(layout, part.record, rows, values)
        of_rows = [group for group in done.findings if group.cells[ROW].max() != 0]
        said = [refusal for group in of_rows for refusal in _refusals(changes, rows, group, layout.name)]
        refusals += [refusal for refusal in said if refusal.severity == "error"]
        # The journal has what is sent.
        sent = [values.alias(name) for name, values in done.cleaned.items() if name in changes.fields]
        changes = replace(changes, frame=changes.frame.with_columns(sent))
        left = without_place(layout, part.record, _filled_fields(changes))
        written = [name for name in changes.fields if name not in left]
        kept = replace(
            changes, fields=tuple(written), frame=changes.frame.drop([*left, *(before(name) for name in left)])
        )
        texts.append(Texts(layout, done.texts, kept, tuple(left), done.bare, tuple(said)))
    if refusals:
        raise Refused(refusals)
    return texts


def _withdrawn(changes: RecordChanges, layout: Layout) -> RecordChanges:
    """Rows that are to go stay in the program, archived, where it knows that."""
    going = changes.frame[ACTION] == "removed"
    if not layout.withdraws or "archived" not in changes.record.fields or not going.any():
        return changes
    fields = tuple(dict.fromkeys((*changes.fields, "archived")))
    # A row that is to go is written as it was; one that is restored may become blank in a field.
    gone = pl.lit(going)
    frame = changes.frame.with_columns(
        *(pl.when(gone).then(pl.coalesce(name, before(name))).otherwise(name).alias(name) for name in changes.fields),
        *(
            pl.lit(None, pl.String).alias(name)
            for name in ("archived", before("archived"))
            if "archived" not in changes.fields
        ),
        gone.alias(WITHDRAWN),
    )
    frame = frame.with_columns(
        pl.when(gone).then(pl.lit("changed")).otherwise(ACTION).alias(ACTION),
        pl.when(gone).then(pl.lit("yes")).otherwise("archived").alias("archived"),
        pl.when(gone)
        .then(pl.col(before("archived")).fill_null("no"))
        .otherwise(before("archived"))
        .alias(before("archived")),
    )
    return replace(changes, fields=fields, frame=frame)


def _filled_fields(changes: RecordChanges) -> list[str]:
    """The fields that say anything."""
    return [name for name in changes.fields if changes.frame[name].null_count() < changes.frame.height]


def _no_place(changes: RecordChanges, layout: Layout) -> list[Refusal]:
    """Rows of which a change would be lost."""
    refusals: list[Refusal] = []
    record = changes.record
    for name in without_place(layout, record, changes.touched_fields()):
        message = (
            f"{record.fields[name].title} changes, and the layout {layout.name} has no column for it: leave it out of the sheet, or "
            "add a column to the layout"
        )
        lost = changes.frame.filter((pl.col(ACTION) == "changed") & pl.col(name).ne_missing(pl.col(before(name))))
        for row, key in lost.select(ROW, key_text(record).alias("key")).iter_rows():
            refusals.append(
                Refusal(record.name, changes.file, changes.sheet, row, key, message, field=name, layout=layout.name)
            )
    return refusals


def _on_no_list(record: Record, layout: Layout, lists: Sequence[GivenOut]) -> list[str]:
    """The fields that are always written, and that no list of the program has."""
    fed = {name for given in lists for name in given.fields} | set(record.key)
    whole = layout.updates == "whole"
    written = dict.fromkeys(
        each.field for each in layout.columns if each.field in record.fields and (whole or each.must)
    )
    return [
        name
        for name in written
        if name is not None
        and name not in fed
        and record.fields[name].from_ledger is None
        and not record.fields[name].is_kept
    ]


def _not_known(changes: RecordChanges, layout: Layout, lists: Sequence[GivenOut]) -> list[Refusal]:
    """Rows of the program in which something would become blank, only because no list says what it is."""
    record = changes.record
    unknown = _on_no_list(record, layout, lists)
    if not unknown or not lists:
        return []
    silent = {
        name: pl.col(name).is_null() & pl.col(before(name)).is_null() if name in changes.fields else pl.lit(True)
        for name in unknown
    }
    rows = changes.frame.filter((pl.col(ACTION) == "changed") & pl.any_horizontal(silent.values()))
    if not rows.height:
        return []
    titles = listed_and([record.fields[name].title for name in unknown])
    message = f"{titles}: no list of the program has {'it' if len(unknown) == 1 else 'them'}, and the layout {layout.name} would write a blank"
    spare = "; ".join(f"{given.file} has {_columns(given.left_out)}" for given in lists if given.left_out)
    advice = "Have the program export that column too, or leave it out of the layout."
    if spare:
        advice = f"{spare}, which no field reads: say in a saved mapping which field it is; or leave the column out of the layout."
    return [
        Refusal(record.name, changes.file, changes.sheet, row, key, message, advice=advice, layout=layout.name)
        for row, key in rows.select(ROW, key_text(record).alias("key")).iter_rows()
    ]


def _columns(headings: Sequence[str]) -> str:
    named = [f"“{heading}”" for heading in headings]
    return f"a column {named[0]}" if len(named) == 1 else f"columns {listed_and(named)}"


def _refusals(changes: RecordChanges, rows: Rows, group: FindingGroup, layout: str) -> list[Refusal]:
    keys = dict(rows.values.select(ROW, key_text(changes.record).alias("key")).iter_rows())
    return [
        Refusal(
            changes.record.name,
            changes.file,
            changes.sheet,
            row,
            str(keys.get(row, "")),
            message,
            severity=group.severity,
            field=group.field,
            layout=layout,
        )
        for row, message in group.cells.select(ROW, "message").iter_rows()
    ]


def write_uploads(texts: Sequence[Texts], folder: Path, reference: str) -> list[tuple[Path, Path]]:
    """Writes the files ready to be handed over: where each lies, and the name that it will get.

    Raises:
        OutOfReach: the folder cannot be written.
    """
    files: list[tuple[Path, Path]] = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutOfReach(f"{folder} cannot be written: {error.strerror or error}", "", "no-right") from None
    by_file: dict[str, dict[str, list[Texts]]] = {}
    for each in texts:
        by_file.setdefault(each.layout.file, {}).setdefault(each.layout.name, []).append(each)
    for name, sheets in by_file.items():
        whole = [(mine[0].layout, pl.concat([each.lines for each in mine])) for mine in sheets.values()]
        layout, lines = whole[0]
        bare = all(each.bare for mine in sheets.values() for each in mine)
        parts = [whole] if layout.book else [[(layout, part)] for part in split(lines, layout.most_rows)]
        for number, part in enumerate(parts, start=1):
            path = folder / f"{reference}-{name}{'' if len(parts) == 1 else f'-{number}'}.{layout.ending}"
            ready = path.with_name(path.name + READY)
            write_upload(part, ready, bare)
            files.append((ready, path))
    return files


def hand_over(account: Account) -> None:
    """Gives their names to files that lie ready and are in the account."""
    for _, _, ready, path in account.files():
        if ready.exists():
            _rename(ready, path)


def clear_away(account: Account, folders: Sequence[Path]) -> None:
    """Removes files of our own that lie ready and never came into the account."""
    known = {ready for _, _, ready, _ in account.files()}
    for folder in folders:
        for ready in folder.glob(f"*-{account.sender}-*{READY}"):
            if ready not in known:
                ready.unlink(missing_ok=True)


def _rename(ready: Path, path: Path) -> None:
    try:
        ready.replace(path)
    except OSError as error:
        raise OutOfReach(
            f"{ready} cannot be handed over: {error.strerror or error}",
            "The next command tries again.",
            "not-handed-over",
        ) from None
