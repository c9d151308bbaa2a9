"""What a business system itself says about rows of a load."""

from __future__ import annotations

from dataclasses import dataclass

from kotrel.core.rows.findings import Severity


@dataclass(frozen=True)
class Refusal:
    """What the business system itself says about one row of a load.

    Attributes:
        file, sheet, row: where the row stands.
        key: its key, parts joined by `` / ``.
        message: the system's own words.
        severity: ``error`` where it does not take the row; ``warning`` or ``note`` for a remark on one that it took.
        field: the field it is about, or None for the whole row.
        advice: what the system says to do, or an empty text.
        layout: the upload layout that the row cannot be written in, or an empty text: then the words are Kotrel's own.
    """

    record: str
    file: str
    sheet: str
    row: int
    key: str
    message: str
    severity: Severity = "error"
    field: str | None = None
    advice: str = ""
    layout: str = ""
