"""Uploads to a program that only exchanges files, and what became of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from rich.table import Table
from rich.text import Text

from kotrel.reports.phrases import count, listed
from kotrel.reports.screen import Screen
from kotrel.stages.arrivals import Arrivals

SHOWN = 20


def show_uploads(screen: Screen, uploads: Sequence[Mapping[str, Any]]) -> None:
    """All uploads, the newest first."""
    if screen.as_json:
        screen.json({"uploads": [{**each, "files": list(each["files"])} for each in uploads]})
        return
    if not uploads:
        screen.show("Nothing has been written for the program yet. kotrel write FILE --layout NAME does.")
        return
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for title in ("upload", "when", "who", "what", "rows"):
        table.add_column(title, overflow="fold")
    for each in reversed(uploads):
        rows = ", ".join(f"{number:,} {what}" for what, number in each["counts"].items() if number)
        table.add_row(
            each["name"],
            each["at"][:16],
            Text(each["who"]),
            Text(f"{each['source']} → {listed(each['files'], 2)}"),
            rows,
        )
    screen.show(table)


def show_arrivals(screen: Screen, found: Arrivals) -> int:
    """What the program's lists say of an upload. Returns the exit status: 1 where something of it has not arrived."""
    upload = found.upload
    missing = [each for each in found.rows if each.status != "arrived"]
    if screen.as_json:
        screen.json({"upload": upload.name, "given_out_since": found.newer, "arrived": found.count("arrived"), "not_there": found.count("not there"),
                     "differs": found.count("differs"), "rows": [vars(each) for each in found.rows]})  # fmt: skip
        return 1 if missing else 0
    screen.show(Text(f"{upload.name} · {upload.source} · {upload.at[:16]}", style="bold"))
    if not found.newer:
        screen.show(
            Text(
                "The program has given out no newer list since: what follows may only show that it has not read the file yet.",
                style="yellow",
            )
        )
    parts = [
        f"{count(found.count('arrived'), 'row')} arrived",
        f"{found.count('differs'):,} differ",
        f"{found.count('not there'):,} not there",
    ]
    screen.show(" · ".join(parts))
    table = Table(box=None, padding=(0, 2, 0, 0), show_header=False)
    for each in missing[:SHOWN]:
        table.add_row(Text(f"  {each.key}"), each.sent_as, Text(each.message, style="yellow"))
    if missing:
        screen.show(table)
    if len(missing) > SHOWN:
        screen.show(f"  … {len(missing) - SHOWN:,} more (--json lists them all)")
    return 1 if missing else 0
