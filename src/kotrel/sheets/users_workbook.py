"""A workbook of the user's own, to be written again with something added."""

from __future__ import annotations

from pathlib import Path
from typing import Any


def users_workbook(path: Path, like: Path | None = None) -> Any:
    """The workbook as openpyxl has it.

    Args:
        like: whose ending says whether it has macros; the path itself by default.

    Raises:
        OSError: it is out of reach.
        ValueError: it cannot be read.
    """
    import openpyxl

    try:
        return openpyxl.load_workbook(path, keep_vba=(like or path).suffix.lower() == ".xlsm", rich_text=True)
    except OSError:
        raise
    except Exception as error:
        # On odd or damaged parts the library may fail in any way: each of its values has its own slips.
        raise ValueError(f"{path}: {error}") from error


def save_workbook(book: Any, path: Path) -> None:
    """Writes it.

    Raises:
        OSError: the disk is full, say.
        ValueError: something in it can be read, but not written again.
    """
    try:
        book.save(path)
    except OSError:
        raise
    except Exception as error:
        raise ValueError(f"{path}: {error}") from error
