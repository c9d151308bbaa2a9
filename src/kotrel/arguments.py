"""The argument parser: each command's arguments, and the options that every command takes."""

from __future__ import annotations

import argparse
import importlib
import re
from typing import TYPE_CHECKING, NoReturn, cast

from kotrel import __version__
from kotrel.core.errors import WrongUse
from kotrel.core.similarity import nearest

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from kotrel.loading.opening import Exchange, Reports

GROUPS = {
    "set up": ("demo", "init", "settings", "records", "practice", "help", "completion"),
    "check and load": ("template", "export", "inspect", "map", "check", "prepare", "compare", "preview", "load"),
    "look back": ("history", "outcome", "verify", "undo", "report"),
    "prices": ("reprice", "price"),
    "stock and counting": ("stock", "reorder", "count"),
    "other programs": ("layout", "write", "lists"),
}
"""The commands as the help groups them, in the order people meet them."""

COMMANDS = {
    "demo": ("setup.demo", "play the worked example in a new folder"),
    "init": ("setup.init", "set up a workspace, with a practice system or your own system"),
    "settings": (
        "settings_books.settings_command",
        "show and change settings as workbooks, in a spreadsheet program",
    ),
    "records": ("setup.records", "show the records that the system accepts, or one record's fields"),
    "practice": ("setup.practice", "play with the practice system: a busy shop floor, or back to its start"),
    "help": ("helping.help", "explain a command, or a topic such as mappings or prices"),
    "completion": ("helping.completion", "print what makes your shell complete commands, options and names"),
    "template": (
        "loading.sheets_out.template",
        "make an empty sheet with headings, a guide and drop-downs from the real lists",
    ),
    "export": ("loading.sheets_out.export", "export what the system holds, safe for spreadsheets"),
    "inspect": ("loading.sheets_in.inspect", "show what is in a spreadsheet"),
    "map": ("loading.sheets_in.map", "say which column feeds which field, and save it for this supplier"),
    "check": ("loading.sheets_in.check", "find everything that is wrong in a spreadsheet"),
    "prepare": ("loading.sheets_in.prepare", "write a cleaned-up copy in the layout of the template"),
    "compare": ("loading.sheets_in.compare", "compare two sheets: rows added, removed and changed"),
    "preview": ("loading.loads.preview", "show what a load would do; nothing is changed"),
    "load": ("loading.loads.load", "load a sheet, all or nothing"),
    "history": ("loading.loads.history", "list the loads so far"),
    "outcome": ("loading.loads.outcome", "show one load row by row"),
    "verify": ("loading.loads.verify", "read one load back and compare it with what was sent"),
    "undo": ("loading.loads.undo", "take one load back"),
    "report": ("reporting.report", "write one page to print, file or send: about a load, a count, or a sheet"),
    "reprice": ("pricing.reprice", "calculate new prices by rules, as a sheet to read and load"),
    "price": ("pricing.price", "show the price in force and how it was calculated"),
    "stock": ("stock.stock_command", "show what is on hand, where, and what it is worth"),
    "reorder": ("stock.reorder_list", "suggest purchase orders from reorder levels"),
    "count": ("counting.count", "run a physical count: freeze, sheets, collect, variance, set, post"),
    "layout": (
        "exchange.layout_command",
        "draft a layout from another program's template or sample file, and prove it",
    ),
    "write": ("exchange.write", "write a file in another program's import format"),
    "lists": ("setup.lists", "show the lists last exported by a file-based system"),
}
"""Command → its module, and its one-line help.

A command's module has ``EXAMPLE`` (shown in its help), ``arguments(parser)`` and ``run(args, screen)``, which returns
the exit status. The help stands here, so that ``kotrel -h`` imports none of them.
"""


class Parser(argparse.ArgumentParser):
    """Reports a wrong command line in the same way as any other error."""

    called: argparse.ArgumentParser | None = None
    """The parser of the command that is called, where this one has commands."""

    def parse_args(self, args: Sequence[str], namespace: argparse.Namespace | None = None) -> argparse.Namespace:  # type: ignore[override]
        """What the words of a line say.

        Raises:
            WrongUse: they are none of the command's, or not as it needs them.
        """
        known, rest = self.parse_known_args(args, namespace)
        if rest:
            raise self._unknown(rest[0], self._parser_of(known))
        return known

    def error(self, message: str) -> NoReturn:
        raise WrongUse(
            _in_words(message), f"{(self.called or self).prog} -h shows how to use it.", "wrong-command-line"
        )

    def _parser_of(self, known: argparse.Namespace) -> argparse.ArgumentParser:
        """The parser of the step that a line names; without one, of its command."""
        called = self.called or self
        for action in called._actions:
            if isinstance(action, argparse._SubParsersAction) and action.dest != "command":
                return cast("argparse.ArgumentParser", action.choices[getattr(known, action.dest)])
        return called

    @staticmethod
    def _unknown(word: str, knows: argparse.ArgumentParser) -> WrongUse:
        option = word.startswith("-")
        close = nearest(word, knows._option_string_actions) if option else None
        what = f"unknown option {word}" if option else f"“{word}” is one word too many"
        hint = f"{knows.prog} -h shows how to use it."
        return WrongUse(
            f"{what} for {knows.prog}", f"Did you mean {close}? {hint}" if close else hint, "wrong-command-line"
        )

    def everything(self) -> Iterator[argparse.ArgumentParser]:
        """This parser, and those of the command that is called and of its steps."""
        yield self
        if self.called is not None:
            yield self.called
            for action in self.called._actions:
                if isinstance(action, argparse._SubParsersAction):
                    yield from action.choices.values()


_SAID = (
    (r"argument (\S+): invalid choice: '(.*)' \(choose from (.*)\)", r"\1 must be one of \3, not “\2”"),
    (r"argument (.+): expected one argument", r"\1 needs a value"),
    (r"argument (.+): expected at least one argument", r"\1 needs at least one value"),
    (r"argument (\S+): ignored explicit argument '(.*)'", r"\1 has no value"),
    (r"argument (\S+): not allowed with argument (\S+)", r"use only one of \1 and \2"),
    (r"argument ([^:]+): (must .*)", r"\1 \2"),
    (r"argument ([^:]+): (.*)", r"\1: \2"),
    (r"the following arguments are required: (.*)", r"missing: \1"),
    (r"one of the arguments (.*) is required", r"missing, one of: \1"),
    (r"ambiguous option: (\S+) could match (.*)", r"\1 could mean \2"),
)
"""The words of the parser, and ours."""


def _in_words(message: str) -> str:
    for pattern, said in _SAID:
        if found := re.fullmatch(pattern, message, re.DOTALL):
            return re.sub(r"'([^']*)'(?=,)", r"\1", found.expand(said)) if "one of" in said else found.expand(said)
    return message


def command_named(word: str) -> str:
    """The command of that name.

    Raises:
        WrongUse: there is none.
    """
    if word in COMMANDS:
        return word
    close = nearest(word, COMMANDS)
    hint = f"Did you mean kotrel {close}?" if close else "kotrel -h lists the commands."
    raise WrongUse(f"there is no command “{word}”", hint, "wrong-command-line")


def command_in(words: Sequence[str]) -> str | None:
    """The command of a line: its first word that is no option, and no option's value.

    A workspace may be called like a command, and an option may be cut short, as everywhere.
    """
    options = Parser(add_help=False)
    _everywhere(options, None)
    valued = [name for name, action in options._option_string_actions.items() if action.nargs != 0]
    at = 0
    while at < len(words):
        word = words[at]
        if not word.startswith("-"):
            return word
        short = len(word) > 2 and any(name.startswith(word) for name in valued)
        at += 2 if word in valued or short else 1
    return None


def _everywhere(parser: argparse.ArgumentParser, default: object) -> None:
    """The options that every command takes; they may stand before or after the command."""
    before = len(parser._actions)
    group = parser.add_argument_group("options for every command")
    group.add_argument(
        "-w",
        "--workspace",
        metavar="DIR",
        default=default,
        help="the workspace (default: this folder or the nearest above it with a kotrel.toml)",
    )
    group.add_argument(
        "--json", action="store_true", default=default or False, help="print one JSON object to standard output"
    )
    group.add_argument(
        "--decimal",
        choices=("comma", "point"),
        default=default,
        help="the decimal mark of this run's sheets and numbers (default: as kotrel.toml says, or as each column shows)",
    )
    group.add_argument(
        "--dates",
        choices=("day", "month"),
        default=default,
        help="what comes first in this run's dates (default: as kotrel.toml says, or as each column shows)",
    )
    for action in parser._actions[before:]:
        # The workspace stands before the command, and JSON is for programs.
        action.carried = action.dest in ("decimal", "dates")  # type: ignore[attr-defined]
    group.add_argument(
        "--log", metavar="FILE", default=default, help="add what is done to this file, step by step, with times"
    )
    group.add_argument("--quiet", action="store_true", default=default or False, help="no progress and no messages")


def _exchange() -> Exchange:
    """What systems that answer later add to the commands on loads; imported only where a command asks for it."""
    from kotrel.exchange import later_answers

    return later_answers


def _reports() -> Reports:
    """What writes pages in passing; imported only where a command is asked for one."""
    from kotrel.reporting import writing

    return writing


def command_groups() -> str:
    """All commands with what they do, in groups."""
    wide = max(map(len, COMMANDS))
    groups = [
        "\n".join([f"{title}:", *(f"  {name:<{wide}}  {COMMANDS[name][1]}" for name in names)])
        for title, names in GROUPS.items()
    ]
    return "\n\n".join(groups)


def parser_for(command: str | None) -> Parser:
    """The parser with the named command, which alone is imported; without one, with the names of all."""
    parser = Parser(
        prog="kotrel",
        usage="kotrel [options] COMMAND ...",
        description=f"Check, preview, load and take back spreadsheets of items, prices and stock.\n\n{command_groups()}",
        epilog="first steps:\n  kotrel demo --short shop    or: kotrel init\n  kotrel help check           explains a command; kotrel help lists topics",
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"kotrel {__version__}", help="show the version")
    _everywhere(parser, None)
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", help=argparse.SUPPRESS, prog="kotrel")
    if command is None:
        for name in COMMANDS:
            commands.add_parser(name, add_help=False)
        return parser
    module_name, said = COMMANDS[command]
    # Only the command that is called is imported: each brings its own packages.
    module = importlib.import_module(f"kotrel.{module_name}")
    parser.called = commands.add_parser(
        command,
        description=said[0].upper() + said[1:] + ".",
        epilog=f"examples:\n{module.EXAMPLE}",
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    # A command with steps returns their parsers: the options stand behind those too.
    for each in (parser.called, *(module.arguments(parser.called) or ())):
        _everywhere(each, argparse.SUPPRESS)
    parser.called.set_defaults(run=module.run, exchange=_exchange, reports=_reports, parser=parser.called)
    return parser
