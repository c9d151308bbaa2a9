"""``kotrel map``: proposes which column feeds which field, and saves it for people to edit."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from rich.text import Text

from kotrel.core.phrases import listed
from kotrel.loading.list_reading import names_of
from kotrel.loading.opening import now, workspace_of
from kotrel.loading.options import add_drafting, wanted_of
from kotrel.loading.sheets_in.findings_screen import show_checked
from kotrel.loading.sheets_in.large_files import check_any
from kotrel.loading.sheets_in.map_follow_ups import follow_up_questions
from kotrel.loading.sheets_in.map_questions import questions_of
from kotrel.loading.sheets_in.mapping_proposals import Mapped, map_file
from kotrel.loading.sheets_in.writing_questions import about_writing
from kotrel.screen.command_lines import quoted
from kotrel.screen.dialogue import converse
from kotrel.screen.listing import listing
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import written_whole
from kotrel.workspace.mapping_reading import READ_BY
from kotrel.workspace.settings import Workspace


def show_mapped(screen: Screen, mapped: Mapped) -> None:
    """Field ← column, how sure and why; then the columns left out and the fields missing."""
    title = Text(Path(mapped.table.file).name, style="bold")
    if mapped.table.sheet:
        title.append(f" · sheet “{mapped.table.sheet}”", style="")
    screen.show(title.append(f" as {mapped.record.name}", style=""))
    grid = listing(("", "column", "", "feeds", "sure", "because"), right=("sure",))
    for proposal in mapped.proposals:
        style = "" if proposal.sure >= 90 else "yellow"
        grid.add_row(
            Text(proposal.column.letter, style="dim"),
            Text(proposal.column.heading or "(none)", style="bold"),
            "→",
            proposal.field.name,
            Text(f"{proposal.sure} %", style=style),
            Text(proposal.why, style=style),
        )
    if mapped.wide is not None:
        for value in mapped.wide.values:
            heads = listed([column.heading for column in value.columns], 6)
            feeds = f"{value.field.name}, by {mapped.wide.by.name}"
            grid.add_row("", Text(heads, style="bold"), "→", feeds, f"{mapped.wide.sure} %", mapped.wide.why)
    screen.show(grid)
    if mapped.left:
        left = listed([f"{column.letter} “{column.heading}”" for column in mapped.left], 8)
        screen.show(Text(f"Undecided: {left}", style="dim"))
    for asked in mapped.habits.questions():
        screen.show(Text(f"Please check: {asked}", style="yellow"))
    if mapped.missing:
        screen.show(Text(f"New rows also need: {', '.join(mapped.missing)}", style="yellow"))
        screen.show(Text("  In the saved mapping, give each a column, a fixed value or a default.", style="dim"))
    if mapped.others:
        sheets = listed([f"“{name}”" for name in mapped.others], 6)
        screen.show(Text(f"Other sheets: {sheets}. The mapping also reads those that have its headings.", style="dim"))
    screen.show(f"Saved as {_short_path(mapped.path)}.", f"Next: {mapped.next}")
    screen.show(
        Text(
            f"      {screen.program} settings mapping {quoted([mapped.path.stem])}    writes what it says as a workbook, to be read and changed",
            style="dim",
        )
    )


def _short_path(path: Path) -> str:
    return f"{path.parent.name}/{path.name}"


def mapped_json(mapped: Mapped) -> dict[str, Any]:
    """A proposed mapping as ``--json`` gives it."""
    return {
        "file": mapped.table.file,
        "record": mapped.record.name,
        "map": mapped.path.stem,
        "fields": [
            {
                "field": proposal.field.name,
                "column": proposal.column.heading,
                "letter": proposal.column.letter,
                "sure": proposal.sure,
                "why": proposal.why,
            }
            for proposal in mapped.proposals
        ],
        "repeat": None
        if mapped.wide is None
        else {
            "field": mapped.wide.by.name,
            "value": mapped.wide.values[0].field.name,
            "values": [each.field.name for each in mapped.wide.values],
            "columns": [c.heading for c in mapped.wide.columns],
        },
        "left": [{"column": column.heading, "letter": column.letter} for column in mapped.left],
        "missing": list(mapped.missing),
        "questions": mapped.habits.questions(),
        "other_sheets": list(mapped.others),
    }


EXAMPLE = """\
kotrel map keldrift.xlsx item --name keldrift
    proposes a mapping, asks what is open, saves it in maps/keldrift.toml, and checks the sheet with it
kotrel map keldrift.xlsx item --name keldrift --yes
    the same without questions; what is open is shown"""


def arguments(parser: argparse.ArgumentParser) -> None:
    add_drafting(parser, "workbook or text file", "the file's name; with --sheet, that and the sheet's")


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    asks = screen.is_terminal and not (screen.as_json or args.yes)
    with screen.progress(3) as step:
        mapped = map_file(Path(args.file), args.record, args.name, workspace, wanted_of(args), step, asks)
    if screen.as_json:
        screen.json(mapped_json(mapped))
        return 0
    if not asks:
        show_mapped(screen, mapped)
        return 0
    try:
        finished = ask_about(screen, mapped, workspace)
    except KeyboardInterrupt:
        if mapped.fresh:
            mapped.path.unlink(missing_ok=True)
        raise
    again = f"{screen.program} map {quoted([args.file])} {args.record} --name {mapped.path.stem}"
    if not finished:
        screen.show(f"Saved as {_short_path(mapped.path)} with the answers so far. Next: {again}")
        return 0
    if mapped.record.name in READ_BY:
        screen.show(f"Saved as {_short_path(mapped.path)}. Next: {mapped.next}")
        return 0
    return _check_at_once(mapped, workspace, args, screen, again)


def ask_about(screen: Screen, mapped: Mapped, workspace: Workspace) -> bool:
    """Asks what is open, one question at a time, and saves the answers; False where the user stopped before the end."""
    import tomlkit

    title = Text(Path(mapped.table.file).name, style="bold")
    title.append(f" · sheet “{mapped.table.sheet}”" if mapped.table.sheet else "", style="")
    screen.show(title.append(f" as {mapped.record.name}", style=""))
    screen.show(Text(_sure_in_words(mapped), style="dim"))
    document = tomlkit.parse(mapped.path.read_text("utf-8"))
    with workspace.system().reading() as reading:
        names = names_of(workspace, reading)
        asked = questions_of(mapped, document, names, mapped.tables, mapped.fresh)
        asked += about_writing(mapped, document, workspace.conventions)
    document, finished = converse(screen, asked, document)
    if finished:
        with workspace.system().reading() as reading:
            asked = follow_up_questions(mapped, document, names_of(workspace, reading))
        document, finished = converse(screen, asked, document)
    with written_whole(mapped.path) as temporary:
        temporary.write_text(tomlkit.dumps(document), "utf-8", newline="\n")
    screen.show("")
    for words in _in_words(document):
        screen.show(words)
    return finished


def _sure_in_words(mapped: Mapped) -> str:
    fed = [f"{each.field.name} ← {each.column.letter} “{each.column.heading}”" for each in mapped.proposals]
    if mapped.wide is not None:
        fed += [
            f"{each.field.name} by {mapped.wide.by.name} ← {each.columns[0].letter}–{each.columns[-1].letter}"
            for each in mapped.wide.values
        ]
    return (
        f"Recognised: {listed(fed, 8)}"
        if mapped.fresh
        else f"{_short_path(mapped.path)} is there: only what it leaves open is asked"
    )


def _in_words(document: Any) -> list[str]:
    """Three lines: what the mapping reads, what it fills, and what it leaves out."""
    fields = document.get("field", {})
    read = [
        f"{name} ← {_columns_in_words(settings['column'], fields)}{_per(settings)}"
        for name, settings in fields.items()
        if "column" in settings
    ]
    read += [f"{name} = {settings['make']}{_per(settings)}" for name, settings in fields.items() if "make" in settings]
    filled = [
        f"{name} = {settings[key]}"
        for name, settings in fields.items()
        for key in ("fixed", "default")
        if key in settings
    ]
    left = [f"“{heading}”" for heading in document.get("skip", [])]
    return [
        f"Reads      {listed(read, 12) or 'nothing'}",
        f"Fills      {listed(filled, 12) or 'nothing'}",
        f"Leaves out {listed(left, 12) or 'nothing'}",
    ]


def _columns_in_words(column: str, fields: Any) -> str:
    """The heading of a column, or those that a repeated word makes of it."""
    for name, settings in fields.items():
        if "repeat" in settings and f"{{{name}}}" in column:
            words = settings["repeat"]
            words = words.values() if isinstance(words, dict) else words
            return listed([f"“{column.replace(f'{{{name}}}', word)}”" for word in words], 6)
    return f"“{column}”"


def _per(settings: Any) -> str:
    per = settings.get("per")
    if per is None:
        return ""
    per = per.get("column", "") if isinstance(per, dict) else per
    return f" for as many as “{per}” says" if isinstance(per, str) else f" for {per}"


def _check_at_once(mapped: Mapped, workspace: Workspace, args: argparse.Namespace, screen: Screen, answer: str) -> int:
    """Checks the sheet with the mapping that was just saved."""
    screen.show(f"Saved as {_short_path(mapped.path)}. Checked with it:")
    screen.show("")
    wanted = replace(wanted_of(args), map_name=mapped.path.stem)
    with screen.progress(4) as step:
        checked = check_any([Path(args.file)], workspace, wanted, now().date(), step)
    for each in checked:
        show_checked(screen, each, False, False)
        screen.show("")
    ok = all(each.ok for each in checked)
    again = f"{screen.program} {'preview' if ok else 'check'} {quoted([args.file])} --map {mapped.path.stem}"
    if not ok and _left_open(mapped, workspace):
        screen.show(f"Next: {answer}    asks what is still open")
    elif ok:
        screen.show(f"Next: {again}")
    else:
        if any(group.kind == "not-on-list" for each in checked for group in each.rows.findings):
            screen.show(f"Next: {again} --ask    asks what the unknown values mean")
            screen.show(f"      correct these cells in {mapped.table.file}, save it, then: {again}")
            return 1
        screen.show(f"Next: correct these cells in {mapped.table.file}, save it, then: {again}")
    return 0 if ok else 1


def _left_open(mapped: Mapped, workspace: Workspace) -> bool:
    """Whether questions were left without an answer."""
    import tomlkit

    document = tomlkit.parse(mapped.path.read_text("utf-8"))
    with workspace.system().reading() as reading:
        return bool(questions_of(mapped, document, names_of(workspace, reading), mapped.tables, False))
