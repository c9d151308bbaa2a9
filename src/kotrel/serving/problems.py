"""What went wrong, as RFC 9457 has it: every error that a request can meet ends here."""

from __future__ import annotations

import os
import traceback

import flask
from werkzeug.exceptions import HTTPException, MethodNotAllowed

from kotrel.core.errors import KotrelError
from kotrel.serving.requests import Wrong, problem
from kotrel.workspace.settings import Workspace


def log_error(workspace: Workspace, name: str) -> str:
    """Writes the error in hand where only the service's owner can read it; returns the name of the file."""
    path = workspace.hidden / "service" / f"{name}.log"
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w", encoding="utf-8") as log:
        log.write(traceback.format_exc())
    return path.name


def add_problems(app: flask.Flask, workspace: Workspace) -> None:
    """Adds the answers to errors."""

    @app.errorhandler(KotrelError)
    def told(error: KotrelError) -> flask.Response:
        return problem({1: 422, 2: 404}.get(error.status, 503), error.message, error.hint, error.kind)

    @app.errorhandler(404)
    def nowhere(error: Exception) -> flask.Response:
        return problem(
            404, "there is nothing at this address", "GET /v1/openapi.json says what there is.", "no-such-address"
        )

    @app.errorhandler(405)
    def not_so(error: Exception) -> flask.Response:
        answer = problem(
            405,
            "this address does not accept this method",
            "GET /v1/openapi.json says what it accepts.",
            "no-such-address",
        )
        methods = error.valid_methods if isinstance(error, MethodNotAllowed) else None
        answer.headers["Allow"] = ", ".join(sorted(methods or ()))
        return answer

    @app.errorhandler(Wrong)
    def wrong(error: Wrong) -> flask.Response:
        return problem(error.status, str(error), "", error.kind)

    @app.errorhandler(Exception)
    def unforeseen(error: Exception) -> flask.Response:
        if isinstance(error, HTTPException):
            return problem(error.code or 500, error.name, error.description or "", "wrong-request")
        log = log_error(workspace, "request")
        return problem(
            500, "an unexpected error happened at the service", f"The details are in its {log}.", "unexpected"
        )
