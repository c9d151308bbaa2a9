"""The workspace that a command works in, opened as its command line says."""

from __future__ import annotations

import argparse
import getpass
from collections.abc import Mapping, Sequence
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, Protocol

import polars as pl
from msgspec.structs import replace

from kotrel.core.changes.journal import Entry
from kotrel.core.errors import OutOfReach
from kotrel.loading.loads.in_progress import report_interrupted
from kotrel.screen.screen import Screen
from kotrel.workspace.settings import Workspace, find_workspace, open_workspace
from kotrel.workspace.state_version import require_known_state

if TYPE_CHECKING:
    from kotrel.core.loading.load_model import Checked, Preview


class ReadBack(Protocol):
    """A load that was read back.

    Attributes:
        differences: record, key, field (null for the whole row), sent, now: all String.
        too_old: record → when the system last exported it, where that was before the load.
    """

    @property
    def entry(self) -> Entry: ...
    @property
    def differences(self) -> pl.DataFrame: ...
    @property
    def too_old(self) -> Mapping[str, str]: ...


class Exchange(Protocol):
    """What a system that answers later adds to the commands of this room; ``arguments.py`` puts it together with them.

    It is ``kotrel.exchange.later_answers``, imported only by the commands that ask for it.
    """

    def list_remarks(self, workspace: Workspace, today: datetime, comparing: bool) -> list[str]:
        """Reads the lists that a program has exported since; what a person should know of them, a sentence each."""

    def answers_first(
        self, args: argparse.Namespace, workspace: Workspace, screen: Screen
    ) -> tuple[int | None, int | None]:
        """Reads what the system has answered since: the number of the load that is asked for, and the exit status where
        nothing is left to show."""

    def take_proof(self, read_back: ReadBack, workspace: Workspace, now: datetime) -> int:
        """Keeps what reading a load back has proved; returns how many rows were open until now."""


class Reports(Protocol):
    """What writes a page about a command's result in passing; ``arguments.py`` puts it together with the commands.

    It is ``kotrel.reporting.writing``, imported only where ``--report`` asks for it.
    """

    def of_load(self, path: Path, workspace: Workspace, number: int, preview: Preview | None = None) -> object:
        """The page of a load or an undo."""

    def of_sheets(self, path: Path, checked: Sequence[Checked], supplier: bool = False) -> object:
        """The page of checked sheets."""

    def of_count(self, path: Path, workspace: Workspace, name: str) -> object:
        """The page of a count."""

    def of_prices(self, path: Path, repriced: Any) -> object:
        """The page of new prices (:class:`kotrel.pricing.repricing.Repriced`, of a room above)."""


def workspace_of(args: argparse.Namespace, screen: Screen) -> Workspace:
    """The workspace given with -w, or the nearest one. What its user should know first stands on standard error."""
    workspace = open_workspace(find_workspace(Path(args.workspace) if args.workspace else None, Path.cwd()))
    require_known_state(workspace.hidden)
    if pictures := getattr(args, "pictures", None):
        if not Path(pictures).is_dir():
            raise OutOfReach(
                f"there is no folder {pictures}", "--pictures names the folder that the pictures are in.", "no-folder"
            )
        workspace = replace(workspace, picture_folder=Path(pictures))
    conventions = workspace.conventions
    if decimal := getattr(args, "decimal", None):
        mark: Literal[",", "."] = "," if decimal == "comma" else "."
        conventions = replace(conventions, decimal_mark=mark, settled=conventions.settled | {"decimal_mark"})
    if order := getattr(args, "dates", None):
        conventions = replace(conventions, dates=order, settled=conventions.settled | {"dates"})
    workspace = replace(workspace, conventions=conventions)
    remarks: list[str] = []
    if workspace.url.startswith("folder:"):
        remarks += args.exchange().list_remarks(workspace, now(), getattr(args, "command", "") in COMPARING)
    if not screen.quiet:
        # An interrupted load is told once: a run that may say nothing leaves it to the next that may.
        remarks += report_interrupted(workspace)
    for remark in remarks:
        screen.remark(remark)
    return workspace


COMPARING = ("check", "preview", "load", "export", "write", "stock", "reorder", "count", "price", "compare")
"""Commands that compare with what the system holds, or hand it out."""


def now() -> datetime:
    """The time, with the zone of this machine."""
    return datetime.now().astimezone()


def user(args: argparse.Namespace) -> str:
    """Who does it: the name given, or the one from the operating system."""
    if given := getattr(args, "who", None):
        return str(given)
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return "unknown"
