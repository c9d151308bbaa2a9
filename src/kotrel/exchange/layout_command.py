"""``kotrel layout``: drafts a layout from the other program's own template or sample file, and proves it."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from rich.text import Text

from kotrel.core.description.toml_reading import parsed
from kotrel.core.errors import WrongUse
from kotrel.core.layouts.draft_model import Draft, in_short
from kotrel.core.layouts.layout import SOURCES
from kotrel.core.phrases import count, listed, listed_and
from kotrel.core.tables.table import letter_of
from kotrel.exchange.layout_draft import LaidDown, as_far_as_said, draft_layout, open_columns, proof_of, saved_text
from kotrel.exchange.layout_proof import LayoutDifference, LayoutProof
from kotrel.exchange.layout_questions import layout_questions
from kotrel.loading.list_reading import names_of
from kotrel.loading.opening import workspace_of
from kotrel.loading.options import add_drafting, wanted_of
from kotrel.screen.command_lines import quoted
from kotrel.screen.dialogue import converse, refuse
from kotrel.screen.listing import listing, show_more
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import written_whole
from kotrel.workspace.settings import Workspace

EXAMPLE = """\
kotrel layout webshop-template.xlsx item --name webshop
    drafts layouts/webshop.toml from their template, asks what is open, and proves it
kotrel layout till-sample.csv item --name till --yes
    the same without questions; what is open is shown
kotrel write items.xlsx --layout webshop
    then fills a copy of their template"""

_MOST = 12
"""Differences that are shown."""


def arguments(parser: argparse.ArgumentParser) -> None:
    add_drafting(parser, "the other program's template, or a file that it accepts")


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    asks = screen.is_terminal and not (screen.as_json or args.yes)
    with screen.progress(3) as step:
        laid = draft_layout(Path(args.file), args.record, args.name, workspace, wanted_of(args), step)
    finished = True
    if not laid.fresh and not screen.as_json:
        _show_former(screen, laid, args.file, asks)
    if asks:
        if laid.fresh:
            show_draft(screen, laid)
        finished = _ask(screen, laid, workspace)
    left = open_columns(parsed(saved_text(laid.path)))
    proof = proof_of(laid, workspace) if finished else None
    status = 1 if proof is not None and not proof.same else 0
    if screen.as_json:
        screen.json(layout_json(laid, proof, left))
        return status
    if not asks and laid.fresh:
        show_draft(screen, laid)
        for each in laid.draft.open:
            screen.show(Text(f"Open: {each}", style="yellow"))
    screen.show("")
    if finished:
        show_proof(screen, laid, proof, left)
    again = f"{screen.program} layout {quoted([args.file])} {args.record} --name {laid.path.stem}"
    if not finished:
        next_ = f"It has the answers so far. Next: {again}    on a terminal, it asks what is still open"
    elif left:
        next_ = f"Next: {again}    on a terminal, it asks what is still open"
    elif proof is not None and proof.columns:
        next_ = f"Next: correct these columns there, then prove it again: {again}"
    else:
        sends = workspace.url.startswith("folder:")
        next_ = f"Next: {screen.program} {'load SHEET' if sends else f'write SHEET --layout {laid.path.stem}'}"
    screen.show(f"Saved as {_saved_as(laid)}. {next_}")
    return status


def _show_former(screen: Screen, laid: LaidDown, file: str, asks: bool) -> None:
    what = "only what it leaves open is asked." if asks else f"it is proved with {file}. (To draft it anew, delete it.)"
    screen.show(f"{_saved_as(laid)} was there before and stays as it is: {what}")


def _saved_as(laid: LaidDown) -> str:
    return f"{laid.path.parent.name}/{laid.path.name}"


def _ask(screen: Screen, laid: LaidDown, workspace: Workspace) -> bool:
    """Asks what is open, and saves the answers; False where the user stopped before the end."""
    import tomlkit

    text = saved_text(laid.path)
    with workspace.system().reading() as reading:
        asked = layout_questions(laid, tomlkit.parse(text), names_of(workspace, reading))
    document, finished = converse(screen, asked, tomlkit.parse(text))
    answered = tomlkit.dumps(document)
    try:
        as_far_as_said(answered, laid.path, workspace)
    except WrongUse as error:
        refuse(screen, f"these answers do not go together and were not kept: {error.message}")
        return False
    with written_whole(laid.path) as temporary:
        temporary.write_text(answered, "utf-8", newline="\n")
    return finished


def show_draft(screen: Screen, laid: LaidDown) -> None:
    """The form of the file, then a line for each column: what feeds it, and how that is known."""
    draft = laid.draft
    title = Text(draft.sample.path.name, style="bold")
    title.append(f" · sheet “{draft.sample.sheet}”" if draft.sample.sheet else "", style="")
    screen.show(title.append(f" as a layout of {draft.record.name}: {in_short(draft)}", style=""))
    if laid.lost:
        screen.show(
            Text(
                f"A copy of it would lose its {listed_and(list(laid.lost))}: the layout writes a plain workbook instead.",
                style="yellow",
            )
        )
    screen.show(_show_form(draft))
    grid = listing(("", "column", "", "filled from", "how", "because"))
    for column in draft.columns:
        style = "" if column.how == "seen" else "yellow"
        grid.add_row(
            Text(letter_of(column.place), style="dim"),
            Text(" ".join(column.heading.split()) or "(none)", style="bold"),
            "←",
            _source(column.settings),
            Text(column.how, style=style),
            Text(column.why + _describe_settings(column.settings), style=style),
        )
    screen.show(grid)


_TITLES = {
    "line_end": "line ends",
    "decimal_mark": "decimal mark",
    "lines_above": "above the headings",
    "heading_lines": "below the headings",
    "headings": "line of headings",
    "date": "days",
}
"""What settings are called on the screen, where their names say too little."""


def _show_form(draft: Draft) -> Text:
    said = Text()
    for how in ("seen", "supposed", "open"):
        mine = [
            f"{_TITLES.get(name, name)} {_show_setting(name, each.value)}"
            for name, each in draft.settings.items()
            if each.how == how
        ]
        if mine:
            said.append("\n" if said else "").append(f"{how.capitalize():<9} ", style="dim").append(", ".join(mine))
    return said


def _show_setting(name: str, value: Any) -> str:
    if isinstance(value, list):
        return count(len(value), "line")
    if name == "decimal_mark":
        return "comma" if value == "," else "point"
    return (
        {True: "yes", False: "no", "\t": "tab", "": "(blank)"}.get(value, str(value)) if value.__hash__ else str(value)
    )


def _source(settings: Any) -> str:
    for key in SOURCES:
        if key in settings:
            value = settings[key].value
            if key in ("price_of", "stock_in"):
                return f"{'price' if key == 'price_of' else 'stock'} in {value}"
            if key == "fixed":
                return f"“{value}”"
            if key == "action":
                return "what happens: " + ", ".join(f"{act} {word}" for act, word in value.items())
            return "nothing" if key == "empty" else str(value)
    return "?"


def _describe_settings(settings: Any) -> str:
    """The other settings of a column."""
    said = [
        {"must": "must be filled", "name": "names instead of codes"}.get(key)
        or (f"as {setting.value}" if key == "as" else "")
        or (
            f"{setting.value} decimals"
            if key == "decimals"
            else f"at most {count(setting.value, 'character')}"
            if key == "length"
            else ""
        )
        or (listed([f"{ours} is {theirs}" for ours, theirs in setting.value.items()], 4) if key == "words" else "")
        for key, setting in settings.items()
        if key not in SOURCES
    ]
    return "".join(f"; {each}" for each in said if each)


def _show_untried(screen: Screen, columns: Sequence[str]) -> None:
    if columns:
        names = listed([f"“{each}”" for each in columns], 6)
        said = f"Only their form is proved, since no file says what fills them on a day: {names}"
        screen.show(Text(said, style="dim"))


def show_proof(screen: Screen, laid: LaidDown, proof: LayoutProof | None, left: list[int]) -> None:
    """What came of writing their rows again."""
    if left:
        names = listed([_column_name(laid, place) for place in left], 6)
        screen.show(Text(f"Still open, so nothing can be written with it yet: column {names}", style="bold yellow"))
    if proof is None:
        screen.show(
            Text(
                "Not proved: the file has no rows. Try it with a sheet of your own, and look at what comes out.",
                style="yellow",
            )
        )
        return
    what = "byte for byte" if laid.draft.sample.kind == "text" else "cell by cell, and its other sheets as they were"
    rows = f"{count(proof.rows, 'row')} of theirs read back and written again"
    if proof.same:
        screen.show(Text(f"Proved: {rows}, the same {what}.", style="green"))
        _show_untried(screen, proof.untried)
        return
    real = [each for each in proof.differences if each.place not in left]
    if not real and not proof.form:
        screen.show(Text(f"{rows}: the other columns come out as they are.", style="green"))
        return
    screen.show(Text(f"Not the same: {rows}.", style="bold yellow"))
    for said in proof.form:
        screen.show(Text(f"  {said[0].upper()}{said[1:]}.", style="yellow"))
    if real:
        _show_differences(screen, real)


def _show_differences(screen: Screen, differences: Sequence[LayoutDifference]) -> None:
    columns = listed(list(dict.fromkeys(f"“{each.column}”" for each in differences)), 8)
    screen.show(Text(f"  Columns that do not come out: {columns}", style="yellow"))
    grid = listing(("cell", "theirs", "ours", "because"), indent=2)
    for each in differences[:_MOST]:
        grid.add_row(each.cell, each.theirs or "(blank)", each.ours or "(blank)", each.why)
    screen.show(grid)
    show_more(screen, len(differences) - _MOST, "--json has all")


def _column_name(laid: LaidDown, place: int) -> str:
    heading = " ".join(laid.draft.columns[place].heading.split())
    return f"{letter_of(place)} “{heading}”" if heading else letter_of(place)


def layout_json(laid: LaidDown, proof: LayoutProof | None, left: list[int]) -> dict[str, Any]:
    """A drafted layout as ``--json`` gives it."""
    draft = laid.draft
    return {
        "ok": proof is None or proof.same,
        "layout": laid.path.stem,
        "file": str(laid.path),
        "record": draft.record.name,
        "sheet": draft.sample.sheet,
        "fresh": laid.fresh,
        "settings": {
            name: {"value": each.value, "how": each.how, "why": each.why} for name, each in draft.settings.items()
        },
        "columns": [
            {
                "letter": letter_of(column.place),
                "heading": column.heading,
                "how": column.how,
                "why": column.why,
                "settings": {
                    name: {"value": setting.value, "how": setting.how} for name, setting in column.settings.items()
                },
                "values": list(column.values[:5]),
                "unknown": list(column.unknown),
            }
            for column in draft.columns
        ],
        "open": [letter_of(place) for place in left],
        "questions": list(draft.open),
        "lost": list(laid.lost),
        "proof": None
        if proof is None
        else {
            "rows": proof.rows,
            "same": proof.same,
            "columns": proof.columns,
            "untried": list(proof.untried),
            "form": list(proof.form),
            "differences": [
                {"column": each.column, "cell": each.cell, "theirs": each.theirs, "ours": each.ours, "why": each.why}
                for each in proof.differences
            ],
        },
    }
