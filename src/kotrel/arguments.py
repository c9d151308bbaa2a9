"""The argument parser: each command's arguments, and the options that every command takes."""

from __future__ import annotations

import argparse
import importlib
from typing import NoReturn

from kotrel import __version__
from kotrel.commands import COMMANDS
from kotrel.core.errors import WrongUse


class _Parser(argparse.ArgumentParser):
    """Reports a wrong command line in the same way as any other error."""

    def error(self, message: str) -> NoReturn:
        raise WrongUse(message, f"{self.prog} -h shows how to use it.", "wrong-command-line")


def _everywhere(parser: argparse.ArgumentParser, default: object) -> None:
    """The options that every command takes; they may stand before or after the command."""
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
    group.add_argument("--quiet", action="store_true", default=default or False, help="no progress and no messages")


def parser_for(command: str | None) -> argparse.ArgumentParser:
    parser = _Parser(
        prog="kotrel",
        description="Check, preview, load and take back spreadsheets of items, prices and stock.",
        epilog="First steps: kotrel demo    or: kotrel init shop, then kotrel records",
    )
    parser.add_argument("--version", action="version", version=f"kotrel {__version__}")
    _everywhere(parser, None)
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", title="commands, in the order people meet them")
    for name, said in COMMANDS.items():
        if name != command:
            commands.add_parser(name, help=said, add_help=False)
            continue
        # Only the command that is called is imported: each brings its own packages.
        module = importlib.import_module(f"kotrel.commands.{name}")
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
        sub.set_defaults(run=module.run)
    return parser
