"""Rows of a record, as programs read them and as people browse them; and entries of the history."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import flask
import polars as pl

from kotrel.core.changes.journal import Entry
from kotrel.core.description.model import Description
from kotrel.serving.requests import Wrong
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace


def entry_json(entry: Entry) -> dict[str, Any]:
    """One load of the history."""
    return {**asdict(entry), "files": list(entry.files)}


def conditions(asked: Any) -> list[tuple[str, pl.Series]]:
    """Fields and the values that are wanted of them."""
    return [
        (str(each["field"]), pl.Series(str(each["field"]), each["values"], dtype=pl.String)) for each in asked or ()
    ]


def read_rows(reading: Reading, description: Description, record: str, asked: Any) -> pl.DataFrame:
    """What was asked for.

    Raises:
        Wrong: there is no such record or field.
    """
    about = description.records.get(record)
    if about is None:
        raise Wrong(404, f"the system takes no record {record}", "no-such-record")
    fields = [str(name) for name in asked.get("fields") or about.fields]
    among = conditions([asked["among"]])[0] if asked.get("among") else None
    for name in [*fields, *([among[0]] if among else []), *(asked.get("filled") or ())]:
        if name not in about.fields:
            raise Wrong(422, f"{record} has no field {name}", "no-such-field")
    return reading.read(record, fields, among, asked.get("filled"))


def browse_rows(workspace: Workspace, record: str) -> Any:
    """Rows of a record as JSON, a page at a time, for people and small programs: filters are fields, ``fields`` what is wanted."""
    args = flask.request.args
    about = workspace.description.records.get(record)
    if about is None:
        raise Wrong(404, f"the system takes no record {record}", "no-such-record")
    filters = {name: value for name, value in args.items() if name not in ("fields", "after", "size")}
    wanted = [name for name in args.get("fields", "").split(",") if name] or list(about.fields)
    asked = {"fields": list(dict.fromkeys([*about.key, *wanted, *filters]))}
    first = next(iter(filters.items()), None)
    if first is not None:
        asked["among"] = {"field": first[0], "values": [first[1]]}  # type: ignore[assignment]
    with workspace.system().reading() as reading:
        rows = read_rows(reading, workspace.description, record, asked)
    for name, value in filters.items():
        rows = rows.filter(pl.col(name) == value)
    key = pl.concat_str([pl.col(name).fill_null("") for name in about.key], separator=" / ")
    rows = rows.with_columns(key.alias("its key")).sort("its key")
    if after := args.get("after"):
        rows = rows.filter(pl.col("its key") > after)
    size = int(args.get("size", 100)) if args.get("size", "100").isdigit() else 100
    page = rows.head(max(size, 1))
    more = rows.height > page.height
    return {"rows": page.select(wanted).to_dicts(), "next": page["its key"][-1] if more else None}
