"""The system description held against the database itself: how sure it is, and what to look at first."""

from __future__ import annotations

from typing import Any

from msgspec import Struct
from rich.table import Table
from rich.text import Text

from kotrel.core.description.description_review import RecordReview, not_described, review
from kotrel.core.phrases import count
from kotrel.screen.screen import Screen
from kotrel.setup.creating import facts_at, has_journal_at
from kotrel.workspace.settings import Workspace


class Reviewed(Struct, frozen=True):
    """The records, those that need a look most first, the tables that no record describes,
    and whether there is a journal.
    """

    records: tuple[RecordReview, ...]
    left: tuple[str, ...]
    journal: bool = True

    @property
    def understood(self) -> int:
        """How many of all fields are described with certainty, in per cent."""
        fields = sum(each.fields for each in self.records)
        return sum(each.understood * each.fields for each in self.records) // max(fields, 1)


def review_workspace(workspace: Workspace) -> Reviewed:
    """Reviews a workspace's description.

    Raises:
        OutOfReach: the database cannot be reached.
    """
    facts = facts_at(workspace.url, workspace.folder)
    found = review(workspace.description, facts)
    left = not_described(workspace.description, facts)
    return Reviewed(tuple(found), tuple(left), has_journal_at(workspace.url, workspace.folder))


POINTS_SHOWN = 2
"""So many points of each record are shown, unless all are asked for."""


def show_review(screen: Screen, reviewed: Reviewed, every: bool) -> None:
    """One row for each record, those that need a look most first."""
    title = (
        f"{count(len(reviewed.records), 'record')} described, {reviewed.understood} % of their fields with certainty"
    )
    screen.show(Text(title, style="bold"))
    table = Table(box=None, padding=(0, 3, 0, 0), header_style="dim")
    table.add_column("record", min_width=max((len(each.record) for each in reviewed.records), default=6))
    table.add_column("fields", justify="right")
    table.add_column("sure", justify="right")
    table.add_column("check first", overflow="fold")
    for record_review in reviewed.records:
        points = record_review.points if every else record_review.points[:POINTS_SHOWN]
        more = len(record_review.points) - len(points)
        words = "\n".join([*points, *([f"… {more:,} more (--all lists them)"] if more else [])])
        style = "green" if record_review.understood == 100 else "yellow" if record_review.understood >= 80 else "red"
        table.add_row(
            Text(record_review.record, style="bold"),
            str(record_review.fields),
            Text(f"{record_review.understood} %", style=style),
            Text(words or "nothing"),
        )
    screen.show(table)
    if reviewed.left:
        screen.show(Text(f"Not described: {', '.join(reviewed.left)}", style="dim"))


def show_review_steps(screen: Screen, reviewed: Reviewed) -> None:
    """What to do next about a description."""
    screen.show(
        f"Next: {screen.program} settings system    writes the description as a workbook; what to look at first is coloured"
    )
    screen.show(f"      or edit system.toml, then: {screen.program} init --review")
    if not reviewed.journal:
        screen.show(f"      {screen.program} init --journal    creates the journal, which every load needs")


def review_json(reviewed: Reviewed) -> dict[str, Any]:
    """The same for programs."""
    return {
        "understood": reviewed.understood,
        "records": [
            {"record": each.record, "fields": each.fields, "understood": each.understood, "points": list(each.points)}
            for each in reviewed.records
        ],
        "not_described": list(reviewed.left),
        "journal": reviewed.journal,
    }
