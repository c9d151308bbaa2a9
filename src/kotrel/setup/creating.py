"""Makes a workspace: its settings, its system description, its folders, and a practice system if asked for."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import closing, suppress
from pathlib import Path

from msgspec import Struct

from kotrel.core.description.description_reading import read_description
from kotrel.core.description.drafting import draft_description
from kotrel.core.description.table_facts import TableFacts
from kotrel.core.description.toml_reading import quoted_text
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.practice.installing import description_text, has_practice, set_up
from kotrel.sheets.safe_writing import make_folder
from kotrel.systems.opening_systems import database_at, shown_address, without_password
from kotrel.systems.sql import database_journal as journal
from kotrel.systems.sql import journal_tables
from kotrel.systems.sql.database import Database
from kotrel.workspace.settings import FILE, HIDDEN, system_named

FOLDERS = ("maps", "layouts", "prices")

_SETTINGS = """\
# Settings of this Kotrel workspace. Lines that are commented out show what else can be set.

[system]
url = {url}
description = "system.toml"      # what the system accepts: records, fields, rules
# The password is never in this file: it comes from KOTREL_PASSWORD or the keyring.

[sheets]
# How your sheets are written. "auto" decides for each column from all its values.
decimal_mark = {mark:<18}# "." or "," or "auto"
dates = {dates:<25}# what comes first in 3/4/2026: "day" or "month" or "auto"
currency = {currency}
# rounding = "as shown"          # money in number cells is rounded as the cell shows it, or to a number of decimals: 2

[spellings.unit]
# Other spellings of codes: the words in the sheet = "the code on the list"
# stk = "EA"
"""

_EMPTY_DESCRIPTION = """\
# What your business system accepts. Describe its tables here, with one [record.…] for each;
# docs/reference/system-description.md explains every setting. A small start:

[system]
title = "Our system"
# schema = "public"

[record.unit]
key = ["code"]
called = "name"
[record.unit.field]
code = { kind = "code", length = 10, must = "always" }
name = { kind = "text", length = 40, must = "new" }
"""


class WorkspaceHabits(Struct, frozen=True):
    """How the sheets of a workspace are written, as ``[sheets]`` in its settings says it."""

    decimal_mark: str = "auto"
    dates: str = "auto"
    currency: str = "EUR"


AS_EACH_COLUMN = WorkspaceHabits()
"""Each column shows it."""


class Made(Struct, frozen=True):
    """The result: the folder, the system as people may see it, what happened to the practice system, and remarks;
    its address.
    """

    folder: Path
    system: str
    practice: str
    remarks: tuple[str, ...]
    address: str = ""


def create_workspace(
    folder: Path,
    url: str | None,
    practice: bool,
    with_journal: bool,
    learn: bool = False,
    schema: str | None = None,
    drafted: str | None = None,
    habits: WorkspaceHabits = AS_EACH_COLUMN,
) -> Made:
    """Makes a workspace.

    Args:
        url: the system's address, or None for a practice system on SQLite in the workspace.
        practice: put a practice system into that database if it has none.
        with_journal: create only the journal's tables there.
        learn: draft the system description from the database's own catalogue.
        schema: the schema of the tables to learn, if not all are meant.
        drafted: of a program that only exchanges files: the description drafted from its exports, or None.
        habits: how its sheets are written.

    Raises:
        WrongUse: the folder is already a workspace.
        OutOfReach: the folder cannot be written, or the database cannot be reached.
    """
    if (folder / FILE).exists():
        again = " kotrel init --learn drafts its description." if learn else ""
        raise WrongUse(
            f"{folder} is already a workspace",
            f"Its settings are in kotrel.toml.{again} To make another workspace, name another folder.",
            "is-a-workspace",
        )
    if folder.exists() and not folder.is_dir():
        raise WrongUse(f"{folder} is a file, not a folder", "Use another name.", "is-a-file")
    made_here = [each for each in (folder, *(folder / name for name in (*FOLDERS, HIDDEN))) if not each.exists()]
    try:
        return _create(folder, url, practice, with_journal, learn, schema, drafted, habits)
    except BaseException:
        # What failed leaves nothing: only folders that were made for it, and are empty, go.
        for each in reversed(made_here):
            with suppress(OSError):
                each.rmdir()
        raise


READ_DRAFT = "read the draft in system.toml and delete what people may not load"
_NO_TABLES = "its tables are not described in system.toml yet"
_NO_LISTS = "its lists are not described in system.toml yet"
UNDESCRIBED = frozenset((_NO_TABLES, _NO_LISTS))
"""Remarks about a workspace that has no description of its system."""


def learn_description(folder: Path, schema: str | None, drafted: Callable[[Path], str]) -> Made:
    """Drafts the description of an existing workspace that has none yet, from its system's own tables or lists.

    Args:
        schema: the schema of the tables to learn, if not all are meant.
        drafted: the draft from the folder of a program that only exchanges files.

    Raises:
        WrongUse: its system is described already, or describes itself.
        OutOfReach: the database cannot be reached.
    """
    url, name = system_named(folder)
    path = folder / name
    if path.is_file() and path.read_text("utf-8").strip() != _EMPTY_DESCRIPTION.strip():
        raise WrongUse(
            f"{path} already describes the system",
            f"To draft it anew, give {name} another name, then: kotrel init --learn",
            "is-described",
        )
    if url.startswith(("http://", "https://")):
        raise WrongUse("a service describes itself", "kotrel records shows what it accepts.", "wrong-command-line")
    if url.startswith("folder:"):
        description, remarks = drafted(folder / url.removeprefix("folder:")), [READ_DRAFT]
    else:
        database = database_at(url, folder)()
        with closing(database):
            description, remark = _learned(database, schema)
        remarks = [remark, "nothing was created in the database", READ_DRAFT]
    path.write_text(description, "utf-8", newline="\n")
    return Made(folder, shown_address(url), "none", tuple(remarks), url)


def _make_folders(folder: Path) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name in (*FOLDERS, HIDDEN):
            make_folder(folder / name)
    except OSError as error:
        raise OutOfReach(
            f"{folder} cannot be created: {error.strerror or error}", "Use a folder that you may write to.", "no-right"
        ) from None


def _with_journal(database: Database) -> str:
    """Creates the journal's tables where they are missing; what was done, in words."""
    if journal.has_journal(database):
        return "nothing was created in the database"
    database.create(journal_tables.journal_statements(database.dialect))
    return "the journal's two tables were created"


def _create(
    folder: Path,
    url: str | None,
    practice: bool,
    with_journal: bool,
    learn: bool,
    schema: str | None,
    drafted: str | None,
    habits: WorkspaceHabits,
) -> Made:
    """The same, once it is clear that there is none."""
    in_file = url is None
    address, had_password = without_password(url or "sqlite:practice.db")
    _make_folders(folder)
    remarks = ["the password is not stored: set KOTREL_PASSWORD"] if had_password else []
    practice_is = "none"
    description = _EMPTY_DESCRIPTION
    # A file name on the command line is relative to the current folder, not to the workspace.
    if address.startswith("sqlite:") and not in_file:
        path = Path(address.removeprefix("sqlite:"))
        address = f"sqlite:{path.resolve().as_posix()}"
    if address.startswith("folder:"):
        return _for_till(folder, address, habits) if practice else _for_files(folder, address, drafted, habits)
    if address.startswith(("http://", "https://")):
        return _for_service(folder, address, habits)
    database = database_at(address if in_file or not had_password else str(url), folder, create=in_file or practice)()
    with closing(database):
        if in_file or practice:
            _, made = set_up(database)
            practice_is = "made" if made else "already there, used as it is"
            description = description_text()
        elif not learn and has_practice(database):
            practice_is = "already there, used as it is"
            description = description_text()
        elif learn:
            description, remark = _learned(database, schema)
            remarks.append(remark)
        if practice_is == "none":
            remarks.append(_with_journal(database) if with_journal else "nothing was created in the database")
    if practice_is == "none":
        remarks.append(_NO_TABLES if not learn else READ_DRAFT)
    _write(folder / "system.toml", description)
    _write(folder / FILE, _settings(address, habits))
    return Made(folder, shown_address(address), practice_is, tuple(remarks), address)


def _settings(address: str, habits: WorkspaceHabits) -> str:
    """The text of a new ``kotrel.toml``."""
    return _SETTINGS.format(
        url=quoted_text(address),
        mark=quoted_text(habits.decimal_mark),
        dates=quoted_text(habits.dates),
        currency=quoted_text(habits.currency),
    )


def _for_service(folder: Path, address: str, habits: WorkspaceHabits) -> Made:
    """A workspace for a service, which says itself what it takes."""
    from kotrel.systems.service.client import Client

    client = Client(address, shown_address(address), patience=3)
    try:
        text = client.send("GET", "/v1/description").text
    finally:
        client.close()
    records = read_description(text).records
    _write(folder / "system.toml", text)
    _write(
        folder / FILE,
        _settings(address, habits)
        .replace("The password is", "The token is")
        .replace("KOTREL_PASSWORD", "KOTREL_TOKEN"),
    )
    return Made(
        folder,
        shown_address(address),
        "none",
        (f"system.toml is the service's own description: {len(records)} records",),
    )


def _for_till(folder: Path, address: str, habits: WorkspaceHabits) -> Made:
    """A workspace for the practice till, which is made where there is none."""
    from kotrel.practice.installing import make_till, till_file
    from kotrel.practice.till import STATE

    till = Path(address.removeprefix("folder:")).resolve()
    is_set_up = (till / STATE).is_file()
    try:
        if not is_set_up:
            make_till(till)
    except OSError as error:
        raise OutOfReach(
            f"{till} cannot be written: {error.strerror or error}", "Use a folder that you may write to.", "no-right"
        ) from None
    address = f"folder:{(till / 'lists').as_posix()}"
    _write(folder / "system.toml", till_file("till_system.toml"))
    _write(folder / "layouts" / "till.toml", till_file("till.toml"))
    _write(folder / "maps" / "till-articles.toml", till_file("till_articles.toml"))
    places = "".join(
        f"{name} = {quoted_text((till / of).as_posix())}\n"
        for name, of in (("uploads", "in"), ("trial", "try"), ("results", "results"))
    )
    _write(folder / FILE, f"{_settings(address, habits)}\n[folder]\n{places}")
    remark = f"the till reads its files while this runs: kotrel practice till {till}"
    return Made(folder, shown_address(address), "already there, used as it is" if is_set_up else "made", (remark,))


def _for_files(folder: Path, address: str, drafted: str | None, habits: WorkspaceHabits) -> Made:
    """A workspace for a program that only exchanges files."""
    path = Path(address.removeprefix("folder:")).resolve()
    if not path.is_dir():
        raise OutOfReach(
            f"there is no folder {path}", "It is the folder with the lists that the program exports.", "no-folder"
        )
    address = f"folder:{path.as_posix()}"
    _write(folder / "system.toml", drafted or _EMPTY_DESCRIPTION)
    _write(folder / FILE, _settings(address, habits))
    remark = "read the draft in system.toml" if drafted else _NO_LISTS
    return Made(
        folder,
        shown_address(address),
        "none",
        (remark, "nothing is ever written into its lists: kotrel load writes upload files beside them"),
    )


def _learned(database: Database, schema: str | None) -> tuple[str, str]:
    """The drafted description, and what was found, in words."""
    from kotrel.systems.sql.catalogue import read_catalogue

    tables = read_catalogue(database, schema)
    if not tables:
        where = f"in the schema {schema} of the database" if schema else "in the database"
        raise WrongUse(
            f"there are no tables {where} to learn from",
            "Check the schema's name." if schema else "Check the address.",
            "nothing-to-learn",
        )
    description = draft_description(tables, database.views(schema))
    # Kotrel must be able to read its own draft.
    records = read_description(description).records
    return description, f"{len(records)} of {len(tables)} tables were drafted as records"


def facts_at(url: str, folder: Path) -> list[TableFacts]:
    """What a connected database says about its tables.

    Raises:
        OutOfReach: it cannot be reached, or its catalogue cannot be read.
    """
    from kotrel.systems.sql.catalogue import read_catalogue

    database = database_at(url, folder)()
    try:
        return read_catalogue(database)
    finally:
        database.close()


def has_journal_at(url: str, folder: Path) -> bool:
    """True where a connected database has the journal."""
    database = database_at(url, folder)()
    try:
        return journal.has_journal(database)
    finally:
        database.close()


def add_journal(url: str, folder: Path) -> bool:
    """Creates the journal's tables in a connected database. Returns False if they exist."""
    database = database_at(url, folder)()
    try:
        if journal.has_journal(database):
            return False
        database.create(journal_tables.journal_statements(database.dialect))
        return True
    finally:
        database.close()


def _write(path: Path, text: str) -> None:
    """Writes a settings file; an existing one belongs to the user and stays."""
    if not path.exists():
        path.write_text(text, "utf-8", newline="\n")
