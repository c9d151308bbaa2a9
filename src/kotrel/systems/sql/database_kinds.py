"""The kinds of databases: which address is whose, and what opens it. A further kind is one more entry."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from urllib.parse import unquote, urlsplit

from msgspec import Struct

from kotrel.core.errors import OutOfReach
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.dialect import Dialect


class Opening(Struct, frozen=True):
    """What it takes to open a database.

    Attributes:
        url: its address.
        shown: how messages call it.
        folder: the folder for relative file names.
        create: a file that does not exist is created.
        time_limit: seconds that one step may take, or None for the default.
        schemas: schemas that the database's own triggers need.
        password: finds the password, asked only by databases on a server.
        tell: called with whom it waits for.
    """

    url: str
    shown: str
    folder: Path
    create: bool
    time_limit: int | None
    schemas: Sequence[str]
    password: Callable[[], str | None]
    tell: Callable[[str], None]


class Kind(Struct, frozen=True):
    """One kind of database.

    Attributes:
        title: its name, for messages.
        schemes: what an address of this kind begins with, before the colon.
        example: an address of this kind.
        in_file: it is a file: its address has no host, no user, no password.
        dialect: its dialect, imported when it is asked for.
        open: opens one; its driver is imported only then.
    """

    title: str
    schemes: tuple[str, ...]
    example: str
    in_file: bool
    dialect: Callable[[], Dialect]
    open: Callable[[Opening], Database]

    def shown(self, url: str) -> str:
        """How messages call a database of this kind."""
        if self.in_file:
            return url.partition(":")[2]
        parts = urlsplit(url)
        name = f"{self.title} {unquote(parts.path.lstrip('/')) or 'database'}"
        return f"{name} on {parts.hostname}" if parts.hostname else name


def _sqlite(opening: Opening) -> Database:
    from kotrel.systems.sql.sqlite import SqliteDatabase

    return SqliteDatabase(opening.folder / opening.url.removeprefix("sqlite:").removeprefix("//"), opening.create)


def _sqlite_dialect() -> Dialect:
    from kotrel.systems.sql.sqlite_dialect import SQLITE

    return SQLITE


def _postgresql(opening: Opening) -> Database:
    from kotrel.systems.sql.postgresql import TIME_LIMIT, PostgresDatabase

    limit = opening.time_limit or TIME_LIMIT
    return PostgresDatabase(opening.url, opening.shown, opening.password(), limit, opening.schemas, opening.tell)


def _postgresql_dialect() -> Dialect:
    from kotrel.systems.sql.postgresql_dialect import POSTGRESQL

    return POSTGRESQL


def _mariadb(opening: Opening) -> Database:
    try:
        from kotrel.systems.sql.mariadb import TIME_LIMIT, MariaDatabase
    except ImportError:
        raise OutOfReach(
            "the driver for MariaDB and MySQL is not installed", "pip install 'kotrel[mysql]' installs it.", "no-driver"
        ) from None
    limit = opening.time_limit or TIME_LIMIT
    return MariaDatabase(opening.url, opening.shown, opening.password(), limit, opening.tell)


def _mariadb_dialect() -> Dialect:
    from kotrel.systems.sql.mariadb_dialect import MARIADB

    return MARIADB


KINDS = (
    Kind("SQLite", ("sqlite",), "sqlite:FILE", True, _sqlite_dialect, _sqlite),
    Kind(
        "PostgreSQL",
        ("postgresql", "postgres"),
        "postgresql://user@host/database",
        False,
        _postgresql_dialect,
        _postgresql,
    ),
    Kind(
        "MariaDB",
        ("mysql", "mariadb"),
        "mysql://user@host/database",
        False,
        _mariadb_dialect,
        _mariadb,
    ),
)


def kind_of(url: str) -> Kind | None:
    """The kind of database at an address; None where it is no database's."""
    scheme = url.partition(":")[0]
    return next((kind for kind in KINDS if scheme in kind.schemes), None)
