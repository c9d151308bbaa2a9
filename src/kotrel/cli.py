"""The command line: arguments, one handler for all errors, exit status."""

from __future__ import annotations

import argparse
import contextlib
import importlib
import os
import sys
from collections.abc import Sequence
from typing import NoReturn

from kotrel import __version__
from kotrel.commands import COMMANDS
from kotrel.core.errors import KotrelError, WrongUse


class _Parser(argparse.ArgumentParser):
    """Tells a wrong command line in the same way as any other trouble."""

    def error(self, message: str) -> NoReturn:
        raise WrongUse(message, f"{self.prog} -h shows how it is used.", "wrong-command-line")


def _everywhere(parser: argparse.ArgumentParser, default: object) -> None:
    """The options that every command takes; they may stand before or after the command."""
    group = parser.add_argument_group("options everywhere")
    group.add_argument("-w", "--workspace", metavar="DIR", default=default, help="the workspace (else the nearest with a kotrel.toml)")
    group.add_argument("--json", action="store_true", default=default or False, help="one JSON object on standard output")
    group.add_argument("--quiet", action="store_true", default=default or False, help="no progress, no messages")


def _parser(command: str | None) -> argparse.ArgumentParser:
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
        module.arguments(sub)
        _everywhere(sub, argparse.SUPPRESS)
        sub.set_defaults(run=module.run)
    return parser


def main(argv: Sequence[str] | None = None) -> int:
    """Runs one command line and returns its exit status."""
    words = list(sys.argv[1:] if argv is None else argv)
    command = next((word for word in words if word in COMMANDS), None)
    try:
        return _run(words, command)
    except KotrelError as error:
        return _tell(error, "--json" in words)
    except KeyboardInterrupt:
        sys.stderr.write("\nStopped. A load that was not finished has left nothing behind.\n")
        return 130
    except BrokenPipeError:
        # Whoever read the output has seen enough.
        with contextlib.suppress(OSError):
            os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except Exception as error:  # the one place where anything unforeseen ends
        from kotrel.unforeseen import tell_unforeseen

        return _tell(tell_unforeseen(error, words), "--json" in words)


def _run(words: list[str], command: str | None) -> int:
    args = _parser(command).parse_args(words)
    if args.command is None:
        _parser(None).print_help()
        return 0
    from kotrel.reports.screen import Screen

    status: int = args.run(args, Screen(as_json=args.json, quiet=args.quiet))
    sys.stdout.flush()
    return status


def _tell(error: KotrelError, as_json: bool) -> int:
    """Tells the user what went wrong, where, and what to do next."""
    from kotrel.reports.screen import Screen

    screen = Screen(as_json)
    if as_json:
        screen.json({"error": {"kind": error.kind, "message": error.message, "hint": error.hint}})
    else:
        sys.stderr.write(f"kotrel: {error.message}\n")
        if error.hint:
            sys.stderr.write(f"        {error.hint}\n")
    return error.status


if __name__ == "__main__":
    sys.exit(main())
