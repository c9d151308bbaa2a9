"""Findings and repairs, on the terminal and as JSON: grouped by kind and column, worst first."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl
from rich.text import Text

from kotrel.core.checking.required import MISSING
from kotrel.core.columns import ROW
from kotrel.core.description.in_words import shown
from kotrel.core.loading.load_model import Checked
from kotrel.core.phrases import count, listed_and, short
from kotrel.core.rows.findings import SEVERITIES, FindingGroup, RepairGroup, count_by_severity, rows_with, worst_first
from kotrel.core.rows.rows import Rows
from kotrel.screen.json_streaming import Streamed
from kotrel.screen.listing import show_more
from kotrel.screen.screen import Screen

if TYPE_CHECKING:
    # Only a sheet with findings needs it.
    from rich.table import Table

EXAMPLES = 3
STYLES = {"error": "bold red", "warning": "yellow", "note": "cyan"}
CHECK_LISTS = "kotrel check --repairs lists them"
"""Where the repairs are listed, in commands that do not list them."""


def show_checked(
    screen: Screen,
    checked: Checked,
    every: bool,
    repairs: bool,
    ready: str = "ready to load",
    more: Sequence[Text] = (),
    listed_by: str = CHECK_LISTS,
) -> None:
    """One checked sheet: the headline, the counts, then the findings.

    Args:
        ready: what rows without errors are.
        more: further lines about the sheet as a whole, before its findings.
        listed_by: what lists the repairs, or an empty text where they are listed here.
    """
    rows = checked.rows
    screen.show(headline(rows), counts_line(checked, ready, listed_by))
    for remark in checked.remarks:
        screen.show(Text(f"  {remark}", style="dim"))
    screen.show(*more)
    for severity in SEVERITIES:
        groups = [group for group in worst_first(rows.findings) if group.severity == severity]
        if groups:
            _show_groups(screen, rows, severity, groups, every)
    if repairs:
        show_repairs(screen, rows, every)


def show_created(screen: Screen, checked: Checked) -> None:
    """What a load would change that no sheet names: values that it adds to a list, rows whose period it ends."""
    rows = checked.rows
    if checked.consequence in ("ended", "resumed"):
        show_followed(screen, checked)
        return
    title = rows.record.title.lower()
    codes = rows.values[rows.record.code].to_list()
    line = Text(f"adds {len(codes):,} to the {title} list: ", style="bold magenta")
    screen.show(line.append(", ".join(codes), style=""))
    for group in rows.findings:
        if group.kind != "nearly-on-list":
            continue
        for value, hint in group.cells.select("value", "suggestion").iter_rows():
            screen.show(Text(f"  {value}: did you mean {hint}", style="yellow"))


def show_followed(screen: Screen, checked: Checked) -> None:
    """Rows that no sheet has, and that end or begin again because of one that a sheet has."""
    rows, record = checked.rows, checked.rows.record
    last = record.period[1] if record.period else record.key[-1]
    number = count(rows.values.height, record.title.lower())
    if checked.consequence == "ended":
        line = Text(f"ends {number} that no sheet names: ", style="bold magenta")
        line.append("the next one begins the day after", style="")
    else:
        line = Text(f"begins {number} again: ", style="bold magenta")
        line.append("what was in force before, from the day after", style="")
    screen.show(line)
    for values in rows.values.head(FOLLOWED_SHOWN).iter_rows(named=True):
        key = " / ".join(shown(values[name], record.fields[name]) or "" for name in record.key)
        until = f"until {values[last]}" if values[last] else "until further notice"
        screen.show(Text(f"  {key}: {until} (because of {rows.table.place(values[ROW], None)})", style="yellow"))
    if rows.values.height > FOLLOWED_SHOWN:
        screen.show(Text(f"    … {rows.values.height - FOLLOWED_SHOWN:,} more", style="dim"))


FOLLOWED_SHOWN = 5


def headline(rows: Rows) -> Text:
    """``new-items.xlsx · sheet “Range 27” · rows 5–416 as item``."""
    table = rows.table
    line = Text(Path(table.file).name, style="bold")
    if table.sheet:
        line.append(f" · sheet “{table.sheet}”", style="")
    what = "row" if table.sheet else "line"
    span = f"{what} {table.first_row}" if table.rows == 1 else f"{what}s {table.first_row}–{table.last_row}"
    span = span if table.rows else f"no {what}s"
    what = rows.record.name
    if rows.flat_of:
        what = f"{rows.flat_of}: its lots" if not rows.once and "lot" in rows.record.fields else rows.flat_of
    line.append(f" · {span} as {what}", style="")
    return line


def counts_line(checked: Checked, ready: str = "ready to load", listed_by: str = CHECK_LISTS) -> Text:
    """``412 rows: 381 ready to load, 31 with errors · 12 warnings · 406 cells repaired``."""
    rows = checked.rows
    counts = count_by_severity(rows.findings)
    total = rows.values.height
    bad = len(rows_with(rows.findings, "error"))
    line = Text()
    if why := _why_none(rows):
        line.append(f"{count(total, 'row')}: none can be loaded{why}", style="bold red")
    elif bad:
        line.append(f"{count(total, 'row')}: {total - bad:,} {ready}, ")
        line.append(f"{bad:,} with errors", style="bold red")
    elif not total:
        line.append("0 rows: nothing to load")
    else:
        line.append(f"{count(total, 'row')}: ")
        line.append(f"all {ready}", style="bold green")
    if counts["warning"]:
        line.append(f" · {count(counts['warning'], 'warning')}", style="yellow")
    repaired = sum(group.count for group in rows.repairs)
    if repaired:
        line.append(f" · {count(repaired, 'cell')} corrected automatically")
        line.append(f" ({listed_by})" if listed_by else "")
    return line


def _why_none(rows: Rows) -> str:
    """Why no row of the sheet can be loaded, as the end of a sentence; a blank text where some can."""
    whole = [group for group in rows.findings if group.severity == "error" and (group.cells[ROW] == 0).any()]
    if not whole:
        return ""
    missing = [rows.record.fields[group.field].title for group in whole if group.kind == MISSING and group.field]
    if len(missing) < len(whole):
        return " until the sheet is fixed"
    one = len(missing) == 1
    return f": the column{'' if one else 's'} {listed_and(missing)} {'is' if one else 'are'} missing"


def _show_groups(screen: Screen, rows: Rows, severity: str, groups: Sequence[FindingGroup], every: bool) -> None:
    of_sheet = sum(int((group.cells[ROW] == 0).sum()) for group in groups)
    cells = sum(group.count for group in groups) - of_sheet
    in_rows = len(rows_with(groups, groups[0].severity))
    parts = [f"{count(of_sheet, 'problem')} with the sheet"] if of_sheet else []
    parts += [f"{count(cells, 'cell')} in {count(in_rows, 'row')}"] if cells else []
    title = Text(f"\n{severity.upper()}S", style=STYLES[severity])
    screen.show(title.append(f"   {' · '.join(parts)}", style=""))
    if every:
        lines = _lines(rows, groups)
        if len(lines) > TABLE_ROWS:
            screen.lines(_in_columns(lines))
        else:
            screen.show(_every(lines))
        return
    _with_examples(screen, rows, groups)


def _with_examples(screen: Screen, rows: Rows, groups: Sequence[FindingGroup]) -> None:
    subjects = [_subject(rows, group) for group in groups]
    wide = min(max(len(subject) for subject in subjects), 26)
    titles = max(len(group.title) for group in groups)
    for subject, group in zip(subjects, groups, strict=True):
        line = Text(f"  {subject:<{wide}}  ")
        line.append(f"{group.title:<{titles}}  ", style="bold")
        line.append(f"{group.count:>7,}")
        screen.show(line)
        for detail, style in _details(rows, group):
            # A hanging indent keeps a long line under its subject.
            from rich.table import Table

            block = Table.grid(padding=0)
            block.add_column(width=wide + 4)
            block.add_column()
            block.add_row("", Text(detail, style=style))
            screen.show(block)


OF_SHEET = 6
"""At most this many problems of one kind with the whole sheet are shown."""


def _details(rows: Rows, group: FindingGroup) -> list[tuple[str, str]]:
    """A few examples on one line, and what to do about all of them; each with its style.
    What to do is never the faintest.
    """
    # One example is enough for cells that share a value, such as a duplicate code.
    cells = group.cells.head(1000).unique("value", keep="first", maintain_order=True).head(EXAMPLES)
    if group.cells["value"].null_count() == group.count:
        cells = group.cells.head(EXAMPLES)
    messages = group.cells["message"].head(1000).unique()
    same = len(messages) == 1
    if (group.cells[ROW] == 0).all():
        said = [(str(message), "") for message in group.cells["message"].head(OF_SHEET)]
        return [*said, (f"… {group.count - OF_SHEET:,} more", "dim")] if group.count > OF_SHEET else said
    examples = []
    for row, value, message, suggestion in cells.iter_rows():
        text = rows.table.place(row, group.letter)
        if value is not None:
            text += f" “{short(value)}”"
        if suggestion:
            text += f" → {short(suggestion, 40)}"
        if not same and message:
            text += f" {message}"
        examples.append(text)
    rest = group.count - len(examples)
    line = " · ".join(examples) + (f" · … {rest:,} more" if rest > 0 else "")
    if same and messages[0] and messages[0] != group.title:
        return [(line, "dim"), (str(messages[0]), "")]
    return [(line, "dim" if same else "")]


def _subject(rows: Rows, group: FindingGroup) -> str:
    if group.field:
        return rows.record.fields[group.field].title
    return (group.heading and f"“{short(group.heading, 20)}”") or "sheet"


TABLE_ROWS = 500
"""With more findings, a table that fits its columns to the screen takes a second for each thousand of them."""
HEADINGS = ("where", "field", "value", "problem", "likely")
Line = tuple[str, str, str, str, str]
"""One finding: where, the field, the value, the problem, and what is likely meant."""


def _every(lines: Sequence[Line]) -> Table:
    """Every finding on its own line."""
    from kotrel.screen.listing import listing

    table = listing(HEADINGS)
    for line in lines:
        table.add_row(*map(Text, line))
    return table


def _in_columns(lines: Sequence[Line]) -> Iterator[str]:
    """The same as plain lines, however wide the screen is."""
    widths = [max(len(line[place]) for line in (HEADINGS, *lines)) for place in range(3)]
    for line in (HEADINGS, *lines):
        start = "  ".join(f"{text:<{wide}}" for text, wide in zip(line, widths, strict=False))
        yield f"{start}  {' → '.join(part for part in line[3:] if part)}".rstrip()


def _lines(rows: Rows, groups: Sequence[FindingGroup]) -> list[Line]:
    """Every finding, in the order of the rows."""
    lines = sorted(
        (
            (
                row,
                rows.table.address(row, group.letter),
                _subject(rows, group),
                value,
                message or group.title,
                suggestion,
            )
            for group in groups
            for row, value, message, suggestion in group.cells.iter_rows()
        ),
        key=lambda line: (line[0], line[2]),
    )
    return [
        (where or "sheet", subject, short(value, 40), message, suggestion or "")
        for _, where, subject, value, message, suggestion in lines
    ]


def show_repairs(screen: Screen, rows: Rows, every: bool) -> None:
    """The cells that were repaired, with their former values and the proof."""
    if not rows.repairs:
        screen.show(Text("\nNo cell had to be repaired."))
        return
    screen.show(Text(f"\nREPAIRED   {count(sum(group.count for group in rows.repairs), 'cell')}", style="bold green"))
    for group in sorted(in_order(rows), key=lambda each: -each.count):
        screen.show(Text(f"  {rows.record.fields[group.field].title}: {group.title}   {group.count:,}", style="bold"))
        cells = group.cells if every else group.cells.head(EXAMPLES)
        for row, before, after, proof in cells.iter_rows():
            line = f"    {rows.table.place(row, group.letter)}  “{short(before)}” → {short(after) if after is not None else '(blank)'}"
            screen.show(Text(line).append(f"   {proof}", style="dim"))
        show_more(screen, group.count - cells.height, indent=4)


# --- JSON ------------------------------------------------------------------------------------------------------------


def checked_json(checked: Sequence[Checked]) -> dict[str, Any]:
    """Checked sheets as ``--json`` gives them: one shape, whatever the number of files, sheets and records."""
    groups = {id(group): rows for rows in (each.rows for each in checked) for group in rows.findings}
    findings = worst_first(group for each in checked for group in each.rows.findings)
    return {
        "ok": all(each.ok for each in checked),
        "rows": _count_rows(checked),
        "findings": Streamed(lambda: (each for group in findings for each in group_json(groups[id(group)], group))),
        "repairs": Streamed(
            lambda: (each for one in checked for group in in_order(one.rows) for each in _repair_json(one.rows, group))
        ),
        "counts": count_by_severity(findings),
        "files": [
            {
                "file": part.rows.table.file,
                "sheet": part.rows.table.sheet,
                "record": part.rows.record.name,
                "rows": part.rows.values.height,
                "ok": part.ok,
                "remarks": list(part.remarks),
                "consequence": part.consequence,
            }
            for part in checked
        ],
    }


def in_order(rows: Rows) -> list[RepairGroup]:
    """The repairs in the order of the fields: the same, however many columns were read at a time."""
    places = {name: place for place, name in enumerate(rows.record.fields)}
    return sorted(rows.repairs, key=lambda each: (places.get(each.field, len(places)), each.kind, each.title))


def _count_rows(checked: Sequence[Checked]) -> int:
    """Rows of the sheets themselves: a row that several records are made of counts once."""
    sheets: dict[tuple[str, str], list[Rows]] = {}
    for each in checked:
        if each.consequence is None:
            sheets.setdefault(each.rows.table.origin, []).append(each.rows)
    return sum(
        parts[0].values.height if len(parts) == 1 else pl.concat([rows.values[ROW] for rows in parts]).n_unique()
        for parts in sheets.values()
    )


def group_json(rows: Rows, group: FindingGroup) -> Iterator[dict[str, Any]]:
    """The findings of a group, each as ``--json`` gives it."""
    return (
        {
            "severity": group.severity,
            "kind": group.kind,
            "file": rows.table.file,
            "record": rows.record.name,
            "sheet": rows.table.sheet,
            "cell": rows.table.address(row, group.letter),
            "row": row,
            "field": group.field,
            "value": value,
            "message": message or group.title,
            "suggestion": suggestion,
        }
        for row, value, message, suggestion in group.cells.iter_rows()
    )


def _repair_json(rows: Rows, group: RepairGroup) -> Iterator[dict[str, Any]]:
    return (
        {
            "file": rows.table.file,
            "record": rows.record.name,
            "sheet": rows.table.sheet,
            "cell": rows.table.address(row, group.letter),
            "field": group.field,
            "before": before,
            "after": after,
            "kind": group.kind,
            "proof": proof,
        }
        for row, before, after, proof in group.cells.sort(ROW, maintain_order=True).iter_rows()
    )
