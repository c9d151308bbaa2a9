"""``kotrel completion``: prints what makes a shell complete commands, options, and the names of the workspace."""

from __future__ import annotations

import argparse
import os
from collections.abc import Callable, Iterable
from pathlib import Path

from kotrel.arguments import COMMANDS, command_in, parser_for
from kotrel.core.errors import KotrelError
from kotrel.counting.count_files import count_names
from kotrel.screen.screen import Screen
from kotrel.workspace.settings import Workspace, find_workspace, open_workspace

SHELLS = ("bash", "zsh", "fish", "powershell")
LOADS_OFFERED = 30
"""The newest loads are offered."""

EXAMPLE = """\
kotrel completion bash >> ~/.bashrc
    bash; open a new terminal afterwards
kotrel completion zsh > ~/.zsh/_kotrel
    zsh; that folder must be in fpath
kotrel completion fish > ~/.config/fish/completions/kotrel.fish
    fish
kotrel completion powershell >> $PROFILE
    PowerShell, on Windows and elsewhere"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("shell", choices=SHELLS, metavar="SHELL", help=f"your shell: {', '.join(SHELLS)}")


def run(args: argparse.Namespace, screen: Screen) -> int:
    from argcomplete.shell_integration import shellcode

    text = shellcode(["kotrel"], shell=args.shell)
    if screen.as_json:
        screen.json({"shell": args.shell, "text": text})
    else:
        screen.lines(text.rstrip().split("\n"))
    return 0


def complete() -> None:
    """Answers the shell, which asks with the line so far in its environment; ends the program."""
    import argcomplete

    line = os.environ.get("COMP_LINE", "")
    words = line[: int(os.environ.get("COMP_POINT", len(line)))].split()
    called = command_in(words[1:])
    parser = parser_for(called if called in COMMANDS else None)
    workspace = next((words[at + 1] for at, word in enumerate(words[:-1]) if word in ("-w", "--workspace")), None)
    for each in parser.everything():
        _offer(each, lambda: _workspace(workspace))
    argcomplete.autocomplete(parser, always_complete_options=False)


def _workspace(named: str | None) -> Workspace | None:
    """The workspace of the command line; None where there is none, or its settings are wrong."""
    try:
        return open_workspace(find_workspace(Path(named) if named else None, Path.cwd()))
    except KotrelError:
        return None


def _offer(parser: argparse.ArgumentParser, workspace: Callable[[], Workspace | None]) -> None:
    """Gives each argument of a parser the names that it may have."""
    for action in parser._actions:
        source = _SOURCES.get((str(action.metavar), action.dest)) or _SOURCES.get((str(action.metavar), ""))
        if source is None and action.dest == "subject":
            source = _subjects
        if source is not None:
            action.completer = _completer(source, workspace)  # type: ignore[attr-defined]


Source = Callable[[Workspace, argparse.Namespace], Iterable[str]]


def _completer(source: Source, workspace: Callable[[], Workspace | None]) -> Callable[..., list[str]]:
    def names(prefix: str, parsed_args: argparse.Namespace, **_: object) -> list[str]:
        here = workspace()
        try:
            known_names = [] if here is None else list(source(here, parsed_args))
        except KotrelError:
            # A system that is out of reach offers nothing; the command itself says why.
            return []
        # Of a list like “code,cost”, the last word is completed.
        before, comma, _last = prefix.rpartition(",")
        return [f"{before}{comma}{name}" for name in known_names]

    return names


def _records(workspace: Workspace, args: argparse.Namespace) -> Iterable[str]:
    return workspace.description.records


def _fields(workspace: Workspace, args: argparse.Namespace) -> Iterable[str]:
    named = getattr(args, "records", None) or getattr(args, "record", None) or "item"
    names = [named] if isinstance(named, str) else named
    records = workspace.description.records
    return dict.fromkeys(field for name in names if name in records for field in records[name].fields)


def _files_in(folder: str) -> Source:
    return lambda workspace, args: sorted(path.stem for path in (workspace.folder / folder).glob("*.toml"))


def _counts(workspace: Workspace, args: argparse.Namespace) -> Iterable[str]:
    return count_names(workspace.hidden)


def _loads(workspace: Workspace, args: argparse.Namespace) -> Iterable[str]:
    return [entry.name for entry in workspace.system().history()][-LOADS_OFFERED:]


def _subjects(workspace: Workspace, args: argparse.Namespace) -> Iterable[str]:
    from kotrel.core.rows.finding_kinds import KINDS
    from kotrel.helping.help import TOPICS

    return (*COMMANDS, *TOPICS, *KINDS)


_SOURCES: dict[tuple[str, str], Source] = {
    ("RECORD", ""): _records,
    ("FIELD", ""): _fields,
    ("A,B", ""): _fields,
    ("LISTS", "create"): _records,
    ("NAME", "map_name"): _files_in("maps"),
    ("NAME", "layout"): _files_in("layouts"),
    ("RULES", ""): _files_in("prices"),
    ("LOAD", ""): _loads,
    ("NAME", "name"): _counts,
    ("NAME", "like"): _counts,
}
"""The name of a value in the help, and of its argument where that alone says what it is → the names that there are."""
