"""``kotrel history``, one load row by row, and what an undo did."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl
from rich.text import Text

from kotrel.core.changes.journal import Entry, load_name
from kotrel.core.phrases import count, listed, short
from kotrel.loading.file_options import record_named
from kotrel.loading.opening import workspace_of
from kotrel.loading.options import day
from kotrel.screen.listing import listing, show_more
from kotrel.screen.narrow import give_way
from kotrel.screen.screen import Screen

if TYPE_CHECKING:
    from kotrel.core.changes.outcome_page import OutcomePage
    from kotrel.loading.loads.undoing import Undone
    from kotrel.systems.interface import Receipt

ROWS_SHOWN = 20
LOADS_SHOWN = 30
"""The newest loads are listed, unless others are asked for."""


def _state(entry: Entry) -> Text:
    if entry.trouble:
        return Text("changed since", style="bold red")
    if entry.undone_by:
        return Text(f"undone by {load_name(entry.undone_by)}", style="dim")
    return Text(entry.status, style={"refused": "red", "sent": "yellow"}.get(entry.status, "green"))


def show_history(screen: Screen, entries: Sequence[Entry]) -> None:
    """All loads, the newest first."""
    if not entries:
        screen.show(Text("No loads yet."))
        return
    table = listing(("load", "when", "who", "what", "rows", "state"))
    for entry in reversed(entries):
        what = f"undo of {load_name(entry.of)}" if entry.of else listed(entry.files, 3)
        if entry.remark:
            what += f" — {entry.remark}"
        cells = map(Text, (entry.name, when(entry.at), _loaded_by(entry), what, _counts(entry)))
        table.add_row(*cells, _state(entry))
    screen.show(give_way(table, screen.console.width, "what", "rows"))
    _show_troubles(screen, entries)


def _show_troubles(screen: Screen, entries: Sequence[Entry]) -> None:
    for entry in entries:
        if entry.trouble:
            screen.show(Text(f"{entry.name}: {entry.trouble}. It cannot be undone or verified.", style="red"))


def _loaded_by(entry: Entry) -> str:
    """Who did it, and as which user of the database where that is another name."""
    return entry.who if entry.login in ("", entry.who) else f"{entry.who} (as {entry.login})"


def when(at: str) -> str:
    try:
        return datetime.fromisoformat(at).astimezone().strftime("%Y-%m-%d %H:%M")
    except ValueError:
        return at


def _counts(entry: Entry) -> str:
    parts = []
    for record, numbers in entry.counts.items():
        parts_shown = [f"{number:,} {action}" for action, number in numbers.items() if number and action != "same"]
        parts.append(f"{record}: {', '.join(parts_shown) or 'nothing'}")
    return "; ".join(parts)


def history_json(entries: Sequence[Entry]) -> dict[str, Any]:
    """The history as ``--json`` gives it."""
    return {"loads": [entry_json(entry) for entry in entries]}


def entry_json(entry: Entry) -> dict[str, Any]:
    """One load of the history."""
    return {
        "load": entry.name,
        "kind": entry.kind,
        "status": entry.status,
        "at": entry.at,
        "who": entry.who,
        "database_user": entry.login or None,
        "trouble": entry.trouble or None,
        "files": list(entry.files),
        "fingerprint": entry.fingerprint,
        "remark": entry.remark,
        "undo_of": load_name(entry.of) if entry.of else None,
        "undone_by": load_name(entry.undone_by) if entry.undone_by else None,
        "records": entry.counts,
    }


def show_notes(screen: Screen, notes: Sequence[str]) -> None:
    """What the preview of a load said of whole sheets."""
    for note in notes:
        screen.show(Text(f"  {note}", style="yellow"))


def _show_load(screen: Screen, entry: Entry, page: OutcomePage) -> None:
    """Which load it is, and how many of its rows came out how."""
    title = Text(entry.name, style="bold").append(
        f" · {listed(entry.files, 3)} · {when(entry.at)} · {_loaded_by(entry)} · ", style=""
    )
    title.append(f"undone by {load_name(entry.undone_by)}" if entry.undone_by else entry.status, style="bold")
    parts = [
        f"{page.done:,} done",
        f"{page.warned:,} done with a warning",
        f"{page.refused:,} refused",
        *([f"{page.sent:,} not answered yet"] if page.sent else []),
    ]
    screen.show(title, Text(f"{count(page.total, 'row')}: {', '.join(parts)}"))
    if entry.fingerprint:
        remark = f" · {entry.remark}" if entry.remark else ""
        screen.show(Text(f"content {entry.fingerprint[:16]}…{remark}", style="dim"))


def show_outcome(screen: Screen, entry: Entry, page: OutcomePage, every: bool) -> None:
    """One load row by row, warnings first."""
    _show_load(screen, entry, page)
    show_notes(screen, entry.notes)
    if entry.status == "refused":
        screen.show(Text("Nothing was loaded, because of the rows below.", style="bold red"))
    if not page.rows.height:
        screen.show(Text("\nNo row was changed (--all lists them)."))
        return
    table = listing(("where", "record", "key", "what", "outcome", "message"))
    for file, sheet, row, record, key, action, outcome, message in page.rows.iter_rows():
        where = f"{sheet}!{row}" if sheet else f"{short(file, 20)}, line {row}"
        style = {"warning": "yellow", "refused": "bold red"}.get(outcome, "")
        what = "unchanged" if action == "same" else action
        table.add_row(Text(where), record, Text(key or ""), what, Text(outcome, style=style), Text(message or ""))
    screen.show(Text(""), table)
    show_more(screen, page.more, indent=0)
    if page.same and not every:
        screen.show(Text(f"{count(page.same, 'row')} unchanged (--all lists them)", style="dim"))


def outcome_json(entry: Entry, rows: pl.DataFrame) -> dict[str, Any]:
    """One load as ``--json`` gives it."""
    return {
        "load": entry.name,
        "status": entry.status,
        "notes": list(entry.notes),
        "rows": [
            {
                "sheet": sheet or file,
                "row": row,
                "record": record,
                "key": key,
                "action": action,
                "outcome": outcome,
                "message": message,
            }
            for file, sheet, row, record, key, action, outcome, message in rows.iter_rows()
        ],
    }


def show_undone(screen: Screen, undone: Undone, left: Path | None = None) -> None:
    """What an undo did, or what stands in its way."""
    name = undone.entry.name
    if undone.status not in ("undone", "undone in part", "refused"):
        screen.show(Text(f"{name} was not undone."))
        return
    if undone.receipt is not None and undone.receipt.status == "sent":
        _show_sent(screen, undone, undone.receipt)
    elif undone.status != "refused":
        _show_taken_back(screen, undone)
    if undone.status == "undone":
        return
    if undone.status == "refused":
        screen.show(
            Text(f"{name} cannot be undone: ", style="bold red").append(
                f"{count(len(undone.blocked_by), 'obstacle')}; nothing was changed", style=""
            )
        )
    else:
        screen.show(f"{_rows_staying(undone)}, written to {left} with the reasons:")
    table = listing(("  record", "key", "what blocks it"))
    for each in undone.blocked_by[:ROWS_SHOWN]:
        table.add_row(f"  {each.record}", Text(each.key), Text(each.message))
    screen.show(table)
    show_more(screen, len(undone.blocked_by) - ROWS_SHOWN, "--json lists them all")
    if undone.others:
        screen.show(Text(f"Next: {screen.program} undo {name} --partial    undoes the other rows", style="dim"))


def _show_sent(screen: Screen, undone: Undone, receipt: Receipt) -> None:
    number = load_name(undone.number or 0)
    screen.show(
        Text(f"Sent {number}, which takes {undone.entry.name} back: {_way_back_said(undone)}", style="bold green")
    )
    for file in receipt.files:
        screen.show(f"  {file}")
    for remark in (*undone.remarks, *receipt.remarks):
        screen.show(Text(f"  {remark}", style="yellow"))
    screen.show(f"Next: when the program has read it: {screen.program} outcome {number} --result RESULT")


def _show_taken_back(screen: Screen, undone: Undone) -> None:
    style = "bold green" if undone.status == "undone" else "bold yellow"
    screen.show(
        Text(f"{undone.entry.name} is {undone.status}", style=style).append(
            f" (as {load_name(undone.number or 0)}): {_way_back_said(undone)}", style=""
        )
    )
    for number, by in list(undone.reversed.items())[:ROWS_SHOWN]:
        screen.show(f"  {number} is taken back by {by}")
    for remark in undone.remarks:
        screen.show(Text(f"  {remark}", style="yellow"))


def _way_back_said(undone: Undone) -> str:
    done = (
        (undone.count("removed"), "removed"),
        (undone.count("changed"), "restored"),
        (undone.archived, "archived"),
        (undone.count("new"), "put back"),
        (undone.count("same"), "as before already"),
    )
    parts_shown = [f"{rows:,} {what}" for rows, what in done if rows]
    parts_shown += [f"{count(len(undone.reversed), 'document')} taken back by others"] if undone.reversed else []
    return ", ".join(parts_shown) or "nothing to change"


def undo_question(undone: Undone) -> str:
    """The question asked before an undo."""
    left = f", {_rows_staying(undone)}" if undone.blocked_by else ""
    return f"Undo {undone.entry.name} ({listed(undone.entry.files, 2)}): {_way_back_said(undone)}{left}?"


def _rows_staying(undone: Undone) -> str:
    rows = len({(each.record, each.key) for each in undone.blocked_by})
    return f"{count(rows, 'row')} {'stays as it is' if rows == 1 else 'stay as they are'}"


def undone_json(undone: Undone, left: Path | None = None) -> dict[str, Any]:
    """An undo as ``--json`` gives it."""
    return {
        "load": undone.entry.name,
        "status": undone.status,
        "undo": load_name(undone.number) if undone.number else None,
        "restored": undone.count("changed") if undone.number else 0,
        "removed": undone.count("removed") if undone.number else 0,
        "archived": undone.archived if undone.number else 0,
        "reversed": undone.count("new") + len(undone.reversed) if undone.number else 0,
        "files": list(undone.receipt.files) if undone.receipt else [],
        "documents": dict(undone.reversed) if undone.number else {},
        "left": str(left) if left else None,
        "remarks": [*undone.remarks, *(undone.receipt.remarks if undone.receipt else ())],
        "blocked_by": [
            {"record": each.record, "key": each.key, "field": each.field, "message": each.message}
            for each in undone.blocked_by
        ],
    }


EXAMPLE = """\
kotrel history
    every load and undo: when, who, which file, how many rows, and whether it has been undone or its journal
    was changed since
kotrel history --since 2027-03-01 --record item
    only loads of items, from that day on"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--all", action="store_true", help="list every load, not only the newest")
    parser.add_argument("--since", type=day, metavar="DATE", help="only from that day on, like 2027-03-01")
    parser.add_argument("--who", metavar="NAME", help="only what this person did, or this user of the database")
    parser.add_argument(
        "--file", metavar="TEXT", help="only loads of files with this text in their name, and their undos"
    )
    parser.add_argument("--record", metavar="RECORD", help="only what loaded or took back this record")


def chosen(entries: Sequence[Entry], since: str, who: str, file: str, record: str) -> list[Entry]:
    """The loads that fit everything that is asked for; blank asks for nothing.

    Args:
        since: an ISO date, in this computer's time zone, as the days are shown.
    """

    def of_file(entry: Entry) -> bool:
        files = [*entry.files, *(by_number[entry.of].files if entry.of in by_number else ())]
        return any(file.casefold() in Path(each).name.casefold() for each in files)

    by_number = {entry.number: entry for entry in entries}
    return [
        entry
        for entry in entries
        if (not since or when(entry.at)[:10] >= since)
        and (not who or who.casefold() in (entry.who.casefold(), entry.login.casefold()))
        and (not file or of_file(entry))
        and (not record or record in entry.counts)
    ]


def _show_some(screen: Screen, some: Sequence[Entry], entries: Sequence[Entry], every: bool) -> None:
    """The loads that were asked for, and how many others there are."""
    if some or not entries:
        show_history(screen, some)
    if len(some) < len(entries):
        more = "" if every else " (--all shows the others, and proves their lines, too)"
        screen.show(Text(f"Shown: {len(some):,} of {count(len(entries), 'load')}{more}", style="dim"))
    # What was changed since is shown, whatever was asked for.
    _show_troubles(screen, [entry for entry in entries if entry not in some])


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    if args.record:
        record_named(workspace.description, args.record)  # a wrong name is an error
    asked = [given or "" for given in (args.since, args.who, args.file, args.record)]
    every = args.all or screen.as_json or any(asked)
    entries = workspace.system().audited_history(None if every else LOADS_SHOWN)
    some = chosen(entries, *asked)
    some = some if every else some[-LOADS_SHOWN:]
    if screen.as_json:
        screen.json(history_json(some))
    else:
        _show_some(screen, some, entries, every)
    return 1 if any(entry.trouble for entry in entries) else 0
