"""What comes in and what is answered: bodies within their limits, and problems as RFC 9457 has them."""

from __future__ import annotations

import base64
import hashlib
import json
import math
import re
import secrets
import zlib
from typing import Any, Literal, cast

import flask
import polars as pl

from kotrel.core.changes.plan_pieces import to_text
from kotrel.core.stock.sums import LedgerQuery


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
    raw = flask.request.get_data()
    announced = flask.request.content_length
    if announced is not None and announced != len(raw):
        raise Wrong(422, f"{announced:,} bytes were announced, and {len(raw):,} came", "wrong-body")
    if flask.request.headers.get("Content-Encoding") == "gzip":
        raw = _unpacked(raw, most)
    if (digest := flask.request.headers.get("Content-Digest")) is not None:
        _require_digest(flask.request.get_data(), digest)
    if len(raw) > most:
        raise Wrong(413, f"the body is larger than {most:,} bytes unpacked: send it in smaller pieces", "too-large")
    return raw


def _unpacked(raw: bytes, most: int) -> bytes:
    """A gzip body, all of it: it may have several members, and ends with the last one.

    Raises:
        Wrong: it is cut short, goes on with something else, or is larger than the limit.
    """
    whole, left = b"", raw
    while left:
        unpacking = zlib.decompressobj(31)
        try:
            whole += unpacking.decompress(left, most + 1 - len(whole))
        except zlib.error:
            raise Wrong(422, "the body is not packed as its header says", "wrong-body") from None
        if len(whole) > most:
            break
        if not unpacking.eof:
            raise Wrong(422, "the body is cut short: it ends within what is packed", "wrong-body")
        left = unpacking.unused_data
    return whole


def _require_digest(raw: bytes, said: str) -> None:
    """The fingerprint that the client gives of what it sends (RFC 9530), where it is of a kind that is known here."""
    for name, value in re.findall(r"([a-z0-9-]+)\s*=\s*:([A-Za-z0-9+/=]*):", said):
        if name in ("sha-256", "sha-512"):
            own = base64.b64encode(hashlib.new(name.replace("-", ""), raw).digest()).decode()
            if not secrets.compare_digest(own, value):
                raise Wrong(422, "the body is not what its Content-Digest says: it changed on its way", "wrong-body")


def _finite(text: str) -> float:
    number = float(text)
    if not math.isfinite(number):
        raise ValueError(f"{text} is no number")
    return number


def _no_number(text: str) -> None:
    raise ValueError(f"{text} is no number")


def json_body(most: int) -> Any:
    raw = raw_body(most)
    if not raw:
        raise Wrong(422, "the request has no body", "wrong-body")
    try:
        return json.loads(raw, parse_float=_finite, parse_constant=_no_number)
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
    texts = [[_cell(name, each.get(name)) for name in names] for each in rows]
    return to_text(pl.DataFrame(texts, schema=dict.fromkeys(names, pl.String), orient="row"))


def _cell(name: str, value: Any) -> str | None:
    """A value of a row as text: a text as it is, a whole number, yes or no.
    Any other number has lost digits on its way, perhaps.
    """
    if value is None or isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int):
        return str(value)
    raise Wrong(
        422,
        f"“{name}” is a text: numbers with decimals stand in quotes, and a list is one text, its values joined by “; ”",
        "wrong-job",
    )


COUNTS_AS = ("on hand", "on order", "reserved")
MOST = 2_147_483_647
"""The largest number in an address or a body: that of a load, a row, a piece."""


class RequestMembers:
    """The members of a JSON object.

    Raises:
        Wrong: it is no object; each method: the member is not what it must be.
    """

    def __init__(self, said: Any, what: str = "the body") -> None:
        if not isinstance(said, dict):
            raise Wrong(422, f"{what} is a JSON object", "wrong-body")
        self._said = said

    def text(self, name: str) -> str | None:
        """A text; None where it is not there, or null."""
        value = self._said.get(name)
        if value is not None and not isinstance(value, str):
            raise _wrong(name, "a text")
        return value

    def needed(self, name: str) -> str:
        """A text that must be there."""
        value = self.text(name)
        if not value:
            raise _wrong(name, "a text, and must be there")
        return value

    def require(self, *names: str) -> None:
        """Members that must be there, and not be null."""
        for name in names:
            if self._said.get(name) is None:
                raise Wrong(422, f"“{name}” is missing", "wrong-body")

    def texts(self, name: str) -> list[str]:
        """A list of texts; an empty one where it is not there, or null."""
        value = self._said.get(name)
        if value is None:
            return []
        if not isinstance(value, list) or not all(isinstance(each, str) for each in value):
            raise _wrong(name, "a list of texts")
        return value

    def count(self, name: str, default: int) -> int:
        """A whole number from 0 on."""
        value = self._said.get(name)
        if value is None:
            return default
        # In JSON, 3.0 is a whole number.
        whole = int(value) if isinstance(value, float) and value.is_integer() else value
        if isinstance(whole, bool) or not isinstance(whole, int) or not 0 <= whole <= MOST:
            raise _wrong(name, "a whole number")
        return whole

    def yes_no(self, name: str) -> bool:
        """Yes or no; no where it is not there."""
        value = self._said.get(name, False)
        if not isinstance(value, bool):
            raise _wrong(name, "true or false")
        return value

    def condition(self, name: str) -> tuple[str, pl.Series] | None:
        """A field and the values that are wanted of it; None where it is not there, or null."""
        value = self._said.get(name)
        return None if value is None else _condition(value, name)

    def conditions(self, name: str) -> list[tuple[str, pl.Series]]:
        """Several of them."""
        value = self._said.get(name)
        if value is None:
            return []
        if not isinstance(value, list):
            raise _wrong(name, "a list of objects with field and values")
        return [_condition(each, name) for each in value]


def require_plan(said: Any) -> dict[str, Any]:
    """The header of a job, as the document says (``Plan``); its rows apart.

    Raises:
        Wrong: a member is not what it must be; it is named.
    """
    asked = RequestMembers(said, "a job")
    if "parts" not in said or not isinstance(said["parts"], list):
        raise Wrong(422, "a job is an object with parts, a list", "wrong-job")
    if asked.text("kind") not in (None, "load", "undo"):
        raise _wrong("kind", "load or undo")
    for name in ("at", "who", "fingerprint", "remark"):
        asked.text(name)
    asked.texts("files")
    asked.yes_no("trial"), asked.yes_no("expects")
    for part in said["parts"]:
        each = RequestMembers(part, "each part of a job")
        each.needed("record"), each.text("file"), each.text("sheet"), each.texts("headings")
        if "fields" not in part:
            raise _wrong("fields", "a list of texts, and must be there")
        each.texts("fields")
    if (undo := said.get("undo")) is not None:
        back = RequestMembers(undo, "undo")
        if "of" not in undo or "date" not in undo:
            raise Wrong(422, "undo says of, the number of a load, and date", "wrong-job")
        back.count("of", 0), back.text("date"), back.yes_no("partial")
    pictures = said.get("pictures", {})
    if not isinstance(pictures, dict):
        raise _wrong("pictures", "an object")
    for about in pictures.values():
        picture = RequestMembers(about, "a picture")
        if "bytes" not in about or "is_picture" not in about:
            raise Wrong(422, "a picture says bytes and is_picture", "wrong-job")
        picture.count("bytes", 0), picture.yes_no("is_picture")
    return cast("dict[str, Any]", said)


def ledger_query(asked: RequestMembers) -> LedgerQuery:
    """A question to the ledger.

    Raises:
        Wrong: the direction is neither in nor out.
    """
    said = asked.text("direction")
    direction: Literal["in", "out"] | None = "in" if said == "in" else "out" if said == "out" else None
    if said != direction:
        raise _wrong("direction", "in or out")
    if (counts_as := asked.text("counts_as") or "on hand") not in COUNTS_AS:
        raise _wrong("counts_as", f"one of {', '.join(COUNTS_AS)}")
    return LedgerQuery(
        asked.texts("by"),
        asked.conditions("among"),
        counts_as,
        asked.text("since"),
        asked.text("until"),
        direction,
        asked.text("as_at"),
    )


def _condition(said: Any, name: str) -> tuple[str, pl.Series]:
    values = said.get("values") if isinstance(said, dict) else None
    if not isinstance(values, list) or not all(each is None or isinstance(each, str) for each in values):
        raise _wrong(name, "an object with field and values, which is a list of texts")
    field = RequestMembers(said).needed("field")
    return field, pl.Series(field, values, dtype=pl.String)


def _wrong(name: str, what: str) -> Wrong:
    return Wrong(422, f"“{name}” is {what}", "wrong-body")
