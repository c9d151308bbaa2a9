"""Requests to a service: each may be sent again without harm, and is, with growing pauses, until an answer comes."""

from __future__ import annotations

import gzip
import re
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from kotrel.core.errors import KotrelError, OutOfReach, WrongUse
from kotrel.systems.credentials import given_for

PATIENCE = 60.0
"""Seconds for which a request is tried again."""
ANSWER_WITHIN = 120.0
"""Seconds that a service may take for one answer."""
AGAIN = (429, 500, 502, 503, 504)
"""Answers after which a request is sent again."""
NEXT = "Next-Page"


class Client:
    """A connection to one service.

    Args:
        url: its address.
        name: how messages call it.
        patience: seconds for which a request is tried again.
        folder: of the workspace that names it, or None where the user has given its address.
    """

    def __init__(self, url: str, name: str, patience: float = PATIENCE, folder: Path | None = None) -> None:
        import httpx

        self.name = name
        self._patience = patience
        token = token_for(url, folder)
        if token and urlsplit(url).scheme == "http" and urlsplit(url).hostname not in ("127.0.0.1", "localhost", "::1"):
            raise WrongUse(
                "a token is not sent over a connection that anybody can read",
                "Use https:// in url under [system] in kotrel.toml.",
                "not-encrypted",
            )
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        self._http = httpx.Client(
            base_url=url.rstrip("/"), headers=headers, timeout=httpx.Timeout(ANSWER_WITHIN, connect=10.0)
        )

    def close(self) -> None:
        self._http.close()

    def following(self, path: str) -> Any:
        """The next page of an answer; returns the response.

        Raises:
            OutOfReach: its address is not of this service: nothing of ours goes anywhere else.
        """
        # Two slashes begin the name of a host, and to some readers so do backslashes.
        if not re.fullmatch(r"/v1/[A-Za-z0-9/_.~%?&=-]*", path):
            raise OutOfReach(
                f"{self.name} names a next page at another address",
                "Tell its administrator: the pages of an answer are at the service itself.",
                "sent-elsewhere",
            )
        return self.send("GET", path)

    def send(
        self,
        method: str,
        path: str,
        body: Any = None,
        text: bytes | None = None,
        headers: Mapping[str, str] | None = None,
        params: Mapping[str, str] | None = None,
        raw: bytes | None = None,
    ) -> Any:
        """Sends a request until it is answered; returns the response.

        Args:
            body: plain data, sent as JSON; or ``text``: comma-separated text, sent compressed; or ``raw``: sent as it
                is.

        Raises:
            OutOfReach: there is no answer, or the service says that it cannot or may not do it.
        """
        import json

        import httpx

        content, more = None, dict(headers or {})
        if body is not None:
            content, more["Content-Type"] = json.dumps(body).encode(), "application/json"
            if len(content) > 100_000:
                content, more["Content-Encoding"] = gzip.compress(content, 1), "gzip"
        elif text is not None:
            content = gzip.compress(text, 1)
            more |= {"Content-Type": "text/csv; charset=utf-8", "Content-Encoding": "gzip"}
        elif raw is not None:
            content, more["Content-Type"] = raw, "application/octet-stream"
        ends, pause, trouble = time.monotonic() + self._patience, 0.1, ""
        while True:
            wait = pause
            try:
                answer = self._http.request(method, path, content=content, headers=more, params=dict(params or {}))
                if answer.status_code < 300:
                    return answer
                if answer.status_code < 400:
                    raise OutOfReach(
                        f"{self.name} sends this request to another address: it answers {answer.status_code}",
                        "Kotrel follows no such answer, so that no token goes elsewhere. If the service has moved, change url "
                        "under [system] in kotrel.toml.",
                        "sent-elsewhere",
                    )
                if answer.status_code not in AGAIN:
                    raise self._error_of(answer)
                trouble = f"it answers {answer.status_code}"
                wait = max(pause, _seconds(answer.headers.get("Retry-After")))
            except httpx.TransportError as error:
                if "CERTIFICATE" in str(error).upper():
                    raise OutOfReach(
                        f"{self.name}: its certificate cannot be trusted: {error}",
                        "Ask its administrator. Kotrel never skips this check.",
                        "certificate",
                    ) from None
                trouble = str(error) or type(error).__name__
            if time.monotonic() + wait > ends:
                raise OutOfReach(
                    f"{self.name} does not answer: {trouble}",
                    "Is it running, and is url under [system] right? Then run this again: nothing is done twice.",
                    "connection-lost",
                )
            time.sleep(wait)
            pause = min(pause * 2, 5.0)

    def _error_of(self, answer: Any) -> KotrelError:
        """What a problem answer (RFC 9457) says, as the error that it is."""
        try:
            problem = answer.json()
        except ValueError:
            problem = {}
        title = str(problem.get("title") or f"it answers {answer.status_code}")
        detail, kind = str(problem.get("detail") or ""), str(problem.get("kind") or "service")
        if answer.status_code in (401, 403):
            return OutOfReach(
                f"{self.name}: {title}",
                detail or "Set KOTREL_TOKEN to the token that its administrator gave you.",
                "no-right",
            )
        if answer.status_code in (404, 409, 410, 422):
            return WrongUse(title, detail, kind)
        return OutOfReach(f"{self.name}: {title}", detail, kind)


def _seconds(text: str | None) -> float:
    return float(text) if text is not None and text.replace(".", "", 1).isdigit() else 0.0


def token_for(url: str, folder: Path | None = None) -> str | None:
    """The token: in KOTREL_TOKEN, or in the keyring (see :func:`kotrel.systems.credentials.given_for`).

    Raises:
        WrongUse: it cannot be one, or it is not known that it is for this address.
    """
    if given := given_for("KOTREL_TOKEN", url, folder):
        return _token(given, "KOTREL_TOKEN")
    try:
        import keyring
        from keyring.errors import KeyringError
    except ImportError:
        return None
    try:
        found: str | None = keyring.get_password("kotrel", url)
    except KeyringError:
        return None
    return _token(found.strip(), "the keyring") if found else None


def _token(text: str, where: str) -> str:
    """The token itself; the message never shows it."""
    if re.fullmatch(r"[!-~]+", text):
        return text
    raise WrongUse(
        f"the token in {where} has a blank, a line break or a letter that no token has",
        "Copy it again: it is one word.",
        "wrong-token",
    )
