"""Faults on demand: what networks and servers do to people, done on purpose, so that clients can be tried."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterable, Mapping
from typing import Any

Answer = Callable[..., Any]
FAULTS = {
    "error": "answers 500 and does nothing",
    "late-error": "does it, and answers 500 nevertheless",
    "drop": "does it, and the connection breaks before the answer",
    "twice": "does it twice, as a network that repeats",
    "lose-status": "never tells what became of a job, now and then",
}
"""Name → what it does."""


def _with_length(headers: list[tuple[str, str]], length: int) -> list[tuple[str, str]]:
    others = [(name, value) for name, value in headers if name.lower() != "content-length"]
    return [*others, ("Content-Length", str(length))]


def with_faults(
    app: Any, chances: Mapping[str, float], seed: int = 1
) -> Callable[[dict[str, Any], Answer], Iterable[bytes]]:
    """The application with faults.

    Args:
        chances: fault → how often, from 0 to 1.
    """
    dice = random.Random(seed)

    def run(environ: dict[str, Any], start: Answer) -> tuple[str, list[tuple[str, str]], bytes]:
        told: list[Any] = []

        def keep(status: str, headers: list[tuple[str, str]], exc_info: Any = None) -> Callable[[bytes], object]:
            told[:] = [status, headers]
            return lambda body: None

        parts = app(environ, keep)
        try:
            body = b"".join(parts)
        finally:
            if hasattr(parts, "close"):
                parts.close()
        return told[0], told[1], body

    def faulty(environ: dict[str, Any], start: Answer) -> Iterable[bytes]:
        def happens(name: str) -> bool:
            return dice.random() < chances.get(name, 0)

        if happens("error"):
            start("500 Internal Server Error", [("Content-Length", "0")])
            return [b""]
        if chances.get("twice"):
            environ = _repeatable(environ)
        if happens("twice"):
            run(environ, start)
            environ["wsgi.input"].seek(0)
        status, headers, body = run(environ, start)
        lost = environ["REQUEST_METHOD"] == "GET" and "/jobs/" in environ["PATH_INFO"] and happens("lose-status")
        if lost or happens("late-error"):
            start("500 Internal Server Error", [("Content-Length", "0")])
            return [b""]
        if happens("drop"):
            # More is promised than comes: the server closes the connection in the middle of the answer.
            start(status, _with_length(headers, len(body) + 10))
            return [body[: len(body) // 2]]
        start(status, headers)
        return [body]

    return faulty


def _repeatable(environ: dict[str, Any]) -> dict[str, Any]:
    import io

    return {**environ, "wsgi.input": io.BytesIO(environ["wsgi.input"].read())}
