"""Logs that programs write instead of tables: each line that fits a pattern is a row."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.errors import OutOfReach, WrongData
from kotrel.core.phrases import count
from kotrel.core.tables.sources import parts_of_pattern
from kotrel.core.tables.table import Column, Table, letter_of
from kotrel.sheets.encodings import as_utf8, decoded_as


def _rows_that_fit(
    text: str, patterns: Sequence[re.Pattern[str]], names: Sequence[str]
) -> tuple[list[tuple[object, ...]], int]:
    """The number of each line that fits a pattern with its parts, and how many filled lines fit none."""
    rows: list[tuple[object, ...]] = []
    left = 0
    for number, line in enumerate(text.splitlines(), start=1):
        fits = next(filter(None, (each.match(line) for each in patterns)), None)
        if fits is not None:
            said = fits.groupdict()
            rows.append((number, *(said.get(name) for name in names)))
        elif line.strip():
            left += 1
    return rows, left


def table_of_lines(path: Path, patterns: Sequence[str], encoding: str | None) -> Table:
    """The lines of a log as rows, under the names of the patterns' parts; the first pattern that fits a line counts.

    Raises:
        OutOfReach: the file cannot be read.
        WrongData: no line fits.
    """
    try:
        raw = path.read_bytes()
    except OSError as error:
        raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "file-not-readable") from None
    raw, remarks = as_utf8(raw, str(path)) if encoding is None else decoded_as(raw, encoding, str(path))
    known = [parts_of_pattern(pattern) for pattern in patterns]
    names = list(dict.fromkeys(name for each in known for name in each.groupindex))
    rows, left = _rows_that_fit(raw.decode("utf-8", errors="replace"), known, names)
    if not rows:
        raise WrongData(
            f"no line of {path} fits {' or '.join(f'“{each}”' for each in patterns)}",
            "Correct lines in the mapping, after a line of the file.",
            "no-line-fits",
        )
    columns = [Column(letter_of(place), name, name) for place, name in enumerate(names)]
    schema = {ROW: pl.UInt32, **{column.letter: pl.String for column in columns}}
    said_of = [f"{count(left, 'line')} left out: no pattern of the mapping fits"] if left else []
    return Table(
        str(path),
        "",
        0,
        tuple(columns),
        pl.DataFrame(rows, schema=schema, orient="row"),
        dict.fromkeys((column.letter for column in columns), "text"),
        (*remarks, *said_of),
    )
