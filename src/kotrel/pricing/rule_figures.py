"""The sheets that price rules name → their figures for each item."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from typing import NamedTuple

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.loading.load_model import Checked
from kotrel.core.phrases import listed
from kotrel.core.pricing.price_rules import FigureSheet, PriceRules
from kotrel.core.rows.load_options import DEFAULT_OPTIONS
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.checking import check_files
from kotrel.loading.sheets_in.sheet_reading import NOT_READ
from kotrel.screen.command_lines import quoted
from kotrel.systems.interface import Step
from kotrel.workspace.settings import Workspace


class Figures(Struct, frozen=True):
    """What the sheets give.

    Attributes:
        values: ``item`` and a column for each field of each sheet that the rules name.
        unknown: for each, its rows that are no item of the system, and are left out.
        not_read: what else of them gives no figures, in words.
    """

    values: pl.DataFrame
    unknown: Mapping[str, int]
    not_read: tuple[str, ...]


class _Part(NamedTuple):
    values: pl.DataFrame
    left: int
    not_read: list[str]


def figures_of(rules: PriceRules, workspace: Workspace, today: date, step: Step) -> Figures:
    """Reads all sheets of the files that the rules name.

    Raises:
        WrongUse: one has no rows of items.
        WrongData: one has errors.
    """
    whole = pl.DataFrame(schema={"item": pl.String})
    unknown: dict[str, int] = {}
    not_read: list[str] = []
    for name, source in rules.sheets.items():
        part = _figures(name, source, workspace, today, step)
        whole = whole.join(part.values, on="item", how="full", coalesce=True)
        not_read += part.not_read
        if part.left:
            unknown[name] = part.left
    return Figures(whole, unknown, tuple(not_read))


def _figures(name: str, source: FigureSheet, workspace: Workspace, today: date, step: Step) -> _Part:
    path = workspace.folder / source.file
    options = replace(DEFAULT_OPTIONS, match_on=source.match_on, only="changes")
    record = None if source.match else "item"
    if source.currency is not None:
        workspace = replace(workspace, conventions=replace(workspace.conventions, currency=source.currency))
    wanted = FileOptions(record=record, sheet=source.sheet, map_name=source.match, options=options)
    checked_files = check_files([path], workspace, wanted, today, step)
    checked = [each for each in checked_files if each.rows.record.name == "item"]
    if not checked:
        raise WrongUse(
            f"the sheet “{name}” ({path.name}) gives no figures of items",
            "Name a saved mapping of the record item, or leave map out.",
            "wrong-price-rules",
        )
    if not all(each.ok for each in checked):
        how = f"--map {source.match}" if source.match else "--as item"
        how += f" --match-on {source.match_on}" if source.match_on else ""
        # What a check reads as our own currency is another one here.
        also = "" if source.currency is None else f" (except that its amounts are in {source.currency} here)"
        raise WrongData(
            f"the sheet “{name}” ({path.name}) has errors, so its figures cannot be relied on: {_errors_in(checked)}",
            f"kotrel check {quoted([source.file])} {how} --only changes shows them{also}.",
            "sheet-with-errors",
        )
    rows = pl.concat([each.rows.values.select(each.rows.fields) for each in checked], how="diagonal")
    # Rows of one item that contradict each other are errors: these only have different fields.
    values = (
        rows.drop_nulls("code")
        .group_by("code", maintain_order=True)
        .agg(pl.all().drop_nulls().first())
        .rename(lambda field: "item" if field == "code" else f"{name}.{field}")
    )
    not_read = [f"{name}: {said}" for said in dict.fromkeys(_not_read(checked_files))]
    return _Part(values, sum(each.rows.left_out for each in checked), not_read)


NAMED = 3
"""At most this many cells with errors are named."""


def _errors_in(checked: Sequence[Checked]) -> str:
    """The first cells with an error: where, what is there, and what is wrong with it."""
    groups = [(each.rows.table, group) for each in checked for group in each.rows.findings if group.severity == "error"]
    found = [
        f"{table.address(row, group.letter) or 'the sheet'}{f' “{value}”' if value else ''} – {group.title}"
        for table, group in groups
        for row, value in group.cells.head(NAMED).select(ROW, "value").iter_rows()
    ]
    return listed(found, NAMED, sum(group.count for _, group in groups))


def _not_read(checked: Sequence[Checked]) -> Iterator[str]:
    """The sheets of a file that give no figures, and the rows of the others that do not."""
    read = {each.rows.table.sheet for each in checked if each.rows.record.name == "item"}
    others = {each.rows.table.sheet: each.rows.record.title for each in checked if each.rows.table.sheet not in read}
    for sheet, title in others.items():
        yield f"sheet “{sheet}” is read as {title}: it gives no figures"
    for each in checked:
        if each.rows.record.name == "item":
            yield from each.rows.table.remarks_below
        for group in each.rows.findings:
            if group.title == NOT_READ:
                yield from group.cells["message"]
