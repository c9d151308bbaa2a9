"""What ``kotrel init`` asks on a terminal: what to connect, where the workspace is to be,
and how its sheets are written.
"""

from __future__ import annotations

import locale
import re
import time
from collections.abc import Callable
from pathlib import Path

from msgspec import Struct

from kotrel.core.errors import KotrelError, WrongUse
from kotrel.core.similarity import folded
from kotrel.screen.dialogue import refuse, wrapped
from kotrel.screen.screen import Screen
from kotrel.setup.creating import AS_EACH_COLUMN, WorkspaceHabits
from kotrel.systems.opening_systems import database_at, without_password
from kotrel.systems.sql.database_kinds import kind_of
from kotrel.workspace.settings import FILE


class InitAnswers(Struct, frozen=True):
    """What somebody answered.

    Attributes:
        folder: where the workspace is made.
        system: the address of the system, or None for a practice system in the workspace.
        habits: how the sheets are written.
    """

    folder: Path
    system: str | None
    habits: WorkspaceHabits

    @property
    def learn(self) -> bool:
        """True where the description is drafted from the system's own tables or lists."""
        return self.system is not None and not self.system.startswith(("http://", "https://"))


class Stopped(WrongUse):
    """Somebody answered q, or there were no more answers: nothing was made."""

    def __init__(self) -> None:
        super().__init__("stopped: no workspace was made", "kotrel init starts again.", "stopped")


_SYSTEMS = {
    "2": (
        "sqlite:FILE, postgresql://user@host/database, or mysql://user@host/database",
        "sqlite: postgresql: postgres: mysql: mariadb:",
    ),
    "3": ("the folder with the lists that it exports", ""),
    "4": ("https://host", "http:// https://"),
}


def ask_plan(screen: Screen, named: Path | None) -> InitAnswers:
    """Asks for everything; what cannot be used is refused at once, and asked again.

    Raises:
        Stopped: somebody did not want to go on.
    """
    screen.show("Kotrel asks three things. Enter takes the answer that is proposed, q stops.")
    kind = _ask(
        screen,
        "1/3  What do you want to connect?\n"
        "1  nothing yet: try things on a practice system (Enter)\n"
        "2  your own database\n"
        "3  a program that only exchanges files\n"
        "4  a service over HTTP",
        lambda said: (said or "1") if (said or "1") in ("1", *_SYSTEMS) else None,
        "answer 1, 2, 3 or 4",
    )
    system = None if kind == "1" else _address(screen, kind)
    folder = _folder(screen, named)
    return InitAnswers(folder, system, _habits(screen))


def _ask(screen: Screen, text: str, read: Callable[[str], str | None], wrong: str) -> str:
    """Asks until the answer can be used."""
    asked = f"\n{wrapped(text, screen.console.width)}\n> "
    while True:
        said = screen.answer(asked)
        if said is None or said == "q":
            raise Stopped
        if (value := read(said)) is not None:
            return value
        refuse(screen, wrong)
        asked = "> "


def _address(screen: Screen, kind: str) -> str:
    form, starts = _SYSTEMS[kind]
    text = f"     Its address: {form}"
    if kind != "3":
        secret = "token" if kind == "4" else "password"
        text += f". The {secret} comes from KOTREL_{secret.upper()} and is never kept in a file"
    while True:
        said = _ask(screen, text, lambda said: said or None, f"type {form}")
        if kind == "3":
            said = f"folder:{said.removeprefix('folder:')}"
            if not Path(said.removeprefix("folder:")).is_dir():
                refuse(screen, f"there is no folder {said.removeprefix('folder:')}")
                continue
        elif not said.startswith(tuple(starts.split())):
            refuse(screen, f"an address here is {form}")
            continue
        if kind == "2" and (why := _unreachable(said)):
            refuse(screen, why)
            continue
        return said


def _unreachable(address: str) -> str:
    """Why the database cannot be opened; a blank text where it can."""
    clean, had_password = without_password(address)
    if kind_of(clean) is None:
        return "Kotrel does not know this kind of database"
    try:
        database_at(address if had_password else clean, Path.cwd())().close()
    except KotrelError as error:
        return error.message  # its advice is about a kotrel.toml, which is not there yet
    return ""


def _folder(screen: Screen, named: Path | None) -> Path:
    if named is not None and not (named / FILE).exists():
        return named
    empty = not any(Path.cwd().iterdir())
    proposed = (
        "."
        if empty
        else next(
            name
            for number in range(1, 1000)
            if not Path(name := "kotrel" if number == 1 else f"kotrel-{number}").exists()
        )
    )
    here = f"this folder, {Path.cwd()}" if empty else f"the folder {proposed} in {Path.cwd()}"
    if named is not None:
        refuse(screen, f"{named} is already a workspace")

    def read(said: str) -> str | None:
        folder = Path(said or proposed).expanduser()
        return None if (folder / FILE).exists() or folder.is_file() else str(folder)

    text = (
        f"2/3  In which folder should the workspace be? It keeps settings, mappings and price rules. Enter for {here}"
    )
    return Path(_ask(screen, text, read, "there is a file or a workspace of that name: type another one"))


def _habits(screen: Screen) -> WorkspaceHabits:
    """How the sheets are written, with this computer's own way as the proposal."""
    computer_habits = habits_of_this_computer()
    marks = {"1": ".", "2": ",", "3": "auto", ".": ".", ",": ",", "point": ".", "comma": ",", "both": "auto"}
    proposed = {".": "1", ",": "2", "auto": "3"}[computer_habits.decimal_mark]
    mark = _ask(
        screen,
        f"3/3  How are numbers written in your sheets? Enter for {proposed}\n1  1,234.50\n2  1.234,50\n3  both occur: each column shows which",
        lambda said: marks.get(folded(said or proposed) or said),
        "answer 1, 2 or 3",
    )
    orders = {"1": "day", "2": "month", "3": "auto", "day": "day", "month": "month", "both": "auto"}
    first = {"day": "1", "month": "2", "auto": "3"}[computer_habits.dates]
    dates = _ask(
        screen,
        f"     And 3/4/2026? Enter for {first}\n1  3 April: the day first\n2  March 4: the month first\n3  both occur: each column shows which",
        lambda said: orders.get(folded(said or first)),
        "answer 1, 2 or 3",
    )
    currency = _ask(
        screen,
        f"     In which currency are your prices? Enter for {computer_habits.currency}",
        lambda said: (
            (said or computer_habits.currency).upper()
            if re.fullmatch(r"[A-Za-z]{3}", said or computer_habits.currency)
            else None
        ),
        "type a currency as three letters, such as EUR, GBP or SEK",
    )
    return WorkspaceHabits(mark, dates, currency)


def habits_of_this_computer() -> WorkspaceHabits:
    """How this computer itself writes numbers and dates; what it does not say is left to each column."""
    try:
        before = locale.setlocale(locale.LC_ALL)
        locale.setlocale(locale.LC_ALL, "")
    except locale.Error:
        return AS_EACH_COLUMN
    try:
        said = locale.localeconv()
        day = time.strftime("%x", (2003, 11, 22, 0, 0, 0, 5, 326, 0))
    finally:
        locale.setlocale(locale.LC_ALL, before)
    currency = str(said["int_curr_symbol"]).strip()
    if not re.fullmatch("[A-Z]{3}", currency):
        # A computer that is set to no country says nothing of its sheets either.
        return AS_EACH_COLUMN
    mark = str(said["decimal_point"])
    order = {"22": "day", "11": "month"}.get(next(iter(re.findall("[0-9]+", day)), ""), "auto")
    return WorkspaceHabits(mark if mark in (".", ",") else "auto", order, currency)
