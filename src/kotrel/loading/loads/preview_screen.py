"""Previews and loads, on the terminal and as JSON."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

import polars as pl
from rich.table import Table
from rich.text import Text

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.description.in_words import shown
from kotrel.core.description.model import Record
from kotrel.core.loading.load_model import Checked, Preview
from kotrel.core.phrases import count, listed, short
from kotrel.core.rows.rows import Rows
from kotrel.loading.loads.documents_screen import show_totals, totals_json
from kotrel.loading.sheets_in.findings_screen import checked_json, counts_line, headline, show_checked, show_created
from kotrel.screen.amounts_shown import money_text
from kotrel.screen.listing import listing, show_more
from kotrel.screen.screen import Screen
from kotrel.systems.interface import Altered

SHOWN = 12


def show_stakes(screen: Screen, stakes: pl.DataFrame | None, every: bool) -> None:
    """A line for each list and, below it, for each of its categories."""
    if stakes is None:
        return
    figures = ("prices", "new", "mean change", "largest", "value at stake")
    table = listing(("prices of", "category", *figures[:4], "at", figures[4]), right=figures)
    shown = stakes if every or stakes.height <= SHOWN else stakes.filter(pl.col("category").is_null())
    for row in shown.iter_rows(named=True):
        style = "bold" if row["category"] is None else ""
        table.add_row(
            Text(row["list"] if row["category"] is None else "", style=style),
            Text(row["category"] or "all"),
            f"{row['prices']:,}",
            f"{row['new']:,}" if row["new"] else "",
            _percent(row["mean"]),
            _percent(row["largest"]),
            Text(row["item"] if row["largest"] is not None else "", style="dim"),
            f"{money_text(row['stake'])} {row['currency'] or ''}".rstrip() if row["stake"] else "",
        )
    screen.show("", table)
    if shown.height < stakes.height:
        screen.show(Text(f"  … {stakes.height - shown.height:,} lines by category (--all lists them)", style="dim"))


def _percent(value: Decimal | None) -> str:
    return "" if value is None else f"{value:+.1f} %"


def nothing_to_do(preview: Preview) -> str:
    """Why a load would do nothing: the system has it all, or rows were left out."""
    left = sum(each.rows.left_out for each in preview.checked)
    if not left:
        return "Nothing to do: the system already holds all of it."
    others = any(figures["same"] for figures in preview.counts().values())
    return (
        f"Nothing to do: {count(left, 'row')} left out, and the system already holds all others."
        if others
        else "Nothing to do: all rows are left out."
    )


def stakes_json(stakes: pl.DataFrame | None) -> list[dict[str, Any]]:
    """The same for programs; per cent with two decimals, money with two."""
    if stakes is None:
        return []
    return [
        {
            "list": row["list"],
            "category": row["category"],
            "prices": row["prices"],
            "new": row["new"],
            "mean": None if row["mean"] is None else f"{row['mean']:.2f}",
            "largest": None if row["largest"] is None else f"{row['largest']:.2f}",
            "item": row["item"],
            "at_stake": money_text(row["stake"]).replace(",", ""),
            "currency": row["currency"],
        }
        for row in stakes.iter_rows(named=True)
    ]


CHANGES_SHOWN = 12
STYLES = {"new": "green", "changed": "yellow", "removed": "magenta", "same": "dim", "refused": "bold red"}


def _show_sheets(screen: Screen, told: Sequence[Checked], every: bool) -> None:
    """The remarks on each sheet; a sheet without any is listed with the next."""
    silent: list[Rows] = []
    for number, checked in enumerate(told):
        if checked.says_nothing:
            silent.append(checked.rows)
            continue
        if number > len(silent):
            screen.show("")
        if not checked.ok or any(group.severity == "warning" for group in checked.rows.findings):
            # A warning that nobody sees before the load is none.
            show_checked(screen, checked, every, False, more=_defaulted((*silent, checked.rows)))
        else:
            screen.show(headline(checked.rows), counts_line(checked))
            for remark in checked.remarks:
                screen.show(Text(f"  {remark}", style="dim"))
            screen.show(*_defaulted((*silent, checked.rows)))
        silent = []


def show_preview(screen: Screen, preview: Preview, every: bool) -> None:
    """What a load would do: the counts, then each change from what to what."""
    _show_sheets(screen, [each for each in preview.checked if each.consequence is None or not each.ok], every)
    for checked in preview.checked:
        if checked.consequence is not None and checked.consequence != "posted":
            show_created(screen, checked)
    if (before := preview.before) is not None:
        done = "sent" if before.waiting else "loaded"
        screen.show(Text(f"The same content was already {done} as {before.name}, by {before.who}.", style="yellow"))
    show_totals(screen, preview, {each.record.name: each.record for each in preview.changes})
    show_stakes(screen, preview.stakes, every)
    for changes in preview.changes:
        if changes.record.nature == "ledger":
            continue
        screen.show(Text(""), counts_text(changes))
        if changes.record.part_of is not None and not every:
            continue
        _show_new(screen, changes, every)
        _show_changed(screen, changes, every)


def _defaulted(sheets: Sequence[Rows]) -> list[Text]:
    """What blank cells were filled with; values from the same source for as many rows are on one line."""
    return [line for rows in sheets for line in _defaulted_of(rows)]


def _defaulted_of(rows: Rows) -> list[Text]:
    lines = []
    groups: dict[tuple[str, int], list[str]] = {}
    for each in rows.defaulted:
        about = rows.record.fields[each.field]
        value = f"{about.title} {short(shown(each.value, about), 40)}"
        groups.setdefault((each.source, len(each.rows)), []).append(value)
    for (source, number), values in groups.items():
        of = {"mapping": " from the mapping", "system": ""}.get(
            source, f" from the {source}" if source in rows.fields else f" from {source}"
        )
        line = Text(f"  Defaults{of} filled in for {count(number, 'row')}: ", style="dim")
        lines.append(line.append(listed(values, 8), style=""))
    return lines


def counts_text(changes: RecordChanges) -> Text:
    """``item   40 new · 12 changed · 3 same · 1 refused``."""
    line = Text(f"{changes.record.title}   ", style="bold")
    parts = [(action, number) for action, number in changes.counts.items() if number or action in ("new", "changed")]
    for index, (action, number) in enumerate(parts):
        line.append(" · " if index else "", style="")
        line.append(f"{number:,} {action}", style=STYLES[action] if number else "dim")
    return line


def _show_new(screen: Screen, changes: RecordChanges, every: bool) -> None:
    new = changes.rows_of("new")
    if not new.height:
        return
    record = changes.record
    named = [name for name in (*record.key, record.called) if name and name in changes.fields]
    shown = new if every else new.head(3)
    for row in shown.select(named).iter_rows():
        screen.show(
            Text("  + ", style="green").append("  ".join(short(value, 50) for value in row if value is not None))
        )
    if shown.height < new.height:
        screen.show(Text(f"    … {new.height - shown.height:,} more new (--all lists them)", style="dim"))
    filled = [record.fields[name].title.lower() for name in changes.fields if new[name].null_count() < new.height]
    screen.show(Text(f"    with {listed(filled, 12)}", style="dim"))


def _show_changed(screen: Screen, changes: RecordChanges, every: bool) -> None:
    counts = changes.changed_counts()
    if not counts:
        return
    summary = ", ".join(f"{changes.record.fields[name].title} in {number:,}" for name, number in counts.items())
    screen.show(Text("  ~ ", style="yellow").append(summary))
    screen.show(_changes_table(changes.record, changes.changed_cells(first=None if every else CHANGES_SHOWN)))
    show_more(screen, 0 if every else sum(counts.values()) - CHANGES_SHOWN, indent=4)


def _changes_table(record: Record, cells: pl.DataFrame) -> Table:
    table = Table(box=None, padding=(0, 2, 0, 0), show_header=True, header_style="dim")
    table.add_column("   ")
    table.add_column("key")
    table.add_column("field")
    table.add_column("from", justify="right", style="red")
    table.add_column("to", style="green")
    last = None
    for _, key, field, former, after in cells.iter_rows():
        table.add_row(
            "",
            Text(key if key != last else ""),
            Text(record.fields[field].title),
            Text(short(shown(former, record.fields[field]), 36)),
            Text(short(shown(after, record.fields[field]), 36)),
        )
        last = key
    return table


def show_loaded_counts(screen: Screen, counts: dict[str, dict[str, int]]) -> None:
    """One line for each record of a load."""
    for record, numbers in counts.items():
        parts = [f"{number:,} {action}" for action, number in numbers.items() if number]
        screen.show(Text(f"  {record}: {', '.join(parts) or 'nothing'}"))


def show_altered(screen: Screen, altered: Sequence[Altered], records: Mapping[str, Record], every: bool) -> None:
    """What the system's own rules made of values that were sent; the same change of a field once, with its number."""
    if not altered:
        return
    screen.show(Text(f"The system itself changed {count(len(altered), 'value')} of this load:", style="yellow"))
    groups: dict[tuple[str, str, str], list[Altered]] = {}
    for each in altered:
        groups.setdefault((each.record, each.field, each.in_words(records[each.record])), []).append(each)
    lines = sorted(groups.items(), key=lambda group: -len(group[1]))
    for (_, _, words), same in lines if every else lines[:CHANGES_SHOWN]:
        where = same[0].key if len(same) == 1 else count(len(same), "row")
        screen.show(Text(f"  {where}: {words}"))
    show_more(screen, 0 if every else len(lines) - CHANGES_SHOWN, indent=4)


def preview_json(preview: Preview) -> dict[str, Any]:
    """A preview as ``--json`` gives it."""
    return {
        **checked_json(preview.checked),
        "records": preview.counts(),
        "changes": [
            {"record": changes.record.name, "key": key, "field": field, "before": former, "after": after}
            for changes in preview.changes
            for _, key, field, former, after in changes.changed_cells().iter_rows()
        ],
        "creates": preview.creates(),
        "ends": preview.ends(),
        "resumes": preview.resumes(),
        "totals": totals_json(preview),
        "price_changes": stakes_json(preview.stakes),
        "defaults": [
            {
                "record": checked.rows.record.name,
                "field": default.field,
                "value": default.value,
                "from": default.source,
                "rows": len(default.rows),
            }
            for checked in preview.checked
            for default in checked.rows.defaulted
        ],
        "ok": preview.ok,
    }
