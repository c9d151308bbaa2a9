"""Writes docs/reference from the program itself: ``python scripts/reference_pages.py``; ``--check`` only compares."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Iterator
from pathlib import Path

from kotrel.arguments import COMMANDS, GROUPS, parser_for
from kotrel.core.rows.finding_kinds import KINDS
from kotrel.core.rows.repair_kinds import REPAIRS
from kotrel.workspace.setting_tables import FILES, FREE

DOCS = Path(__file__).parent.parent / "docs"
MADE = "*This page is made from the program by `make docs`.*"
EVERYWHERE = ("workspace", "json", "decimal", "dates", "log", "quiet", "help", "version")


def pages() -> dict[str, str]:
    """Name of a page → its text."""
    return {"commands.md": _commands(), "findings.md": _findings(), "settings.md": _settings()}


def _row(*cells: str) -> str:
    return "| " + " | ".join(cell.replace("|", "\\|").replace("\n", " ") for cell in cells) + " |"


def _table(*headings: str) -> list[str]:
    return [_row(*headings), "|" + "---|" * len(headings)]


# --- commands --------------------------------------------------------------------------------------------------------


def _commands() -> str:
    schemas = json.loads((DOCS / "json-schemas.json").read_text("utf-8"))["commands"]
    lines = [
        "# Commands",
        "",
        "All commands with every option. `kotrel help COMMAND` shows the same in the terminal.",
        "",
        MADE,
        "",
    ]
    lines += ["## Options for every command", "", "They may stand before or after the command.", ""]
    lines += _options(parser_for(None), everywhere=True)
    lines += ["", "## Exit status", "", *_table("status", "meaning")]
    for status, meaning in (
        ("0", "done, nothing is wrong"),
        ("1", "the data has errors, or a row was refused; nothing was loaded that should not be"),
        ("2", "the command line or a settings file is wrong"),
        ("3", "the system or a file cannot be reached, read or written"),
        ("130", "stopped with Ctrl-C"),
    ):
        lines.append(_row(status, meaning))
    for title, names in GROUPS.items():
        lines += ["", f"## {title[0].upper()}{title[1:]}"]
        for name in names:
            lines += ["", *_command(name, schemas)]
    return "\n".join(lines) + "\n"


def _command(name: str, schemas: dict[str, dict[str, object]]) -> Iterator[str]:
    parser = parser_for(name).called
    assert parser is not None
    yield f"### kotrel {name}"
    yield ""
    said = COMMANDS[name][1]
    yield f"{said[0].upper()}{said[1:]}."
    yield ""
    yield "```"
    yield (parser.epilog or "").removeprefix("examples:\n")
    yield "```"
    steps = [action for action in parser._actions if isinstance(action, argparse._SubParsersAction)]
    if rows := _options(parser, everywhere=False):
        yield ""
        yield from rows
    for step in steps[0].choices.items() if steps else ():
        yield ""
        yield f"**kotrel {name} {step[0]}**"
        if rows := _options(step[1], everywhere=False):
            yield ""
            yield from rows
    keys = [key for each in schemas if each.split()[0] == name for key in _keys(schemas[each])]
    if keys:
        yield ""
        yield f"With `--json`: {', '.join(f'`{key}`' for key in dict.fromkeys(keys))}."


def _keys(schema: dict[str, object]) -> list[str]:
    """The keys of a command's JSON, also where the schema joins several."""
    found = list(schema.get("properties", {}))  # type: ignore[call-overload]
    for joined in ("allOf", "anyOf", "oneOf"):
        for each in schema.get(joined, ()):  # type: ignore[attr-defined]
            found += _keys(each)
    return found


def _options(parser: argparse.ArgumentParser, everywhere: bool) -> list[str]:
    rows = []
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction) or action.help == argparse.SUPPRESS:
            continue
        if (action.dest in EVERYWHERE) != everywhere:
            continue
        value = action.metavar or ("{" + ",".join(map(str, action.choices)) + "}" if action.choices else "")
        takes = f" {value}" if value and action.nargs != 0 else ""
        named = ", ".join(f"`{option}{takes}`" for option in action.option_strings) or f"`{value}`"
        more = (
            " (one or more)"
            if action.nargs in ("+", "*")
            else " (may be left out)"
            if action.nargs == "?" and not action.option_strings
            else ""
        )
        rows.append(_row(f"{named}{more}", action.help or ""))
    return [*_table("option", "meaning"), *rows] if rows else []


# --- findings --------------------------------------------------------------------------------------------------------


def _findings() -> str:
    lines = [
        "# Findings and repairs",
        "",
        "Every kind of finding that `kotrel check` and the commands after it report. The kind is in the JSON, in the marked copy",
        "and in the summary sheet; its words on the screen say more about the case. `kotrel help KIND` shows the same.",
        "",
        "An **error** keeps its row from loading. A **warning** is for you to judge. A **note** is for information.",
        "",
        MADE,
    ]
    for topic in dict.fromkeys(kind.topic for kind in KINDS.values()):
        lines += ["", f"## {topic}"]
        for name, kind in KINDS.items():
            if kind.topic == topic:
                lines += [
                    "",
                    f"### {name}",
                    "",
                    f"*{kind.severity}*: {kind.means}",
                    "",
                    f"**What to do:** {kind.to_do}",
                ]
    lines += [
        "",
        "## Repairs",
        "",
        "A repair is a value that Kotrel corrects on reading, because only one correction is possible. `--repairs` lists each with",
        "its former value. Your file is never changed.",
        "",
        *_table("kind", "what is done", "what proves it"),
    ]
    lines += [_row(f"`{name}`", repair.title, repair.proof) for name, repair in REPAIRS.items()]
    return "\n".join(lines) + "\n"


# --- settings --------------------------------------------------------------------------------------------------------


def _settings() -> str:
    lines = [
        "# Settings files",
        "",
        "Every setting of every file that a workspace may have. They are TOML: texts are in quotes, comments begin with `#`, and",
        "Kotrel keeps your comments where it rewrites a file. A setting that does not exist is an error with its line.",
        "",
        MADE,
    ]
    for file, (about, tables) in FILES.items():
        lines += ["", f"## {file}", "", about]
        for name, settings in tables.items():
            lines += ["", f"### {file}: {name}", "", *_table("setting", "kind", "default", "example", "meaning")]
            for key, each in settings.items():
                named = f"`{key}`" if not any(f"[{free}]" == name for free in FREE) else "(your own names)"
                default = (
                    f"`{each.default}`" if each.default[:1] in ('"', "[") or each.default.isdigit() else each.default
                )
                lines.append(_row(named, each.kind, default or "none", f"`{each.example}`", each.meaning))
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    folder = DOCS / "reference"
    old = [
        name
        for name, text in pages().items()
        if not (folder / name).is_file() or (folder / name).read_text("utf-8") != text
    ]
    if "--check" in sys.argv:
        if old:
            sys.exit(f"{', '.join(old)}: not as the program is; make docs writes them")
    else:
        folder.mkdir(exist_ok=True)
        for name in old:
            (folder / name).write_text(pages()[name], encoding="utf-8", newline="\n")
