"""Asks what unknown values mean, and remembers the answers."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from kotrel.core.description.list_names import ListNames
from kotrel.core.parts import Checked
from kotrel.stages.mapping import names_of
from kotrel.workspace.settings import Workspace
from kotrel.workspace.spellings import learn_spellings


@dataclass(frozen=True)
class Question:
    """A value that is not on its list: its field, the likely code (or None), and the list's names."""

    record: str
    field: str
    value: str
    likely: str | None
    names: ListNames


def learn(
    checked: Sequence[Checked], workspace: Workspace, answer: Callable[[Question], str | None]
) -> dict[str, dict[str, str]]:
    """Asks about each unknown value and writes the accepted answers into the settings.

    Args:
        answer: gives the code that was meant, or None for no answer.

    Returns:
        Record → words → code, as learned.
    """
    learned: dict[str, dict[str, str]] = {}
    with workspace.system().reading() as reading:
        names = names_of(workspace, reading)
        for each in checked:
            for group in each.rows.findings:
                if group.kind != "not-on-list" or group.field is None:
                    continue
                about = each.rows.record.fields[group.field]
                known = names(str(about.to))
                for value in group.cells["value"].unique(maintain_order=True).drop_nulls():
                    if value in learned.get(known.record.name, {}):
                        continue
                    likely = known.likely(value)
                    code = answer(Question(known.record.name, about.title, value, likely, known))
                    if code in known.codes and code is not None:
                        learned.setdefault(known.record.name, {})[value] = code
    learn_spellings(workspace.folder, learned)
    return learned
