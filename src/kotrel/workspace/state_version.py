"""The form in which a workspace keeps what people do not edit: exports, counts, jobs, what was used.
It has a version.
"""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

from kotrel.core.errors import WrongUse

VERSION = 1
"""The form that this Kotrel writes and reads. Whoever changes a form raises it, and brings older ones up here."""
_FILE = "version"


def require_known_state(hidden: Path) -> None:
    """Makes sure that this Kotrel can read what the workspace keeps; a workspace without a version is of the first.

    Raises:
        WrongUse: a newer Kotrel has kept it in a form that this one does not know.
    """
    if not hidden.is_dir():
        return
    path = hidden / _FILE
    try:
        version = int(path.read_text("ascii").strip())
    except FileNotFoundError:
        with suppress(OSError):
            path.write_text(f"{VERSION}\n", "ascii")
        return
    except (OSError, ValueError):
        raise WrongUse(
            f"{path} cannot be read", "Restore it from a backup; it has the number 1.", "damaged-state"
        ) from None
    if version > VERSION:
        raise WrongUse(
            "this workspace was last used with a newer Kotrel, which keeps its exports and counts in another form",
            "Update Kotrel here too: pip install --upgrade kotrel",
            "newer-state",
        )
