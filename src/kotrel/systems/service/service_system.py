"""A business system behind a service: loads are sent as jobs, and the service says row by row what became of them."""

from __future__ import annotations

import secrets
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import polars as pl

from kotrel.core.changes.change_set import RecordChanges, RefusedRows
from kotrel.core.changes.journal import Entry, Stamp
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.plan_pieces import header_of, pieces_of
from kotrel.core.changes.system_remarks import Refusal
from kotrel.core.description.model import Description
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.rows.system_state import FileFacts
from kotrel.systems.interface import (
    Abilities,
    Altered,
    ConcurrentChange,
    Reading,
    Receipt,
    Refused,
    Step,
    System,
    Writing,
)
from kotrel.systems.service.client import Client
from kotrel.systems.service.service_pictures import kept_pictures, missing_pictures, send_pictures
from kotrel.systems.service.service_reading import ServiceReading, history, outcome, rest_by_service

EVERY = (0.05, 1.0)
"""Seconds between two looks at a job: the first pause, and the longest."""
MOST_BYTES = 8_000_000
"""A piece is never larger, however much the service takes."""
OVER = ("finished", "failed")


class _ServiceWriting(ServiceReading, Writing):
    def __init__(self, client: Client, description: Description, limit: int, pictures: Path | None) -> None:
        super().__init__(client, description)
        self._pictures = pictures
        self._limit = limit
        self._refused = 0

    def take(self, plan: Plan, step: Step) -> Receipt:
        return self._send(plan, False, step)

    def try_out(self, plan: Plan, step: Step) -> Receipt:
        return self._send(plan, True, step)

    def _send(self, plan: Plan, trial: bool, step: Step) -> Receipt:
        header = header_of(plan, trial)
        missing = missing_pictures(self.client, plan, self._pictures) if self._pictures is not None else {}
        if trial:
            # Nothing is sent for a trial but the word that they would come.
            header["pictures"] = {
                name: {"bytes": each.bytes, "is_picture": each.is_picture} for name, each in missing.items()
            }
        else:
            send_pictures(self.client, missing, self._pictures, step)
        step("sending")
        # The key makes it one job, however often this request is sent.
        key = {"Idempotency-Key": secrets.token_hex(16)}
        job = str(self.client.send("POST", "/v1/jobs", header, headers=key).json()["job"])
        sent = 0
        for number, (part, text) in enumerate(pieces_of(plan, self._limit)):
            self.client.send("PUT", f"/v1/jobs/{job}/pieces/{number}", text=text, params={"part": str(part)})
            sent = number + 1
        self.client.send("POST", f"/v1/jobs/{job}/start", {"pieces": sent})
        if not plan.wait and not trial:
            return Receipt(0, (), "sent", job)
        about = wait_for(self.client, job, None, step)
        assert about is not None
        return self._receipt(about)

    def _receipt(self, about: dict[str, Any]) -> Receipt:
        result = about.get("result") or {}
        if about["status"] == "failed":
            problem = about.get("problem") or {}
            raise OutOfReach(
                f"{self.client.name} could not do it: {problem.get('title', 'it does not say why')}; nothing was loaded",
                str(problem.get("detail") or "Ask its administrator; then run it again."),
                str(problem.get("kind") or "service-failed"),
            )
        if result["outcome"] == "changed-meanwhile":
            raise ConcurrentChange
        if result["outcome"] == "refused":
            self._refused = int(result.get("load") or 0)
            raise Refused([Refusal(**each) for each in result["refusals"]])
        altered = tuple(Altered(**each) for each in result.get("altered", ()))
        return Receipt(int(result.get("load") or 0), altered)

    def note_refused(self, changes: Sequence[RecordChanges], stamp: Stamp) -> int:
        # The service has noted it, as it refused it.
        return self._refused


def wait_for(client: Client, job: str, seconds: float | None, step: Step) -> dict[str, Any] | None:
    """Looks at a job until it is over; None where it is not in time.

    Args:
        seconds: so long at most; None for as long as the service answers.
    """
    ends = None if seconds is None else time.monotonic() + seconds
    pause, said = EVERY[0], ""
    while True:
        about: dict[str, Any] = client.send("GET", f"/v1/jobs/{job}").json()
        if about["status"] in OVER:
            return about
        if about["status"] == "open":
            raise WrongUse(f"{job} was never sent whole: nothing of it is loaded", "Run the load again.", "never-sent")
        if (now := str(about.get("step") or about["status"])) != said:
            said = now
            step(now)
        if ends is not None and time.monotonic() + pause > ends:
            return None
        time.sleep(pause)
        pause = min(pause * 1.5, EVERY[1])


class ServiceSystem(System):
    """A system at an address, spoken to in Kotrel's protocol (docs/reference/service-protocol.md)."""

    can = Abilities(answers="later")

    def __init__(
        self, url: str, description: Description, name: str, pictures: Path | None = None, folder: Path | None = None
    ) -> None:
        self._url = url
        self._folder = folder
        self._pictures = pictures
        self.description = description
        self.name = name

    @contextmanager
    def _connected(self) -> Iterator[Client]:
        client = Client(self._url, self.name, folder=self._folder)
        try:
            yield client
        finally:
            client.close()

    @contextmanager
    def reading(self) -> Iterator[Reading]:
        with self._connected() as client:
            yield ServiceReading(client, self.description)

    @contextmanager
    def writing(self) -> Iterator[Writing]:
        with self._connected() as client:
            about = client.send("GET", "/v1").json()
            limit = int(about.get("limits", {}).get("body_bytes", MOST_BYTES))
            yield _ServiceWriting(client, self.description, min(limit, MOST_BYTES), self._pictures)

    def pictures_kept(self, names: Sequence[str]) -> Mapping[str, FileFacts] | None:
        with self._connected() as client:
            return kept_pictures(client, names)

    def history(self) -> list[Entry]:
        with self._connected() as client:
            return history(client)

    def audited_history(self, newest: int | None = None) -> list[Entry]:
        del newest  # the service proves all, beside its own work
        with self._connected() as client:
            return history(client, audited=True)

    def settle(self) -> None:
        with self._connected() as client:
            for each in client.send("GET", "/v1/jobs", params={"unfinished": "1"}).json()["jobs"]:
                if wait_for(client, each["job"], 60.0, lambda step: None) is None:
                    raise OutOfReach(
                        f"{self.name} is still working on {each['job']}", "Try again in a while.", "system-busy"
                    )

    def job(self, reference: str, seconds: float, step: Step) -> dict[str, Any] | None:
        """What became of a job; None while it is worked on."""
        with self._connected() as client:
            return wait_for(client, reference, seconds, step)

    def outcome(self, number: int) -> pl.DataFrame:
        with self._connected() as client:
            return outcome(client, number)

    def rest_of(self, number: int) -> list[tuple[str, str, RefusedRows, dict[int, str]]]:
        with self._connected() as client:
            return rest_by_service(client, number)
