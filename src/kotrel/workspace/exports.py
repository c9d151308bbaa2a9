"""Remembered exports, ``.kotrel/exports/STAMP``: what the system held at each export,
and what has been loaded from the file since.
"""

from __future__ import annotations

import io
import json
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path

import polars as pl
from msgspec import Struct

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.phrases import those_there
from kotrel.core.rows.beside import fields_in_turn, shared
from kotrel.core.similarity import did_you_mean
from kotrel.sheets.safe_writing import make_folder
from kotrel.workspace.stored_blocks import Damaged, checked, with_checksum

STAMP = "Kotrel export"
"""Name of the workbook property that says which export it is."""

FOLDER = "exports"


class RememberedExport(Struct, frozen=True):
    """An export as it was written.

    Attributes:
        stamp: its name.
        at: when it was made, as ISO text.
        file: the name of the file it was written to.
        folder: where it is kept.
        records: the records in it, and the fields of each.
    """

    stamp: str
    at: str
    file: str
    folder: Path
    records: Mapping[str, tuple[str, ...]]

    def rows(self, record: str, sheet: pl.DataFrame) -> pl.DataFrame:
        """The record's rows as they were exported: String columns.

        Args:
            sheet: the values of the sheet that came from it; columns that say the same, row for row, are the sheet's.
        """
        with _reading(self.folder / f"{record}.rows") as kept:
            return pl.DataFrame(
                [
                    shared(column, sheet)
                    for wanted in fields_in_turn((), self.records[record], sheet.height)
                    for column in pl.read_parquet(kept, columns=wanted).get_columns()
                ]
            )

    def has_loads(self) -> bool:
        """True where something has been loaded from the file since."""
        return any(self.folder.glob("*.load-*.rows"))

    def loaded(self, record: str, key: Sequence[str], standing: Collection[int]) -> pl.DataFrame | None:
        """What has been loaded from the file since: the key, fields, and ``loaded FIELD`` for each; None if nothing
        was.

        Args:
            standing: the loads that are not undone; what others loaded does not count.
        """
        numbered = [(int(path.stem.rpartition("-")[2]), path) for path in self.folder.glob(f"{record}.load-*.rows")]
        found: pl.DataFrame | None = None
        for number, path in sorted(numbered):
            if number in standing:
                found = _latest_loaded(found, _read(path), key)
        return found

    def remember_loaded(self, record: str, loaded: pl.DataFrame, number: int) -> None:
        """Keeps what a load has just loaded; a later load of the same file is compared with it."""
        path = self.folder / f"{record}.load-{number}.rows"
        if path.is_file():
            # Several sheets of one record in one load.
            loaded = pl.concat([_read(path), loaded], how="diagonal")
        _write(path, loaded)


def _latest_loaded(before: pl.DataFrame | None, loaded: pl.DataFrame, key: Sequence[str]) -> pl.DataFrame:
    """What one load after another has loaded: of each cell the latest."""
    if before is None:
        return loaded
    fields = [name for name in loaded.columns if name not in key and not name.startswith("loaded ")]
    joined = loaded.join(before, on=list(key), how="full", coalesce=True, suffix=" before")
    columns = []
    for name in fields:
        if name not in before.columns:
            continue
        mine = pl.col(f"loaded {name}").fill_null(False)
        columns += [
            pl.when(mine).then(pl.col(name)).otherwise(pl.col(f"{name} before")).alias(name),
            (mine | pl.col(f"loaded {name} before").fill_null(False)).alias(f"loaded {name}"),
        ]
    others = [name for name in before.columns if name not in loaded.columns]
    return joined.with_columns(columns).select([*loaded.columns, *others])


def _write(path: Path, rows: pl.DataFrame) -> None:
    """Writes rows whole or not at all, with their checksum: no changed byte is ever taken for somebody's edit."""
    held = io.BytesIO()
    rows.write_parquet(held)
    soon = path.with_suffix(".soon")
    soon.write_bytes(with_checksum(held.getvalue()))
    soon.replace(path)


def _read(path: Path) -> pl.DataFrame:
    with _reading(path) as kept:
        return pl.read_parquet(kept)


@contextmanager
def _reading(path: Path) -> Iterator[bytes]:
    """The bytes of rows that were kept.

    Raises:
        OutOfReach: they are not as they were written.
    """
    try:
        yield checked(path.read_bytes())
    except (OSError, pl.exceptions.PolarsError, Damaged):
        raise OutOfReach(
            f"the remembered export {path} is damaged",
            "Export again, or add --since none to compare with the system only.",
            "export-damaged",
        ) from None


def remember_export(
    hidden: Path, stamp: str, kept: dict[str, pl.DataFrame], where: str | None, path: Path, at: datetime
) -> None:
    """Saves what was exported, so that later only edited cells are loaded.

    Raises:
        OutOfReach: it cannot be written.
    """
    folder = hidden / FOLDER / stamp
    try:
        make_folder(folder)
        for name, rows in kept.items():
            _write(folder / f"{name}.rows", rows)
        about = {
            "at": at.isoformat(),
            "file": path.name,
            "where": where,
            "records": {name: rows.columns for name, rows in kept.items()},
        }
        (folder / "export.json").write_text(json.dumps(about, ensure_ascii=False, indent=1), "utf-8")
    except OSError as error:
        raise OutOfReach(
            f"the export could not be saved in {folder}: {error.strerror or error}", "", "no-right"
        ) from None


def remembered_exports(hidden: Path) -> list[RememberedExport]:
    """All remembered exports, the oldest first."""
    exports: list[RememberedExport] = []
    for path in sorted((hidden / FOLDER).glob("*/export.json")):
        try:
            about = json.loads(path.read_text("utf-8"))
            records = {str(name): _names(fields) for name, fields in about["records"].items()}
            exports.append(
                RememberedExport(path.parent.name, str(about["at"]), str(about["file"]), path.parent, records)
            )
        except (OSError, ValueError, KeyError, TypeError, AttributeError):
            continue
    return exports


def _names(said: object) -> tuple[str, ...]:
    """A list of names, as it was written.

    Raises:
        TypeError: it is none.
    """
    if not isinstance(said, list) or not all(isinstance(each, str) for each in said):
        raise TypeError
    return tuple(said)


def exports_called(hidden: Path, name: str) -> list[RememberedExport]:
    """The exports to a file of that name, the earliest first."""
    return [each for each in remembered_exports(hidden) if Path(name).name == each.file]


def export_named(hidden: Path, name: str) -> RememberedExport:
    """The export with that stamp, or the latest one to a file of that name.

    Raises:
        WrongUse: there is none.
    """
    known = remembered_exports(hidden)
    found = [each for each in known if name == each.stamp or Path(name).name == each.file]
    if found:
        return max(found, key=lambda each: each.at)
    names = [word for each in known for word in (each.file, each.stamp)]
    hint = (
        did_you_mean(name, names, those_there("latest exports", [each.file for each in known[-5:]]))
        if known
        else "This workspace has no exports yet."
    )
    raise WrongUse(f"there is no export named “{name}”", hint, "no-such-export")


def export_stamped(hidden: Path, stamp: str) -> RememberedExport | None:
    """The export with that stamp, or None if it is not remembered here."""
    return next((each for each in remembered_exports(hidden) if each.stamp == stamp), None)
