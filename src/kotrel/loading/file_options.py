"""What the user says about the files: which record, sheet and match, and the load options."""

from __future__ import annotations

from msgspec import Struct

from kotrel.core.description.model import Description, Record
from kotrel.core.description.record_names import meant
from kotrel.core.errors import WrongUse
from kotrel.core.rows.load_options import DEFAULT_OPTIONS, LoadOptions
from kotrel.core.tables.reading_limits import USUAL, Limits


class FileOptions(Struct, frozen=True):
    """What the user said about the files.

    Attributes:
        record: the record the rows are, or None to recognise it by its headings.
        sheet: the sheet's name, or None for the one that fits.
        heading_row: the row with the headings, or None to find it.
        encoding: of a text file, or None to recognise it.
        map_name: the saved mapping to use, or None for the one whose headings fit.
        options: the load options.
        limits: what reading a file may take.
    """

    record: str | None = None
    sheet: str | None = None
    heading_row: int | None = None
    map_name: str | None = None
    encoding: str | None = None
    options: LoadOptions = DEFAULT_OPTIONS
    limits: Limits = USUAL


def record_named(description: Description, name: str) -> Record:
    """The record of that name.

    Raises:
        WrongUse: there is none.
    """
    if name in description.records:
        return description.records[name]
    raise WrongUse(f"there is no record “{name}”", meant(name, description), "no-such-record")
