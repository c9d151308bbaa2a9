"""What became of interrupted loads, according to the journal."""

from __future__ import annotations

from datetime import datetime

from kotrel.core.errors import KotrelError
from kotrel.workspace.in_progress import forget, interrupted
from kotrel.workspace.settings import Workspace


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
    for each in waiting:
        found = next(
            (entry for entry in reversed(entries) if entry.at == each.at and entry.fingerprint == each.fingerprint),
            None,
        )
        what = f"the {each.what} that {each.who} started at {_hour(each.at)} was interrupted"
        if found is None:
            said.append(f"{what}: none of it is in the system. Run it again.")
        elif found.status == "refused":
            said.append(f"{what} after the system had refused it: none of it is in the system ({found.name}).")
        elif found.waiting:
            said.append(f"{what} after its files were written: all of it is sent, as {found.name}.")
        else:
            said.append(f"{what} after it had finished: all of it is in the system, as {found.name}.")
        forget(each)
    return said


def _hour(at: str) -> str:
    try:
        return datetime.fromisoformat(at).astimezone().strftime("%Y-%m-%d %H:%M:%S")
    except ValueError:
        return at
