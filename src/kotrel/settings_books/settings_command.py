"""``kotrel settings``: lists the settings files, writes one as a workbook, and reads an edited workbook back."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from rich.text import Text

from kotrel.core.errors import WrongUse
from kotrel.core.phrases import count
from kotrel.core.similarity import did_you_mean
from kotrel.screen.command_lines import quoted
from kotrel.screen.listing import listing
from kotrel.screen.screen import Screen
from kotrel.settings_books.book_changes import proved
from kotrel.settings_books.book_reading import read_settings_book
from kotrel.settings_books.book_writing import write_settings_book
from kotrel.settings_books.edit_model import Edits
from kotrel.settings_books.settings_files import (
    FOLDERS,
    KINDS,
    SettingPlace,
    SettingsFile,
    require_sound,
    settings_book,
    settings_files,
    text_fingerprint,
)
from kotrel.settings_books.sheet_edits import edits_of
from kotrel.sheets.safe_writing import require_new_file, written_whole
from kotrel.workspace.settings import find_workspace
from kotrel.workspace.used_settings import last_used

EXAMPLE = """\
kotrel settings
    lists every settings file: what it is for, when it was last used, whether it is sound
kotrel settings mapping keldrift -o keldrift-mapping.xlsx
    writes a mapping as a workbook, to be read and changed in a spreadsheet program
kotrel settings keldrift-mapping.xlsx
    reads it back: what is wrong at its cells, what would change, and then asks
kotrel settings spellings -o spellings.xlsx
    all other spellings that were ever learned, in one sheet"""

FILE_NAMES = {
    "mapping": "{name}-mapping.xlsx", "prices": "{name}-price-rules.xlsx", "layout": "{name}-layout.xlsx",
    "system": "system.xlsx", "workspace": "workspace.xlsx", "spellings": "spellings.xlsx",
}  # fmt: skip
"""What a workbook is called unless -o says otherwise."""
_LONG = 60
"""Characters of a value that the screen shows."""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "what",
        nargs="?",
        metavar="WHAT",
        help="mapping, prices, layout, system, workspace or spellings, to write as a workbook; or an edited workbook, to read back",
    )
    parser.add_argument("name", nargs="?", metavar="NAME", help="which mapping, price rules or layout")
    parser.add_argument(
        "-o", "--output", metavar="FILE", help="the workbook to write (default: by its name, such as NAME-mapping.xlsx)"
    )
    parser.add_argument("--yes", action="store_true", help="write the changed settings without asking")


def run(args: argparse.Namespace, screen: Screen) -> int:
    place = SettingPlace(find_workspace(Path(args.workspace) if args.workspace else None, Path.cwd()))
    if args.what is None:
        return _list(settings_files(place), screen)
    if args.what in KINDS:
        return _write(args, place, screen)
    if Path(args.what).suffix.lower() in (".xlsx", ".xlsm", ".ods") or Path(args.what).exists():
        if args.name or args.output:
            raise WrongUse("a workbook that is read back needs no name and no -o", "", "wrong-command-line")
        return _read(args, place, screen)
    hint = did_you_mean(args.what, KINDS, f"There are: {', '.join(KINDS)}; or the name of an edited workbook.")
    raise WrongUse(f"there are no settings “{args.what}”", hint, "no-such-settings")


def _list(files: list[SettingsFile], screen: Screen) -> int:
    if screen.as_json:
        screen.json({"settings": list(map(_file_json, files))})
    else:
        _show_list(files, screen)
    return int(any(each.trouble for each in files))


def _file_json(file: SettingsFile) -> dict[str, Any]:
    return {
        "what": file.what,
        "name": file.name,
        "file": file.file,
        "about": file.about,
        "ok": not file.trouble,
        "problem": file.trouble or None,
        "used": file.used.at if file.used else None,
        "used_for": file.used.file if file.used else None,
    }


def _last_used(each: SettingsFile) -> str:
    if each.used is None:
        return ""
    return each.used.at[:10] if each.what == "prices" else f"{each.used.at[:10]}, {Path(each.used.file).name}"


def _show_list(files: list[SettingsFile], screen: Screen) -> None:
    table = listing(("settings", "file", "what it is for", "last used"))
    for file in files:
        table.add_row(Text(file.words, style="bold"), file.file, file.about, Text(_last_used(file), style="dim"))
    screen.show(table)
    for file in files:
        if file.trouble:
            screen.show(Text(f"{file.file} is wrong: {file.trouble}", style="bold red"))
    screen.show("")
    first = next((each for each in files if each.what in FOLDERS), files[0])
    screen.show(f"Next: {screen.program} settings {first.words}    writes it as a workbook, to be read and changed")
    screen.show(f"      {screen.program} settings spellings    all other spellings that were ever learned")


def _write(args: argparse.Namespace, place: SettingPlace, screen: Screen) -> int:
    if args.what not in FOLDERS and args.name:
        raise WrongUse(f"there is only one of {args.what}: it has no name", "", "wrong-command-line")
    name = (args.name or "").removesuffix(".toml")
    book = settings_book(place, args.what, name)
    path = Path(args.output or FILE_NAMES[args.what].format(name=name))
    require_new_file(path, (".xlsx",))
    back = f"{screen.program} settings {quoted([str(path)])}"
    write_settings_book(book, path, {file: text_fingerprint(text) for file, text in book.files.items()}, back)
    if screen.as_json:
        screen.json(
            {"what": args.what, "name": name, "written": str(path), "files": list(book.files), "left": list(book.left)}
        )
        return 0
    screen.show(
        f"Written: {path}   {count(sum(len(sheet.rows) for sheet in book.sheets), 'row')} on {count(len(book.sheets), 'sheet')}"
    )
    if book.left:
        screen.show(
            Text(
                f"What no cell can show stays as it is in the file: {', '.join(book.left[:6])}{' …' if len(book.left) > 6 else ''}",
                style="dim",
            )
        )
    screen.show(f"Next: edit it in your spreadsheet program, save it, then: {back}")
    return 0


def _read(args: argparse.Namespace, place: SettingPlace, screen: Screen) -> int:
    path = Path(args.what)
    edited = read_settings_book(path)
    book = settings_book(place, edited.what, edited.name)
    edits = edits_of(edited, book)
    moved = [file for file, known in edited.prints.items() if _is_changed(book.files.get(file), known)]
    files = book.files
    texts: dict[str, str] = {}
    if edits.ok and edits.changes:
        texts = proved(edits, files, lambda held: require_sound(place, edited.what, held))
    wanted = edits.ok and bool(edits.changes) and any(text != files[file] for file, text in texts.items())
    if not screen.as_json:
        _show(screen, path, edits, moved)
    write = wanted and (args.yes or _is_allowed(screen))
    for file, text in texts.items() if write else ():
        _write_whole(place.folder / file, text)
    if screen.as_json:
        screen.json(_json(edited.what, edited.name, edits, moved, list(texts) if write else []))
    elif write:
        screen.show(f"Written: {', '.join(texts)}")
        screen.show(f"Next: {screen.program} {_next_command(edited.what, edited.name, place)}")
    elif wanted:
        screen.show(f"Nothing was written.  Next: {screen.program} settings {quoted([args.what])} --yes")
    return 0 if edits.ok else 1


def _is_changed(text: str | None, fingerprint: str) -> bool:
    return text is None or text_fingerprint(text) != fingerprint


def _is_allowed(screen: Screen) -> bool:
    return not screen.as_json and screen.is_terminal and screen.ask("Write these changes into the settings?")


def _write_whole(path: Path, text: str) -> None:
    with written_whole(path) as temporary:
        temporary.write_bytes(text.encode())


def _next_command(what: str, name: str, place: SettingPlace) -> str:
    if what == "mapping":
        used = last_used(place.hidden).get(f"maps/{name}.toml")
        sheet = quoted([_from_here(used.file)]) if used is not None and Path(used.file).is_file() else "SHEET"
        return f"check {sheet} --map {name}"
    if what == "prices":
        return f"reprice {name}"
    if what == "layout":
        return "load SHEET" if place.workspace.url.startswith("folder:") else f"write SHEET --layout {name}"
    return {"system": "init --review", "spellings": "check SHEET"}.get(what, "settings")


def _from_here(file: str) -> str:
    """A file as the user would type it from where they stand."""
    path = Path(file)
    return str(path.relative_to(Path.cwd())) if path.is_relative_to(Path.cwd()) else file


def _show(screen: Screen, path: Path, edits: Edits, moved: list[str]) -> None:
    screen.show(Text(path.name, style="bold"))
    if moved:
        screen.show(
            Text(
                f"{', '.join(moved)} was changed after this workbook was made; values are compared one by one.",
                style="yellow",
            )
        )
    _show_problems(screen, edits)
    if edits.changes:
        _show_changes(screen, edits)
    if not edits.changes and edits.ok:
        screen.show("Nothing in it was changed: the settings stay as they are.")
    elif edits.problems:
        screen.show("Nothing was written. Next: correct these cells, save the workbook, and read it back again.")
    elif edits.clashes:
        screen.show("Nothing was written. Next: make the workbook again, and enter your changes there.")


def _show_problems(screen: Screen, edits: Edits) -> None:
    if edits.problems:
        screen.show(Text(f"ERRORS   {count(len(edits.problems), 'cell')}", style="bold red"))
        for problem in edits.problems:
            value = f" “{_shortened(problem.value)}”" if problem.value else ""
            screen.show(f"  {problem.cell or 'the file'}{value}: {problem.message}")
    if edits.clashes:
        screen.show(Text(f"CHANGED BY SOMEBODY ELSE   {count(len(edits.clashes), 'value')}", style="bold red"))
        for clash in edits.clashes:
            screen.show(
                f"  {clash.cell}  {clash.setting}: was {_in_quotes(clash.was)}, is {_in_quotes(clash.now)} in the file now, and {_in_quotes(clash.wanted)} here"
            )


def _show_changes(screen: Screen, edits: Edits) -> None:
    title = "What changes in the settings" if edits.ok else "Without these, this would change"
    screen.show(Text(f"{title}   {count(len(edits.changes), 'change')}", style="bold"))
    table = listing(("cell", "setting", "from", "", "to"), indent=2)
    for change in edits.changes:
        before, after = (_shortened(text) or "(none)" for text in (change.before, change.after))
        table.add_row(change.cell, change.setting, before, "→", after)
    screen.show(table)


def _shortened(text: str) -> str:
    flat = "; ".join(text.split("\n"))
    return flat if len(flat) <= _LONG else f"{flat[:_LONG]}…"


def _in_quotes(text: str) -> str:
    return f"“{_shortened(text)}”" if text else "blank"


def _json(what: str, name: str, edits: Edits, moved: list[str], written: list[str]) -> dict[str, Any]:
    return {
        "ok": not edits.problems and not edits.clashes,
        "what": what,
        "name": name,
        "changed_meanwhile": moved,
        "changes": [
            {
                "cell": change.cell,
                "file": change.file,
                "setting": change.setting,
                "before": change.before or None,
                "after": change.after or None,
            }
            for change in edits.changes
        ],
        "problems": [
            {"cell": each.cell or None, "value": each.value or None, "message": each.message} for each in edits.problems
        ],
        "clashes": [
            {
                "cell": clash.cell,
                "setting": clash.setting,
                "was": clash.was or None,
                "now": clash.now or None,
                "wanted": clash.wanted or None,
            }
            for clash in edits.clashes
        ],
        "written": written,
    }
