"""Reading from a service: pages of comma-separated text. A large answer is one look at the system, in several pages."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, RefusedRows
from kotrel.core.changes.journal import Entry, changes_from, load_name
from kotrel.core.changes.plan_pieces import from_text
from kotrel.core.columns import ROW
from kotrel.core.description.model import Description
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.stock.sums import SUMS, LedgerQuery
from kotrel.systems.interface import Reading
from kotrel.systems.service.client import NEXT, Client

FILLER = "#"
"""A column that is never blank: a line of one blank alone would be no line."""


def pages(client: Client, path: str, body: Any, names: Sequence[str]) -> pl.DataFrame:
    """All pages of an answer: String columns ``names``."""
    return pl.concat(_each_page(client, path, body, names))


def _each_page(client: Client, path: str, body: Any, names: Sequence[str]) -> Iterator[pl.DataFrame]:
    answer = client.send("POST", path, body) if body is not None else client.send("GET", path)
    yield _frame(answer.content, names)
    while following := answer.headers.get(NEXT):
        answer = client.following(following)
        yield _frame(answer.content, names)


def _frame(text: bytes, names: Sequence[str]) -> pl.DataFrame:
    rows = from_text(text)
    missing = [name for name in names if name not in rows.columns]
    if missing:
        raise OutOfReach(
            f"the service left out the column {missing[0]}", "It is not as its description says.", "not-as-described"
        )
    return rows.select(pl.col(name).cast(pl.String) for name in names)


class ServiceReading(Reading):
    """Reads of one command. Each answer is of one moment;
    what a load replaces is looked at again by the service itself.
    """

    def __init__(self, client: Client, description: Description) -> None:
        self.client = client
        self.description = description
        self._taken: Mapping[str, Any] | None = None

    def read(
        self,
        record: str,
        fields: Sequence[str],
        among: tuple[str, pl.Series] | None = None,
        filled: str | Sequence[str] | None = None,
    ) -> pl.DataFrame:
        asked = {
            "fields": list(fields),
            "filled": [filled] if isinstance(filled, str) else list(filled) if filled else None,
        }
        path = f"/v1/records/{record}/read"
        if among is None:
            return pages(self.client, path, {**asked, "among": None}, fields)
        field, values = among
        return _in_parts(
            values,
            lambda part: pages(self.client, path, {**asked, "among": _conditions_of([(field, part)])[0]}, fields),
        )

    def require(self, record: str) -> None:
        if self._taken is None:
            self._taken = self.client.send("GET", "/v1/records").json()["records"]
        about = self._taken.get(record)
        lacking = [
            name
            for name in self.description.records[record].fields
            if about is not None and name not in about["fields"]
        ]
        if about is None or lacking:
            what = f"has no field {lacking[0]} in {record}" if about is not None else f"has no record {record}"
            raise OutOfReach(
                f"{self.client.name} {what}",
                "kotrel init --system URL in another folder fetches its description as it is now.",
                "not-as-described",
            )

    def replaced_otherwise(self, changes: RecordChanges) -> list[tuple[int, str, str]]:
        return []

    def ledger_sums(self, query: LedgerQuery) -> pl.DataFrame:
        by, among = query.by, query.among
        asked = {
            "by": list(by),
            "counts_as": query.counts_as,
            "since": query.since,
            "until": query.until,
            "direction": query.direction,
            "as_at": query.as_at,
        }

        def ask(conditions: Sequence[tuple[str, pl.Series]]) -> pl.DataFrame:
            return pages(self.client, "/v1/sums", {**asked, "among": _conditions_of(conditions)}, [*by, *SUMS])

        longest = max(among, key=lambda each: len(each[1]), default=None)
        if longest is None or longest[0] not in by:
            # Parts of what is not summed by would have to be added up.
            return ask(among)
        others = [each for each in among if each is not longest]
        return _in_parts(longest[1], lambda part: ask([*others, (longest[0], part)]))

    def movements_since(self, moment: str, among: Sequence[tuple[str, pl.Series]] = ()) -> pl.DataFrame:
        asked = {"moment": moment, "among": _conditions_of(among)}
        names = ("item", "warehouse", "bin", "lot", "serial", "quantity", "posted_at")
        return pages(self.client, "/v1/movements", asked, names)

    def loads_of(self, record: str, keys: Sequence[str]) -> dict[str, int]:
        if not keys:
            return {}
        found: dict[str, int] = {}
        for at in range(0, len(keys), AT_ONCE):
            asked = {"record": record, "keys": list(keys[at : at + AT_ONCE])}
            found |= self.client.send("POST", "/v1/loads/of", asked).json()["loads"]
        return found

    def history(self) -> list[Entry]:
        return history(self.client)

    def trouble_with(self, number: int) -> str:
        return str(entry_of(self.client, number)["trouble"])

    def changes_of(self, number: int) -> list[RecordChanges]:
        parts = entry_of(self.client, number)["parts"]
        names = ("line", "row", "action", "after", "before", "raw")
        lines = _each_page(self.client, f"/v1/loads/{number}/lines", None, names)
        pieces = (page.with_columns(pl.col("row").cast(pl.UInt32)) for page in lines)
        return list(changes_from(parts, pieces, self.description, number))


AT_ONCE = 50_000
"""Values that one request names; a service takes only so large a body."""


def _in_parts(values: pl.Series, ask: Callable[[pl.Series], pl.DataFrame]) -> pl.DataFrame:
    """The rows for all the values, asked for in as many requests as the service takes them in."""
    several = values.unique() if len(values) > AT_ONCE else values
    frames = []
    for at in range(0, max(len(several), 1), AT_ONCE):
        part = several.slice(at, AT_ONCE)
        try:
            frames.append(ask(part))
        except OutOfReach as error:
            half = len(part) // 2
            if error.kind != "too-large" or not half:
                raise
            frames += [_in_parts(part.slice(0, half), ask), _in_parts(part.slice(half), ask)]
    return pl.concat(frames)


def _conditions_of(conditions: Sequence[tuple[str, pl.Series] | None]) -> list[dict[str, Any]]:
    return [
        {"field": each[0], "values": each[1].unique().drop_nulls().to_list()} for each in conditions if each is not None
    ]


def history(client: Client, audited: bool = False) -> list[Entry]:
    """All loads, the oldest first."""
    loads = client.send("GET", "/v1/loads", params={"audited": "1"} if audited else {}).json()["loads"]
    return [Entry(**{**each, "files": tuple(each["files"]), "notes": tuple(each.get("notes", ()))}) for each in loads]


def entry_of(client: Client, number: int) -> dict[str, Any]:
    """A load's parts and what is wrong with its journal.

    Raises:
        WrongUse: there is no such load.
    """
    try:
        found: dict[str, Any] = client.send("GET", f"/v1/loads/{number}").json()
    except WrongUse:
        raise WrongUse(f"there is no load {load_name(number)}", "kotrel history lists them.", "no-such-load") from None
    return found


def outcome(client: Client, number: int) -> pl.DataFrame:
    """The rows of a load."""
    entry_of(client, number)
    names = ("file", "sheet", "row", "record", "key", "action", "outcome", "message")
    rows = pages(client, f"/v1/loads/{number}/outcome", None, names)
    return rows.with_columns(pl.col("row").cast(pl.UInt32), pl.col("file", "sheet").fill_null(""))


def rest_by_service(client: Client, number: int) -> list[tuple[str, str, RefusedRows, dict[int, str]]]:
    """The refused rows of a load."""
    entry_of(client, number)
    refused = []
    for sent_rest in client.send("GET", f"/v1/loads/{number}/rest").json()["rest"]:
        letters = [str(name) for name in sent_rest["letters"]]
        schema = {ROW: pl.UInt32, **dict.fromkeys(letters, pl.String)}
        cells, kinds = (pl.DataFrame(sent_rest[what], schema=schema, orient="row") for what in ("cells", "kinds"))
        reasons = {int(row): str(words) for row, words in sent_rest["reasons"].items()}
        refused.append(
            (
                str(sent_rest["file"]),
                str(sent_rest["sheet"]),
                RefusedRows(tuple(sent_rest["headings"]), cells, kinds),
                reasons,
            )
        )
    return refused
