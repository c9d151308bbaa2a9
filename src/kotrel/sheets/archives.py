"""Workbooks as the archives of XML files that they are: their parts, and what a damaged one raises."""

from __future__ import annotations

import zipfile
import zlib
from pathlib import Path
from xml.etree import ElementTree

from kotrel.core.errors import OutOfReach

# Encrypted parts raise RuntimeError, unknown compression its subclass NotImplementedError.
DAMAGED = (
    OSError,
    EOFError,
    KeyError,
    RuntimeError,
    ValueError,
    zipfile.BadZipFile,
    zlib.error,
    ElementTree.ParseError,
)
"""What reading a damaged workbook can raise."""


def damaged(path: Path) -> OutOfReach:
    """The error for a workbook that cannot be read, or not in whole."""
    return OutOfReach(
        f"{path} is damaged or cut off: it cannot be read as a workbook",
        "Copy or download it again, or open it in the spreadsheet program and save it again.",
        "damaged-file",
    )


def part_named(book: zipfile.ZipFile, name: str) -> str:
    """The part as it is called in this archive: some programs write other capitals, or backslashes.

    Raises:
        KeyError: there is none.
    """
    wanted = _plain(name)
    for found in book.namelist():
        if _plain(found) == wanted:
            return found
    raise KeyError(name)


def _plain(name: str) -> str:
    return name.replace("\\", "/").lstrip("/").casefold()
