"""A sheet → the upload files that another program insists on."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from decimal import Decimal
from pathlib import Path

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.columns import ACTION as LOAD_ACTION
from kotrel.core.columns import ROW, before
from kotrel.core.description.model import Record
from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.layouts.layout import Layout
from kotrel.core.layouts.shaping import ACTION, Values, lay_out, split
from kotrel.core.parts import Checked
from kotrel.core.pipeline import preview
from kotrel.core.pricing.standing import PRICE, in_force
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.upload_files import write_upload
from kotrel.stages.checking import business_of, parts_of, understand_files
from kotrel.stages.file_options import Wanted
from kotrel.stages.mapping import names_of
from kotrel.systems.interface import Reading, Step
from kotrel.workspace.layout_reading import layout_named
from kotrel.workspace.settings import Workspace
from kotrel.workspace.uploads import Upload, remember_upload, uploads


@dataclass(frozen=True)
class Written:
    """What was written, or why nothing was: the checked rows with all findings.

    Attributes:
        upload: how it is remembered, for a program that only exchanges files; None for others.
        before: an earlier upload with the very same content, or None.
    """

    checked: list[Checked]
    files: tuple[tuple[Path, int], ...] = ()
    upload: Upload | None = None
    before: Upload | None = None


def write_layout(
    path: Path,
    name: str,
    out: Path | None,
    workspace: Workspace,
    wanted: Wanted,
    now: datetime,
    step: Step,
    who: str = "",
) -> Written:
    """Writes a sheet's rows in a layout. Nothing is written where a row has an error, or cannot be written.

    Raises:
        WrongUse: the layout is wrong, or a file is there already.
        WrongData: the sheet has no rows of the layout's record.
    """
    layout = layout_named(workspace.folder, name, workspace.description)
    record = workspace.description.records[layout.record]
    out = out or Path(f"{path.stem}-{layout.name}.{'xlsx' if layout.kind == 'workbook' else 'csv'}")
    require_new_file(out)
    understood = understand_files(
        [path], workspace, replace(wanted, record=wanted.record or layout.record), now.date(), step
    )
    with workspace.system().reading() as reading:
        found = preview(parts_of(understood, workspace), business_of(workspace, wanted.options, now), reading, step)
        mine = [
            place
            for place, each in enumerate(found.checked)
            if each.rows.record.name == record.name and each.consequence is None
        ]
        if not mine:
            raise WrongData(
                f"{path} has no rows of {record.title.lower()}, for which the layout {name} is",
                "",
                "nothing-recognised",
            )
        checked = list(found.checked)
        texts: list[pl.DataFrame] = []
        sent: list[pl.DataFrame] = []
        step("laying out")
        for place in mine:
            rows = checked[place].rows
            changes = _changes_of(found.changes, checked[place], record)
            values = _values(layout, record, checked[place], changes, reading, workspace, now)
            done = lay_out(layout, record, rows, values)
            checked[place] = replace(checked[place], rows=rows.with_findings(done.findings))
            texts.append(done.texts)
            # What the layout has no column for was not sent.
            written = (*record.key, *layout.fields)
            fields = [name for name in changes.fields if name in values.frame.columns and name in written]
            sent.append(values.frame.select(pl.col(ACTION).alias("sent as"), *fields))
    if not all(each.ok for each in checked):
        return Written(checked)
    step("writing")
    parts = split(pl.concat(texts), layout.most_rows)
    files: list[tuple[Path, int]] = []
    for number, part in enumerate(parts, start=1):
        target = out if len(parts) == 1 else out.with_name(f"{out.stem}-{number}{out.suffix}")
        require_new_file(target)
        write_upload(part, layout, target)
        files.append((target, part.height))
    if not workspace.url.startswith("folder:"):
        return Written(checked, tuple(files))
    lines = pl.concat(sent, how="diagonal")
    content = hashlib.sha256(b"".join(target.read_bytes() for target, _ in files)).hexdigest()
    before = next((each for each in uploads(workspace.hidden) if each.fingerprint == content), None)
    counts = {what: int((lines["sent as"] == what).sum()) for what in ("new", "changed", "same")}
    at = now.replace(tzinfo=None).isoformat(sep=" ", timespec="seconds")
    upload = Upload(
        "", record.name, layout.name, path.name, tuple(target.name for target, _ in files), at, who, counts, content
    )
    upload = remember_upload(workspace.hidden, upload, lines.filter(pl.col("sent as") != "same"))
    return Written(checked, tuple(files), upload, before)


def _changes_of(changes: tuple[RecordChanges, ...], checked: Checked, record: Record) -> RecordChanges:
    table = checked.rows.table
    fitting = [
        each
        for each in changes
        if each.record.name == record.name and (each.file, each.sheet) == (table.file, table.sheet)
    ]
    if not fitting:
        raise WrongUse(
            "the rows of this sheet cannot be told from others of it",
            "Write one sheet at a time: --sheet NAME",
            "wrong-command-line",
        )
    return fitting[0]


def _values(
    layout: Layout,
    record: Record,
    checked: Checked,
    changes: RecordChanges,
    reading: Reading,
    workspace: Workspace,
    now: datetime,
) -> Values:
    """The rows as they will be: what the sheet says, else what the system holds."""
    wanted = checked.rows.values.select(ROW)
    frame = wanted.join(changes.frame, on=ROW, how="left", maintain_order="left").unique(
        ROW, keep="first", maintain_order=True
    )
    frame = frame.with_columns(pl.col(LOAD_ACTION).fill_null("same").alias(ACTION))
    missing = [name for name in record.loadable if name not in frame.columns]
    if missing:
        key = list(record.key)
        held = reading.read(record.name, [*key, *missing], (key[0], frame[key[0]])).unique(key, keep="any")
        frame = frame.join(held, on=key, how="left", maintain_order="left")
    changed = {
        name: frame.select(
            (pl.col(name).ne_missing(pl.col(before(name))) | (pl.col(ACTION) == "new")).alias(name)
        ).to_series()
        for name in changes.fields
    }
    known = names_of(workspace, reading)
    names = {
        column.field: known(str(record.fields[column.field].to)).names
        for column in layout.columns
        if column.field is not None and column.name and record.fields[column.field].to
    }
    return Values(frame, changed, names, _joined(layout, frame, reading, now) if record.name == "item" else {})


def _joined(layout: Layout, frame: pl.DataFrame, reading: Reading, now: datetime) -> Mapping[str, pl.Series]:
    """Prices and stock of the items, for the columns that ask for them."""
    found: dict[str, pl.Series] = {}
    lists = {column.price_of for column in layout.columns if column.price_of is not None}
    if lists:
        prices = in_force(reading.read("price", PRICE, ("item", frame["code"])), now.date().isoformat())
        first = (
            prices.filter(pl.col("from_quantity") <= 1)
            .sort("from_quantity")
            .unique(["target", "item", "unit"], keep="last")
        )
        for name in lists:
            mine = first.filter(pl.col("target") == name).select(
                pl.col("item").alias("code"), "unit", pl.col("amount").cast(pl.String)
            )
            found[f"price {name}"] = frame.select("code", "unit").join(
                mine, on=["code", "unit"], how="left", maintain_order="left"
            )["amount"]
    places = {column.stock_in for column in layout.columns if column.stock_in is not None}
    for name in places:
        among = [("item", frame["code"])]
        sums = (
            reading.ledger_sums(["item", "warehouse"], among) if name != "all" else reading.ledger_sums(["item"], among)
        )
        if name != "all":
            sums = sums.filter(pl.col("warehouse") == name)
        mine = sums.select(pl.col("item").alias("code"), "quantity")
        found[f"stock {name}"] = (
            frame.select("code")
            .join(mine, on="code", how="left", maintain_order="left")["quantity"]
            .fill_null(str(Decimal(0)))
        )
    return found
