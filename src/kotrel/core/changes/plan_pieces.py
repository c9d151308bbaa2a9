"""A plan as it goes to a service: a header, and its rows in pieces of text that any program can write and read.

A piece is comma-separated text with a line of headings: ``#row``, ``#action`` (new, changed or removed), ``#follows``
(1 for a row that only follows from others), the fields, and ``before:FIELD`` where the rows were there before. A blank
is no value. Rows that are left out of the load because they are wrong go along for the history, with the action
refused, ``#message``, and their cells as they stood: ``cell:A`` and ``kind:A``.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Mapping, Sequence
from datetime import date, datetime
from typing import Any, NamedTuple

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, RefusedRows, key_text
from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan, Undoing
from kotrel.core.columns import ACTION, MESSAGE, ROW, before
from kotrel.core.description.model import Description, Record
from kotrel.core.tables.table import letter_of

BEFORE, FOLLOWS = "before:", "#follows"
PIECE_ROWS = 50_000
GIVEN, BETWEEN = "#given", "\x1f"
MOST_HEADINGS = 16_384
"""As many columns as a sheet of a workbook can have."""


def header_of(plan: Plan, trial: bool) -> dict[str, Any]:
    """Everything of a plan but its rows: plain data, ready for JSON. ``parts`` are its changes, in their order.

    ``expects`` says that the rows are all that will happen, each with what it was before: where the system finds
    something else, somebody was faster, and nothing is done.
    """
    stamp, undoing = plan.stamp, plan.undoing
    return {
        "kind": "undo" if undoing is not None else "load",
        "trial": trial,
        "expects": True,
        "at": stamp.time,
        "who": stamp.who,
        "files": list(stamp.files),
        "fingerprint": stamp.fingerprint,
        "remark": stamp.remark,
        "notes": list(stamp.notes),
        "undo": None
        if undoing is None
        else {"of": undoing.of, "partial": undoing.partial, "date": undoing.day.isoformat()},
        "parts": [
            {
                "record": part.record.name,
                "file": part.file,
                "sheet": part.sheet,
                "fields": list(part.fields),
                "headings": list(part.rest.headings) if part.rest is not None else [],
                "count": part.rows_of("new", "changed", "removed", "refused").height,
            }
            for part in plan.changes
        ],
    }


def stamp_from(header: Mapping[str, Any]) -> Stamp:
    """Who loads what, from a header; what it does not say is blank.

    Raises:
        KeyError, TypeError, ValueError: it is no header.
    """
    undo = header.get("undo")
    at = datetime.fromisoformat(header["at"]) if header.get("at") else datetime.now().astimezone()
    files = tuple(str(each) for each in header.get("files", ()))
    return Stamp(
        at,
        str(header.get("who", "")),
        files,
        str(header.get("fingerprint", "")),
        str(header.get("remark", "")),
        "load" if undo is None else "undo",
        None if undo is None else int(undo["of"]),
        tuple(str(note) for note in header.get("notes", ())),
    )


def undoing_from(header: Mapping[str, Any]) -> Undoing | None:
    """What a header takes back."""
    undo = header.get("undo")
    if undo is None:
        return None
    return Undoing(int(undo["of"]), bool(undo.get("partial")), date.fromisoformat(undo["date"]))


def pieces_of(plan: Plan, most_bytes: int) -> Iterator[tuple[int, bytes]]:
    """The number of a part, and a piece of its rows, none larger than a service takes."""
    for number, part_changes in enumerate(plan.changes):
        touched = part_changes.rows_of("new", "changed", "removed")
        keys = plan.follows.get(part_changes.record.name, frozenset())
        follows = (
            pl.lit(True)
            if part_changes.record.nature == "ledger"
            else key_text(part_changes.record).is_in(list(keys))
            if keys
            else pl.lit(False)
        )
        rows = touched.with_columns(pl.when(follows).then(pl.lit("1")).alias(FOLLOWS))
        # New rows need no columns for what was there before.
        for part, fields in (
            (rows.filter(pl.col(ACTION) == "new"), list(part_changes.fields)),
            (
                rows.filter(pl.col(ACTION) != "new"),
                [*part_changes.fields, *(before(name) for name in part_changes.fields)],
            ),
        ):
            named = {
                name: name.replace("before ", BEFORE, 1) if name.startswith("before ") else name for name in fields
            }
            shaped = part.select(
                pl.col(ROW).alias("#row"),
                pl.col(ACTION).alias("#action"),
                FOLLOWS,
                *(pl.col(n).alias(a) for n, a in named.items()),
            )
            for at in range(0, shaped.height, PIECE_ROWS):
                yield from ((number, text) for text in _texts(shaped.slice(at, PIECE_ROWS), most_bytes))
        left = _refused_with_cells(part_changes)
        for at in range(0, left.height, PIECE_ROWS):
            yield from ((number, text) for text in _texts(left.slice(at, PIECE_ROWS), most_bytes))


def _refused_with_cells(changes: RecordChanges) -> pl.DataFrame:
    """The rows that are left out, with their cells as they stand in the sheet."""
    rows = changes.rows_of("refused")
    shaped = rows.select(
        pl.col(ROW).alias("#row"), pl.col(ACTION).alias("#action"), pl.col(MESSAGE).alias("#message"), *changes.fields
    )
    for what, cells in (
        (("cell:", changes.rest.cells), ("kind:", changes.rest.kinds)) if changes.rest is not None else ()
    ):
        named = cells.select(
            pl.col(ROW).alias("#row"), *(pl.col(name).alias(f"{what}{name}") for name in cells.columns if name != ROW)
        )
        shaped = shaped.join(named.unique("#row", keep="first"), on="#row", how="left", maintain_order="left")
    return shaped


def _texts(rows: pl.DataFrame, most_bytes: int) -> Iterator[bytes]:
    text = to_text(rows)
    if len(text) <= most_bytes or rows.height < 2:
        yield text
        return
    half = rows.height // 2
    yield from _texts(rows.slice(0, half), most_bytes)
    yield from _texts(rows.slice(half), most_bytes)


def to_text(rows: pl.DataFrame) -> bytes:
    """A frame of String columns as comma-separated text; a blank is no value."""
    text = io.BytesIO()
    rows.write_csv(text)
    return text.getvalue()


def require_headings(text: bytes) -> None:
    """What the first line of a piece has to have, whatever its part.

    Raises:
        ValueError: it has no column ``#action``.
    """
    if b"#action" not in text.split(b"\n", 1)[0]:
        raise ValueError("a piece begins with a line of headings, #action among them")


def from_text(text: bytes) -> pl.DataFrame:
    """The same back: String columns.

    Raises:
        ValueError: it is no such text, a line has more or fewer cells than there are headings, or there are too many of
            these.
    """
    if text[: MOST_HEADINGS * 64].split(b"\n", 1)[0].count(b",") >= MOST_HEADINGS:
        raise ValueError(f"a piece has more than {MOST_HEADINGS:,} columns")
    try:
        rows = pl.read_csv(text, infer_schema=False, raise_if_empty=True)
    except pl.exceptions.PolarsError as error:
        raise ValueError(f"this is no comma-separated text with a line of headings: {error}") from None
    _require_whole_lines(text, rows.width)
    return rows


def _require_whole_lines(text: bytes, width: int) -> None:
    """Raises ValueError where a line has fewer cells than there are headings: it may have been cut."""
    if b'"' not in text:
        # As nearly all are: without quotes, each comma separates two cells.
        lines = pl.Series(text.decode("utf-8", "replace").splitlines())
        counts = lines.str.count_matches(",", literal=True) + 1
        short = (counts != width) & ((lines != "") | (width > 1))
        line_number = int(short.arg_max() or 0) + 1 if short.any() else 0
        cells = int(counts[line_number - 1]) if line_number else 0
    else:
        line_number = cells = 0
        for number, line in enumerate(csv.reader(io.StringIO(text.decode("utf-8", "replace"), newline="")), start=1):
            if len(line) != width and (line or width > 1):
                line_number, cells = number, len(line)
                break
    if line_number:
        raise ValueError(f"line {line_number} of a piece has {cells:,} cells, and there are {width:,} headings")


class SentPart(NamedTuple):
    """A part of a job as it was sent.

    Attributes:
        follows: Boolean: which rows only follow from others.
        given: of each row the fields of which it says what was there before, with :data:`BETWEEN` between them.
    """

    changes: RecordChanges
    follows: pl.Series
    given: pl.Series


def _described(part: Mapping[str, Any], description: Description) -> tuple[Record, list[str]]:
    """The record and the fields of a part as it was sent.

    Raises:
        ValueError: one of them is not described, or a part of the key is missing.
    """
    record = description.records.get(part["record"])
    if record is None:
        raise ValueError(f"there is no record {part['record']}")
    fields = [str(name) for name in part["fields"]]
    if unknown := [name for name in fields if name not in record.fields]:
        raise ValueError(f"{record.name} has no field {unknown[0]}")
    if missing := [name for name in record.key if name not in fields]:
        raise ValueError(f"{record.name} needs its key: {missing[0]}")
    return record, fields


def _require_loadable(record: Record, fields: Sequence[str]) -> None:
    kept = [name for name in fields if name not in record.key and record.fields[name].is_kept]
    if kept and not record.is_kept:
        raise ValueError(f"{record.name}: {kept[0]} is kept by the system itself")


def _columns_of(fields: Sequence[str], letters: Sequence[str]) -> dict[str, Any]:
    """The columns of a part, with their kinds: the fields before and after, and the cells of refused rows."""
    texts = [
        *(ACTION, FOLLOWS),
        *fields,
        *(before(name) for name in fields),
        MESSAGE,
        *(f"{what}:{name}" for what in ("cell", "kind") for name in letters),
        GIVEN,
    ]
    return {ROW: pl.UInt32, **dict.fromkeys(texts, pl.String)}


def changes_in(
    header: Mapping[str, Any], pieces: Sequence[tuple[int, bytes]], description: Description
) -> list[SentPart]:
    """The parts of a plan with their rows.

    Raises:
        KeyError, TypeError, ValueError: the header or a piece is not as described; the message says how.
    """
    parts = []
    for number, part in enumerate(header["parts"]):
        record, fields = _described(part, description)
        headings = [str(each) for each in part.get("headings") or ()]
        if len(headings) > MOST_HEADINGS:
            raise ValueError(f"part {number} has more than {MOST_HEADINGS:,} headings")
        if header.get("undo") is None:
            _require_loadable(record, fields)
        letters = [letter_of(index) for index in range(len(headings))]
        columns = _columns_of(fields, letters)
        frames = [_aligned(from_text(text), columns, record.name) for of, text in pieces if of == number]
        rows = pl.concat(frames) if frames else pl.DataFrame(schema=columns)
        announced = part.get("count")
        if announced is not None and announced != rows.height:
            raise ValueError(f"{announced:,} rows of {record.name} were announced, and {rows.height:,} came")
        frame = rows.select(ROW, ACTION, MESSAGE, *fields, *(before(name) for name in fields))
        rest = _refused_rows(rows, headings, letters)
        follows = (rows[FOLLOWS] == "1").fill_null(False)
        changes = RecordChanges(
            record, str(part.get("file", "")), str(part.get("sheet", "")), tuple(fields), frame, rest
        )
        parts.append(SentPart(changes, follows, rows[GIVEN]))
    return parts


def _refused_rows(rows: pl.DataFrame, headings: Sequence[str], letters: Sequence[str]) -> RefusedRows | None:
    left = rows.filter(pl.col(ACTION) == "refused")
    if not headings or not left.height:
        return None
    cells, kinds = (
        left.select(ROW, *(pl.col(f"{what}:{name}").alias(name) for name in letters)) for what in ("cell", "kind")
    )
    return RefusedRows(tuple(headings), cells, kinds)


def _require_actions_and_rows(rows: pl.DataFrame, record: str) -> None:
    wrong = rows.filter(~pl.col(ACTION).is_in(["new", "changed", "removed", "refused"]) | pl.col(ACTION).is_null())
    if wrong.height:
        raise ValueError(f"a piece of {record} has the action “{wrong[ACTION][0]}”; it is new, changed or removed")
    if rows[ROW].cast(pl.UInt32, strict=False).null_count():
        raise ValueError(f"a piece of {record} has a #row that is no number")


def _aligned(rows: pl.DataFrame, columns: Mapping[str, Any], record: str) -> pl.DataFrame:
    if GIVEN in rows.columns:
        raise ValueError(f"a piece of {record} has a column {GIVEN} that its part does not name")
    given = {name: name.removeprefix(BEFORE) for name in rows.columns if name.startswith(BEFORE)}
    rows = rows.rename({name: before(field) for name, field in given.items()})
    rows = rows.with_columns(pl.lit(BETWEEN.join(given.values())).alias(GIVEN))
    for name, own in (("#row", ROW), ("#action", ACTION), ("#message", MESSAGE)):
        if name in rows.columns and own not in rows.columns:
            rows = rows.rename({name: own})
    if unknown := [name for name in rows.columns if name not in columns]:
        raise ValueError(f"a piece of {record} has a column {unknown[0]} that its part does not name")
    if ROW not in rows.columns:
        rows = rows.with_row_index(ROW, 1).with_columns(pl.col(ROW).cast(pl.String))
    if ACTION not in rows.columns:
        raise ValueError(f"a piece of {record} has no column #action")
    _require_actions_and_rows(rows, record)
    return rows.select(
        *(
            pl.col(name).cast(kind, strict=name != ROW) if name in rows.columns else pl.lit(None, kind).alias(name)
            for name, kind in columns.items()
        )
    )
