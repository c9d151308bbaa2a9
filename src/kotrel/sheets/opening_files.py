"""A file → its sheets. The first bytes decide what kind of file it is; its name must agree."""

from __future__ import annotations

import atexit
import shutil
import tempfile
import zipfile
from pathlib import Path

from msgspec.structs import replace

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.tables.reading_limits import USUAL, Limits
from kotrel.core.tables.table import Grid
from kotrel.sheets.encodings import CHECKED, is_utf8_file
from kotrel.sheets.textfiles import read_text_file

WORKBOOK_ENDINGS = (".xlsx", ".xlsm", ".xlsb", ".xls", ".ods")
TEXT_ENDINGS = (".csv", ".tsv", ".tab", ".txt")

_ZIP = b"PK\x03\x04"
_PAGE = (b"<!doctype html", b"<html", b"<head", b"<body", b"<table", b"<meta")
_PARTS = {"xl/workbook.xml": ".xlsx", "xl/workbook.bin": ".xlsb", "content.xml": ".ods"}
"""What is in a packed workbook, and the ending that it should have."""
_COMPOUND = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"


def open_sheets(
    path: Path, sheet: str | None = None, encoding: str | None = None, limits: Limits = USUAL
) -> list[Grid]:
    """The sheets of a file, in its order.

    Args:
        path: as the user gave it; it is used as the file's name in messages.
        sheet: only the sheet of that name.
        encoding: of a text file, or None to recognise it.
        limits: what reading may take.

    Raises:
        OutOfReach: the file does not exist, cannot be read, or is not what its name says.
        WrongUse: it has no such sheet.
    """
    start = _first_bytes(path)
    ending = path.suffix.lower()
    if not start:
        raise OutOfReach(
            f"{path} is empty (0 bytes)", "Check that it was saved, or get it from its source again.", "empty-file"
        )
    looks_like = _looks_like(path, start)
    if looks_like in ("page", "xml"):
        grids = _tables_of_page(path, looks_like, sheet, limits)
    elif ending in WORKBOOK_ENDINGS and looks_like == "text":
        grids = [_text_called_workbook(path, encoding)]
    elif ending in WORKBOOK_ENDINGS:
        grids = _sheets_of_workbook(path, looks_like, sheet, encoding, limits)
    elif looks_like in ("zip", "compound"):
        real = _real_ending(path, looks_like)
        if not real or ending not in TEXT_ENDINGS:
            raise _unknown_file(path)
        grids = _read_under(path, real, sheet, limits)
    else:
        if ending not in TEXT_ENDINGS and b"\x00" in start[:400] and not start.startswith((b"\xff\xfe", b"\xfe\xff")):
            raise _unknown_file(path)
        grids = [_text_file(path, sheet, encoding)]
    return _with_lock_remark(path, grids)


def _unknown_file(path: Path) -> OutOfReach:
    return OutOfReach(
        f"{path} is not a spreadsheet that Kotrel can read",
        f"Kotrel reads {', '.join((*WORKBOOK_ENDINGS, *TEXT_ENDINGS))}.",
        "unknown-file",
    )


def _tables_of_page(path: Path, kind: str, sheet: str | None, limits: Limits) -> list[Grid]:
    """The tables of a web page or of XML that is called a workbook."""
    if grids := _tables_in(path, kind, sheet, limits):
        return grids
    again = " If you see a login there, log in and download it again." if kind == "page" else ""
    raise OutOfReach(
        f"{path} is {'a web page' if kind == 'page' else 'XML'}, not a sheet",
        f"Open it in a spreadsheet program and save it as .xlsx.{again}",
        "not-what-its-ending-says",
    )


def _text_called_workbook(path: Path, encoding: str | None) -> Grid:
    ending = path.suffix.lower()
    grid = read_text_file(path, encoding)
    if grid.cells.width < 2 and grid.cells.height < 2:
        raise OutOfReach(
            f"{path} is not a workbook, although its name ends in {ending}: it is plain text, and no table",
            "Get it from its source again.",
            "not-what-its-ending-says",
        )
    said = f"it is text, although its name ends in {ending}: read as what it is"
    return replace(grid, remarks=(said, *grid.remarks))


def _sheets_of_workbook(
    path: Path, looks_like: str, sheet: str | None, encoding: str | None, limits: Limits
) -> list[Grid]:
    ending = path.suffix.lower()
    real = _real_ending(path, looks_like)
    if real and real != ending and not (real == ".xlsx" and ending == ".xlsm"):
        return _read_under(path, real, sheet, limits)
    if looks_like == "compound" and ending in (".xlsx", ".xlsm", ".xlsb", ".ods"):
        raise OutOfReach(
            f"{path} is protected by a password",
            "Open it in the spreadsheet program and save it without a password.",
            "password-protected",
        )
    if encoding is not None:
        raise WrongUse(
            f"{path} is a workbook: its encoding is never in doubt", "Leave out --encoding.", "wrong-command-line"
        )
    return _read_book(path, ending, sheet, limits)


def _read_book(path: Path, ending: str, sheet: str | None, limits: Limits) -> list[Grid]:
    # Only for a workbook: most text files are small, and whoever checks one waits for each import.
    from kotrel.sheets.contained import RARE, read_contained
    from kotrel.sheets.workbooks import read_workbook

    return (read_contained if ending in RARE else read_workbook)(path, sheet, limits)


def _text_file(path: Path, sheet: str | None, encoding: str | None) -> Grid:
    grid = read_text_file(path, encoding)
    if sheet is None:
        return grid
    said = f"a text file has no sheets: it is read whole, not its sheet “{sheet}”"
    return replace(grid, remarks=(*grid.remarks, said))


def _tables_in(path: Path, kind: str, sheet: str | None, limits: Limits) -> list[Grid]:
    """The tables of a web page, or the sheets of a workbook in XML, with a remark that the file is that;
    none where it has none.
    """
    from kotrel.sheets.disguised import sheets_of_xml, tables_of_page

    grids = (tables_of_page if kind == "page" else sheets_of_xml)(path, sheet, limits)
    what = "a web page with tables" if kind == "page" else "a workbook in XML"
    named_so = path.suffix.lower() in (".html", ".htm", ".xml")
    said = f"it is {what}" if named_so else f"it is {what}, although its name ends in {path.suffix}: read as what it is"
    return [replace(grid, remarks=(said, *grid.remarks)) for grid in grids]


def _real_ending(path: Path, looks_like: str) -> str:
    """The ending that a workbook should have by what is in it;
    empty for what is none, or is protected by a password.
    """
    if looks_like == "compound":
        raw = path.read_bytes()
        # The names of its streams: an old workbook is in one called Workbook or Book.
        is_book = any(name.encode("utf-16-le") in raw for name in ("Workbook", "Book"))
        return ".xls" if is_book and "EncryptedPackage".encode("utf-16-le") not in raw else ""
    if looks_like == "old-workbook":
        return ".xls"
    if looks_like != "zip":
        return ""
    try:
        with zipfile.ZipFile(path) as book:
            names = {name.replace("\\", "/").lower() for name in book.namelist()}
    except (zipfile.BadZipFile, OSError, ValueError):
        return ""
    return next((ending for part, ending in _PARTS.items() if part in names), "")


def _read_under(path: Path, ending: str, sheet: str | None, limits: Limits) -> list[Grid]:
    """The sheets of a workbook whose name has another ending, read from a copy with its own."""
    # Formats of its cells are read when they are needed: the copy stays until the command ends.
    folder = Path(tempfile.mkdtemp(prefix="kotrel-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    copy = folder / f"{path.stem}{ending}"
    shutil.copyfile(path, copy)
    try:
        grids = _read_book(copy, ending, sheet, limits)
    except (OutOfReach, WrongUse) as error:
        error.message = error.message.replace(str(copy), str(path))
        raise
    said = f"it is a workbook ({ending}), although its name ends in {path.suffix}: read as what it is"
    return [replace(grid, file=str(path), remarks=(said, *grid.remarks)) for grid in grids]


def is_old_text(path: Path) -> bool:
    """True for a text file that is not in Unicode, so that its encoding is a guess."""
    try:
        start = _first_bytes(path)
        return (
            path.suffix.lower() not in WORKBOOK_ENDINGS
            and _looks_like(path, start) == "text"
            and not start.startswith((b"\xff\xfe", b"\xfe\xff"))
            and not is_utf8_file(path, CHECKED)
        )
    except (OSError, OutOfReach):
        return False


def _with_lock_remark(path: Path, grids: list[Grid]) -> list[Grid]:
    """A remark if a lock file beside it shows that another program has the file open."""
    locks = (path.with_name(f"~${path.name}"), path.with_name(f".~lock.{path.name}#"))
    if not any(lock.exists() for lock in locks):
        return grids
    remark = "it is open in another program: changes that are not saved there yet are not seen here"
    return [replace(grid, remarks=(remark, *grid.remarks)) for grid in grids]


def _first_bytes(path: Path) -> bytes:
    try:
        if path.is_dir():
            raise OutOfReach(f"{path} is a folder, not a file", "Name a file in it.", "is-a-folder")
        with path.open("rb") as file:
            return file.read(4096)
    except FileNotFoundError:
        raise OutOfReach(f"there is no file {path}", _near_files(path), "no-such-file") from None
    except PermissionError:
        raise OutOfReach(
            f"{path} cannot be read: another program holds it open, or you have no permission to read it",
            "Close it there, or ask for permission to read it.",
            "file-not-readable",
        ) from None
    except OSError as error:
        raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "file-not-readable") from None


def _near_files(path: Path) -> str:
    from kotrel.core.similarity import nearest

    try:
        names = [
            each.name for each in path.parent.iterdir() if each.suffix.lower() in (*WORKBOOK_ENDINGS, *TEXT_ENDINGS)
        ]
    except OSError:
        return f"The folder {path.parent} does not exist either."
    close = nearest(path.name, names)
    return f"Did you mean {path.with_name(close)}?" if close else "Check its name and folder."


def _looks_like(path: Path, start: bytes) -> str:
    if start.startswith(_ZIP):
        return "zip"
    if start.startswith(_COMPOUND):
        return "compound"
    # Whatever the code page, these are letters of ASCII.
    bare = start.replace(b"\x00", b"").lstrip(b"\xef\xbb\xbf\xff\xfe \t\r\n").lower()
    if bare.startswith(_PAGE) or (bare.startswith(b"<?xml") and b"<html" in bare):
        return "page"
    if bare.startswith(b"<?xml"):
        return "xml"
    # Old binary spreadsheets start with a record header; anything else is text unless it cannot be decoded.
    return "old-workbook" if start[:2] in (b"\x09\x08", b"\x09\x04", b"\x09\x02", b"\x09\x00") else "text"
