"""Command lines as a person would type them next: quoted for the shell at hand,
with all that this command line said.
"""

from __future__ import annotations

import argparse
import os
import re
import subprocess
import sys
from collections.abc import Iterable
from pathlib import Path


def quoted(words: Iterable[object]) -> str:
    """Words as they are typed in a shell: that of this system."""
    if sys.platform == "win32":
        return " ".join(_quoted_for_windows(str(word)) for word in words)
    return " ".join(_quoted_for_posix(str(word)) for word in words)


def _quoted_for_posix(word: str) -> str:
    # Letters of every language may stand bare; what a shell acts on may not.
    if word and not re.search(r"[\s\\'\"`$&|;<>()*?\[\]{}~#!^]", word):
        return word
    if "'" not in word:
        return f"'{word}'" if re.search(r"[\\\"`$!]", word) else f'"{word}"'
    return "'" + word.replace("'", "'\"'\"'") + "'"


def _quoted_for_windows(word: str) -> str:
    listed = subprocess.list2cmdline([word])
    # What the console or PowerShell acts on is harmless between quotes.
    return f'"{listed}"' if listed == word and re.search(r"[&|<>^()%!;,=@`$'{}]", word) else listed


def as_seen(path: Path) -> str:
    """A file as a person would type it from where they are, quoted."""
    try:
        near = os.path.relpath(path)
    except ValueError:
        # On Windows, another drive has no relative path.
        return quoted([path])
    return quoted([path if Path(near).parts[:2] == ("..", "..") else near])


def carry(parser: argparse.ArgumentParser, since: int) -> None:
    """Marks the options of a parser from that one on as said again with the next command on the same files."""
    for action in parser._actions[since:]:
        action.carried = True  # type: ignore[attr-defined]


def said_again(args: argparse.Namespace, without: Iterable[str] = ()) -> list[str]:
    """The files of this command line, and those of its options that hold for the next command too.

    They are read from the parser's own actions, so that none is forgotten.

    Args:
        without: options that the next command has no use for, like ``--new-codes``.
    """
    files = [str(each) for each in (args.files if hasattr(args, "files") else [args.file])]
    words: list[str] = []
    for action in args.parser._actions:
        value = getattr(args, action.dest, action.default)
        if (
            not getattr(action, "carried", False)
            or value in (None, action.default)
            or set(action.option_strings) & set(without)
        ):
            continue
        option = action.option_strings[-1]
        if isinstance(action, argparse.BooleanOptionalAction) and value:
            # Its last name is the one that denies it.
            option = action.option_strings[0]
        if action.nargs == 0:
            words.append(option)
            continue
        text = ",".join(map(str, value)) if isinstance(value, (list, tuple)) else str(value)
        words += [f"{option}={text}"] if text.startswith("-") else [option, text]
    dashed = any(name.startswith("-") and name != "-" for name in files)
    # Behind the two dashes, nothing is an option.
    return [*words, "--", *files] if dashed else [*files, *words]
