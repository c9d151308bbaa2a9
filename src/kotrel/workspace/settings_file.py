"""Reading one settings file of a workspace: a mapping, a layout, price rules."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from kotrel.core.description.toml_reading import NotToml, parsed
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.phrases import those_there
from kotrel.core.similarity import did_you_mean


def read_settings_file(path: Path, kind: str) -> tuple[str, dict[str, Any]]:
    """The file's text, and what it says.

    Args:
        kind: of the error where it is no TOML.

    Raises:
        FileNotFoundError: there is none; whoever asked knows what there is instead.
        WrongUse: it is no TOML.
        OutOfReach: it cannot be read.
    """
    try:
        text = path.read_text("utf-8-sig")
        return text, parsed(text)
    except FileNotFoundError:
        raise
    except NotToml as error:
        raise WrongUse(f"{path}: {error}", "Correct that line.", kind) from None
    except (OSError, UnicodeDecodeError) as error:
        raise OutOfReach(f"{path} cannot be read: {error}", "", "file-not-readable") from None


def near_file(folder: Path, name: str, what: str, way: str) -> str:
    """What to do where a folder has no settings file of that name: the nearest name, or all there are.

    Args:
        what: the files are, in the plural; ``way`` is how the first is made, as a sentence.
    """
    there = sorted(each.stem for each in folder.glob("*.toml"))
    return did_you_mean(name, there, those_there(what, there, way))
