"""Who may do what at a service: tokens with names and rights, kept as fingerprints,
and read anew when their file changes.
"""

from __future__ import annotations

import hashlib
import os
import re
import secrets
import threading
from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct

from kotrel.core.description.toml_reading import NotToml, parsed
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.phrases import listed_and
from kotrel.sheets.safe_writing import make_folder, put_in_place

FILE = "tokens.toml"
RIGHTS = ("read", "load", "undo")
"""What a token may do: ask; send loads and pictures, and try them out; take loads back."""
EVERYTHING = frozenset(RIGHTS)


class Holder(Struct, frozen=True):
    """Who sends a request; ``name`` is empty for the one who started the service."""

    name: str = ""
    rights: frozenset[str] = EVERYTHING

    def may_see(self, owner: str) -> bool:
        """Is a job of that owner theirs? Whoever started the service sees all."""
        return not self.name or self.name == owner


class Tokens:
    """The tokens of a service.

    Args:
        folder: where their file is, if there is one.
        own: the token of whoever started the service, or None where nobody needs one.
    """

    def __init__(self, folder: Path, own: str | None) -> None:
        self.own = own
        self._path = folder / FILE
        self._lock = threading.Lock()
        self._read_at: tuple[int, int] | None = None
        self._known: dict[str, Holder] = {}

    def holder(self, authorization: str) -> Holder | None:
        """Who sends this header, or None for nobody."""
        if self.own is not None and secrets.compare_digest(authorization.encode(), f"Bearer {self.own}".encode()):
            return Holder()
        fingerprint = fingerprint_of(authorization.removeprefix("Bearer "))
        found = None
        for known, holder in self._current().items():
            # All are compared: how long it takes says nothing.
            found = holder if secrets.compare_digest(known, fingerprint) else found
        return found if authorization.startswith("Bearer ") else None

    def _current(self) -> dict[str, Holder]:
        """The tokens of the file as it is now; of a file that cannot be read, none."""
        try:
            about = self._path.stat()
        except OSError:
            return {}
        with self._lock:
            stamp = (about.st_mtime_ns, about.st_size)
            if stamp != self._read_at:
                try:
                    self._known = read_tokens(self._path)
                except (OutOfReach, WrongUse):
                    # Whoever was struck out must not get in because the file is being written.
                    self._known = {}
                self._read_at = stamp
            return self._known


def fingerprint_of(token: str) -> str:
    """A token's fingerprint: from it, nobody can tell the token."""
    return hashlib.sha256(token.encode()).hexdigest()


def read_tokens(path: Path) -> dict[str, Holder]:
    """Fingerprint → who has that token.

    Raises:
        OutOfReach: the file cannot be read.
        WrongUse: it is wrong.
    """
    try:
        data = parsed(path.read_text("utf-8"))
    except (OSError, UnicodeDecodeError, NotToml) as error:
        raise OutOfReach(f"{path} cannot be read: {error}", "", "file-not-readable") from None
    holders = {}
    for name, about in data.items():
        told = about if isinstance(about, dict) else {}
        rights, fingerprint = told.get("rights"), told.get("fingerprint")
        if not isinstance(rights, list) or not set(map(str, rights)) <= EVERYTHING or not isinstance(fingerprint, str):
            raise WrongUse(f"{path}: “{name}” needs rights ({', '.join(RIGHTS)}) and a fingerprint", "", "wrong-tokens")
        holders[fingerprint] = Holder(name, frozenset(map(str, rights)))
    return holders


def add_token(folder: Path, name: str, rights: Sequence[str]) -> str:
    """Makes a token for somebody, and keeps its fingerprint; returns the token, which is shown once.

    Raises:
        WrongUse: it is no name, or has one already, or there is no such right.
    """
    if not re.fullmatch(r"[A-Za-z0-9_-]{1,40}", name):
        raise WrongUse(f"“{name}” is no name for a token", "Use letters, digits, - and _.", "wrong-command-line")
    if unknown := [each for each in rights if each not in RIGHTS]:
        hint = f"The rights are {listed_and(RIGHTS)}."
        raise WrongUse(f"there is no right “{unknown[0]}”", hint, "wrong-command-line")
    path = folder / FILE
    known = read_tokens(path) if path.exists() else {}
    if name in {holder.name for holder in known.values()}:
        hint = f"Delete its lines in {path} first; the service then refuses the former one at once."
        raise WrongUse(f"{name} has a token", hint, "token-exists")
    make_folder(folder)
    token = secrets.token_urlsafe(24)
    listed = ", ".join(f'"{each}"' for each in RIGHTS if each in rights)
    text = f'[{name}]\nrights = [{listed}]\nfingerprint = "{fingerprint_of(token)}"\n\n'
    before = path.read_text("utf-8") if path.exists() else ""
    soon = path.with_suffix(".soon")
    with os.fdopen(os.open(soon, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w", encoding="utf-8") as file:
        file.write(before + text)
    put_in_place(soon, path)
    return token
