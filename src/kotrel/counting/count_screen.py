"""A physical count on the terminal and as JSON: what is frozen, collected, different, posted."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

from msgspec.structs import asdict
from rich.text import Text

from kotrel.core.changes.journal import load_name
from kotrel.core.columns import ROW
from kotrel.core.counting.variance import MOVED_WHILE_STOPPED, CountLine
from kotrel.core.loading.load_model import Checked
from kotrel.core.phrases import count, listed
from kotrel.core.stock.sums import half_away
from kotrel.counting.collecting import CollectedFile
from kotrel.counting.correcting import Corrected, Correction, Listed
from kotrel.counting.freezing import Frozen
from kotrel.counting.posting import Posting
from kotrel.counting.variance_screen import figure_text, place_in_words, show_corrections
from kotrel.loading.sheets_in.findings_screen import group_json, show_checked
from kotrel.loading.sheets_in.next_steps import errors_in, mapping_step, show_steps
from kotrel.screen.amounts_shown import money_text
from kotrel.screen.listing import listing
from kotrel.screen.screen import Screen
from kotrel.sheets.marking import mark, marked_name

SHOWN = 25
SUSPECTED = 6
"""At most this many suspicions are repeated before a count is posted."""
_WARNINGS = 4


def show_frozen(screen: Screen, frozen: Frozen, trading: bool) -> None:
    """What is to be counted, and what to know before."""
    if screen.as_json:
        screen.json(
            {
                "count": frozen.name,
                "places": frozen.places,
                "items": frozen.items,
                "warehouses": list(frozen.warehouses),
                "value": f"{half_away(frozen.value, 2):f}",
                "frozen_at": frozen.frozen_at,
                "trading": trading,
                "remarks": list(frozen.remarks),
            }
        )
        return
    how = "trading goes on: note the time at each line" if trading else "trading is stopped until it is posted"
    screen.show(
        Text(f"Count {frozen.name}", style="bold").append(f" · frozen {frozen.frozen_at[:16]} · {how}", style="")
    )
    where = f" in {listed(frozen.warehouses)}" if frozen.warehouses else ""
    screen.show(
        f"{count(frozen.places, 'place')}{where}, {count(frozen.items, 'item')}, value {money_text(frozen.value)}"
    )
    for remark in frozen.remarks:
        screen.show(Text(f"  {remark}", style="yellow"))
    screen.show(Text(f"Next: {screen.program} count sheets {frozen.name} -o sheets", style="dim"))


def show_sheets(screen: Screen, name: str, written: Sequence[tuple[Path, int]]) -> None:
    """The sheets that were written."""
    if screen.as_json:
        screen.json({"count": name, "files": [{"file": str(path), "lines": lines} for path, lines in written]})
        return
    for path, lines in written[:SHOWN]:
        screen.show(f"Written: {path}   {count(lines, 'line')}")
    if len(written) > SHOWN:
        screen.show(f"  … {len(written) - SHOWN:,} more")
    screen.show(Text(f"Next: count, fill in, save; then: {screen.program} count collect {name} FILES", style="dim"))


def _taken_in_words(file: CollectedFile) -> list[str]:
    """What was taken from a file, in words."""
    parts = [f"{count(file.lines, 'line')} counted"]
    parts += [f"{file.blank:,} blank, not counted"] if file.blank else []
    parts += [f"{count(file.finds, 'find')} that no sheet had"] if file.finds else []
    parts += [f"replacing {file.replaced:,} from this sheet before"] if file.replaced else []
    parts += ["beside an earlier list of this name, which has other places"] if file.beside else []
    parts += [f"on {len(file.sheets):,} sheets"] if len(file.sheets) > 1 else []
    return parts


def show_collected(screen: Screen, name: str, done: Sequence[CollectedFile], marked: bool) -> int:
    """What became of each file; those with errors first. Returns the exit status."""
    bad = [each for each in done if each.status == "refused"]
    copies = [mark(each.sheets, marked_name(each.path)) for each in bad if each.sheets] if marked else []
    if screen.as_json:
        marked_copies = [str(copy.path) for copy in copies]
        screen.json({"count": name, "files": list(map(_collected_json, done)), "marked": marked_copies})
        return 1 if bad else 0
    for each in bad:
        _show_refused(screen, each)
    for each in done:
        _show_file(screen, each)
    for copy in copies:
        screen.show(f"Marked copy: {copy.path}")
    show_steps(screen, _next_after(screen, name, bad))
    return 1 if bad else 0


def _next_after(screen: Screen, name: str, bad: Sequence[CollectedFile]) -> list[str]:
    if not bad:
        return [f"{screen.program} count variance {name}"]
    sheets = [rows for each in bad for rows in each.sheets]
    steps = mapping_step(errors_in(sheets), sheets, screen)
    return [*steps, "fix those cells and collect those sheets again"]


def _warnings(each: CollectedFile) -> list[str]:
    """What is doubtful in the sheets that were taken, a few lines for each kind."""
    warnings = []
    for rows in each.sheets:
        for group in rows.findings:
            for row, _, message, _ in group.cells.head(_WARNINGS).iter_rows():
                place = f"{rows.table.address(row, group.letter)}: " if row else ""
                warnings.append(f"{place}{message or group.title}")
            if group.cells.height > _WARNINGS:
                warnings.append(f"… {group.cells.height - _WARNINGS:,} more like it")
    return warnings


def _left_out(each: CollectedFile) -> list[str]:
    """Rows of its sheets that were not read: totals, notes, examples."""
    several = len(each.sheets) > 1
    return [
        f"{rows.table.sheet}: {remark}" if several else remark
        for rows in each.sheets
        for remark in rows.table.remarks_below
    ]


def _repairs(each: CollectedFile) -> list[str]:
    """What was corrected on reading, with a few of them."""
    cells = [
        f"“{before}” → {after}"
        for rows in each.sheets
        for group in rows.repairs
        for _, before, after, _ in group.cells.sort(ROW).iter_rows()
    ]
    return [f"{count(len(cells), 'cell')} corrected automatically: {listed(cells, 4)}"] if cells else []


def _findings(each: CollectedFile) -> list[dict[str, Any]]:
    return [found for rows in each.sheets for group in rows.findings for found in group_json(rows, group)]


def show_corrected(screen: Screen, name: str, done: Corrected, what: Correction) -> None:
    place = done.place
    if screen.as_json:
        moved = {"moved_from": done.moved_from} if done.moved_from else {}
        counted = figure_text(what.counted)
        screen.json({"count": name, "item": place.item, "counted": counted, "reason": what.reason, **moved})
        return
    screen.show(
        f"{place.item} {place_in_words(place)}: {figure_text(what.counted)} {place.unit}, by hand ({what.reason})"
    )
    if done.moved_from:
        screen.show(f"The system has {place.serial} in {done.moved_from}: posting the count moves it from there.")
    screen.show(Text(f"Next: {screen.program} count variance {name}", style="dim"))


def _collected_json(file: CollectedFile) -> dict[str, Any]:
    return {
        "file": str(file.path),
        "status": file.status,
        "lines": file.lines,
        "blank": file.blank,
        "finds": file.finds,
        "replaced": file.replaced,
        "findings": _findings(file),
        "not_read": list(file.not_read),
        "remarks": _left_out(file),
        "beside": file.beside,
    }


def _show_refused(screen: Screen, each: CollectedFile) -> None:
    screen.show(Text(f"{each.path.name}: nothing was collected from it", style="bold red"))
    for rows in each.sheets:
        if any(group.severity == "error" for group in rows.findings):
            show_checked(screen, Checked(rows), False, bool(rows.repairs), "right", listed_by="")
            screen.show("")


def _show_file(screen: Screen, file: CollectedFile) -> None:
    said = file.not_read
    if file.status == "again":
        screen.show(f"{file.path.name}: collected already, counted once")
    elif file.status == "collected":
        screen.show(f"{file.path.name}: {', '.join(_taken_in_words(file))}")
        said = (*said, *_left_out(file), *_warnings(file), *_repairs(file))
    for text in said:
        screen.show(Text(f"  {text}", style="yellow"))


def _left_open(planned: Posting) -> list[CountLine]:
    closed = {each.line.place.number for each in planned.adjusted}
    return [line for line in planned.state.lines if line.place.number not in closed]


def _values_by_reason(planned: Posting) -> dict[str, list[Decimal]]:
    kinds: dict[str, list[Decimal]] = {}
    for each in planned.adjusted:
        kinds.setdefault(each.why, []).append(half_away(each.adjustment * each.line.place.cost, 2))
    return kinds


def show_posting(screen: Screen, planned: Posting) -> None:
    """What a posting would do, before it asks."""
    for why, values in _values_by_reason(planned).items():
        screen.show(f"  {why}: {count(len(values), 'line')}, value {money_text(sum(values, Decimal(0)))}")
    where = listed(planned.documents) or ("the list of stock" if planned.changed else "no document")
    screen.show(f"  adjusted: {count(len(planned.changed), 'line')} in {where}, net {money_text(planned.net)}")
    left = _left_open(planned)
    undecided = sum(line.undecided for line in left)
    moved = sum(each.line.recount == MOVED_WHILE_STOPPED for each in planned.adjusted)
    out = sum(bool(each.line.recount) for each in planned.adjusted) - moved
    show_corrections(screen, planned.state, "  ")
    if moved:
        words = f"  {count(moved, 'line')} where stock moved although trading is stopped: right only if it moved after the count"
        screen.show(Text(words, style="bold yellow"))
    if out:
        screen.show(Text(f"  {count(out, 'line')} out of tolerance and not counted again", style="yellow"))
    _show_suspected(screen, [each.line for each in planned.adjusted if each.line.remarks])
    if left:
        words = f", {undecided:,} of them to be counted again" if undecided else ""
        screen.show(Text(f"  stay open: {count(len(left), 'line')}{words}", style="yellow"))


def _show_suspected(screen: Screen, lines: Sequence[CountLine]) -> None:
    """The first lines of which something looks like a mix-up, and how many more there are."""
    for line in lines[:SUSPECTED]:
        said = f"{line.place.item} {place_in_words(line.place)}: {'; '.join(line.remarks)}"
        screen.show(Text(f"  {said}", style="yellow"))
    more = len(lines) - SUSPECTED
    if more > 0:
        said = f"  … {more:,} more that look like a mix-up ({screen.program} count variance lists them)"
        screen.show(Text(said, style="yellow"))


def show_posted(screen: Screen, name: str, done: Posting, output: str | None) -> int:
    """What was posted. Returns the exit status."""
    if screen.as_json:
        screen.json(_posted_json(name, done))
        return 1 if done.status == "refused" else 0
    if done.status == "nothing to post":
        screen.show("Nothing to post: every line that is counted and decided is posted already.")
        screen.show(Text(f"Next: {screen.program} count variance {name}", style="dim"))
        return 0
    if done.status == "not posted":
        screen.show("Nothing was posted.")
        return 0
    if done.status == "refused" and done.preview is not None:
        screen.show(Text("Nothing was posted:", style="bold red"))
        for checked in done.preview.checked:
            if not checked.ok:
                show_checked(screen, checked, False, False)
        return 1
    _show_done(screen, done, output)
    return 0


def _posted_json(name: str, done: Posting) -> dict[str, Any]:
    return {
        "count": name,
        "status": done.status,
        "load": load_name(done.load) if done.load else None,
        "lines": len(done.adjusted),
        "adjusted": len(done.changed),
        "documents": done.documents,
        "net": f"{done.net:f}",
        "findings": [
            cell
            for checked in (done.preview.checked if done.preview else ())
            for group in checked.rows.findings
            for cell in group_json(checked.rows, group)
        ],
    }


def _show_done(screen: Screen, done: Posting, output: str | None) -> None:
    what = "Sent" if done.status == "sent" else "Posted"
    screen.show(Text(f"{what}{f' as {load_name(done.load)}' if done.load else ''}", style="bold green"))
    show_posting(screen, done)
    for path in done.receipt.files if done.receipt is not None else ():
        screen.show(f"  written for the program: {path}")
    if output:
        screen.show(f"Written: {output}")
    if done.load:
        number = load_name(done.load)
        first = "stock --against" if done.documents and done.status == "posted" else "outcome"
        screen.show(Text(f"Next: {screen.program} {first} {number}    shows what it changed", style="dim"))
        back = f"      {screen.program} undo {number}    takes it back and opens the count again"
        screen.show(Text(back, style="dim"))


def show_counts(screen: Screen, counts: Sequence[Listed]) -> None:
    """Every count and how far it is."""
    if screen.as_json:
        screen.json({"counts": [asdict(each) for each in counts]})
        return
    if not counts:
        screen.show("No counts yet. kotrel count freeze NAME begins one.")
        return
    figures = ("places", "counted", "to count again", "posted")
    table = listing(("count", "frozen", "who", "", *figures), right=figures)
    for listed_count in counts:
        if listed_count.damaged:
            table.add_row(Text(listed_count.name), Text("its file is damaged", style="red"))
            continue
        table.add_row(
            Text(listed_count.name),
            listed_count.frozen_at[:16],
            Text(listed_count.who),
            "trading" if listed_count.trading else "stopped",
            f"{listed_count.places:,}",
            f"{listed_count.counted:,}",
            f"{listed_count.recount:,}",
            f"{listed_count.posted:,}",
        )
    screen.show(table)
