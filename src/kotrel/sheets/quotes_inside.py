"""Text files with quotes inside their values, such as ``"Tin 12" round"``: read line by line where that is the one
reading that fits.

A careless program puts a value in quotes and does not double those within it. By the rule of such files (RFC 4180) a
quote then closes too early, and the next one opens a value that takes in whole lines.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.tables.table import letter_of


def has_quotes_inside(raw: bytes, separator: str) -> bool:
    """True where a quote stands neither at an end of a value nor beside another quote."""
    mark = re.escape(separator.encode())
    return re.search(rb'"(?=[^%b\r\n"])(?<=[^%b\r\n"]")' % (mark, mark), raw) is not None


def is_as_the_rule_says(raw: bytes, separator: str) -> bool:
    """True where every quote is as the rule has it: then what values take in, they were meant to."""
    text = io.StringIO(raw.decode("utf-8", errors="replace"), newline="")
    try:
        for _ in csv.reader(text, delimiter=separator, strict=True):
            pass
    except csv.Error:
        return False
    return True


def takes_in_lines(cells: pl.DataFrame, separator: str) -> bool:
    """True where a value has both a line end and a separator in it."""
    for name in cells.columns:
        broken = cells[name].str.contains("\n", literal=True).fill_null(False)
        if broken.any() and bool(cells[name].filter(broken).str.contains(separator, literal=True).any()):
            return True
    return False


def _cells_of_lines(text: str, separator: str) -> list[tuple[int, list[str | None]]] | None:
    """The number of each filled line, and its cells; None where a line cannot be one row."""
    rows: list[tuple[int, list[str | None]]] = []
    for number, line in enumerate(text.split("\n"), start=1):
        line = line.removesuffix("\r")
        if line.strip():
            cells: list[str | None] = [*_cells(line, separator)] if '"' in line else [*line.split(separator)]
            if None in cells:
                return None
            rows.append((number, cells))
    return rows


def read_by_lines(raw: bytes, separator: str) -> tuple[pl.DataFrame, pl.Series] | None:
    """Each line as one row, and the number of its line; None unless each has the same number of columns as the first.

    Lines above the first one with that many columns are titles.
    """
    rows = _cells_of_lines(raw.decode("utf-8", errors="replace"), separator)
    if not rows:
        return None
    width = max(len(cells) for _, cells in rows)
    begins = next(place for place, (_, cells) in enumerate(rows) if len(cells) == width)
    if width < 2 or any(len(cells) != width for _, cells in rows[begins:]):
        return None
    padded = [(number, [*cells, *[""] * (width - len(cells))]) for number, cells in rows]
    columns = {
        letter_of(place): pl.Series([cells[place] or None for _, cells in padded], dtype=pl.String)
        for place in range(width)
    }
    return pl.DataFrame(columns), pl.Series(ROW, [number for number, _ in padded], dtype=pl.UInt32)


def _cells(line: str, separator: str) -> Iterator[str | None]:
    """The values of one line: one in quotes ends at the first quote before a separator or the end of the line.

    None for a value whose quote is not closed: what it takes in, only a person can say.
    """
    at, size = 0, len(line)
    while True:
        if line.startswith('"', at):
            end = at + 1
            while (end := line.find('"', end)) >= 0 and not (end + 1 == size or line.startswith(separator, end + 1)):
                end += 1
            if end < 0:
                yield None
                return
            yield line[at + 1 : end].replace('""', '"').replace('\\"', '"')
            if end + 1 == size:
                return
            at = end + 1 + len(separator)
            continue
        end = line.find(separator, at)
        if end < 0:
            yield line[at:]
            return
        yield line[at:end]
        at = end + len(separator)
