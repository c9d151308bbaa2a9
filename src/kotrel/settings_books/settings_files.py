"""The settings files of a workspace: which there are, whether they are sound, and the workbook that shows one."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Callable, Mapping, Sequence
from functools import cache, cached_property
from pathlib import Path

from msgspec import Struct

from kotrel.core.description.description_reading import read_description
from kotrel.core.description.description_review import review
from kotrel.core.description.model import Record
from kotrel.core.description.toml_reading import parsed
from kotrel.core.documents.families import readable_records
from kotrel.core.errors import KotrelError, OutOfReach, WrongUse
from kotrel.core.phrases import those_there
from kotrel.core.similarity import did_you_mean
from kotrel.core.tables.detection import find_table
from kotrel.settings_books.book_building import (
    Column,
    layout_book,
    mapping_book,
    prices_book,
    system_book,
    workspace_book,
)
from kotrel.settings_books.book_model import SettingsBook
from kotrel.settings_books.spelling_sheets import spellings_book
from kotrel.sheets.opening_files import open_sheets
from kotrel.workspace.layout_reading import layout_of
from kotrel.workspace.mapping_reading import read_map, with_sheet_records
from kotrel.workspace.price_rules_reading import rules_named
from kotrel.workspace.settings import FILE, HIDDEN, Workspace, open_workspace
from kotrel.workspace.used_settings import Used, last_used

FOLDERS = {"mapping": "maps", "prices": "prices", "layout": "layouts"}
"""What a settings file is → the folder that it is in."""
KINDS = (*FOLDERS, "system", "workspace", "spellings")
"""What there are workbooks of."""
ABOUT = {
    "mapping": "reads sheets of {record}",
    "prices": "calculates new prices",
    "layout": "writes {record} in another program's form",
    "system": "what the business system accepts",
    "workspace": "the system, number formats, stock rules, counts",
}


class SettingPlace:
    """Where settings files are: a folder whose own settings may be wrong just now, and must be mended.

    Args:
        folder: of the workspace.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.hidden = folder / HIDDEN

    @cached_property
    def workspace(self) -> Workspace:
        """The workspace.

        Raises:
            WrongUse: its settings, or the system description, are wrong.
        """
        return open_workspace(self.folder)


SOME_VALUES = 3
"""Values of each column of the last sheet that a workbook shows."""


class SettingsFile(Struct, frozen=True):
    """One settings file.

    Attributes:
        file: seen from the workspace.
        trouble: what is wrong in it, or an empty text.
        about: what it is for, in words.
    """

    what: str
    name: str
    file: str
    about: str
    used: Used | None
    trouble: str

    @property
    def words(self) -> str:
        """What ``kotrel settings`` calls it."""
        return f"{self.what} {self.name}".strip()


def settings_files(place: SettingPlace) -> list[SettingsFile]:
    """All settings files of a workspace."""
    used = last_used(place.hidden)
    files = [
        _about(place, "workspace", "", FILE, used),
        _about(place, "system", "", _description_file(place), used),
    ]
    for what, folder in FOLDERS.items():
        for path in sorted((place.folder / folder).glob("*.toml")):
            files.append(_about(place, what, path.stem, f"{folder}/{path.name}", used))
    return files


def _about(place: SettingPlace, what: str, name: str, file: str, used: Mapping[str, Used]) -> SettingsFile:
    trouble, about = "", ABOUT[what].format(record="rows")
    try:
        text = text_of(place, file)
        record = parsed(text).get("record")
        about = ABOUT[what].format(record=str(record).replace("_", " ") if isinstance(record, str) else "rows")
        require_sound(place, what, {file: text})
    except ValueError as error:
        trouble = f"{file}: {error}"
    except KotrelError as error:
        # What another file has wrong is told there.
        trouble = "" if what != "workspace" and f"{FILE}, line" in error.message else error.message
    return SettingsFile(what, name, file, about, used.get(file), trouble)


def _description_file(place: SettingPlace) -> str:
    try:
        system = parsed(text_of(place, FILE)).get("system", {})
    except ValueError:
        return "system.toml"
    return str(system.get("description", "system.toml"))


def text_of(place: SettingPlace, file: str) -> str:
    """A settings file as it is.

    Raises:
        OutOfReach: it cannot be read.
    """
    path = place.folder / file
    try:
        # As it is: line ends, too.
        return path.read_bytes().decode("utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise OutOfReach(f"{path} cannot be read: {error}", "", "file-not-readable") from None


def text_fingerprint(text: str) -> str:
    """By which a workbook knows the file that it was made from."""
    return hashlib.sha256(text.encode()).hexdigest()


def settings_book(place: SettingPlace, what: str, name: str) -> SettingsBook:
    """The workbook of one settings file, or of all other spellings, as it would be made now.

    Raises:
        WrongUse: there is no such file, or it is no TOML.
    """
    if what in FOLDERS:
        file = _named_file(place, what, name)
    else:
        file = {"workspace": FILE, "system": _description_file(place), "spellings": FILE}[what]
    text = text_of(place, file)
    try:
        parsed(text)
    except ValueError as error:
        raise WrongUse(
            f"{place.folder / file}: {error}", "Correct that line in a text editor first.", "wrong-settings"
        ) from None
    if what == "mapping":
        records = _records_of(place)
        last = last_used(place.hidden).get(file)
        sheet = _columns_of(last, parsed(text).get("heading_row"), parsed(text).get("sheet"))
        return mapping_book(
            name,
            file,
            text,
            place.workspace.description,
            records,
            sheet,
            Path(last.file).name if last and sheet else "",
        )
    if what == "prices":
        return prices_book(name, file, text, place.workspace.description, _price_lists(place) or [])
    if what == "layout":
        return layout_book(name, file, text, _records_of(place).get(str(parsed(text).get("record", ""))))
    if what == "system":
        return system_book(file, text, _doubts(place))
    if what == "workspace":
        return workspace_book(file, text)
    maps = [f"maps/{path.name}" for path in sorted((place.folder / "maps").glob("*.toml"))]
    return spellings_book({each: text_of(place, each) for each in (FILE, *maps)})


def _records_of(place: SettingPlace) -> dict[str, Record]:
    """All records that a sheet can be read as."""
    description = place.workspace.description
    return {**with_sheet_records(description).records, **readable_records(description)}


def _named_file(place: SettingPlace, what: str, name: str) -> str:
    folder = FOLDERS[what]
    if not name:
        names = sorted(path.stem for path in (place.folder / folder).glob("*.toml"))
        raise WrongUse(
            f"say which {what}", those_there(what if what == "prices" else f"{what}s", names, ""), "wrong-command-line"
        )
    file = f"{folder}/{name.removesuffix('.toml')}.toml"
    if not (place.folder / file).is_file():
        names = sorted(path.stem for path in (place.folder / folder).glob("*.toml"))
        hint = did_you_mean(name, names, "kotrel settings lists what there is.")
        raise WrongUse(f"there is no {file}", hint, "no-such-settings")
    return file


def _columns_of(last: Used | None, heading_row: object, sheet: object) -> Sequence[Column]:
    """The columns of the last sheet with a few of their values; none where it cannot be read any more."""
    if last is None or not Path(last.file).is_file():
        return []
    try:
        grids = open_sheets(Path(last.file), sheet if isinstance(sheet, str) else None)
        table = find_table(grids[0], heading_row if isinstance(heading_row, int) else None)
    except (KotrelError, IndexError):
        return []
    columns = []
    for column in table.columns:
        if column.heading:
            values = table.cells[column.letter].drop_nulls().unique(maintain_order=True).head(SOME_VALUES)
            columns.append((column.heading, [" ".join(each.split())[:24] for each in values]))
    return columns


def _price_lists(place: SettingPlace) -> list[tuple[str, str]] | None:
    """Code and name of each price list; None where the system has none, or cannot be reached."""
    about = place.workspace.description.records.get("price_list")
    if about is None:
        return None
    try:
        with place.workspace.system().reading() as reading:
            rows = reading.read(about.name, [about.code, *([about.called] if about.called else [])])
    except OutOfReach:
        return None
    return [(str(row[0]), str(row[-1] or "")) for row in rows.sort(about.code).iter_rows()]


def _doubts(place: SettingPlace) -> Callable[[str, str], str]:
    """Why a field should be looked at first, as ``init --review`` says."""

    @cache
    def of_record(name: str) -> dict[str, str]:
        try:
            record = place.workspace.description.records.get(name)
        except WrongUse:
            return {}
        found = next((each for each in _reviewed(place) if each[0] == name), None)
        if record is None or found is None:
            return {}
        doubts: dict[str, str] = {}
        for point in found[1]:
            names, _, why = point.partition(": ")
            for each in names.removesuffix(" …").split(", "):
                if each in record.fields:
                    doubts[each] = why
        return doubts

    return lambda record, field: of_record(record).get(field, "")


def _reviewed(place: SettingPlace) -> list[tuple[str, tuple[str, ...]]]:
    return [(each.record, each.points) for each in review(place.workspace.description, ())]


def require_sound(place: SettingPlace, what: str, texts: Mapping[str, str]) -> None:
    """Reads settings files as every command does, from copies, without using them.

    Args:
        texts: file, seen from the workspace → its text.

    Raises:
        WrongUse: one of them is wrong, with its line.
    """
    with tempfile.TemporaryDirectory() as folder:
        copies = Path(folder)
        for file, text in texts.items():
            (copies / file).parent.mkdir(parents=True, exist_ok=True)
            (copies / file).write_bytes(text.encode())
        try:
            for file in texts:
                _require(place, what, file, texts, copies)
        except WrongUse as error:
            said = error.message
            for each in (copies, place.folder):
                said = said.replace(f"{each}/", "").replace(f"{each}\\", "")
            raise WrongUse(said, error.hint, error.kind) from None


def _require(place: SettingPlace, what: str, file: str, texts: Mapping[str, str], copies: Path) -> None:
    path = copies / file
    if file == FILE:
        open_workspace(place.folder, texts[file])
    elif file.startswith("maps/"):
        read_map(path, place.workspace.description)
    elif what == "prices":
        lists = _price_lists(place)
        known = None if lists is None else tuple(code for code, _ in lists)
        rules_named(copies, path.stem, known, place.workspace.rates)
    elif what == "layout":
        layout_of(texts[file], parsed(texts[file]), place.folder / file, place.folder, place.workspace.description)
    else:
        read_description(texts[file], file)
