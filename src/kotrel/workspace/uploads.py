"""Upload files that were written for a program that only exchanges files: what was sent, to be held against its next lists."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from pathlib import Path

import polars as pl

from kotrel.core.errors import OutOfReach, WrongUse

FOLDER = "uploads"


@dataclass(frozen=True)
class Upload:
    """One upload.

    Attributes:
        counts: ``new``, ``changed`` and ``same`` → rows.
        fingerprint: of the files' contents.
    """

    name: str
    record: str
    layout: str
    source: str
    files: tuple[str, ...]
    at: str
    who: str
    counts: Mapping[str, int]
    fingerprint: str


def uploads(hidden: Path) -> list[Upload]:
    """All uploads, the oldest first."""
    found = []
    for path in sorted((hidden / FOLDER).glob("U*.json")):
        try:
            said = json.loads(path.read_text("utf-8"))
            found.append(Upload(**{**said, "files": tuple(said["files"])}))
        except (OSError, ValueError, TypeError, KeyError):
            raise OutOfReach(
                f"{path} is damaged",
                "Move it away; the upload itself is what the program made of it.",
                "upload-damaged",
            ) from None
    return found


def upload_named(hidden: Path, name: str) -> Upload:
    """The upload of that name.

    Raises:
        WrongUse: there is none.
    """
    wanted = re.fullmatch(r"[Uu]?0*([1-9]\d{0,8})", name.strip())
    there = uploads(hidden)
    for each in there:
        if wanted and each.name == f"U{int(wanted[1]):04d}":
            return each
    raise WrongUse(
        f"there is no upload {name}",
        "kotrel history lists them: they are called U0001, U0002 and so on.",
        "no-such-upload",
    )


def sent_rows(hidden: Path, upload: Upload) -> pl.DataFrame:
    """What was sent: ``sent as`` (``new`` or ``changed``) and the fields, String in canonical text."""
    path = hidden / FOLDER / f"{upload.name}.csv"
    try:
        return pl.read_csv(path, infer_schema=False)
    except OSError as error:
        raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "upload-damaged") from None


def remember_upload(hidden: Path, upload: Upload, rows: pl.DataFrame) -> Upload:
    """Keeps an upload under the next number; its rows are written first, so that what is listed is whole."""
    folder = hidden / FOLDER
    try:
        folder.mkdir(parents=True, exist_ok=True)
        last = max((int(each.name[1:]) for each in uploads(hidden)), default=0)
        named = Upload(**{**asdict(upload), "files": upload.files, "name": f"U{last + 1:04d}"})
        rows.write_csv(folder / f"{named.name}.csv")
        soon = folder / f"{named.name}.soon"
        soon.write_text(json.dumps(asdict(named), ensure_ascii=False, indent=1), "utf-8")
        soon.replace(folder / f"{named.name}.json")
    except OSError as error:
        raise OutOfReach(f"{folder} cannot be written: {error.strerror or error}", "", "no-right") from None
    return named
