"""Rows of a record, as programs read them and as people browse them; and entries of the history."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import flask
import polars as pl
from msgspec.structs import asdict

from kotrel.core.changes.journal import Entry
from kotrel.core.description.model import Description
from kotrel.serving.requests import Wrong
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace


def entry_reply(entry: Entry) -> dict[str, Any]:
    """One load of the history."""
    return {**asdict(entry), "files": list(entry.files), "notes": list(entry.notes)}


def require_ledger_fields(description: Description, names: Sequence[str]) -> None:
    """Makes sure that what is asked of the ledger is in it.

    Raises:
        Wrong: a field is not.
    """
    ledger = description.ledger
    for name in names:
        if ledger is not None and name not in ledger.fields:
            raise Wrong(422, f"{ledger.name} has no field {name}", "no-such-field")


def size_asked(usual: int) -> int:
    """How many rows a page is to have, as the address says."""
    said = flask.request.args.get("size")
    if said is None:
        return usual
    if not re.fullmatch("[1-9][0-9]{0,8}", said):
        raise Wrong(422, "“size” is a whole number from 1 on", "wrong-body")
    return int(said)


def read_record_rows(
    reading: Reading,
    description: Description,
    record: str,
    wanted: Sequence[str],
    among: tuple[str, pl.Series] | None = None,
    filled: Sequence[str] = (),
) -> pl.DataFrame:
    """What was asked for; all fields where none is named.

    Raises:
        Wrong: there is no such record or field.
    """
    about = description.records.get(record)
    if about is None:
        raise Wrong(404, f"there is no record {record}", "no-such-record")
    fields = list(wanted) or list(about.fields)
    for name in [*fields, *([among[0]] if among else []), *filled]:
        if name not in about.fields:
            raise Wrong(422, f"{record} has no field {name}", "no-such-field")
    return reading.read(record, fields, among, filled or None)


def browse_rows(workspace: Workspace, record: str) -> Any:
    """Rows of a record as JSON, a page at a time, for people and small programs:
    filters are fields, ``fields`` what is wanted.
    """
    args = flask.request.args
    about = workspace.description.records.get(record)
    if about is None:
        raise Wrong(404, f"there is no record {record}", "no-such-record")
    filters = {name: value for name, value in args.items() if name not in ("fields", "after", "size")}
    wanted = [name for name in args.get("fields", "").split(",") if name] or list(about.fields)
    fields = list(dict.fromkeys([*about.key, *wanted, *filters]))
    first = next(iter(filters.items()), None)
    among = (first[0], pl.Series(first[0], [first[1]], dtype=pl.String)) if first is not None else None
    with workspace.system().reading() as reading:
        rows = read_record_rows(reading, workspace.description, record, fields, among)
    for name, value in filters.items():
        rows = rows.filter(pl.col(name) == value)
    key = pl.concat_str([pl.col(name).fill_null("") for name in about.key], separator=" / ")
    rows = rows.with_columns(key.alias("its key")).sort("its key")
    if after := args.get("after"):
        rows = rows.filter(pl.col("its key") > after)
    page = rows.head(size_asked(100))
    more = rows.height > page.height
    return {"rows": page.select(wanted).to_dicts(), "next": page["its key"][-1] if more else None}
