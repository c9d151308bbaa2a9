"""What a journal keeps of each load, wherever it is kept: who loaded what and when, and each row before and after."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any, Literal

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.changes.change_set import Origin, RecordChanges, RefusedRows, key_text
from kotrel.core.changes.journal_lines import LinesInOrder
from kotrel.core.columns import ACTION, LINE, MESSAGE, ROW, before, raw_after, raw_before
from kotrel.core.description.model import Description
from kotrel.core.errors import WrongUse
from kotrel.core.tables.table import letter_of


def image(frame: pl.DataFrame, columns: Sequence[str]) -> pl.Expr:
    """The columns of a row as a JSON list of texts and nulls."""
    parts: list[pl.Expr] = []
    for name in columns:
        text = pl.col(name)
        if bool(frame[name].str.contains(r'["\\\p{Cc}]').any()):
            text = text.str.replace_all("\\", "\\\\", literal=True).str.replace_all('"', '\\"', literal=True)
            for plain, escaped in _ESCAPES:
                text = text.str.replace_all(plain, escaped, literal=True)
        parts.append(
            pl.when(text.is_null()).then(pl.lit("null")).otherwise(pl.concat_str(pl.lit('"'), text, pl.lit('"')))
        )
    return pl.concat_str(pl.lit("["), pl.concat_str(parts, separator=","), pl.lit("]"))


_ESCAPES = tuple((chr(code), f"\\u{code:04x}") for code in (*range(32), 127))
"""JSON allows no control character in a text (RFC 8259, section 7)."""


def from_images(images: pl.Series, names: Sequence[str]) -> pl.DataFrame:
    """The columns ``names`` from a column of images; where there are no images, they share one blank column."""
    if images.null_count() == len(images):
        blank = pl.Series([None], dtype=pl.String).new_from_index(0, len(images))
        return pl.DataFrame([blank.alias(name) for name in names])
    # Decoded once, not once for each column.
    parts = images.str.json_decode(pl.List(pl.String)).alias("parts").to_frame()
    return parts.select(
        pl.col("parts").list.get(place, null_on_oob=True).alias(name) for place, name in enumerate(names)
    )


def raw_image(rows: pl.DataFrame, fields: Sequence[str]) -> pl.Expr:
    """The system's own texts in each row, after and before, where there are any; else null.

    Args:
        rows: of a change set (:class:`~kotrel.core.changes.change_set.RecordChanges`), with the columns that it has.
    """
    names = _raw_names(fields)
    raw_columns = [name for name in names if name in rows.columns]
    if not raw_columns:
        return pl.lit(None, pl.String)
    whole = rows.with_columns(pl.lit(None, pl.String).alias(name) for name in names if name not in raw_columns).select(
        names
    )
    images = whole.select(image(whole, names)).to_series()
    return pl.when(pl.any_horizontal(pl.col(raw_columns).is_not_null())).then(pl.lit(images))


def from_raw_image(images: pl.Series, fields: Sequence[str]) -> list[pl.DataFrame]:
    """The columns that :func:`raw_image` was made of, without those that are blank in every row;
    none where there are none.
    """
    if images.null_count() == len(images):
        return []
    raw = from_images(images, _raw_names(fields))
    return [raw.select(name for name in raw.columns if raw[name].null_count() < raw.height)]


def _raw_names(fields: Sequence[str]) -> list[str]:
    return [raw(name) for raw in (raw_after, raw_before) for name in fields]


Kind = Literal["load", "refused", "undo"]

ROW_COLUMNS = (
    "load", "line", "record", "file", "sheet", "row", "key", "action", "outcome", "message", "after", "before", "raw",
)  # fmt: skip
"""What a journal keeps of each row. ``after`` and ``before`` are images; of a refused row they hold its cells and their
kinds.

``raw`` is an image of the system's own texts, first after and then before, where the canonical texts would not bring
back exactly what the system held; mostly there is none.
"""


def load_name(number: int) -> str:
    """``L0001`` for load 1."""
    return f"L{number:04d}"


def load_number(text: str) -> int:
    """``L0001``, ``l1`` or ``1`` → 1.

    Raises:
        WrongUse: it is not a load number.
    """
    match = re.fullmatch(r"[Ll]?0*([1-9]\d{0,8})", text.strip())
    if not match:
        raise WrongUse(
            f"“{text}” is not a load number", "Load numbers look like L0001; kotrel history lists them.", "no-such-load"
        )
    return int(match[1])


class Stamp(Struct, frozen=True):
    """Who loads what, and when.

    Attributes:
        at: the time, with its zone; ``who``: the user's name; ``files``: names of the files.
        fingerprint: SHA-256 of the files' contents, hexadecimal; ``remark``: why, in the user's words.
        kind: ``load``; ``refused`` where the system itself refused it; or ``undo`` of the load numbered ``of``.
        notes: what its preview said of whole sheets: what was left out, what was not read.
    """

    at: datetime
    who: str
    files: tuple[str, ...]
    fingerprint: str
    remark: str = ""
    kind: Kind = "load"
    of: int | None = None
    notes: tuple[str, ...] = ()

    @property
    def time(self) -> str:
        """The time as a journal keeps it (ISO 8601). Its microseconds tell loads of one second apart."""
        return self.at.isoformat(timespec="microseconds")


class Entry(Struct, frozen=True):
    """One load in the history.

    Attributes:
        counts: for each record, how many rows were new, changed, removed and same.
        login: the database's own name of the user, where it has one.
        trouble: what is wrong with its journal, in words; empty also where nobody looked.
        waiting: it was sent, and the system has not answered for all of its rows yet.
        notes: what its preview said of whole sheets.
    """

    number: int
    kind: Kind
    at: str
    who: str
    files: tuple[str, ...]
    fingerprint: str
    remark: str
    of: int | None
    undone_by: int | None
    counts: dict[str, dict[str, int]] = field(default_factory=dict)
    login: str = ""
    trouble: str = ""
    waiting: bool = False
    notes: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        return load_name(self.number)

    @property
    def status(self) -> str:
        """``loaded``, ``sent``, ``refused`` or ``undone``."""
        if self.waiting or self.kind == "refused":
            return "sent" if self.waiting else "refused"
        return "undone" if self.undone_by else "loaded"


def in_effect(entries: Sequence[Entry]) -> list[Entry]:
    """The loads as they stand: one is undone while the undo that took it back is not undone itself.

    Args:
        entries: with the last undo that took each of them back as a whole, whatever became of that undo.
    """
    by: dict[int, int | None] = {}
    # An undo comes after what it takes back.
    for each in sorted(entries, key=lambda each: each.number, reverse=True):
        by[each.number] = each.undone_by if each.undone_by is not None and by.get(each.undone_by) is None else None
    return [replace(each, undone_by=by[each.number]) for each in entries]


def standing(entries: Sequence[Entry], number: int, hint_when_undone: str, sent_too: bool = False) -> Entry:
    """The load of that number, where it stands: done, and not taken back.

    Args:
        hint_when_undone: what to do where it is undone; ``{undo}`` becomes the name of that undo.
        sent_too: also one that the system has not answered yet.

    Raises:
        WrongUse: there is no such load, it was refused, it is not answered yet, or it is undone.
    """
    entry = next((each for each in entries if each.number == number), None)
    if entry is None:
        raise WrongUse(f"there is no load {load_name(number)}", "kotrel history lists them.", "no-such-load")
    if entry.kind == "refused":
        raise WrongUse(f"{entry.name} was refused: none of it is in the system", "", "load-refused")
    if entry.waiting and not sent_too:
        raise WrongUse(
            f"{entry.name} was sent, and the system has not answered yet",
            f"kotrel outcome {entry.name} shows whether it has.",
            "load-sent",
        )
    if entry.undone_by:
        undo = load_name(entry.undone_by)
        raise WrongUse(
            f"{entry.name} is already undone, by {undo}", hint_when_undone.format(undo=undo), "undone-already"
        )
    return entry


# --- from changes to what is kept ------------------------------------------------------------------------------------


WHOLE = "whole or not at all"
"""The end of a reason that only follows from another row's."""


def joined_reasons(*reasons: str | None) -> str:
    """All reasons why a row of a sheet is refused, each once;
    what only follows from others is left out where they are there.
    """
    every = dict.fromkeys(part for reason in reasons if reason for part in reason.split("; "))
    own = [part for part in every if not part.endswith(WHOLE)]
    return "; ".join(own or every)


def notes_in(parts: Sequence[Mapping[str, Any]]) -> tuple[str, ...]:
    """What a load's preview said of whole sheets: it is kept with the first part."""
    return tuple(str(note) for part in parts[:1] for note in part.get("notes", ()))


def entry_parts(changes: Sequence[RecordChanges], notes: Sequence[str] = ()) -> list[dict[str, Any]]:
    """What a load's entry says about each record: plain data, ready for JSON."""
    parts: list[dict[str, Any]] = [
        {
            "record": part.record.name,
            "file": part.file,
            "sheet": part.sheet,
            "fields": list(part.fields),
            "counts": part.counts,
            "rows": part.frame.height - part.counts["refused"],
            **({"copied": [part.origin.load, part.origin.first, part.origin.last]} if part.origin else {}),
            "headings": list(part.rest.headings) if part.rest else [],
        }
        for part in changes
    ]
    if parts and notes:
        parts[0]["notes"] = list(notes)
    return parts


def counts_of(parts: Sequence[Mapping[str, Any]]) -> dict[str, dict[str, int]]:
    """Record → action → rows, from the parts of an entry."""
    counts: dict[str, dict[str, int]] = {}
    for part in parts:
        record = counts.setdefault(part["record"], {})
        for action, count in part["counts"].items():
            record[action] = record.get(action, 0) + count
    return counts


def _place(changes: RecordChanges, number: int) -> list[pl.Expr]:
    """The columns that identify a row within its load."""
    return [
        pl.lit(number).alias("load"),
        pl.col(LINE).cast(pl.Int64).alias("line"),
        pl.lit(changes.record.name).alias("record"),
        pl.lit(changes.file).alias("file"),
        pl.lit(changes.sheet).alias("sheet"),
        pl.col(ROW).cast(pl.Int64).alias("row"),
    ]


def journal_rows(changes: RecordChanges, number: int, first_line: int) -> pl.DataFrame:
    """The rows of one record's changes as :data:`ROW_COLUMNS`; refused rows are not part of a load."""
    rows = changes.lines_from(first_line)
    fields = list(changes.fields)
    formers = [before(name) for name in fields]
    action = pl.col(ACTION)
    former_key = pl.concat_str(
        [pl.col(before(name)) for name in changes.record.key], separator=" / ", ignore_nulls=True
    )
    return rows.select(
        *_place(changes, number),
        pl.when(action == "removed").then(former_key).otherwise(key_text(changes.record)).alias("key"),
        action.alias("action"),
        pl.when(pl.col(MESSAGE).is_null()).then(pl.lit("done")).otherwise(pl.lit("warning")).alias("outcome"),
        pl.col(MESSAGE).alias("message"),
        pl.when(action.is_in(["new", "changed"])).then(image(rows, fields)).alias("after"),
        pl.when(action.is_in(["removed", "changed"])).then(image(rows, formers)).alias("before"),
        raw_image(rows, fields).alias("raw"),
    )


def refused_rows(changes: RecordChanges, number: int, first_line: int) -> pl.DataFrame:
    """The refused rows of one record's changes as :data:`ROW_COLUMNS`: the cells as they stood, and their kinds."""
    refused = changes.rows_of("refused")
    cells = kinds = pl.lit(None, pl.String)
    if changes.rest is not None:
        letters = [name for name in changes.rest.cells.columns if name != ROW]
        images = changes.rest.cells.select(ROW, image(changes.rest.cells, letters).alias("all cells")).hstack(
            changes.rest.kinds.select(image(changes.rest.kinds, letters).alias("all kinds"))
        )
        refused = refused.join(images, on=ROW, how="left", maintain_order="left")
        cells, kinds = pl.col("all cells"), pl.col("all kinds")
    return refused.with_row_index(LINE, first_line).select(
        *_place(changes, number),
        key_text(changes.record).alias("key"),
        pl.col(ACTION).alias("action"),
        pl.lit("refused").alias("outcome"),
        pl.col(MESSAGE).alias("message"),
        cells.alias("after"),
        kinds.alias("before"),
        pl.lit(None, pl.String).alias("raw"),
    )


def changes_from(
    parts: Sequence[Mapping[str, Any]], pieces: Iterable[pl.DataFrame], description: Description, number: int
) -> Iterator[RecordChanges]:
    """What a load did, record by record.

    Args:
        pieces: line, row, action, after, before and raw of the rows it touched, in the order of their lines. Each piece
            is let go when its images are read: those of a million rows take as much memory as their values.

    Raises:
        WrongUse: the description no longer has what it loaded.
    """
    lines = LinesInOrder(pieces)
    first = 1
    for part in parts:
        record, fields = description.records.get(part["record"]), part["fields"]
        if record is None or any(name not in record.fields for name in fields):
            raise WrongUse(
                f"{load_name(number)} loaded {part['record']} with fields that system.toml no longer describes",
                "Put back the system.toml of that time.",
                "wrong-description",
            )
        origin = Origin(number, first, first + part["rows"] - 1)
        first += part["rows"]
        decoded = [_decoded(rows, fields) for rows in lines.until(origin.last)] or [_decoded(_no_lines(), fields)]
        frame = _in_one(decoded) if len(decoded) > 1 else decoded[0]
        given = part.get("given", {})
        yield RecordChanges(record, part["file"], part["sheet"], tuple(fields), frame, given=given, origin=origin)


def _in_one(pieces: Sequence[pl.DataFrame]) -> pl.DataFrame:
    """Decoded lines after each other. Columns that are blank in every row share one."""
    names = dict.fromkeys(name for piece in pieces for name in piece.columns)
    heights = [piece.height for piece in pieces]
    blank = pl.Series([None], dtype=pl.String).new_from_index(0, sum(heights))
    columns = []
    for name in names:
        # The system's own texts are there only where a piece has some. A column is let go when it is joined.
        parts = [
            piece.drop_in_place(name) if name in piece.columns else blank.head(height)
            for piece, height in zip(pieces, heights, strict=True)
        ]
        if all(part.null_count() == len(part) for part in parts):
            columns.append(blank.alias(name))
        else:
            columns.append(pl.concat([part.alias(name) for part in parts], rechunk=True))
    return pl.DataFrame(columns)


def _no_lines() -> pl.DataFrame:
    return pl.DataFrame(schema={"row": pl.UInt32, **dict.fromkeys(("action", "after", "before", "raw"), pl.String)})


def _decoded(rows: pl.DataFrame, fields: Sequence[str]) -> pl.DataFrame:
    """Lines of the journal as rows of a change set."""
    return pl.concat(
        [
            rows.select(
                pl.col("row").alias(ROW), pl.col("action").alias(ACTION), pl.lit(None, pl.String).alias(MESSAGE)
            ),
            from_images(rows["after"], fields),
            from_images(rows["before"], [before(name) for name in fields]),
            *from_raw_image(rows["raw"], fields),
        ],
        how="horizontal",
    )


def rest_from(
    parts: Sequence[Mapping[str, Any]], rows: pl.DataFrame
) -> Iterator[tuple[str, str, RefusedRows, dict[int, str]]]:
    """The refused rows of a load: file, sheet, the rows as they stood there, and row → its reasons.

    Args:
        rows: file, sheet, row, message, after and before of its refused rows, in their order.
    """
    headings = {(part["file"], part["sheet"]): part.get("headings", []) for part in parts if part.get("headings")}
    for (file, sheet), mine in rows.group_by("file", "sheet", maintain_order=True):
        sheet_place = (str(file or ""), str(sheet or ""))
        heads = headings.get(sheet_place, [])
        letters = [letter_of(each) for each in range(len(heads))]
        kept = mine.filter(pl.col("after").is_not_null()).unique("row", keep="first", maintain_order=True)
        numbers = kept.select(pl.col("row").alias(ROW))
        rest = RefusedRows(
            tuple(heads),
            pl.concat([numbers, from_images(kept["after"], letters)], how="horizontal"),
            pl.concat([numbers, from_images(kept["before"], letters)], how="horizontal"),
        )
        reasons: dict[int, str] = {}
        for row, message in mine.select("row", "message").iter_rows():
            reasons[row] = joined_reasons(reasons.get(row), message)
        yield (*sheet_place, rest, reasons)
