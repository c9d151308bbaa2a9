"""The terminal: results on standard output, progress and messages on standard error."""

from __future__ import annotations

import argparse
import codecs
import logging
import os
import re
import signal
import sys
import threading
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any, TextIO

from kotrel.screen.command_lines import quoted, said_again
from kotrel.screen.json_streaming import json_pieces
from kotrel.systems.interface import Step

_ACTING = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200b-\u200f\u2028-\u202e\u2060-\u2064\u2066-\u206f\ufeff\ufff9-\ufffb]"
)
"""Control characters but for tab and line feed; zero-width characters; those that turn the direction of writing."""


def harmless(text: str) -> str:
    """The text with visible marks for characters that would act on a terminal:
    ``␛`` for escape, ``‹200B›`` for others.
    """
    return _ACTING.sub(_mark, text) if _ACTING.search(text) else text


def _mark(found: re.Match[str]) -> str:
    code = ord(found[0])
    if code < 32:
        return chr(0x2400 + code)
    return "\u2421" if code == 127 else f"‹{code:04X}›"


AFTER_SECONDS = 1.0


@contextmanager
def showing(steps: int) -> Iterator[Step]:
    """A bar of ``steps`` steps; with more steps than that it waits near its end."""
    lock, bar, task, title, done, over = threading.Lock(), None, None, "starting", -1, False

    def begin() -> None:
        # Made only when it is due: what draws it is not needed by most commands, and takes time to be read in.
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

        nonlocal bar, task
        made = Progress(
            TextColumn("{task.description}"),
            BarColumn(bar_width=30),
            TimeElapsedColumn(),
            console=Console(file=sys.stderr, highlight=False),
            transient=True,
        )
        with lock:
            if not over:
                bar, task = made, made.add_task(title, total=steps)
                made.update(task, completed=min(max(done, 0), steps - 0.5))
                made.start()

    def step(name: str) -> None:
        nonlocal title, done
        with lock:
            title, done = name, done + 1
            if bar is not None and task is not None:
                bar.update(task, description=title, completed=min(done, steps - 0.5))

    timer = threading.Timer(AFTER_SECONDS, begin)
    timer.daemon = True
    timer.start()
    try:
        yield step
    finally:
        timer.cancel()
        with lock:
            over = True
        if bar is not None:
            bar.stop()


_PLAIN = {
    "·": "-", "–": "-", "—": "-", "…": "...", "“": '"', "”": '"', "’": "'", "→": "->", "←": "<-", "✓": "ok", "×": "x", "≈": "~",
    "\u2007": " ", "█": "#", "▇": "#", "▁": "_",
}  # fmt: skip


def _plainly(error: UnicodeError) -> tuple[str, int]:
    """What a console without UTF-8 shows instead of characters it lacks."""
    assert isinstance(error, UnicodeEncodeError)
    text = error.object[error.start : error.end]
    return "".join(_PLAIN.get(letter, "?") for letter in text), error.end


codecs.register_error("kotrel_plain", _plainly)


_SETTINGS = {"maps": "mapping", "prices": "prices", "layouts": "layout"}


def settings_meant(message: str, hint: str) -> str:
    """The settings file that a message is about, as ``kotrel settings`` calls it;
    an empty text where it is about none.
    """
    if found := re.search(r"\b(maps|prices|layouts)[/\\]([^/\\\s]+)\.toml, line", message):
        return f"{_SETTINGS[found[1]]} {found[2]}"
    if re.search(r"system\.toml", message) or re.search(r"\b(?:in|Correct|edit) system\.toml", hint):
        return "system"
    return "workspace" if re.search(r"kotrel\.toml, line", message) else ""


class _Waiting(logging.Handler):
    """Tells people at a terminal what takes so long; programs see nothing of it."""

    def emit(self, record: logging.LogRecord) -> None:
        if sys.stderr.isatty():
            sys.stderr.write(f"{harmless(record.getMessage())}\n")


class Screen:
    """Where a command's results go.

    Args:
        as_json: one JSON object on standard output, and nothing else.
        quiet: no progress and no remarks.
        workspace: as -w says; every command that is recommended says it too.
    """

    def __init__(self, as_json: bool = False, quiet: bool = False, workspace: str | None = None) -> None:
        self.as_json = as_json
        self.quiet = quiet
        self.program = f"kotrel -w {quoted([workspace])}" if workspace else "kotrel"
        for stream in (sys.stdout, sys.stderr):
            _never_fail(stream)
        waiting = logging.getLogger("kotrel.waiting")
        waiting.setLevel(logging.INFO)
        waiting.handlers = [] if quiet else [_Waiting()]

    @property
    def is_terminal(self) -> bool:
        """True where there is a person to ask."""
        return sys.stdin.isatty() and sys.stdout.isatty()

    @property
    def console(self) -> Any:
        """Rich's console for standard output; on a file or pipe, plain text as wide as it needs."""
        if not hasattr(self, "_console"):
            from rich.console import Console
            from rich.segment import Segment

            class HarmlessConsole(Console):
                """A console on which no character of a file or a database acts."""

                def render(self, renderable: Any, options: Any = None) -> Any:
                    for segment in super().render(renderable, options):
                        text = segment.text if segment.control else harmless(segment.text)
                        yield segment if text is segment.text else Segment(text, segment.style)

            width = None if sys.stdout.isatty() or "COLUMNS" in os.environ else 120
            self._console = HarmlessConsole(
                file=sys.stdout, highlight=False, width=width, soft_wrap=False, emoji=False, markup=False
            )
        return self._console

    def show(self, *parts: Any) -> None:
        """Prints something rich can print."""
        from rich.table import Table

        for part in parts:
            # A command to be typed, and a table that cannot be narrower, is never broken or cut.
            wider = not isinstance(part, str) and isinstance(part, Table) and (part.width or 0) > self.console.width
            self.console.print(part, soft_wrap=wider or _is_step(part))

    def remark(self, words: str) -> None:
        """Says beside the results what the user should know, unless nothing is to be said."""
        if not self.quiet:
            sys.stderr.write(f"kotrel: {harmless(words)}\n")

    def error(self, message: str, hint: str) -> None:
        """Says why the command ended, and what to do about it."""
        sys.stderr.write(f"kotrel: {harmless(message)}\n")
        if hint:
            sys.stderr.write(f"        {self.with_workspace(harmless(hint))}\n")
        if settings := settings_meant(message, hint):
            sys.stderr.write(f"        In a spreadsheet: {self.program} settings {settings}\n")

    def lines(self, lines: Iterable[str]) -> None:
        """Prints plain lines as they are: many of them, at once."""
        self.console.file.writelines(f"{harmless(line)}\n" for line in lines)

    def again(self, args: argparse.Namespace, command: str, *more: str) -> str:
        """A command on the same files, with the options of this one that hold for it too, and more."""
        words = said_again(args)
        at = words.index("--") if "--" in words else len(words)
        return f"{self.program} {command} {quoted([*words[:at], *more, *words[at:]])}"

    def with_workspace(self, text: str) -> str:
        """A text of ours with the workspace in each command that it recommends."""
        return re.sub(r"\bkotrel (?=[a-z]+\b)", lambda found: f"{self.program} ", text)

    def json(self, value: Mapping[str, Any]) -> None:
        """Prints one JSON object."""
        sys.stdout.writelines(json_pieces(value))
        sys.stdout.write("\n")

    def ask(self, question: str) -> bool:
        """Asks a yes/no question on the terminal; anything but a yes is a no."""
        from kotrel.core.values.yes_no import read_yes_no

        return read_yes_no(self.answer(f"{question} [y/N] ") or "") == "yes"

    def answer(self, question: str) -> str | None:
        """Asks for a line; None where there will be no more. Ctrl-C ends the command, as everywhere."""
        if threading.current_thread() is threading.main_thread():
            # A library that we import takes Ctrl-C over in a way that waits for Enter; this takes it back.
            signal.signal(signal.SIGINT, signal.getsignal(signal.SIGINT) or signal.default_int_handler)
        sys.stderr.write(harmless(question))
        sys.stderr.flush()
        said = sys.stdin.readline()
        return said.strip() if said else None

    @contextmanager
    def progress(self, steps: int) -> Iterator[Step]:
        """Shows steps as a progress bar, on a terminal only, and only after a second.

        Args:
            steps: the approximate number of steps.
        """
        log = logging.getLogger("kotrel")
        if self.quiet or not sys.stderr.isatty():
            yield log.info
            return

        with showing(steps) as step:

            def both(title: str) -> None:
                log.info(title)
                step(title)

            yield both


def _is_step(part: Any) -> bool:
    text = part if isinstance(part, str) else getattr(part, "plain", "")
    return "Next: " in text or text.startswith("      kotrel ")


def _never_fail(stream: TextIO) -> None:
    """A character that the console's code page lacks is replaced; it never stops the program."""
    reconfigure = getattr(stream, "reconfigure", None)
    if reconfigure is not None:
        encoding = (getattr(stream, "encoding", None) or "").lower().replace("-", "")
        reconfigure(errors="kotrel_plain" if encoding != "utf8" else "backslashreplace")
