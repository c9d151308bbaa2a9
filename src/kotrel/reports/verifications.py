"""What a load sent against what the system holds now, on the terminal and as JSON."""

from __future__ import annotations

from typing import Any

from rich.table import Table
from rich.text import Text

from kotrel.reports.phrases import count, short
from kotrel.reports.screen import Screen
from kotrel.stages.verifying import Verified

SHOWN = 20


def show_verified(screen: Screen, verified: Verified, every: bool) -> None:
    """Whether everything is still as it was sent; if not, what differs."""
    entry = verified.entry
    read = f"{count(verified.rows, 'row')}, {count(verified.values, 'value')} read back"
    line = Text(entry.name, style="bold").append(f" · {read}: ", style="")
    if verified.ok:
        screen.show(line.append("all as sent", style="bold green"))
        return
    if verified.too_old:
        screen.show(line.append("nothing is proved yet", style="bold yellow"))
        for record, at in verified.too_old.items():
            screen.show(
                f"  {record}: the program's last list was given out {at[:16] or 'never'}, before this load. Let it give out a new one."
            )
        if not verified.differences.height:
            return
    else:
        screen.show(line.append(f"{count(verified.differences.height, 'difference')}", style="bold red"))
    if verified.too_old:
        return
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for heading in ("  record", "key", "field", "sent", "now"):
        table.add_column(heading, overflow="fold")
    shown = verified.differences if every else verified.differences.head(SHOWN)
    for record, key, field, sent, now in shown.iter_rows():
        table.add_row(f"  {record}", Text(key or ""), field or "", Text(short(sent, 40)), Text(short(now, 40)))
    screen.show(table)
    if shown.height < verified.differences.height:
        screen.show(Text(f"  … {verified.differences.height - shown.height:,} more (--all lists them)", style="dim"))
    if entry.waiting:
        screen.show(
            f"The program has not answered for these, or has refused them: kotrel outcome {entry.name} --from RESULT"
        )
        return
    screen.show("These were changed after the load: by a later load (kotrel history) or in the system itself.")


def verified_json(verified: Verified) -> dict[str, Any]:
    """A verification as ``--json`` gives it."""
    return {
        "load": verified.entry.name,
        "ok": verified.ok,
        "rows": verified.rows,
        "values": verified.values,
        "too_old": dict(verified.too_old),
        "differences": verified.differences.to_dicts(),
    }
