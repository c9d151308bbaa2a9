"""What was written to be tried only: its rows are remembered,
so that what the program says of them comes back to their cells.
"""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from pathlib import Path

import polars as pl
from msgspec import Struct

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.columns import ROW
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.sheets.safe_writing import make_folder

FOLDER = "trials"
NAME = re.compile(r"T[0-9]{10}-[0-9a-f]+")
"""How a trial is called: in the names of its files, and on the command line."""


class Trial(Struct, frozen=True):
    """One trial: its files, and ``line``, ``record``, ``key``, ``row``, ``file``, ``sheet`` of its rows."""

    reference: str
    files: tuple[Path, ...]
    lines: pl.DataFrame


_SCHEMA = {"line": pl.Int64, "record": pl.String, "key": pl.String, "row": pl.Int64, "file": pl.String, "sheet": pl.String}  # fmt: skip


def keep_trial(hidden: Path, reference: str, changes: Sequence[RecordChanges], files: Sequence[Path]) -> None:
    """Remembers a trial."""
    parts = [
        part.rows_of("new", "changed", "removed").select(
            pl.lit(part.record.name).alias("record"),
            key_text(part.record).alias("key"),
            pl.col(ROW).cast(pl.Int64).alias("row"),
            pl.lit(part.file).alias("file"),
            pl.lit(part.sheet).alias("sheet"),
        )
        for part in changes
    ]
    rows = pl.concat(parts).with_row_index("line", offset=1).cast({"line": pl.Int64}).select(list(_SCHEMA))
    about = {"files": [str(path) for path in files], "lines": rows.rows()}
    path = make_folder(hidden / FOLDER) / f"{reference}.json"
    path.write_text(json.dumps(about, ensure_ascii=False), "utf-8")


def trial_called(hidden: Path, reference: str) -> Trial:
    """A trial that was remembered.

    Raises:
        WrongUse: there is none of that name.
        OutOfReach: what was kept of it is damaged.
    """
    path = hidden / FOLDER / f"{reference}.json"
    try:
        about = json.loads(path.read_text("utf-8"))
        lines = pl.DataFrame([tuple(row) for row in about["lines"]], schema=_SCHEMA, orient="row")
        return Trial(reference, tuple(Path(each) for each in about["files"]), lines)
    except FileNotFoundError:
        raise WrongUse(f"there is no trial {reference}", "It was not written from here.", "no-such-trial") from None
    except (OSError, ValueError, TypeError, KeyError, pl.exceptions.PolarsError):
        raise OutOfReach(f"{path} is damaged", "Write the trial anew.", "trial-damaged") from None
