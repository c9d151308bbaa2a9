"""What an edited workbook says: what changes, what cannot be taken, and what somebody else has changed meanwhile."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct, field

from kotrel.workspace.toml_editing import Path, TomlText


class SettingProblem(Struct, frozen=True):
    """Something that cannot be taken: the cell, what it says, and what is wrong."""

    cell: str
    value: str
    message: str


class Clash(Struct, frozen=True):
    """A value that somebody else has changed in the file since the workbook was made."""

    cell: str
    setting: str
    was: str
    now: str
    wanted: str


class Change(Struct, frozen=True):
    """One change in a settings file.

    Attributes:
        setting: in words, such as “field cost: default”.
        path: what is changed in the file, to lead an error in a line of it to this cell.
        apply: makes the change.
        late: it is made after all others: what gets another name, or another place.
    """

    cell: str
    file: str
    setting: str
    before: str
    after: str
    path: Path
    apply: Callable[[TomlText], None]
    late: bool = False

    @property
    def path_after(self) -> Path:
        """Its place in the file when it is made."""
        return (*self.path[:-1], self.after) if self.late and self.before else self.path

    @property
    def is_new_name(self) -> bool:
        """Whether it gives a table of the file another name."""
        return self.late and bool(self.before) and len(self.path) > 1 and self.path[-1] == self.before


class Edits(Struct):
    """All that an edited workbook says."""

    changes: list[Change] = field(default_factory=list)
    problems: list[SettingProblem] = field(default_factory=list)
    clashes: list[Clash] = field(default_factory=list)

    @property
    def ok(self) -> bool:
        """Whether nothing keeps its changes from being made."""
        return not self.problems and not self.clashes


def sentence(*words: str) -> str:
    """Words as sentences, each with its full stop."""
    return " ".join(each if each.endswith((".", "?", "!")) else f"{each}." for each in words if each)


def message_alone(message: str) -> str:
    """A message without the file and the line that it begins with."""
    import re

    return re.sub(r"^.*?, line [0-9]+: ", "", message)
