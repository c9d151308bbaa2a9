"""What comes in and what is answered: bodies within their limits, and problems as RFC 9457 has them."""

from __future__ import annotations

import json
import zlib
from typing import Any

import flask
import polars as pl

from kotrel.core.changes.plan_pieces import to_text


def problem(status: int, title: str, detail: str = "", kind: str = "service") -> flask.Response:
    """An answer that says what is wrong (RFC 9457)."""
    body = json.dumps({"type": "about:blank", "status": status, "title": title, "detail": detail, "kind": kind})
    return flask.Response(body, status, content_type="application/problem+json")


class Wrong(Exception):
    """A request that is answered with a problem."""

    def __init__(self, status: int, words: str, kind: str) -> None:
        super().__init__(words)
        self.status, self.kind = status, kind


def raw_body(most: int) -> bytes:
    """The body, unpacked, never larger than the limit."""
    if (flask.request.content_length or 0) > most:
        raise Wrong(413, f"the body is larger than {most:,} bytes: send it in smaller pieces", "too-large")
    raw = flask.request.get_data(cache=False)
    if flask.request.headers.get("Content-Encoding") == "gzip":
        unpacking = zlib.decompressobj(31)
        try:
            raw = unpacking.decompress(raw, most + 1)
        except zlib.error:
            raise Wrong(422, "the body is not packed as its header says", "wrong-body") from None
    if len(raw) > most:
        raise Wrong(413, f"the body is larger than {most:,} bytes unpacked: send it in smaller pieces", "too-large")
    return raw


def json_body(most: int) -> Any:
    try:
        return json.loads(raw_body(most) or b"{}")
    except (ValueError, RecursionError):
        raise Wrong(422, "the body is not JSON", "wrong-body") from None


def rows_text(rows: Any) -> bytes | None:
    """Rows that stand in the job itself, for small jobs: objects with the fields, ``#action`` and ``#row``."""
    if rows is None or rows == []:
        return None
    if not isinstance(rows, list) or not all(isinstance(each, dict) for each in rows):
        raise Wrong(422, "rows are a list of objects", "wrong-job")
    names = list(dict.fromkeys(name for each in rows for name in each))
    if not names:
        raise Wrong(422, "rows have at least one field", "wrong-job")
    texts = [[None if each.get(name) is None else str(each[name]) for name in names] for each in rows]
    return to_text(pl.DataFrame(texts, schema=dict.fromkeys(names, pl.String), orient="row"))
