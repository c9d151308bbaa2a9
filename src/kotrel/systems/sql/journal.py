"""The journal: every load with its rows and what stood before, in the same database and the same transaction.

Two tables. ``load`` has one row for each load; ``load_row`` one for each row of it, with what the row held after and
before as lists of canonical texts, in the order of the fields that ``load`` names for the record.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

import polars as pl

from kotrel.core.changes import Origin, RecordChanges, Rest, before, key_text
from kotrel.core.description import Description
from kotrel.core.errors import WrongUse
from kotrel.core.sheet import letter_of
from kotrel.systems.interface import Entry, Stamp, load_name
from kotrel.systems.sql.database import Database, quoted

SCHEMA = "kotrel"

ROW_COLUMNS = (
    "load",
    "line",
    "record",
    "file",
    "sheet",
    "row",
    "key",
    "action",
    "outcome",
    "message",
    "after",
    "before",
)


def table_name(dialect: str, name: str) -> tuple[str, str]:
    return (SCHEMA, name) if dialect == "postgresql" else ("", f"kotrel_{name}")


def load_table(dialect: str) -> str:
    """The quoted name of the table of loads."""
    return quoted(*table_name(dialect, "load"))


def row_table(dialect: str) -> str:
    """The quoted name of the table of rows."""
    return quoted(*table_name(dialect, "load_row"))


def has_journal(database: Database) -> bool:
    """True where the journal's tables are there."""
    return database.has_table(*table_name(database.dialect, "load"))


def demand_journal(database: Database, name: str) -> None:
    """Raises :class:`WrongUse` where there is no journal: nothing is created in somebody's database unasked."""
    if not has_journal(database):
        raise WrongUse(
            f"{name} has no journal yet, and nothing is loaded without one",
            "Once: kotrel init --journal creates its two tables there.",
            "no-journal",
        )


# --- images of rows --------------------------------------------------------------------------------------------------


def image(frame: pl.DataFrame, columns: Sequence[str]) -> pl.Expr:
    """The columns of a row as a JSON list of texts and nulls."""
    parts: list[pl.Expr] = []
    for name in columns:
        text = pl.col(name)
        if bool(frame[name].str.contains(r'["\\\p{Cc}]').any()):
            text = text.str.replace_all("\\", "\\\\", literal=True).str.replace_all('"', '\\"', literal=True)
            for plain, escaped in (("\n", "\\n"), ("\r", "\\r"), ("\t", "\\t"), ("\x7f", "\\u007f")):
                text = text.str.replace_all(plain, escaped, literal=True)
        parts.append(
            pl.when(text.is_null()).then(pl.lit("null")).otherwise(pl.concat_str(pl.lit('"'), text, pl.lit('"')))
        )
    return pl.concat_str(pl.lit("["), pl.concat_str(parts, separator=","), pl.lit("]"))


def from_images(images: pl.Series, names: Sequence[str]) -> pl.DataFrame:
    """The columns ``names`` from a column of JSON lists."""
    # Taken apart once, not once for each column.
    parts = images.str.json_decode(pl.List(pl.String)).alias("parts").to_frame()
    return parts.select(
        pl.col("parts").list.get(place, null_on_oob=True).alias(name) for place, name in enumerate(names)
    )


# --- writing ---------------------------------------------------------------------------------------------------------


def next_number(database: Database) -> int:
    """The number the next load gets; asked inside its transaction."""
    return int(database.run(f"SELECT coalesce(max(number), 0) + 1 FROM {load_table(database.dialect)}")[0][0])


def write_load(database: Database, number: int, changes: Sequence[RecordChanges], stamp: Stamp) -> None:
    """Writes the row of a load."""
    parts = [
        {
            "record": each.record.name,
            "file": each.file,
            "sheet": each.sheet,
            "fields": list(each.fields),
            "counts": each.counts,
            "rows": each.frame.height - each.counts["refused"],
            "headings": list(each.rest.headings) if each.rest else [],
        }
        for each in changes
    ]
    values: list[Any] = [
        number, stamp.kind, stamp.at.isoformat(timespec="seconds"), stamp.who, json.dumps(list(stamp.files)),
        stamp.fingerprint, stamp.remark, stamp.of, None, json.dumps(parts),
    ]  # fmt: skip
    marks = ", ".join("?" for _ in values)
    database.run(f"INSERT INTO {load_table(database.dialect)} VALUES ({marks})", values)


def note_given(database: Database, number: int, given: Sequence[Mapping[str, str | None]]) -> None:
    """Adds to a load, part by part, what the system itself gave new rows: field → value, or null where it differs."""
    table = load_table(database.dialect)
    parts = json.loads(database.run(f"SELECT parts FROM {table} WHERE number = ?", [number])[0][0])
    for part, each in zip(parts, given, strict=True):
        part["given"] = dict(each)
    database.run(f"UPDATE {table} SET parts = ? WHERE number = ?", [json.dumps(parts), number])


def _place(changes: RecordChanges, number: int) -> list[pl.Expr]:
    """The columns that say which row of which load a line is about."""
    return [
        pl.lit(number).alias("load"),
        pl.col("line").cast(pl.Int64),
        pl.lit(changes.record.name).alias("record"),
        pl.lit(changes.file).alias("file"),
        pl.lit(changes.sheet).alias("sheet"),
        pl.col("row").cast(pl.Int64),
    ]


def journal_rows(changes: RecordChanges, number: int, first_line: int) -> pl.DataFrame:
    """The rows of one record's changes as the journal keeps them; refused rows are not part of a load."""
    rows = changes.frame.filter(pl.col("action") != "refused")
    fields = list(changes.fields)
    formers = [before(name) for name in fields]
    action = pl.col("action")
    key = key_text(changes.record)
    former_key = pl.concat_str(
        [pl.col(before(name)) for name in changes.record.key], separator=" / ", ignore_nulls=True
    )
    return rows.with_row_index("line", first_line).select(
        *_place(changes, number),
        pl.when(action == "removed").then(former_key).otherwise(key).alias("key"),
        action,
        pl.when(pl.col("message").is_null()).then(pl.lit("done")).otherwise(pl.lit("warning")).alias("outcome"),
        pl.col("message"),
        pl.when(action.is_in(["new", "changed"])).then(image(rows, fields)).alias("after"),
        pl.when(action.is_in(["removed", "changed"])).then(image(rows, formers)).alias("before"),
    )


def write_rows(database: Database, changes: RecordChanges, number: int, first_line: int) -> range:
    """Writes the rows of one record's changes, but for refused ones; returns their lines."""
    table = row_table(database.dialect)
    if changes.origin is None:
        rows = journal_rows(changes, number, first_line)
        database.insert(table, ROW_COLUMNS, rows)
        return range(first_line, first_line + rows.height)
    # The removal of new rows: what stood before is what the load wrote after, and is there already.
    columns = ", ".join(quoted(name) for name in ROW_COLUMNS)
    database.run(
        f"INSERT INTO {table} ({columns}) SELECT {number}, line + {first_line - changes.origin.first}, record, "
        f"file, sheet, {quoted('row')}, {quoted('key')}, 'removed', 'done', NULL, NULL, after FROM {table} "
        "WHERE load = ? AND line BETWEEN ? AND ? ORDER BY line",
        [changes.origin.load, changes.origin.first, changes.origin.last],
    )
    return range(first_line, first_line + changes.frame.height)


def refused_rows(changes: RecordChanges, number: int, first_line: int) -> pl.DataFrame:
    """The refused rows of one record's changes as the journal keeps them: the cells as they stood, and their kinds."""
    refused = changes.frame.filter(pl.col("action") == "refused")
    cells = pl.lit(None, pl.String)
    if changes.rest is not None:
        letters = [name for name in changes.rest.cells.columns if name != "row"]
        images = changes.rest.cells.select("row", image(changes.rest.cells, letters).alias("cells")).hstack(
            changes.rest.kinds.select(image(changes.rest.kinds, letters).alias("kinds"))
        )
        refused = refused.join(images, on="row", how="left", maintain_order="left")
        cells = pl.col("cells")
    return refused.with_row_index("line", first_line).select(
        *_place(changes, number),
        key_text(changes.record).alias("key"),
        "action",
        pl.lit("refused").alias("outcome"),
        pl.col("message"),
        cells.alias("after"),
        (pl.col("kinds") if changes.rest is not None else pl.lit(None, pl.String)).alias("before"),
    )


# --- reading ---------------------------------------------------------------------------------------------------------


def entries(database: Database) -> list[Entry]:
    """All loads, the oldest first; none where there is no journal."""
    if not has_journal(database):
        return []
    rows = database.run(
        f'SELECT number, kind, at, who, files, fingerprint, remark, "of", undone_by, parts '
        f"FROM {load_table(database.dialect)} ORDER BY number"
    )
    found = []
    for number, kind, at, who, files, fingerprint, remark, of, undone_by, parts in rows:
        counts: dict[str, dict[str, int]] = {}
        for part in json.loads(parts):
            record = counts.setdefault(part["record"], {})
            for action, count in part["counts"].items():
                record[action] = record.get(action, 0) + count
        found.append(Entry(number, kind, at, who, tuple(json.loads(files)), fingerprint, remark, of, undone_by, counts))
    return found


def outcome_rows(database: Database, number: int) -> pl.DataFrame:
    """The rows of a load, in the order of the load."""
    return _rows(
        database, ["file", "sheet", "row", "record", "key", "action", "outcome", "message"], "load = ?", number
    )


def _rows(database: Database, names: Sequence[str], condition: str, number: int) -> pl.DataFrame:
    """Columns of a load's rows, in the order of the load."""
    wanted = ["line", *(name for name in names if name != "line")]
    columns = [f"CAST({quoted(name)} AS text)" for name in wanted]
    rest = f"FROM {row_table(database.dialect)} WHERE {condition}"
    rows = database.frame(columns, wanted, rest, [number])
    lines = rows["line"].cast(pl.Int64)
    if not lines.is_sorted():
        rows = rows[lines.arg_sort()]
    return rows.select(names).with_columns(pl.col("row").cast(pl.UInt32))


def changes_of(database: Database, description: Description, number: int) -> list[RecordChanges]:
    """What a load did to the rows it touched.

    Raises:
        WrongUse: there is no such load, or the description no longer has what it loaded.
    """
    found = database.run(f"SELECT parts FROM {load_table(database.dialect)} WHERE number = ?", [number])
    if not found:
        raise WrongUse(f"there is no load {load_name(number)}", "kotrel history lists them.", "no-such-load")
    names = ["line", "row", "action", "after", "before"]
    rows = _rows(database, names, "load = ? AND action NOT IN ('same', 'refused')", number)
    lines = rows["line"].cast(pl.Int64)
    first = 1
    changes = []
    for part in json.loads(found[0][0]):
        record, fields = description.records.get(part["record"]), part["fields"]
        if record is None or any(name not in record.fields for name in fields):
            raise WrongUse(
                f"{load_name(number)} loaded {part['record']} with fields that system.toml no longer describes",
                "Put back the system.toml of that time.",
                "wrong-description",
            )
        origin = Origin(number, first, first + part["rows"] - 1)
        mine = rows.filter(lines.is_between(origin.first, origin.last))
        first += part["rows"]
        frame = pl.concat(
            [
                mine.select("row", "action", pl.lit(None, pl.String).alias("message")),
                from_images(mine["after"], fields),
                from_images(mine["before"], [before(name) for name in fields]),
            ],
            how="horizontal",
        )
        given = part.get("given", {})
        changes.append(
            RecordChanges(record, part["file"], part["sheet"], tuple(fields), frame, given=given, origin=origin)
        )
    return changes


def rest_of(database: Database, number: int) -> list[tuple[str, str, Rest, dict[int, str]]]:
    """The refused rows of a load: file, sheet, the rows as they stood there, and row → its reasons."""
    parts = json.loads(
        database.run(f"SELECT parts FROM {load_table(database.dialect)} WHERE number = ?", [number])[0][0]
    )
    headings = {(part["file"], part["sheet"]): part.get("headings", []) for part in parts if part.get("headings")}
    names = ["line", "file", "sheet", "row", "message", "after", "before"]
    rows = _rows(database, names, "load = ? AND action = 'refused'", number)
    found = []
    for (file, sheet), mine in rows.group_by("file", "sheet", maintain_order=True):
        place = (str(file or ""), str(sheet or ""))
        heads = headings.get(place, [])
        letters = [letter_of(each) for each in range(len(heads))]
        kept = mine.filter(pl.col("after").is_not_null()).unique("row", keep="first", maintain_order=True)
        rest = Rest(
            tuple(heads),
            pl.concat([kept.select("row"), from_images(kept["after"], letters)], how="horizontal"),
            pl.concat([kept.select("row"), from_images(kept["before"], letters)], how="horizontal"),
        )
        reasons: dict[int, str] = {}
        for row, message in mine.select("row", "message").iter_rows():
            reasons[row] = "; ".join(filter(None, (reasons.get(row), message)))
        found.append((*place, rest, reasons))
    return found
