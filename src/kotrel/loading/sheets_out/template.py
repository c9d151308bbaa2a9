"""``kotrel template``: empty sheets that guide, or filled with what the system holds;
for documents with their lines and lots.
"""

from __future__ import annotations

import argparse
from collections.abc import Collection, Sequence
from datetime import datetime
from pathlib import Path

import polars as pl
from msgspec import Struct

from kotrel.core.description.model import Description, Field, Record
from kotrel.core.documents.families import Family, family_of, flat_record
from kotrel.core.errors import WrongUse
from kotrel.core.phrases import count
from kotrel.core.similarity import did_you_mean
from kotrel.loading.file_options import record_named
from kotrel.loading.opening import now, workspace_of
from kotrel.loading.sheets_out.exporting import stamp_for
from kotrel.loading.sheets_out.template_workbook import Template, write_template
from kotrel.screen.command_lines import quoted
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import require_new_file
from kotrel.systems.interface import Reading, Step
from kotrel.workspace.exports import STAMP, remember_export
from kotrel.workspace.settings import Workspace

MOST_IN_LIST = 5_000
"""A list with more rows than this gets no drop-down."""

FLAT_ORDER = ("item", "warehouse", "quantity", "unit", "cost", "bin", "lot", "expires_on", "serial")
"""Columns of a flat sheet that come first."""


class TemplateOptions(Struct, frozen=True):
    """What a template is to be like.

    Attributes:
        with_rows: start with what the system holds; of documents with every active stocked item.
        flat: documents in one sheet, a line in each row.
        warehouses: codes of those that a document's rows are for.
    """

    with_rows: bool = False
    flat: bool = False
    warehouses: tuple[str, ...] = ()


def make_template(
    records: Sequence[str], path: Path, workspace: Workspace, options: TemplateOptions, at: datetime, step: Step
) -> list[Path]:
    """Writes a template, empty or filled with what the system holds. Returns the files written.

    One with rows is remembered as an export: when it comes back, only edited cells are loaded. A document's template
    has a sheet for its header, its lines and its lots, or one flat sheet; with rows it has a line for every stocked
    item.

    Raises:
        WrongUse: the file is there already, or a text file is to hold several records.
    """
    require_new_file(path)
    description = workspace.description
    named = [record_named(description, name) for name in dict.fromkeys(records)]
    flat = options.flat or path.suffix.lower() != ".xlsx"
    record_names = list(dict.fromkeys(each.name for record in named for each in _sheets_of(record, description, flat)))
    readable = dict(description.records)
    families = [family_of(description, name) for name in record_names] if flat else []
    readable |= {each.header.name: flat_record(each) for each in families if each is not None}
    _require_ending(path, len(record_names))
    record_names.sort(key=list(description.order).index)
    lists: dict[str, pl.DataFrame] = {}
    templates: list[Template] = []
    kept: dict[str, pl.DataFrame] = {}
    with workspace.system().reading() as reading:
        for name in record_names:
            record = readable[name]
            step(f"reading the lists for {record.title.lower()}")
            fields = _fields(record)
            lists |= _short_lists(fields, description, reading, lists)
            names = [field.name for field in fields]
            rows = pl.DataFrame(schema=dict.fromkeys(names, pl.String))
            family = family_of(description, name)
            if options.with_rows and family is not None:
                rows = _document_rows(record, names, family, options, reading, at)
            elif options.with_rows:
                rows = kept[record.name] = reading.read(record.name, names).sort(record.key)
            templates.append(Template(record, fields, rows))
    step("writing")
    stamp = stamp_for(kept, at) if kept else None
    files = write_template(templates, lists, path, {STAMP: stamp} if stamp else {})
    if stamp:
        remember_export(workspace.hidden, stamp, kept, None, path, at)
    return files


def _require_ending(path: Path, sheets: int) -> None:
    """Refuses a file's name whose ending cannot hold that many sheets."""
    ending = path.suffix.lower()
    if ending == ".xlsx" or (sheets == 1 and ending in (".csv", ".tsv", ".tab", ".txt")):
        return
    if sheets > 1:
        more = "; a text file can hold only one"
    elif path.suffix:
        more = f", or a text file: “{path.suffix}” is neither"
    else:
        more = ", or a text file, and an ending that says which"
    raise WrongUse(
        f"a template for {count(sheets, 'record')} needs an .xlsx workbook{more}",
        "Use a name like template.xlsx.",
        "unknown-ending",
    )


def _short_lists(
    fields: Sequence[Field], description: Description, reading: Reading, have: Collection[str]
) -> dict[str, pl.DataFrame]:
    """The lists that these fields refer to, by record: codes and names, where they are short enough for a drop-down."""
    lists = {}
    for name in dict.fromkeys(field.to for field in fields if field.to is not None):
        about = description.records.get(name)
        if about is not None and name not in have and about.nature == "master" and about.part_of is None:
            wanted = [about.code, *([about.called] if about.called else [])]
            rows = reading.read(about.name, wanted).unique(about.code, keep="first").sort(about.code)
            if rows.height <= MOST_IN_LIST:
                lists[about.name] = rows
    return lists


def _sheets_of(record: Record, description: Description, flat: bool) -> Sequence[Record]:
    """The records that a template for this one has sheets for."""
    family = family_of(description, record.name)
    if family is None or family.header.name != record.name:
        return [record]
    return [family.header] if flat else family.records


def _fields(record: Record) -> tuple[Field, ...]:
    """The columns of a sheet: what people fill in; Kotrel counts up the rest."""
    fields = [field for field in record.fields.values() if not field.is_kept]
    if record.nature == "document" and len(record.key) > 1:
        place = {name: at for at, name in enumerate(FLAT_ORDER)}
        fields = [field for field in fields if field.name != "line"]
        fields.sort(key=lambda field: place.get(field.name, len(place)))
    elif record.part_of is not None:
        fields = [
            field for field in fields if not (field.numbered and field.name == record.key[-1] and field.name != "line")
        ]
        # A line's warehouse is its header's.
        fields = [field for field in fields if field.same_as is None]
    return tuple(fields)


def _warehouses(family: Family, options: TemplateOptions, reading: Reading) -> list[str | None]:
    """The warehouses that the document is made for: those asked for, or all; None alone where it has none."""
    warehouse = family.header.fields.get("warehouse")
    if warehouse is None or warehouse.to is None:
        return [None]
    known = reading.read(warehouse.to, ["code"])["code"].sort().to_list()
    for code in options.warehouses:
        if code not in known:
            raise WrongUse(f"there is no warehouse {code}", did_you_mean(code, known), "no-such-code")
    return list(options.warehouses) or known


def _document_rows(
    record: Record, names: Sequence[str], family: Family, options: TemplateOptions, reading: Reading, at: datetime
) -> pl.DataFrame:
    """Headers, or a line for every active stocked item in each warehouse, its quantity left to be filled in.

    Raises:
        WrongUse: a warehouse is not known.
    """
    empty = pl.DataFrame(schema=dict.fromkeys(names, pl.String))
    codes = _warehouses(family, options, reading)
    day = at.date().isoformat()
    numbers = [f"{code}-{day}" if code else day for code in codes]
    if record.name == family.header.name and len(record.key) == 1:
        made = pl.DataFrame({family.number: numbers, "warehouse": codes, "date": [day] * len(codes)})
        defaults = [pl.lit(field.default).alias(field.name) for field in record.fields.values() if field.default]
        return _shaped(made.with_columns(defaults), names, empty)
    if family.lots is not None and record.name == family.lots.name:
        return empty
    items = _stocked_items(family, reading)
    parts = []
    for stock_place, number in zip(codes, numbers, strict=True):
        part = items.with_columns(
            pl.lit(stock_place, pl.String).alias("warehouse"), pl.lit(number).alias(family.document_of(family.lines))
        )
        part = part.with_columns(pl.int_range(1, pl.len() + 1).cast(pl.String).alias(family.line))
        parts.append(_with_bins(part, stock_place, reading))
    whole = pl.concat(parts)
    if len(record.key) > 1 and record.nature == "document":
        whole = whole.drop(family.document_of(family.lines))
    return _shaped(whole, names, empty)


def _stocked_items(family: Family, reading: Reading) -> pl.DataFrame:
    about = reading.read("item", ["code", "unit", "cost", "kind", "archived"])
    active = about.filter(~pl.col("kind").is_in(["service", "kit"]) & (pl.col("archived").fill_null("no") != "yes"))
    return active.select(pl.col("code").alias("item"), "unit", "cost").sort("item")


def _with_bins(part: pl.DataFrame, warehouse: str | None, reading: Reading) -> pl.DataFrame:
    """The lines with the usual bin of each item, where the system knows one."""
    if warehouse is None:
        return part.with_columns(pl.lit(None, pl.String).alias("bin"))
    usual = reading.read("item_warehouse", ["item", "warehouse", "default_bin"], None, "default_bin")
    usual = usual.filter(pl.col("warehouse") == warehouse).select("item", pl.col("default_bin").alias("bin"))
    return part.join(usual, on="item", how="left", maintain_order="left")


def _shaped(frame: pl.DataFrame, names: Sequence[str], empty: pl.DataFrame) -> pl.DataFrame:
    """The frame with just these columns, blank where it lacks one."""
    blank = [pl.lit(None, pl.String).alias(name) for name in names if name not in frame.columns]
    return frame.with_columns(blank).select(pl.col(name).cast(pl.String) for name in names) if frame.height else empty


EXAMPLE = """\
kotrel template item -o new-items.xlsx
    headings that show what must be filled, a guide sheet, and drop-downs from the real lists
kotrel template unit category item -o going-live.xlsx
    one sheet for each record, in load order
kotrel template opening_stock --flat --with-rows --warehouse LOFT -o loft.xlsx
    a sheet with every stocked item, its unit, cost and usual bin; fill in the quantities"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("records", nargs="+", metavar="RECORD", help="the records to fill in")
    parser.add_argument("-o", "--output", required=True, metavar="FILE", help="the file to write: .xlsx, .csv or .tsv")
    parser.add_argument(
        "--with-rows",
        action="store_true",
        help="start with the rows that the system holds; of a document, with a line for every active stocked item",
    )
    parser.add_argument("--flat", action="store_true", help="a document in one sheet, with a line in each row")
    parser.add_argument(
        "--warehouse", default="", metavar="CODES", help="the warehouses for the lines of a document, like LOFT,QUAY"
    )


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    with screen.progress(len(args.records) + 1) as step:
        warehouses = tuple(code.strip() for code in args.warehouse.split(",") if code.strip())
        options = TemplateOptions(args.with_rows, args.flat, warehouses)
        files = make_template(args.records, Path(args.output), workspace, options, now(), step)
    if screen.as_json:
        screen.json({"files": [str(path) for path in files]})
        return 0
    for path in files:
        screen.show(f"Written: {path}")
    screen.show(f"Next: fill it in, save it, then: {screen.program} check {quoted(files[:1])}")
    return 0
