"""The command line: one handler for all errors, and the exit status. ``--version`` imports nothing else."""

from __future__ import annotations

import gc
import os
import sys

from kotrel import __version__

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence

    from kotrel.core.errors import KotrelError


def main(argv: Sequence[str] | None = None) -> int:
    """Runs one command line and returns its exit status."""
    words = list(sys.argv[1:] if argv is None else argv)
    if "_ARGCOMPLETE" in os.environ:
        from kotrel.helping.completion import complete

        complete()
    if words == ["--version"]:
        print(f"kotrel {__version__}")
        return 0
    # What the imports make stays for good: to look through it for garbage again and again takes a short command some
    # hundredths of its time.
    gc.set_threshold(100_000, 50, 50)
    from kotrel.later import import_later

    import_later("polars")
    from kotrel.sheets import head_start

    head_start.begin(words)
    from kotrel.core.errors import KotrelError

    try:
        return _run(words)
    except KotrelError as error:
        return _tell(error, words)
    except KeyboardInterrupt:
        sys.stderr.write("\nStopped. A load is either complete or not there at all: kotrel history shows which.\n")
        return 130
    except BrokenPipeError:
        # Whoever read the output has seen enough.
        _hush()
        return 0
    except BaseException as error:  # the one place where every unexpected error ends up
        # A fault in compiled code of a library is no Exception; what else is none, such as an exit, goes on.
        if not isinstance(error, Exception) and type(error).__name__ != "PanicException":
            raise
        from kotrel.screen.unexpected import unexpected_error

        return _tell(unexpected_error(error, words), words)


def _run(words: list[str]) -> int:
    from kotrel.arguments import command_in, command_named, parser_for

    command = command_in(words)
    parser = parser_for(None if command is None else command_named(command))
    args = parser.parse_args(words)
    if args.command is None:
        parser.print_help()
        return 0
    from kotrel.screen.screen import Screen

    if args.log:
        from kotrel.screen.log_file import keep_log

        keep_log(args.log, words)
    status: int = args.run(args, Screen(as_json=args.json, quiet=args.quiet, workspace=args.workspace))
    sys.stdout.flush()
    if args.log:
        from kotrel.screen.log_file import LOG

        LOG.info("ended with exit status %s", status)
    return status


def _hush() -> None:
    """Nobody reads standard output any more: whatever is still to be flushed is thrown away."""
    import contextlib
    import os

    with contextlib.suppress(OSError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _workspace_in(words: list[str]) -> str | None:
    """The workspace that the command line names, also where it could not be understood."""
    for index, word in enumerate(words[:-1]):
        if word == "-w" or (len(word) > 2 and "--workspace".startswith(word)):
            return words[index + 1]
    return next((word.removeprefix("--workspace=") for word in words if word.startswith("--workspace=")), None)


def _tell(error: KotrelError, words: list[str]) -> int:
    """Reports what went wrong, where, and what to do next."""
    from kotrel.screen.screen import Screen

    as_json = "--json" in words
    screen = Screen(as_json, workspace=_workspace_in(words))
    if (logging := sys.modules.get("logging")) is not None:
        logging.getLogger("kotrel").info("stopped: %s", error.message)
    try:
        if as_json:
            screen.json({"error": {"kind": error.kind, "message": error.message, "hint": error.hint}})
        else:
            screen.error(error.message, error.hint)
    except BrokenPipeError:
        # Whoever read the output has seen enough, of an error too.
        _hush()
    return error.status


def program() -> None:
    """The program as it is installed: runs and exits at once, without freeing a gigabyte piece by piece."""
    status = main()
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except (BrokenPipeError, ValueError, OSError):
        pass
    os._exit(status)


if __name__ == "__main__":
    program()
