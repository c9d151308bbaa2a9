"""Loads in progress: a note that survives an interrupted load, so that the next command can say what became of it."""

from __future__ import annotations

import json
import secrets
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct

from kotrel.core.changes.journal import load_name
from kotrel.core.errors import KotrelError, OutOfReach
from kotrel.sheets.safe_writing import make_folder

if TYPE_CHECKING:
    from filelock import FileLock

    from kotrel.core.changes.journal import Entry, Stamp
    from kotrel.workspace.settings import Workspace

FOLDER = "in-progress"


class Interrupted(Struct, frozen=True):
    """A load or undo that started and did not end properly: who started it, when, and what it was, in words.

    Attributes:
        of: the number of the load that it takes back; None of a load.
    """

    path: Path
    at: str
    who: str
    what: str
    fingerprint: str
    of: int | None

    def is_entry(self, entry: Entry) -> bool:
        """Whether an entry of the journal is what was interrupted. An undo has the fingerprint of its load, and may
        have been started in the same moment. ``who`` says nothing: a service may know the user by another name.
        """
        same = entry.fingerprint == self.fingerprint and _same_time(entry.at, self.at)
        return same and (entry.kind == "undo") == (self.of is not None) and entry.of == self.of


@contextmanager
def in_progress(hidden: Path, stamp: Stamp) -> Iterator[None]:
    """Keeps a note for as long as a load is in progress.

    The note is held by a lock of the operating system, which a killed process releases by itself. If no note
    can be written, the load goes on without one: it only serves the message after an interruption.
    """
    note = hidden / FOLDER / f"{stamp.at:%Y%m%d-%H%M%S}-{secrets.token_hex(3)}.json"
    from filelock import FileLock

    lock = FileLock(note.with_suffix(".lock"))
    try:
        make_folder(note.parent)
        lock.acquire(timeout=0)
        about = {
            "at": stamp.time,
            "who": stamp.who,
            "what": f"undo of {load_name(stamp.of)}" if stamp.of else f"load of {', '.join(stamp.files)}",
            "fingerprint": stamp.fingerprint,
            "of": stamp.of,
        }
        note.write_text(json.dumps(about, ensure_ascii=False), "utf-8")
    except OSError:
        yield
        return
    cut = False
    try:
        yield
    except OutOfReach as error:
        # If the connection broke, nobody knows yet whether the commit arrived: the next command looks.
        cut = error.kind == "connection-lost"
        raise
    finally:
        # In every other case the user is told right away how it ended.
        _let_go(note, lock, keep=cut)


def _let_go(note: Path, lock: FileLock, keep: bool) -> None:
    with suppress(OSError):
        if not keep:
            note.unlink(missing_ok=True)
    with suppress(OSError):
        lock.release()
        Path(lock.lock_file).unlink(missing_ok=True)


def interrupted(hidden: Path) -> list[Interrupted]:
    """The interrupted loads, the oldest first, without those that are still running."""
    interrupted: list[Interrupted] = []
    notes = sorted((hidden / FOLDER).glob("*.json"))
    if not notes:
        return interrupted
    # Only here: most commands meet no note, and start the sooner for it.
    from filelock import FileLock

    for path in notes:
        lock = FileLock(path.with_suffix(".lock"))
        try:
            lock.acquire(timeout=0)
        except OSError:
            continue
        try:
            about = json.loads(path.read_text("utf-8"))
            at, who, what, fingerprint = (str(about[name]) for name in ("at", "who", "what", "fingerprint"))
            of = None if about["of"] is None else int(about["of"])
            interrupted.append(Interrupted(path, at, who, what, fingerprint, of))
        except (OSError, ValueError, KeyError, TypeError):
            with suppress(OSError):
                path.unlink(missing_ok=True)
        finally:
            lock.release()
    return interrupted


def forget(each: Interrupted) -> None:
    """Deletes the note: the user has been told."""
    for path in (each.path, each.path.with_suffix(".lock")):
        with suppress(OSError):
            path.unlink(missing_ok=True)


def report_interrupted(workspace: Workspace) -> list[str]:
    """For each interrupted load, whether all or nothing of it is in the system. Each is reported once."""
    waiting = interrupted(workspace.hidden)
    if not waiting:
        return []
    try:
        # A server may still be finishing what a killed client sent: until it has, nobody knows.
        workspace.system().settle()
        entries = workspace.system().history()
    except KotrelError:
        # While the system cannot be reached or is busy nobody knows, so the note stays.
        return []
    said: list[str] = []
    for note in waiting:
        entry = next(filter(note.is_entry, reversed(entries)), None)
        what = f"the {note.what} that {note.who} started at {_hour(note.at)} was interrupted"
        if entry is None:
            said.append(f"{what}: none of it is in the system. Run it again.")
        elif entry.status == "refused":
            said.append(f"{what} after the system had refused it: none of it is in the system ({entry.name}).")
        elif entry.waiting:
            said.append(f"{what} after its files were written: all of it is sent, as {entry.name}.")
        elif entry.undone_by is not None:
            back = load_name(entry.undone_by)
            said.append(f"{what} after it had finished, as {entry.name}, and {back} has taken it back since.")
        else:
            said.append(f"{what} after it had finished: all of it is in the system, as {entry.name}.")
        forget(note)
    return said


def _same_time(kept: str, noted: str) -> bool:
    """Whether two times are the same, as exactly as the system keeps them: another's service may keep seconds."""
    try:
        system, ours = datetime.fromisoformat(kept), datetime.fromisoformat(noted)
    except ValueError:
        return kept == noted
    return system == (ours if system.microsecond else ours.replace(microsecond=0))


def _hour(at: str) -> str:
    try:
        return datetime.fromisoformat(at).astimezone().strftime("%Y-%m-%d %H:%M:%S")
    except ValueError:
        return at
