"""What walks share: commands run in this process, a table of the database, and what is wrong."""

from __future__ import annotations

import contextlib
import io
import json
import sqlite3
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Protocol

from kotrel.cli import main as kotrel


class Wrong(Exception):
    """A step that did something else than it should."""


class Walk(Protocol):
    """One walk in a folder of its own, which is the working directory; ``log`` tells its steps."""

    log: list[str]

    def go(self) -> None:
        """Walks.

        Raises:
            Wrong: a step went wrong.
        """

    def close(self) -> None:
        """Ends the walk."""


def said(*words: str) -> dict[str, Any]:
    """What a command says, run in this process."""
    out = io.StringIO()
    sys.argv = ["kotrel", *words, "--json"]
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()), contextlib.suppress(SystemExit):
        kotrel()
    found: dict[str, Any] = json.loads(out.getvalue())
    return found


def rows(database: Path, query: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
    """Rows of a SQLite database."""
    with contextlib.closing(sqlite3.connect(database)) as connection:
        return connection.execute(query, values).fetchall()
