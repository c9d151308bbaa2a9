"""What was taken in of a program's result file."""

from __future__ import annotations

from rich.text import Text

from kotrel.core.parts import Checked
from kotrel.reports.findings import show_checked
from kotrel.reports.phrases import count, listed
from kotrel.reports.screen import Screen
from kotrel.stages.answers import Answered


def show_answered(screen: Screen, answered: Answered) -> None:
    """What the files say, or what in them cannot be understood."""
    name = answered.entry.name
    if not answered.ok:
        for rows in answered.answers.sheets:
            if rows.findings:
                show_checked(screen, Checked(rows), False, False, "understood")
                screen.show("")
        screen.show(
            f"Nothing of it was taken in: {name} stands as it was. Next: fix these cells or the saved match, then read it again."
        )
        return
    said = [each.outcome for each in answered.answers.rows]
    counts = ", ".join(f"{said.count(outcome):,} {words}" for outcome, words in
                       (("done", "done"), ("warning", "done with a warning"), ("refused", "refused")) if outcome in said)  # fmt: skip
    one = len(answered.paths) == 1
    verb = f"{'was' if one else 'were'} taken in before" if answered.again else f"{'is' if one else 'are'} taken in"
    screen.show(f"{listed([path.name for path in answered.paths], 3)} {verb}: {counts or 'no rows'}")
    for said_of_sheet in answered.not_read:
        screen.show(Text(f"Not read: {said_of_sheet}", style="yellow"))
    if answered.answers.unmentioned and answered.files == 1:
        left = count(answered.answers.unmentioned, "row")
        screen.show(
            Text(
                f"It says nothing of {left}. Where it lists only what was refused, say so: --only-refused",
                style="yellow",
            )
        )
