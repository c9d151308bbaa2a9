"""Tokens and passwords of the environment: they go to the address that they are for, and to no other."""

from __future__ import annotations

import os
from pathlib import Path
from urllib.parse import urlsplit

from kotrel.core.errors import WrongUse


def given_for(variable: str, url: str, folder: Path | None) -> str | None:
    """The secret in an environment variable, where it is meant for this address; else None.

    ``VARIABLE_FOR`` gives the address that it is for. Without that, it goes to the system of the workspace that is the
    current folder, or that the user has named: not of one that was found above the current folder, where somebody else
    may have put it.

    Args:
        folder: of the workspace, or None where the user has given the address.

    Raises:
        WrongUse: it is not said for which address it is, and the workspace was found above.
    """
    given = os.environ.get(variable, "").strip()
    if not given:
        return None
    meant = os.environ.get(f"{variable}_FOR", "").strip()
    if meant:
        return given if _place(meant) == _place(url) else None
    if folder is not None and _is_above(folder):
        raise WrongUse(
            f"{variable} is not sent to {_address_only(url)}: the workspace was found in {folder.resolve()}, above this folder, and may not be yours",
            f"Say for which address it is: {variable}_FOR={_address_only(url)}; or go to the workspace's own folder.",
            "secret-for-whom",
        )
    return given


def _is_above(folder: Path) -> bool:
    try:
        here = Path.cwd().resolve()
    except OSError:
        return False
    return folder.resolve() in here.parents


def _place(url: str) -> tuple[str, str, int | None]:
    """Kind, host and port of an address, however it is written."""
    parts = urlsplit(url if "//" in url else f"//{url}")
    usual = {"http": 80, "https": 443, "postgresql": 5432, "postgres": 5432, "mysql": 3306, "mariadb": 3306}
    try:
        port = parts.port
    except ValueError:
        port = None
    scheme = {"postgres": "postgresql", "mariadb": "mysql"}.get(parts.scheme, parts.scheme)
    return scheme, (parts.hostname or "").lower(), port or usual.get(parts.scheme)


def _address_only(url: str) -> str:
    """The address without user, password and path."""
    parts = urlsplit(url)
    return f"{parts.scheme}://{parts.netloc.rpartition('@')[2]}"
