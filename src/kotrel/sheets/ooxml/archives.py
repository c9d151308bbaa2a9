"""Workbooks as the archives of XML files that they are: their parts, and what a damaged one raises."""

from __future__ import annotations

import posixpath
import struct
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from xml.etree import ElementTree
from xml.parsers import expat

from kotrel.core.errors import OutOfReach

# Encrypted parts raise RuntimeError, unknown compression its subclass NotImplementedError.
DAMAGED = (
    OSError,
    EOFError,
    LookupError,
    RuntimeError,
    ValueError,
    zipfile.BadZipFile,
    zlib.error,
    struct.error,
    ElementTree.ParseError,
    expat.ExpatError,
)
"""What reading a damaged workbook can raise."""


def damaged(path: Path) -> OutOfReach:
    """The error for a workbook that cannot be read, or not in whole."""
    return OutOfReach(
        f"{path} is damaged or cut off: it cannot be read as a workbook",
        "Copy or download it again, or open it in the spreadsheet program and save it again.",
        "damaged-file",
    )


def version_of(path: Path) -> tuple[int, int]:
    """What tells a file from what it was before it was saved again."""
    about = path.stat()
    return about.st_mtime_ns, about.st_size


def workbook_part(book: zipfile.ZipFile) -> str:
    """The part that lists the sheets: the archive's relations name it.

    Raises:
        KeyError: there is none.
    """
    for relation in ElementTree.fromstring(book.read(part_named(book, "_rels/.rels"))):
        if relation.get("Type", "").endswith("/officeDocument"):
            return part_named(book, relation.get("Target", ""))
    return part_named(book, "xl/workbook.xml")


def sheet_part(book: zipfile.ZipFile, main: str, workbook: ElementTree.Element, sheet: str) -> str:
    """The part with a sheet's cells.

    Args:
        main: the part that lists the sheets, and ``workbook`` what is in it.

    Raises:
        KeyError: there is none.
    """
    wanted = None
    for element in workbook.iter():
        if element.tag.rpartition("}")[2] == "sheet" and element.get("name") == sheet:
            wanted = next((value for key, value in element.attrib.items() if key.endswith("}id")), None)
    folder, name = posixpath.split(main.replace("\\", "/"))
    relations = f"{folder}/_rels/{name}.rels".lstrip("/")
    for relation in ElementTree.fromstring(book.read(part_named(book, relations))):
        if relation.get("Id") == wanted and wanted is not None:
            target = relation.get("Target", "")
            return part_named(book, target if target.startswith("/") else posixpath.normpath(f"{folder}/{target}"))
    raise KeyError(sheet)


_CHUNK = 1 << 20
LARGEST = 4 << 30
"""Bytes that the parts of a workbook may have in all, unpacked."""


def verify(path: Path, wanted: Callable[[str], bool]) -> None:
    """Reads parts of an archive once: checksums must be right, and the whole must not unpack to more than a machine
    holds.

    Args:
        wanted: the parts to read, by name; another reader reads the others to their end.

    Raises:
        OutOfReach: it is damaged, or far larger than it seems.
    """
    try:
        with zipfile.ZipFile(path) as book:
            if sum(part.file_size for part in book.infolist()) > LARGEST:
                raise OutOfReach(
                    f"{path} would unpack to more than {LARGEST >> 30} GB",
                    "Save it again in the spreadsheet program, or split it.",
                    "too-large",
                )
            for part in book.infolist():
                if wanted(part.filename):
                    with book.open(part) as unpacked:
                        while unpacked.read(_CHUNK):
                            pass
    except DAMAGED:
        raise damaged(path) from None


def part_named(book: zipfile.ZipFile, name: str) -> str:
    """The part as it is called in this archive: some programs write other capitals, or backslashes.

    Raises:
        KeyError: there is none.
    """
    wanted = _plain_name(name)
    for found in book.namelist():
        if _plain_name(found) == wanted:
            return found
    raise KeyError(name)


def _plain_name(name: str) -> str:
    return posixpath.normpath(name.replace("\\", "/")).lstrip("/").casefold()
