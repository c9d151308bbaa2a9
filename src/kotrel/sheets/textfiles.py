"""Comma-, semicolon- and tab-separated text → a grid of texts, with the line number of each row."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.errors import OutOfReach
from kotrel.core.tables.table import Grid, letter_of
from kotrel.sheets.encodings import as_utf8, decoded_as
from kotrel.sheets.head_start import content_of
from kotrel.sheets.quotes_inside import has_quotes_inside, is_as_the_rule_says, read_by_lines, takes_in_lines
from kotrel.sheets.room import require_room

_LINES = 100
"""So many lines show that all of them have the same columns."""


def within_quotes(raw: bytes, cells: pl.DataFrame, separators: Sequence[str]) -> bytes | None:
    """The text within the quotes; None where they may as well be those of single values.

    Args:
        raw: the file.
        cells: what it holds as it stands: one column.
    """
    column = cells.to_series()
    if not raw.startswith(b'"') or column.len() < 2 or column.null_count():
        return None
    if column.str.contains("\n", literal=True).any():
        return None
    for separator in separators:
        widths = {len(row) for row in csv.reader(column.head(_LINES), delimiter=separator)}
        # After the comma of a name there is a blank; between headings there is none.
        is_name = '"' not in column[0] and re.search(re.escape(separator) + r"\s", column[0])
        if len(widths) == 1 and widths != {1} and not is_name:
            return "\n".join(column).encode()
    return None


MANY_LINES = 50
"""A cell of so many lines is more likely a quote that was never closed."""
SEPARATORS = (",", ";", "\t", "|")
_SAMPLE = 256 * 1024
FIRST_BYTES = 64 * 1024


def read_text_file(path: Path, encoding: str | None = None) -> Grid:
    """Reads a text file whole.

    Args:
        encoding: as the user named it, or None to recognise it.

    Raises:
        OutOfReach: it is not text, cannot be read, or is too large for this machine.
    """
    require_room(path)
    try:
        raw = content_of(path)
    except OSError as error:
        raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "file-not-readable") from None
    return _grid(raw, path, encoding)


def read_first_lines(path: Path, encoding: str | None = None) -> Grid:
    """Reads the first lines of a text file, as :func:`read_text_file` would.

    Raises:
        OSError: it cannot be read.
        OutOfReach: it is not text.
    """
    with path.open("rb") as file:
        raw = file.read(FIRST_BYTES)
    return _grid(raw[: raw.rfind(b"\n") + 1] or raw, path, encoding)


def _grid(raw: bytes, path: Path, encoding: str | None) -> Grid:
    raw, remarks = as_utf8(raw, str(path)) if encoding is None else decoded_as(raw, encoding, str(path))
    raw, named_separator, skipped = _named_separator(raw)
    # In very old files, lone carriage returns end lines.
    if b"\r" in raw[:_SAMPLE] and b"\n" not in raw[:_SAMPLE]:
        raw = raw.replace(b"\r", b"\n")
    sample = _sample(raw)
    separator = named_separator or separator_of(sample)
    width = _width(sample, separator)
    is_quoted = b'"' in raw
    cells = _fast(raw, separator, width, is_quoted)
    if cells is not None and width == 1 and (inner := within_quotes(raw, cells, SEPARATORS)) is not None:
        whole = _grid(inner, path, None)
        return replace(whole, remarks=(*remarks, *whole.remarks, "each whole line was in quotes: read without them"))
    spans = is_quoted and (cells is None or _may_span_lines(raw, cells))
    by_lines = _each_line_a_row(raw, separator, cells, spans) if is_quoted else None
    lines: pl.Series | None = None
    if by_lines is not None:
        cells, lines = by_lines
        remarks = [*remarks, "values have quotes inside them: each line was read as one row"]
    elif cells is None:
        cells, lines = _slowly(raw, separator)
    elif spans:
        lines = _lines(cells)
    if b"'" in raw and (bare := _without_single_quotes(cells)) is not None:
        cells = bare
        remarks = [*remarks, "each value was in single quotes: read without them"]
    odd_quotes = by_lines is None and spans and _has_odd_quotes(raw, separator, cells)
    if skipped:
        lines = _line_numbers(cells, lines) + skipped
    unquoted = "" if is_quoted or b"\r" in raw else separator
    grid = Grid(
        str(path), "", cells, dict.fromkeys(cells.columns, "text"), lines, remarks=tuple(remarks), unquoted=unquoted
    )
    if lines is not None:
        # Only then do cells have line breaks.
        grid = replace(grid, swallowed=_swallowed(cells, lines, separator, width, odd_quotes))
    return grid if by_lines is not None else _with_ragged_rows(grid, raw, separator, skipped)


def _line_numbers(cells: pl.DataFrame, lines: pl.Series | None) -> pl.Series:
    """The line of each row (UInt32), counted where none is given: then each row is one line."""
    if lines is None:
        lines = pl.int_range(1, cells.height + 1, eager=True)
    return lines.cast(pl.UInt32).alias(ROW)


def _without_single_quotes(cells: pl.DataFrame) -> pl.DataFrame | None:
    """The cells without the single quotes around them, where nearly all of them are in such,
    the headings too; else None.
    """
    if cells.width < 2 or cells.height < 2:
        return None
    quoted = r"^'(?:[^']|'')*'$"
    first = [text for text in cells.row(0) if text is not None]
    if not first or not all(re.match(quoted, text) for text in first):
        return None
    filled = sum(cells.height - cells[name].null_count() for name in cells.columns)
    inside = sum(int(cells[name].str.contains(quoted).fill_null(False).sum()) for name in cells.columns)
    # Some programs leave numbers bare.
    bare = sum(int(cells[name].str.contains(r"^-?[0-9.,]+$").fill_null(False).sum()) for name in cells.columns)
    if inside + bare < filled:
        return None
    text = [
        pl.col(name).str.extract(r"^'((?:[^']|'')*)'$").str.replace_all("''", "'", literal=True)
        for name in cells.columns
    ]
    return cells.select(
        pl.when(pl.col(name).str.contains(quoted))
        .then(pl.when(inner != "").then(inner))
        .otherwise(pl.col(name))
        .alias(name)
        for name, inner in zip(cells.columns, text, strict=True)
    )


def _has_odd_quotes(raw: bytes, separator: str, cells: pl.DataFrame) -> bool:
    """True where quotes are not as the rule has them: then nobody knows whether a value was meant to take in a line."""
    if has_quotes_inside(raw, separator):
        return True
    return takes_in_lines(cells, separator) and not is_as_the_rule_says(raw, separator)


def _may_span_lines(raw: bytes, cells: pl.DataFrame) -> bool:
    """False where there are as many rows as lines: then no value has a line break in it."""
    return raw.count(b"\n") + (not raw.endswith(b"\n")) != cells.height


def _each_line_a_row(
    raw: bytes, separator: str, cells: pl.DataFrame | None, spans: bool
) -> tuple[pl.DataFrame, pl.Series] | None:
    """The rows and their lines, where quotes inside values make another reading than the usual one the right one."""
    odd = cells is None or (spans and takes_in_lines(cells, separator))
    if not odd and not has_quotes_inside(raw, separator):
        return None
    if is_as_the_rule_says(raw, separator):
        return None
    found = read_by_lines(raw, separator)
    if found is None or found[0].equals(cells if cells is not None else _slowly(raw, separator)[0]):
        return None
    return found


def _has_two_readings(raw: bytes, separator: str, cells: pl.DataFrame) -> bool:
    """True where quotes inside values make the lines read otherwise than they are."""
    if not has_quotes_inside(raw, separator):
        return False
    found = read_by_lines(raw, separator)
    return found is None or not found[0].equals(cells)


class TextPart(Struct, frozen=True):
    """A part of a large text file: its cells, the line of each row, and what is odd in its lines (see :class:`Grid`).

    Attributes:
        last: no other part comes behind it.
    """

    cells: pl.DataFrame
    lines: pl.Series
    swallowed: tuple[tuple[int, int], ...] = ()
    ragged: tuple[tuple[int, int], ...] = ()
    usual_width: int = 0
    last: bool = False


def _beginning(raw: bytes) -> tuple[bytes, str, int, int]:
    """The beginning of a file without its mark and the line that names its separator; the separator, the number of
    columns, and the lines that were taken away.
    """
    raw, named, skipped = _named_separator(raw.removeprefix(b"\xef\xbb\xbf"))
    sample = _sample(raw)
    separator = named or separator_of(sample)
    return raw, separator, _width(sample, separator), skipped


def _ragged_lines(counts: pl.DataFrame, usual: int, before: int) -> tuple[int, tuple[tuple[int, int], ...]]:
    """The usual number of columns, and the lines that have another.

    Args:
        counts: ``line`` and ``columns`` of a part; ``usual``: the number in the parts before, or 0 in the first one.
        before: the lines before this part.
    """
    if not counts.height:
        return usual, ()
    begins = 0
    if not usual:
        # Lines above the table are titles.
        usual = usual_columns(counts["columns"])
        begins = int((counts["columns"] == usual).arg_max() or 0)
    others = counts.slice(begins).filter(pl.col("columns") != usual)
    return usual, tuple(others.select(pl.col("line") + before, "columns").iter_rows())


def read_in_parts(path: Path, bytes_each: int) -> Iterator[TextPart]:
    """Reads a UTF-8 text file part by part, cut between rows; each part has the columns of the first.

    Raises:
        OutOfReach: it cannot be read, is not UTF-8, or is irregular.
    """
    line, separator, width, usual = 1, "", 0, 0
    rest = b""
    try:
        with path.open("rb") as file:
            while True:
                chunk = file.read(bytes_each)
                raw = rest + chunk
                if not raw:
                    return
                if not separator:
                    raw, separator, width, skipped = _beginning(raw)
                    line += skipped
                cut = _between_rows(raw) if chunk else len(raw)
                raw, rest = raw[:cut], raw[cut:]
                is_quoted = b'"' in raw
                cells = _fast(raw, separator, width, is_quoted)
                if cells is None or (is_quoted and _has_two_readings(raw, separator, cells)):
                    raise OutOfReach(
                        f"{path} has lines with more columns than its first lines, or broken quotes, after line {line}",
                        "Split the file, so that Kotrel can name the lines.",
                        "irregular-file",
                    )
                broken = _lines(cells) if is_quoted else None
                lines = _line_numbers(cells, broken) + (line - 1)
                swallowed: tuple[tuple[int, int], ...] = ()
                if broken is not None:
                    swallowed = _swallowed(cells, lines, separator, width, _has_odd_quotes(raw, separator, cells))
                ragged: tuple[tuple[int, int], ...] = ()
                if width > 1:
                    usual, ragged = _ragged_lines(_columns_of_rows(raw, separator), usual, line - 1)
                yield TextPart(cells, lines, swallowed, ragged, usual, not chunk)
                line += raw.count(b"\n")
                if not chunk:
                    return
    except OSError as error:
        raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "file-not-readable") from None


def _between_rows(raw: bytes) -> int:
    """Where the last whole row ends: at a line end with an even number of quotes before it."""
    cut = raw.rfind(b"\n") + 1
    while cut and raw.count(b'"', 0, cut) % 2:
        cut = raw.rfind(b"\n", 0, cut - 1) + 1
    return cut or len(raw)


def _named_separator(raw: bytes) -> tuple[bytes, str | None, int]:
    """A first line ``sep=;`` names the separator and is not part of the table. Returns how many lines to skip."""
    first = raw[:16].split(b"\n", maxsplit=1)[0].strip()
    if first.lower().startswith(b"sep=") and len(first) in (4, 5) and b"\n" in raw:
        return raw[raw.index(b"\n") + 1 :], first[4:].decode() or "\t", 1
    return raw, None, 0


def _sample(raw: bytes) -> str:
    part = raw[:_SAMPLE]
    if len(part) < len(raw):
        part = part[: part.rfind(b"\n") + 1] or part
    return part.decode("utf-8", errors="replace")


def _rows(text: str, separator: str) -> Any:
    csv.field_size_limit(2**31 - 1)
    return csv.reader(io.StringIO(text, newline=""), delimiter=separator)


def separator_of(sample: str) -> str:
    """The separator that splits most lines into the same number of columns; with more columns preferred."""
    best, best_score = ",", (-1.0, 0)
    for separator in SEPARATORS:
        try:
            counts = [len(row) for row in _rows(sample, separator) if row][:200]
        except csv.Error:
            continue
        if not counts:
            continue
        usual = max(set(counts), key=lambda count: (counts.count(count), count))
        if usual == 1:
            continue
        score = (counts.count(usual) / len(counts), usual)
        if score > best_score:
            best, best_score = separator, score
    return best


def _width(sample: str, separator: str) -> int:
    try:
        return max((len(row) for row in _rows(sample, separator)), default=1)
    except csv.Error:
        return max((line.count(separator) + 1 for line in sample.splitlines()), default=1)


def _fast(raw: bytes, separator: str, width: int, is_quoted: bool) -> pl.DataFrame | None:
    """All rows at once, or None if the text is irregular and has to be read row by row."""
    schema = {letter_of(place): pl.String() for place in range(width)}
    if not raw[:_SAMPLE].strip() and not raw.strip():
        return pl.DataFrame(schema=schema)
    padded = (
        raw
        if not _first_row_is_short(raw, separator, width)
        else b'""' + separator.encode() * (width - 1) + b"\n" + raw
    )
    try:
        cells = pl.read_csv(
            padded,
            has_header=False,
            separator=separator,
            schema=schema,
            missing_columns="insert",
            # Where there are no quotes, not having to look for them saves nearly half of the time.
            quote_char='"' if is_quoted else None,
        )
    except pl.exceptions.PolarsError:
        return None
    cells = cells.slice(1) if padded is not raw else cells
    if not is_quoted or b'""' not in raw:
        return cells
    # Nothing is what a blank is, also where a program puts quotes around every cell.
    return cells.with_columns(pl.when(pl.col(name) != "").then(pl.col(name)).alias(name) for name in cells.columns)


def _first_row_is_short(raw: bytes, separator: str, width: int) -> bool:
    """The fast reader takes the number of columns from the first row, which may be a mere title line."""
    end = raw.find(b"\n")
    return raw.count(separator.encode(), 0, end if end >= 0 else len(raw)) + 1 != width


def _slowly(raw: bytes, separator: str) -> tuple[pl.DataFrame, pl.Series]:
    reader = _rows(raw.decode("utf-8", errors="replace"), separator)
    rows: list[list[str]] = []
    lines: list[int] = []
    line = 1
    for row in reader:
        rows.append(row)
        lines.append(line)
        line = reader.line_num + 1
    width = max((len(row) for row in rows), default=1)
    columns = {
        letter_of(place): pl.Series([row[place] or None if place < len(row) else None for row in rows], dtype=pl.String)
        for place in range(width)
    }
    return pl.DataFrame(columns), pl.Series(ROW, lines, dtype=pl.UInt32)


def _lines(cells: pl.DataFrame) -> pl.Series | None:
    """The line of each row, which differs from the row's number after values with line breaks;
    None where there is none.
    """
    breaks = cells.select(pl.sum_horizontal(pl.all().str.count_matches("\n", literal=True).fill_null(0))).to_series()
    if not breaks.sum():
        return None
    ends = breaks.cum_sum()
    return (pl.int_range(1, cells.height + 1, eager=True) + ends - breaks).cast(pl.UInt32).alias(ROW)


def _swallowed(
    cells: pl.DataFrame, lines: pl.Series, separator: str, width: int, odd_quotes: bool = False
) -> tuple[tuple[int, int], ...]:
    """Where a cell takes in lines that look like rows: they have as many separators as a row, or are very many.

    Args:
        odd_quotes: the file has quotes inside its values, so that any separator is suspicious.
    """
    if width < 2:
        return ()
    swallowed: dict[int, int] = {}
    for name in cells.columns:
        broken = cells[name].str.contains("\n", literal=True).fill_null(False)
        for index in broken.arg_true() if broken.any() else ():
            _, *inner = str(cells[name][index]).rstrip("\n").split("\n")
            # The last line of a cell ends at its quote, and the first begins there.
            like_rows = sum(line.count(separator) >= width - 1 for line in inner[:-1])
            last = bool(inner) and inner[-1].count(separator) >= max(width - 2, 1)
            is_odd = odd_quotes and separator in str(cells[name][index])
            if (inner and like_rows + last > len(inner) // 2) or len(inner) >= MANY_LINES or is_odd:
                line = int(lines[index])
                swallowed[line] = max(swallowed.get(line, 0), len(inner))
    return tuple(sorted(swallowed.items()))


def _with_ragged_rows(grid: Grid, raw: bytes, separator: str, skipped: int) -> Grid:
    """Records the rows that have fewer or more columns than the others."""
    if grid.cells.width < 2:
        return grid
    last = grid.cells.columns[-1]
    if not grid.cells[last].null_count():
        return grid
    counts = _columns_of_rows(raw, separator)
    if not counts.height:
        return grid
    usual = usual_columns(counts["columns"])
    # Lines above the table are titles.
    below = counts.slice(int((counts["columns"] == usual).arg_max() or 0))
    ragged = below.filter(pl.col("columns") != usual).select(pl.col("line") + skipped, "columns")
    return replace(grid, ragged=tuple(ragged.iter_rows()), usual_width=usual)


def usual_columns(counts: pl.Series) -> int:
    """The number of columns that most rows have; of several, the one that comes first."""
    found = counts.value_counts(sort=False).sort("count", descending=True)
    most = found.filter(pl.col("count") == found["count"][0])[counts.name]
    return int(counts.filter(counts.is_in(most.implode()))[0])


_CHUNK = 32 * 1024 * 1024
"""Lines are looked through in chunks of so many bytes: a second copy of a large file would take its memory again."""


def _columns_of_rows(raw: bytes, separator: str) -> pl.DataFrame:
    """The first line of each row that is not blank, and its number of columns: ``line``, ``columns`` (Int64)."""
    frames: list[pl.DataFrame] = []
    line, start = 1, 0
    while start < len(raw):
        end = start + _between_rows(raw[start : start + _CHUNK]) if start + _CHUNK < len(raw) else len(raw)
        part = raw[start:end]
        counted = _columns_in(part.decode("utf-8", errors="replace"), separator)
        frames.append(counted.select(pl.col("line") + (line - 1), "columns"))
        line += part.count(b"\n")
        start = end
    return pl.concat(frames) if frames else pl.DataFrame(schema={"line": pl.Int64, "columns": pl.Int64})


def _columns_in(text: str, separator: str) -> pl.DataFrame:
    lines = pl.Series("text", text.removesuffix("\n").split("\n"), dtype=pl.String)
    frame = pl.DataFrame([lines]).with_row_index("line", offset=1).with_columns(pl.col("line").cast(pl.Int64))
    if '"' in text:
        # A quote that is open at the end of a line takes the next line into the same row.
        quotes = pl.col("text").str.count_matches('"', literal=True)
        is_open = quotes.cum_sum().mod(2).shift(1, fill_value=0) == 1
        frame = (
            frame.with_columns((~is_open).cum_sum().alias("row"))
            .group_by("row", maintain_order=True)
            .agg(pl.col("line").first(), pl.col("text").str.join("\n"))
            .with_columns(pl.col("text").str.replace_all('"[^"]*"', "\u0001"))
        )
    return frame.filter(pl.col("text").str.strip_chars().str.len_bytes() > 0).select(
        "line", (pl.col("text").str.count_matches(separator, literal=True) + 1).cast(pl.Int64).alias("columns")
    )
