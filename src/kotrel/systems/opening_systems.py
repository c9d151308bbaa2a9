"""A system's address → the system. Passwords come from the environment or the keyring, never from a settings file."""

from __future__ import annotations

import logging
import re
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlsplit, urlunsplit

from kotrel.core.description.model import Description
from kotrel.core.errors import WrongUse
from kotrel.systems.credentials import given_for
from kotrel.systems.interface import System
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.database_kinds import KINDS, Opening, kind_of
from kotrel.systems.sql.database_system import SqlSystem

if TYPE_CHECKING:
    from kotrel.systems.folder.sending import Uploads

WAITING = logging.getLogger("kotrel.waiting")
"""What takes so long; the screen shows it to people at a terminal."""
ADDRESSES = ", ".join([*(kind.example for kind in KINDS), "https://host"]) + ", or folder:DIR"


def open_system(
    url: str,
    description: Description,
    folder: Path,
    time_limit: int | None = None,
    schemas: Sequence[str] = (),
    uploads: Callable[[], Uploads] | None = None,
    pictures: Path | None = None,
) -> System:
    """The system at an address; the connection is opened later.

    Args:
        url: as in ``kotrel.toml``.
        folder: the folder for relative file names.
        time_limit: seconds that one step may take, or None for the default.
        schemas: schemas that the database's own triggers need.
        uploads: where the upload files of a program that only exchanges files go, asked when there is one.
        pictures: the folder from which a load sends a service the pictures that it lacks.

    Raises:
        WrongUse: it is not a known kind of address.
    """
    if url.startswith("folder:"):
        from kotrel.systems.folder.folder_system import FolderSystem
        from kotrel.systems.folder.sending import Uploads

        about = uploads() if uploads is not None else Uploads(folder / "uploads")
        return FolderSystem(folder / ".kotrel", description, shown_address(url), about)
    if url.startswith(("http://", "https://")):
        from kotrel.systems.service.service_system import ServiceSystem

        return ServiceSystem(url, description, shown_address(url), pictures, folder)
    connect = database_at(url, folder, time_limit=time_limit, schemas=schemas)
    return SqlSystem(connect, description, shown_address(url))


def database_at(
    url: str, folder: Path, create: bool = False, time_limit: int | None = None, schemas: Sequence[str] = ()
) -> Callable[[], Database]:
    """Opens the database at an address when called.

    Args:
        create: whether to create a SQLite file that does not exist.
    """
    kind = kind_of(url)
    if kind is None:
        raise _no_address(url)
    opening = Opening(
        url, shown_address(url), folder, create, time_limit, schemas, lambda: _password(url, folder), WAITING.info
    )
    return partial(kind.open, opening)


def require_address(url: str) -> None:
    """Makes sure that an address can be one.

    Raises:
        WrongUse: it is of no kind that Kotrel knows, nothing follows its kind, or its host or port cannot be one.
    """
    scheme, _, rest = url.partition(":")
    kind = kind_of(url)
    is_one = bool(rest.strip("/ "))
    if not _is_local(url):
        try:
            parts = urlsplit(url)
            is_one = rest.startswith("//") and parts.port != 0 and " " not in parts.netloc
            is_one = is_one and (kind is not None or (scheme in ("http", "https") and bool(parts.hostname)))
        except ValueError:
            is_one = False
    if not is_one:
        raise _no_address(url)


def _no_address(url: str) -> WrongUse:
    # A password may stand in it, and only its kind and host are of use.
    named = re.sub(r"//.*@", "//", url)
    return WrongUse(f"“{named}” is not the address of a system", f"Use {ADDRESSES}.", "wrong-address")


def without_password(url: str) -> tuple[str, bool]:
    """The address without a password, and whether it had one."""
    require_address(url)
    if _is_local(url):
        return url, False
    parts = urlsplit(url)
    if not parts.password:
        return url, False
    user, _, host = parts.netloc.rpartition("@")
    netloc = f"{user.split(':', maxsplit=1)[0]}@{host}"
    return urlunsplit((parts.scheme, netloc, parts.path, parts.query, parts.fragment)), True


def shown_address(url: str) -> str:
    """How messages call the system at an address."""
    require_address(url)
    if kind := kind_of(url):
        return kind.shown(url)
    if url.startswith("folder:"):
        return f"the program behind {url.removeprefix('folder:')}"
    parts = urlsplit(without_password(url)[0])
    return f"the service at {parts.netloc}{parts.path.rstrip('/')}"


def _is_local(url: str) -> bool:
    """True for a file or a folder: an address without host, user and password."""
    kind = kind_of(url)
    return url.startswith("folder:") or (kind is not None and kind.in_file)


def _password(url: str, folder: Path) -> str | None:
    """The password: in the address (given on the command line), in KOTREL_PASSWORD, or in the keyring."""
    parts = urlsplit(url)
    if parts.password:
        return unquote(parts.password)
    if given := given_for("KOTREL_PASSWORD", url, folder):
        return given
    # The database's own library sends it.
    if given_for("PGPASSWORD", url, folder) or not parts.username:
        return None
    try:
        import keyring
        from keyring.errors import KeyringError
    except ImportError:
        return None
    try:
        found: str | None = keyring.get_password("kotrel", without_password(url)[0])
        return found
    except KeyringError:
        return None
