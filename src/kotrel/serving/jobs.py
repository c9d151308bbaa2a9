"""Jobs of a service: what was sent, kept in files, so that neither a restart nor a lost answer loses or doubles one.

A job is a folder with ``job.json`` and its pieces. Whether its load was done is written into the system itself, in the
transaction of the load: after a restart nobody has to guess.
"""

from __future__ import annotations

import json
import logging
import os
import queue
import re
import secrets
import threading
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

from kotrel.sheets.safe_writing import make_folder, put_in_place

UNFINISHED = ("received", "working")
MOST_PIECES = 10_000
MOST_OPEN = 100
"""So many jobs may be open, not sent whole."""
OPEN_FOR = 24 * 3600.0
"""Seconds after which a job that was not sent whole is given up."""
LOG = logging.getLogger("kotrel.serving")


class Jobs:
    """All jobs, and the one thread that works on them, in the order in which they came.

    Args:
        folder: where they are kept.
        work: carries out a job: its name, its header and its pieces → what to note of it (``status`` and ``result`` or
            ``problem``).
        slow: seconds that each takes longer.
    """

    def __init__(
        self,
        folder: Path,
        work: Callable[[str, dict[str, Any], Sequence[tuple[int, bytes]], Callable[[str], None]], dict[str, Any]],
        slow: float = 0,
    ) -> None:
        self._folder = folder
        self._work = work
        self._slow = slow
        self._lock = threading.RLock()
        self._queue: queue.Queue[str | None] = queue.Queue()
        # A service that has had thousands of jobs does not read them all for each new one.
        self._by_key: dict[tuple[str, str], str] = {}
        self._open: dict[str, tuple[str, float]] = {}
        self._sent: dict[str, dict[int, set[Path]]] = {}
        make_folder(folder)
        for each in self.all():
            self._know(each)
            # What was received before a restart is worked on now; what was never sent whole stays open.
            if each["status"] in UNFINISHED:
                self._queue.put(each["job"])
        self._thread = threading.Thread(target=self._run, name="jobs", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._queue.put(None)
        self._thread.join(30)

    def all(self) -> list[dict[str, Any]]:
        """All jobs as they stand, the oldest first."""
        found = [self._read(path.parent.name) for path in self._folder.glob("*/job.json")]
        return sorted((each for each in found if each is not None), key=lambda each: (each["received_at"], each["job"]))

    def of(self, job: str) -> dict[str, Any] | None:
        """One job as it stands, or None."""
        return self._read(job) if re.fullmatch(r"J[0-9a-f]{12}", job) else None

    def open(self, key: str, header: dict[str, Any], owner: str = "") -> tuple[dict[str, Any], bool]:
        """A new job, or the one of this owner that has this key already (and whether it is new).

        Raises:
            ValueError: the key belongs to another job.
        """
        with self._lock:
            known = self._read(self._by_key[owner, key]) if (owner, key) in self._by_key else None
            if known is not None:
                if known["header"] != header:
                    raise ValueError("this Idempotency-Key was used for something else")
                return known, False
            now = time.time()
            for job, (_, since) in list(self._open.items()):
                if now - since > OPEN_FOR and (left := self._read(job)) is not None:
                    # Nobody goes on with it; what it was stays known, and its key stays used.
                    self._write({**left, **_failed("the job was never sent whole", "")})
            if sum(whose == owner for whose, _ in self._open.values()) >= MOST_OPEN:
                raise ValueError(f"{MOST_OPEN} jobs are open and not sent whole: start them, or wait a day")
            job = f"J{secrets.token_hex(6)}"
            about = {
                "job": job,
                "key": key,
                "header": header,
                "status": "open",
                "received_at": time.time(),
                "owner": owner,
            }
            make_folder(self._folder / job)
            self._write(about)
            return about, True

    def add_piece(self, job: str, number: int, part: int, text: bytes) -> None:
        """Keeps a piece; the same number again replaces it, until the job is started.

        Raises:
            ValueError: there is no such part, or the job has too many pieces.
        """
        with self._lock:
            about = self._read(job)
            if about is None or about["status"] != "open":
                return
            if part >= len(about["header"].get("parts", [])):
                raise ValueError(f"the job has no part {part}")
            if job not in self._sent:
                self._sent[job] = {}
                for path in self._files(job):
                    self._sent[job].setdefault(_number(path), set()).add(path)
            path, sent = self._folder / job / f"{number:06d}-{part}.csv", self._sent[job]
            if number not in sent and len(sent) >= MOST_PIECES:
                raise ValueError(f"a job has at most {MOST_PIECES:,} pieces: make them larger, or load in several jobs")
            _write_durably(path, text)
            # After a power cut, a piece may be there for two parts.
            for other in sent.get(number, set()) - {path}:
                other.unlink(missing_ok=True)
            sent[number] = {path}

    def pieces(self, job: str) -> list[int]:
        """The numbers of the pieces that are there."""
        return [_number(path) for path in self._files(job)]

    def _files(self, job: str) -> list[Path]:
        """The pieces of a job, in their order."""
        return sorted((self._folder / job).glob("*.csv"))

    def begin(self, job: str, pieces: int) -> dict[str, Any]:
        """Hands a job to the worker; once only.

        Raises:
            ValueError: pieces of it are missing.
        """
        with self._lock:
            about = self._read(job)
            assert about is not None
            if about["status"] != "open":
                return about
            sent_pieces = self.pieces(job)
            if pieces > MOST_PIECES:
                raise ValueError(f"a job has at most {MOST_PIECES:,} pieces")
            if sent_pieces != list(range(pieces)):
                missing = next((number for number in range(pieces) if number not in sent_pieces), None)
                if missing is None:
                    raise ValueError(f"{len(sent_pieces)} pieces came, and {pieces} were announced")
                raise ValueError(f"piece {missing} of {pieces} is missing")
            if not sent_pieces and not about["header"].get("undo"):
                raise ValueError("the job has no rows")
            self._write({**about, "status": "received", "received_at": time.time()})
            self._queue.put(job)
            return {**about, "status": "received"}

    def _run(self) -> None:
        while (job := self._queue.get()) is not None:
            try:
                self._do(job)
            except Exception:  # whatever one job meets, the next one is worked on
                # What became of it is in the system: it is asked again, as after a restart.
                LOG.exception("job %s is looked at again", job)
                time.sleep(1)
                self._queue.put(job)

    def _do(self, job: str) -> None:
        about = self._read(job)
        if about is None or about["status"] not in UNFINISHED:
            return
        self._write({**about, "status": "working"})

        def say(step: str, about: dict[str, Any] = about) -> None:
            self._write({**about, "status": "working", "step": step})

        if self._slow:
            time.sleep(self._slow)
        pieces = [(int(path.stem.split("-")[1]), path.read_bytes()) for path in self._files(job)]
        done = self._work(job, about["header"], pieces, say)
        self._write({**about, **done, "step": ""})
        for path in self._files(job):
            path.unlink(missing_ok=True)

    def _read(self, job: str) -> dict[str, Any] | None:
        path = self._folder / job / "job.json"
        try:
            about: dict[str, Any] = json.loads(path.read_text("utf-8"))
            if not {"job", "key", "header", "status", "received_at"} <= set(about):
                raise ValueError("members are missing")
        except FileNotFoundError:
            return None
        except (ValueError, TypeError):
            # What a power cut has left: it is kept for whoever wants to see it, and is in nobody's way.
            with suppress(OSError):
                path.replace(path.with_name("job.json.broken"))
            LOG.error("%s cannot be read: it is put aside as job.json.broken", path)
            return None
        return about

    def _write(self, about: dict[str, Any]) -> None:
        with self._lock:
            path = self._folder / str(about["job"]) / "job.json"
            _write_durably(path, json.dumps(about, ensure_ascii=False).encode())
            self._know(about)

    def _know(self, about: dict[str, Any]) -> None:
        job, owner = about["job"], about.get("owner", "")
        self._by_key[owner, about["key"]] = job
        if about["status"] == "open":
            self._open[job] = (owner, about["received_at"])
        else:
            self._open.pop(job, None)
            self._sent.pop(job, None)


def _number(piece: Path) -> int:
    return int(piece.name.split("-")[0])


def _failed(title: str, detail: str) -> dict[str, Any]:
    return {"status": "failed", "problem": {"title": title, "detail": detail, "kind": "unexpected"}}


def _write_durably(path: Path, content: bytes) -> None:
    """A file that a power cut leaves as it was or as it is to be, for its owner alone."""
    soon = path.with_suffix(".soon")
    with os.fdopen(os.open(soon, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    put_in_place(soon, path)
