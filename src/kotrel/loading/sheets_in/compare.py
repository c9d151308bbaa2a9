"""``kotrel compare``: shows what differs between two sheets."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import polars as pl
from rich.text import Text

from kotrel.core.changes.comparison import TableDifference
from kotrel.core.description.model import Field
from kotrel.core.errors import WrongUse
from kotrel.core.phrases import count, listed, short
from kotrel.loading.opening import now
from kotrel.loading.options import add_reading, wanted_of
from kotrel.loading.sheets_in.comparing import Compared, SheetComparison, compare_files
from kotrel.screen.listing import listing, show_more
from kotrel.screen.screen import Screen
from kotrel.sheets.output import OutBook, OutColumn, OutSheet
from kotrel.sheets.safe_writing import require_new_file
from kotrel.sheets.table_writing import ENDINGS, write_book
from kotrel.workspace.settings import Workspace, find_workspace, open_workspace


def difference_book(compared: Compared) -> OutBook:
    """Three sheets for each part: what is changed, added and gone;
    and one with what was not compared, if anything was not.
    """
    sheets: list[OutSheet] = []
    for part in compared.parts:
        of = f" {part.name}" if len(compared.parts) > 1 else ""
        changed = part.difference.changed.with_columns(
            pl.col("column").replace(dict(part.titles)), part.percent.cast(pl.String)
        )
        columns = (
            *(OutColumn(name) for name in ("Key", "Column", "From", "To")),
            OutColumn("Change in %", Field("percent", "Change in %", "number", decimals=1)),
        )
        sheets.append(OutSheet(f"Changed{of}", columns, changed))
        sheets.append(_rows(f"Added{of}", part, part.difference.added))
        sheets.append(_rows(f"Gone{of}", part, part.difference.gone))
    if left := compared.left_out:
        sheets.append(OutSheet("Left out", (OutColumn("What was left out"),), pl.DataFrame({"what": left})))
    return OutBook(tuple(sheets))


def _rows(name: str, part: SheetComparison, rows: pl.DataFrame) -> OutSheet:
    fields = part.record.fields if part.record else {}
    return OutSheet(
        name, tuple(OutColumn(part.titles.get(each, each), fields.get(each)) for each in rows.columns), rows
    )


SHOWN = 15


def show_compared(screen: Screen, compared: Compared, every: bool) -> None:
    """For each part the counts, then rows changed, added and gone; before them, what was left out."""
    files = f"{compared.old.name} → {compared.new.name}"
    several = len(compared.parts) > 1
    if several:
        screen.show(Text(files, style="bold"))
    for index, part in enumerate(compared.parts):
        key = " and ".join(part.titles.get(name, name) for name in part.difference.key)
        how = f"as {part.record.name}" if part.record else "column by column, by heading"
        how += _sheets(part)
        if several:
            screen.show(Text(""), Text(how, style="bold").append(f" · rows identified by {key}", style=""))
        else:
            screen.show(Text(files, style="bold").append(f" · {how} · rows identified by {key}", style=""))
        _show_counts(screen, part)
        for said in (*(compared.remarks if not index else ()), *part.left_out):
            screen.show(Text(f"  {said}", style="dim"))
        _show_changed(screen, part, every)
        _show_rows(screen, part, part.difference.added, "+", "green", every)
        _show_rows(screen, part, part.difference.gone, "−", "red", every)


def _sheets(part: SheetComparison) -> str:
    """Which sheets, where they have names and are not one and the same."""
    old, new = (listed([f"“{name}”" for name in names if name]) for names in part.sheets)
    if old == new:
        return f" · sheet{'s' if len(part.sheets[0]) > 1 else ''} {old}" if old else ""
    return f" · {old or 'a text file'} → {new or 'a text file'}"


def _show_counts(screen: Screen, part: SheetComparison) -> None:
    line, difference = Text(), part.difference
    for number, word, style in (
        (difference.added.height, "added", "green"),
        (difference.gone.height, "gone", "red"),
        (difference.changed_rows, "changed", "yellow"),
        (difference.same, "unchanged", "dim"),
        *([(part.repeated.height, "not compared", "bold red")] if part.repeated.height else ()),
    ):
        line.append(" · " if line else "").append(f"{number:,} {word}", style=style if number else "dim")
    screen.show(line)


def _show_changed(screen: Screen, part: SheetComparison, every: bool) -> None:
    changed = part.difference.changed
    if not changed.height:
        return
    changed = changed.with_columns(part.percent)
    has_numbers = changed["percent"].null_count() < changed.height
    headings = ("  key", "column", "from", "to", *(("change",) if has_numbers else ()))
    table = listing(headings, right=("from", "change"))
    shown = changed if every else changed.head(SHOWN)
    last = None
    for key, column, before, after, percent in shown.iter_rows():
        title = part.titles.get(column, column)
        table.add_row(
            Text(f"  {key}" if key != last else ""),
            Text(title),
            Text(short(before, 36), style="red"),
            Text(short(after, 36), style="green"),
            *((Text("" if percent is None else f"{percent:+,} %"),) if has_numbers else ()),
        )
        last = key
    for line in _in_sum(part, changed):
        screen.show(Text(f"  {line}"))
    screen.show(Text(""), table)
    show_more(screen, changed.height - shown.height)


def _in_sum(part: SheetComparison, changed: pl.DataFrame) -> Iterator[str]:
    """Of each column with numbers: how many change, and by how much at least and at most."""
    for (column,), rows in changed.drop_nulls("percent").group_by("column", maintain_order=True):
        ordered = rows.sort("percent", maintain_order=True)
        (low, lowest), (high, highest) = (
            ordered.select("percent", "key").row(0),
            ordered.select("percent", "key").row(-1),
        )
        title = part.titles.get(str(column), str(column))
        reach = f"{low:+,} % ({lowest})" if low == high else f"{low:+,} % ({lowest}) to {high:+,} % ({highest})"
        yield f"{title}: {rows.height:,} changed, {reach}"


def _show_rows(screen: Screen, part: SheetComparison, rows: pl.DataFrame, sign: str, style: str, every: bool) -> None:
    if not rows.height:
        return
    screen.show(Text(""))
    shown = rows if every else rows.head(5)
    for row in shown.iter_rows(named=True):
        shown_values = [
            short(value, 30) for name, value in row.items() if value is not None and name not in part.difference.key
        ][:4]
        key = " / ".join(short(row[name]) for name in part.difference.key)
        screen.show(Text(f"  {sign} {key}  ", style=style).append("  ".join(shown_values), style="dim"))
    if shown.height < rows.height:
        word = "added" if sign == "+" else "gone"
        screen.show(
            Text(f"    … {count(rows.height - shown.height, 'more row')} {word} (--all lists them)", style="dim")
        )


def compared_json(compared: Compared) -> dict[str, Any]:
    """A comparison as ``--json`` gives it: all parts together, and of each what it is and its counts.

    Each row says of which part it is: ``in_part`` counts from 0.
    """
    parts = compared.parts

    def rows(which: str) -> list[dict[str, Any]]:
        return [
            {**row, "in_part": place}
            for place, part in enumerate(parts)
            for row in _with_percent(part, which).to_dicts()
        ]

    def columns(which: str) -> list[str]:
        return list(dict.fromkeys(name for part in parts for name in getattr(part.difference, which)))

    counts = [_counts(part.difference) for part in parts]
    return {
        "old": str(compared.old),
        "new": str(compared.new),
        "counts": {name: sum(each[name] for each in counts) for name in counts[0]},
        "added": rows("added"),
        "gone": rows("gone"),
        "changed": rows("changed"),
        "otherwise": rows("otherwise"),
        "repeated": [{**row, "in_part": place} for place, part in enumerate(parts) for row in part.repeated.to_dicts()],
        "only_old": columns("only_old"),
        "only_new": columns("only_new"),
        "left_out": list(compared.remarks),
        "parts": [
            {
                "record": part.record.name if part.record else None,
                "sheets_old": list(part.sheets[0]),
                "sheets_new": list(part.sheets[1]),
                "key": list(part.difference.key),
                "counts": counted,
            }
            for part, counted in zip(parts, counts, strict=True)
        ],
    }


def _with_percent(part: SheetComparison, which: str) -> pl.DataFrame:
    rows: pl.DataFrame = getattr(part.difference, which)
    return rows.with_columns(part.percent.cast(pl.String)) if which == "changed" else rows


def _counts(difference: TableDifference) -> dict[str, int]:
    return {
        "added": difference.added.height,
        "gone": difference.gone.height,
        "changed": difference.changed_rows,
        "same": difference.same,
    }


EXAMPLE = """\
kotrel compare keldrift-march.xlsx keldrift-april.xlsx
    rows added, removed, and changed from what to what
kotrel compare old.csv new.csv --key "Order code" -o what-changed.xlsx
    matches rows by that column and writes the result as a workbook"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("old", metavar="OLD", help="the sheet as it was")
    parser.add_argument("new", metavar="NEW", help="the sheet as it is now")
    parser.add_argument("--key", metavar="FIELD", help="the field or heading that identifies a row")
    parser.add_argument("-o", "--output", metavar="FILE", help="also write it as a workbook: .xlsx or .ods")
    parser.add_argument("--all", action="store_true", help="list every row")
    add_reading(parser)


def run(args: argparse.Namespace, screen: Screen) -> int:
    output = require_new_file(Path(args.output), ENDINGS) if args.output else None
    with screen.progress(6) as step:
        compared = compare_files(
            Path(args.old), Path(args.new), args.key, _workspace(args), wanted_of(args), now().date(), step
        )
        if output is not None:
            write_book(difference_book(compared), output)
    if screen.as_json:
        screen.json(compared_json(compared))
    else:
        show_compared(screen, compared, args.all)
        if output is not None:
            screen.show(f"Written: {output}")
    # Rows that cannot be compared are wrong data: one of them may have changed.
    return 1 if any(part.repeated.height for part in compared.parts) else 0


def _workspace(args: argparse.Namespace) -> Workspace | None:
    """The workspace, if there is one: two sheets can be compared anywhere."""
    try:
        folder = find_workspace(Path(args.workspace) if args.workspace else None, Path.cwd())
    except WrongUse:
        if args.workspace:
            raise
        return None
    return open_workspace(folder)
