"""The argument parser: each command's arguments, and the options that every command takes."""

from __future__ import annotations

import argparse
import importlib
import re
from typing import TYPE_CHECKING, NoReturn

from kotrel import __version__
from kotrel.core.errors import WrongUse
from kotrel.core.similarity import nearest

if TYPE_CHECKING:
    from kotrel.loading.opening import Exchange

COMMANDS = {
    "demo": ("setup.demo", "play the worked example in a new folder"),
    "init": ("setup.init", "make a workspace with a practice system, or connect one to your own"),
    "records": ("setup.records", "show what the connected system takes: record types, or one record's fields"),
    "template": (
        "loading.sheets_out.template",
        "make an empty sheet with headings, a guide and drop-downs from the real lists",
    ),
    "export": ("loading.sheets_out.export", "export what the system holds, safe for spreadsheets"),
    "inspect": ("loading.sheets_in.inspect", "show what is in a spreadsheet"),
    "map": ("loading.sheets_in.map", "propose which column feeds which field, and save it"),
    "check": ("loading.sheets_in.check", "find everything that is wrong in a spreadsheet"),
    "prepare": ("loading.sheets_in.prepare", "write the sheet as Kotrel understood it, in the shape of the template"),
    "compare": ("loading.sheets_in.compare", "compare two sheets: rows added, removed, and changed from what to what"),
    "preview": ("loading.loads.preview", "show what a load would do; nothing is changed"),
    "load": ("loading.loads.load", "load a sheet, all or nothing"),
    "history": ("loading.loads.history", "list the loads so far"),
    "outcome": ("loading.loads.outcome", "show one load, row by row"),
    "verify": ("loading.loads.verify", "read one load back and compare it with what was sent"),
    "undo": ("loading.loads.undo", "undo one load"),
    "reprice": ("pricing.reprice", "work out new prices by rules, to read and load"),
    "price": ("pricing.price", "the price in force, and how it comes about"),
    "stock": ("stock.stock_command", "what is on hand, where, and what it is worth"),
    "reorder": ("stock.reorder_list", "what to order up to level"),
    "count": ("counting.count", "a physical count: freeze, sheets, collect, variance, set, post"),
    "write": ("exchange.write", "write the upload file that another program insists on"),
    "lists": ("setup.lists", "show what a program that only exchanges files last gave out"),
    "practice": ("setup.practice", "play with the practice system: a busy shop floor, or back to its start"),
}
"""Command → its module, and its one-line help, in the order people meet them.

A command's module has ``EXAMPLE`` (shown in its help), ``arguments(parser)`` and ``run(args, screen)``, which returns the exit
status. The help stands here, so that ``kotrel -h`` imports none of them.
"""


class _Parser(argparse.ArgumentParser):
    """Reports a wrong command line in the same way as any other error."""

    called: argparse.ArgumentParser | None = None
    """The parser of the command that is called, where this one has commands."""

    def error(self, message: str) -> NoReturn:
        knows = self.called or self
        hint = f"{knows.prog} -h shows how to use it."
        if unknown := re.match(r"unrecognized arguments: (--[\w-]+)", message):
            close = nearest(unknown[1], knows._option_string_actions)
            hint = f"Did you mean {close}? {hint}" if close else hint
        raise WrongUse(_in_words(message), hint, "wrong-command-line")


_SAID = (
    (r"argument (\S+): invalid choice: '(.*)' \(choose from (.*)\)", r"\1: “\2” is none of \3"),
    (r"argument (.+): expected one argument", r"\1 needs a value"),
    (r"argument (.+): expected at least one argument", r"\1 needs at least one value"),
    (r"argument (\S+): ignored explicit argument '(.*)'", r"\1 takes no value"),
    (r"argument (\S+): not allowed with argument (\S+)", r"\1 and \2 do not go together"),
    (r"argument ([^:]+): (.*)", r"\1: \2"),
    (r"the following arguments are required: (.*)", r"missing: \1"),
    (r"one of the arguments (.*) is required", r"missing, one of: \1"),
    (r"unrecognized arguments: (.*)", r"not understood here: \1"),
    (r"ambiguous option: (\S+) could match (.*)", r"\1 could mean \2"),
)
"""What the parser says, and how people say it."""


def _in_words(message: str) -> str:
    for pattern, said in _SAID:
        if found := re.fullmatch(pattern, message, re.DOTALL):
            return re.sub(r"'([^']*)'(?=, |$)", r"\1", found.expand(said)) if "none of" in said else found.expand(said)
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


def parser_for(command: str | None) -> argparse.ArgumentParser:
    parser = _Parser(
        prog="kotrel",
        description="Check, preview, load and take back spreadsheets of items, prices and stock.",
        epilog="First steps: kotrel demo    or: kotrel init shop, then kotrel records",
    )
    parser.add_argument("--version", action="version", version=f"kotrel {__version__}")
    _everywhere(parser, None)
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", title="commands, in the order people meet them")
    for name, (module_name, said) in COMMANDS.items():
        if name != command:
            commands.add_parser(name, help=said, add_help=False)
            continue
        # Only the command that is called is imported: each brings its own packages.
        module = importlib.import_module(f"kotrel.{module_name}")
        sub = commands.add_parser(
            name,
            help=said,
            description=said[0].upper() + said[1:] + ".",
            epilog=f"examples:\n{module.EXAMPLE}",
            formatter_class=argparse.RawDescriptionHelpFormatter,
        )
        # A command with steps of its own returns their parsers: the options stand behind those too.
        for each in (sub, *(module.arguments(sub) or ())):
            _everywhere(each, argparse.SUPPRESS)
        sub.set_defaults(run=module.run, exchange=_exchange, parser=sub)
        parser.called = sub
    return parser
