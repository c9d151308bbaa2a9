"""The service: a thin face of the workspace's system. What each address does is said in ``openapi.json``."""

from __future__ import annotations

import gzip
import re
import secrets
import threading
import time
from collections import OrderedDict
from functools import partial
from importlib import resources
from typing import Any
from urllib.parse import urlsplit

import flask
import polars as pl

from kotrel.core.changes.plan_pieces import changes_in, require_headings, stamp_from, to_text, undoing_from
from kotrel.core.columns import ROW
from kotrel.core.description.model import Description
from kotrel.core.phrases import listed_and
from kotrel.serving.carrying_out import carry_out, create_table
from kotrel.serving.jobs import UNFINISHED, Jobs
from kotrel.serving.picture_addresses import PictureName, add_pictures
from kotrel.serving.problems import add_problems
from kotrel.serving.reads import browse_rows, entry_reply, read_record_rows, require_ledger_fields, size_asked
from kotrel.serving.requests import (
    MOST,
    RequestMembers,
    Wrong,
    json_body,
    ledger_query,
    problem,
    raw_body,
    require_plan,
    rows_text,
)
from kotrel.serving.tokens import RIGHTS, Holder, Tokens
from kotrel.systems.service.client import NEXT
from kotrel.systems.service.service_reading import FILLER
from kotrel.systems.sql import database_journal as journal
from kotrel.systems.sql.database_system import SqlReading
from kotrel.workspace.settings import Workspace

PAGE = 50_000
OF_JOBS = ("new_job", "piece", "start", "one", "all_jobs")
"""Addresses of jobs: each job belongs to the token that opened it."""
KEPT = 32
"""Answers of several pages that are kept, the latest."""


class Service:
    """One workspace's system as a service.

    Args:
        token: what clients have to send, or None for anybody.
        body_bytes: the largest body, unpacked.
        rate: requests in a second, or None for any number.
    """

    def __init__(
        self,
        workspace: Workspace,
        token: str | None,
        body_bytes: int = 16_000_000,
        rate: float | None = None,
        slow: float = 0,
    ) -> None:
        self.workspace = workspace
        self.tokens = Tokens(workspace.hidden / "service", token)
        self.body_bytes = body_bytes
        self._rate = rate
        self._seen: list[float] = []
        self._answers: OrderedDict[str, pl.DataFrame] = OrderedDict()
        self._lock = threading.Lock()
        create_table(workspace)
        self.jobs = Jobs(workspace.hidden / "service" / "jobs", partial(carry_out, workspace), slow)

    def too_fast(self) -> bool:
        """True where there have been too many requests within the last second."""
        if self._rate is None:
            return False
        with self._lock:
            now = time.monotonic()
            self._seen = [at for at in self._seen if at > now - 1]
            self._seen.append(now)
            return len(self._seen) > self._rate

    def paged(self, frame: pl.DataFrame, size: int = PAGE) -> flask.Response:
        """The first page of an answer; the others are kept for a while, all of the same moment."""
        if frame.height <= size:
            return _text(frame)
        name = secrets.token_hex(8)
        with self._lock:
            self._answers[name] = frame
            while len(self._answers) > KEPT:
                self._answers.popitem(last=False)
        return self.page(name, 0, size)

    def page(self, name: str, start: int, size: int) -> flask.Response:
        with self._lock:
            frame = self._answers.get(name)
        if frame is None:
            return problem(410, "this answer is no longer kept", "Ask for it again.", "page-gone")
        answer = _text(frame.slice(start, size))
        if start + size < frame.height:
            answer.headers[NEXT] = f"/v1/pages/{name}/{start + size}?size={size}"
        return answer


def _text(frame: pl.DataFrame) -> flask.Response:
    body = to_text(frame.with_columns(pl.lit("1").alias(FILLER)))
    headers = {"Content-Type": "text/csv; charset=utf-8"}
    if len(body) > 4_000 and "gzip" in flask.request.headers.get("Accept-Encoding", ""):
        body, headers = gzip.compress(body, 1), {**headers, "Content-Encoding": "gzip"}
    return flask.Response(body, headers=headers)


def create_app(service: Service) -> flask.Flask:
    """The application, for any server that runs such."""
    app = flask.Flask("kotrel")
    app.url_map.converters["picture"] = PictureName
    app.json.sort_keys = False  # type: ignore[attr-defined]
    app.before_request(lambda: _refusal(service))
    add_problems(app, service.workspace)
    _add_description(app, service)
    _add_reads(app, service)
    _add_loads(app, service)
    _add_jobs(app, service)
    add_pictures(app, service.workspace, service.body_bytes)
    return app


def _refusal(service: Service) -> flask.Response | None:
    """Why a request is not taken, or None; what is taken has its holder."""
    if service.too_fast():
        # Before anything is looked at: wrong tokens count too.
        answer = problem(429, "too many requests", "Wait a second.", "too-fast")
        answer.headers["Retry-After"] = "1"
        return answer
    if "Transfer-Encoding" in flask.request.headers and "Content-Length" in flask.request.headers:
        # Two ways to say where the body ends: what stands between us and the client may take the other one (RFC 9112,
        # 6.1).
        answer = problem(400, "the length of the body is given in two ways", "", "wrong-request")
        answer.headers["Connection"] = "close"
        return answer
    if service.tokens.own is None and not _from_here():
        return problem(
            403,
            "this service takes requests without a token only from programs on this machine",
            "",
            "not-from-here",
        )
    given = flask.request.headers.get("Authorization", "")
    holder = Holder() if service.tokens.own is None else service.tokens.holder(given)
    if holder is None:
        answer = problem(401, "the token is missing or wrong", "", "no-right")
        answer.headers["WWW-Authenticate"] = "Bearer"
        return answer
    flask.g.holder = holder
    # A job is asked about by whoever may send one; which right it takes shows when it is opened.
    if flask.request.endpoint == "new_picture":
        _require(holder, "load")
    elif flask.request.endpoint not in ("about", "document", *OF_JOBS):
        _require(holder, "read")
    return None


def _add_description(app: flask.Flask, service: Service) -> None:
    """What the service is, and what its records are."""
    workspace = service.workspace

    @app.get("/v1")
    def about() -> Any:
        return {
            "title": workspace.description.title,
            "protocol": "1",
            "limits": {"body_bytes": service.body_bytes, "page_rows": PAGE},
        }

    @app.get("/v1/openapi.json")
    def document() -> Any:
        return flask.Response(
            resources.files("kotrel.serving").joinpath("openapi.json").read_text("utf-8"),
            content_type="application/json",
        )

    @app.get("/v1/description")
    def description() -> flask.Response:
        return flask.Response((workspace.folder / "system.toml").read_text("utf-8"), content_type="application/toml")

    @app.get("/v1/records")
    def records() -> Any:
        return {
            "records": {
                name: {"title": each.title, "key": list(each.key), "fields": list(each.fields)}
                for name, each in workspace.description.records.items()
            }
        }


def _add_reads(app: flask.Flask, service: Service) -> None:
    """Rows of records, sums and movements of the ledger."""
    workspace = service.workspace

    @app.get("/v1/records/<record>")
    def browse(record: str) -> Any:
        return browse_rows(workspace, record)

    @app.post("/v1/records/<record>/read")
    def read(record: str) -> flask.Response:
        asked = RequestMembers(json_body(service.body_bytes))
        size = asked.count("size", PAGE) or PAGE
        wanted = asked.texts("fields"), asked.condition("among"), asked.texts("filled")
        with workspace.system().reading() as reading:
            return service.paged(read_record_rows(reading, workspace.description, record, *wanted), size)

    @app.get(f"/v1/pages/<name>/<int(max={MOST}):start>")
    def page(name: str, start: int) -> flask.Response:
        size = size_asked(PAGE)
        return service.page(name, start, size)

    @app.post("/v1/sums")
    def sums() -> flask.Response:
        asked = RequestMembers(json_body(service.body_bytes))
        asked.require("by")
        query = ledger_query(asked)
        require_ledger_fields(workspace.description, [*query.by, *(field for field, _ in query.among)])
        with workspace.system().reading() as reading:
            found = reading.ledger_sums(query)
            return service.paged(found)

    @app.post("/v1/movements")
    def movements() -> flask.Response:
        asked = RequestMembers(json_body(service.body_bytes))
        moment, among = asked.needed("moment"), asked.conditions("among")
        require_ledger_fields(workspace.description, [field for field, _ in among])
        with workspace.system().reading() as reading:
            return service.paged(reading.movements_since(moment, among))


def _add_loads(app: flask.Flask, service: Service) -> None:
    """The journal: loads, their rows, and what came of them."""
    workspace = service.workspace

    @app.get("/v1/loads")
    def loads() -> Any:
        system = workspace.system()
        found = system.audited_history() if flask.request.args.get("audited") else system.history()
        return {"loads": [entry_reply(each) for each in found]}

    @app.post("/v1/loads/of")
    def loads_of() -> Any:
        asked = RequestMembers(json_body(service.body_bytes))
        asked.require("keys")
        record, keys = asked.needed("record"), asked.texts("keys")
        with workspace.system().reading() as reading:
            return {"loads": reading.loads_of(record, keys)}

    @app.get("/v1/loads/<int(min=1, max=2147483647):number>")
    def load(number: int) -> Any:
        with workspace.system().reading() as reading:
            assert isinstance(reading, SqlReading)
            return {"parts": journal.load_parts(reading.database, number), "trouble": reading.trouble_with(number)}

    @app.get("/v1/loads/<int(min=1, max=2147483647):number>/lines")
    def lines(number: int) -> flask.Response:
        with workspace.system().reading() as reading:
            assert isinstance(reading, SqlReading)
            done = pl.concat(journal.lines_done(reading.database, number))
            return service.paged(done.with_columns(pl.col("row").cast(pl.String)))

    @app.get("/v1/loads/<int(min=1, max=2147483647):number>/outcome")
    def outcome(number: int) -> flask.Response:
        return service.paged(workspace.system().outcome(number).with_columns(pl.col("row").cast(pl.String)))

    @app.get("/v1/loads/<int(min=1, max=2147483647):number>/rest")
    def rest(number: int) -> Any:
        rest_parts = workspace.system().rest_of(number)
        return {
            "rest": [
                {
                    "file": file,
                    "sheet": sheet,
                    "headings": list(refused.headings),
                    "letters": [n for n in refused.cells.columns if n != ROW],
                    "cells": refused.cells.rows(),
                    "kinds": refused.kinds.rows(),
                    "reasons": reasons,
                }
                for file, sheet, refused, reasons in rest_parts
            ]
        }


def _own_jobs(jobs: Jobs, unfinished: bool) -> list[dict[str, Any]]:
    """The jobs that whoever asks may see; those that are not finished, or all."""
    mine = [each for each in jobs.all() if flask.g.holder.may_see(each.get("owner", ""))]
    return [each for each in mine if each["status"] in UNFINISHED] if unfinished else mine


def _add_jobs(app: flask.Flask, service: Service) -> None:
    """Loads that are sent in pieces."""
    jobs = service.jobs

    @app.post("/v1/jobs")
    def new_job() -> Any:
        return _open_job(service)

    @app.put("/v1/jobs/<job>/pieces/<int(max=999999):number>")
    def piece(job: str, number: int) -> Any:
        _require_job(jobs, job)
        part = flask.request.args.get("part", "0")
        if not re.fullmatch("[0-9]{1,6}", part):
            raise Wrong(422, "part is the number of a part, counted from 0", "wrong-job")
        try:
            text = raw_body(service.body_bytes)
            if not text:
                raise Wrong(422, "the request has no body", "wrong-body")
            require_headings(text)
            jobs.add_piece(job, number, int(part), text)
        except ValueError as error:
            raise Wrong(422, str(error), "wrong-job") from None
        return flask.Response(status=204)

    @app.post("/v1/jobs/<job>/start")
    def start(job: str) -> Any:
        _require_job(jobs, job)
        asked = RequestMembers(json_body(service.body_bytes))
        asked.require("pieces")
        try:
            return _job(jobs.begin(job, asked.count("pieces", 0)), jobs), 202
        except ValueError as error:
            raise Wrong(409, str(error), "piece-missing") from None

    @app.get("/v1/jobs/<job>")
    def one(job: str) -> Any:
        return _job(_require_job(jobs, job), jobs)

    @app.get("/v1/jobs")
    def all_jobs() -> Any:
        return {"jobs": [_job(each, jobs) for each in _own_jobs(jobs, bool(flask.request.args.get("unfinished")))]}


def _open_job(service: Service) -> Any:
    """A new job, or the one that is there under its key; rows that come with it are taken at once."""
    jobs = service.jobs
    key = flask.request.headers.get("Idempotency-Key")
    if not key:
        raise Wrong(422, "the header Idempotency-Key is missing", "no-key")
    header = require_plan(json_body(service.body_bytes))
    _require_job_header(header, service.workspace.description)
    _require(flask.g.holder, "undo" if header.get("undo") else "load")
    rows = [part.pop("rows", None) for part in header["parts"]]
    try:
        about, new = jobs.open(key, header, flask.g.holder.name)
    except ValueError as error:
        raise Wrong(422, str(error), "key-used") from None
    sent = [(number, text) for number, text in enumerate(map(rows_text, rows)) if text is not None]
    try:
        for piece, (number, text) in enumerate(sent):
            jobs.add_piece(about["job"], piece, number, text)
        if sent and (new or about["status"] == "open"):
            about = jobs.begin(about["job"], len(sent))
    except ValueError as error:
        raise Wrong(422, str(error), "wrong-job") from None
    return _job(about, jobs), 201 if new else 200


def _require_job_header(header: dict[str, Any], description: Description) -> None:
    """Answers at once with whatever can be known of a job before its rows.

    Raises:
        Wrong: the job is not as the protocol says.
    """
    try:
        stamp_from(header), undoing_from(header), changes_in(_uncounted(header), [], description)
    except (ArithmeticError, ValueError, LookupError, TypeError) as error:
        raise Wrong(422, f"the job is not as the protocol says: {error}", "wrong-job") from None


def _uncounted(header: dict[str, Any]) -> dict[str, Any]:
    """A header that announces no rows."""
    return {**header, "parts": [{**part, "count": None} for part in header["parts"]]}


def _require(holder: Holder, right: str) -> None:
    """
    Raises:
        Wrong: the token does not have the right.
    """
    if right not in holder.rights:
        has = listed_and([each for each in RIGHTS if each in holder.rights]) or "nothing"
        raise Wrong(403, f"the token of {holder.name} may not {right}: it may {has}", "no-right")


def _from_here() -> bool:
    """False for a request that a page of another site lets a browser send,
    under whatever name it calls this machine.
    """
    headers = flask.request.headers
    host = flask.request.host.lower()
    origin = headers.get("Origin")
    return (
        re.fullmatch(r"(127\.0\.0\.1|localhost|\[::1\])(:[0-9]+)?", host) is not None
        and (origin is None or urlsplit(origin).netloc.lower() == host)
        and headers.get("Sec-Fetch-Site", "none") in ("none", "same-origin")
    )


def _require_job(jobs: Jobs, job: str) -> dict[str, Any]:
    about = jobs.of(job)
    if about is None or not flask.g.holder.may_see(about.get("owner", "")):
        raise Wrong(404, f"there is no job {job}", "no-such-job")
    return about


def _job(about: dict[str, Any], jobs: Jobs) -> dict[str, Any]:
    shown = {name: about[name] for name in ("job", "status", "step", "result", "problem") if about.get(name)}
    return {**shown, "pieces": jobs.pieces(about["job"])} if about["status"] == "open" else shown
