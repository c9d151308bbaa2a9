"""``kotrel.toml``: finds and reads it; an error names the line."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.counting.tolerances import CLASS_NAMES, EXACT, Tolerance
from kotrel.core.description.description_reading import read_description
from kotrel.core.description.model import Description
from kotrel.core.description.toml_reading import NotToml, TomlReader, parsed
from kotrel.core.documents.stock_rules import CAREFUL, StockRules
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.pricing.rates import NO_RATES, Rates
from kotrel.core.pricing.sheet_guard import SheetGuard
from kotrel.core.similarity import did_you_mean, nearest
from kotrel.core.tables.reading_limits import USUAL, Limits
from kotrel.core.values.conventions import ROUNDINGS, Conventions, is_rounding
from kotrel.core.values.same_writing import form_of
from kotrel.workspace.setting_tables import FREE, WORKSPACE

NAMES = ("tolerance_quantity", "tolerance_percent", "tolerance_value")


def tolerances(reader: TomlReader, table: Mapping[str, Any]) -> Tolerance:
    """The tolerance of counts, and those of classes of items: ``[count.class.A]``.

    Raises:
        WrongUse: a setting is wrong, with its line.
    """
    named = table.get("class", {})
    if not isinstance(named, dict):
        raise reader.wrong("a class has its own table: [count.class.A], B or C", "count", "class")
    for name, each in named.items():
        if name not in CLASS_NAMES or not isinstance(each, dict):
            raise reader.wrong(f"there is no class {name}; they are A, B and C", "count", "class", name)
        for key in each:
            if key not in NAMES:
                hint = did_you_mean(key, NAMES, f"Use {', '.join(NAMES)}.")
                raise reader.wrong(f"“{key}” is not a setting of a class", "count", "class", name, key, hint=hint)
    by_class = {name: _tolerance(reader, each, "count", "class", name) for name, each in named.items()}
    return replace(_tolerance(reader, table, "count"), by_class=by_class)


def _tolerance(reader: TomlReader, table: Mapping[str, Any], *at: str) -> Tolerance:
    tolerances = []
    for name in NAMES:
        number = reader.decimal(table, name, *at) or Decimal(0)
        if number < 0:
            raise reader.wrong(f"“{name}” cannot be below zero", *at, name)
        tolerances.append(number)
    return Tolerance(tolerances[0], tolerances[1], tolerances[2])


def read_spellings(reader: TomlReader, table: Mapping[str, Any], records: Collection[str]) -> dict[str, dict[str, str]]:
    """Record → form of a word → code, from the settings.

    Raises:
        WrongUse: a record does not exist, or one word stands for two codes.
    """
    spellings: dict[str, dict[str, str]] = {}
    for record, words in table.items():
        if record not in records and words:
            close = nearest(record, records)
            hint = f"Did you mean [spellings.{close}]?" if close else ""
            raise reader.wrong(f"the system has no record “{record}”", "spellings", record, hint=hint)
        if not isinstance(words, dict) or not all(isinstance(code, str) and code for code in words.values()):
            raise reader.wrong(f'spellings of {record} must look like each = "EA"', "spellings", record)
        known = spellings.setdefault(record, {})
        for word, code in words.items():
            if known.setdefault(form_of(word), code) != code:
                trouble = f"“{word}” is a spelling of {known[form_of(word)]} and of {code}: capitals and separators make no difference"
                raise reader.wrong(trouble, "spellings", record, word)
    return spellings


if TYPE_CHECKING:
    from kotrel.core.rows.system_state import Files
    from kotrel.systems.folder.sending import Uploads
    from kotrel.systems.interface import System

FILE = "kotrel.toml"
HIDDEN = ".kotrel"


class FilesOnly(Struct, frozen=True):
    """What is said of a program that only exchanges files.

    Attributes:
        old_after_days: its lists are old after so many days.
        uploads, trial, results: the folders where it looks for upload files, for those that it is only to try, and
            where it writes its results; relative to the workspace, or an empty text.
        result_map: the saved mapping that reads its results, or an empty text.
        layouts: record → the layout that its loads are written in, where there are several.
    """

    old_after_days: int = 7
    uploads: str = "uploads"
    trial: str = ""
    results: str = ""
    result_map: str = ""
    layouts: Mapping[str, str] = field(default_factory=dict)


class Workspace(Struct, frozen=True):
    """A workspace and its settings.

    Attributes:
        folder: where ``kotrel.toml`` is.
        url: the system's address.
        description: what the system takes.
        conventions: how sheets are written here.
        picture_folder: where the pictures that items name are, or None.
        largest_picture: bytes a picture may have.
        time_limit: seconds that the system may take for one step, or None for the default.
        stock: what is allowed of stock documents.
        prices: what a price below cost is, in any sheet.
        tolerance: how far a counted line may be off.
        limits: what reading a file may take.
        files_only: of a program that only exchanges files: where they go, and how old its lists may be.
        not_counted: the word in a count sheet that says that a line was not counted, as a blank does; or an empty text.
        trigger_schemas: schemas in which the database's own triggers look for names.
        rates: what other currencies are worth.
    """

    folder: Path
    url: str
    description: Description
    conventions: Conventions
    picture_folder: Path | None = None
    largest_picture: int = 10_000_000
    time_limit: int | None = None
    trigger_schemas: tuple[str, ...] = ()
    stock: StockRules = CAREFUL
    prices: SheetGuard = SheetGuard()
    tolerance: Tolerance = EXACT
    not_counted: str = ""
    files_only: FilesOnly = FilesOnly()
    limits: Limits = USUAL
    rates: Rates = NO_RATES

    def pictures(self) -> Files | None:
        """Looks up pictures in their folder, and among those that a service keeps; None if there is neither."""
        from kotrel.systems.pictures import pictures_in

        over_http = self.url.startswith(("http://", "https://"))
        return pictures_in(self.picture_folder, self.system().pictures_kept if over_http else None)

    def system(self) -> System:
        """The connected system; the connection is opened later."""
        # What only shows settings needs no system.
        from kotrel.systems.opening_systems import open_system

        return open_system(
            self.url,
            self.description,
            self.folder,
            self.time_limit,
            self.trigger_schemas,
            self._uploads,
            self.picture_folder,
        )

    def _uploads(self) -> Uploads:
        # Only for such a program: every command reads the settings, and is to start at once.
        from kotrel.systems.folder.sending import Uploads
        from kotrel.workspace.layout_reading import layouts_by_record

        said = self.files_only
        layouts = layouts_by_record(self.folder, said.layouts, self.description)
        return Uploads(
            self.folder / said.uploads, self.folder / said.trial if said.trial else None, layouts, self.rates
        )

    @property
    def hidden(self) -> Path:
        """Where Kotrel keeps what people do not edit."""
        return self.folder / HIDDEN


def find_workspace(named: Path | None, start: Path) -> Path:
    """The workspace's folder: the one named, or the nearest with a ``kotrel.toml`` from ``start`` upwards.

    Raises:
        WrongUse: there is none.
    """
    if named is not None:
        if not (named / FILE).is_file():
            raise WrongUse(
                f"{named} is not a workspace: it has no {FILE}", f"To make one: kotrel init {named}", "no-workspace"
            )
        return named
    for folder in (start, *start.parents):
        if (folder / FILE).is_file():
            return folder
    raise WrongUse(
        f"neither this folder nor any above it is a workspace: there is no {FILE}",
        "To make one here: kotrel init; to use another: -w DIR",
        "no-workspace",
    )


def system_named(folder: Path) -> tuple[str, str]:
    """The address of a workspace's system, and the file that describes it, which need not be there.

    Raises:
        WrongUse: ``kotrel.toml`` cannot be read, or names no system.
    """
    path = folder / FILE
    settings, data = _settings(path, _text(path))
    return _system_of(settings, data)


def _settings(path: Path, text: str) -> tuple[_Settings, dict[str, Any]]:
    """What ``kotrel.toml`` says, in tables that have their known keys only."""
    try:
        data = parsed(text)
    except NotToml as error:
        raise WrongUse(
            f"{path}: {error}", 'Correct that line; texts are in quotes, like decimal_mark = ","', "wrong-settings"
        ) from None
    settings = _Settings(text, str(path))
    settings.known_keys(data, WORKSPACE, FILE)
    for name, allowed in WORKSPACE.items():
        table = data.get(name, {})
        settings.table(table, f"“{name}”", name)
        if name not in FREE:
            settings.known_keys(table, allowed, f"[{name}]", name)
    return settings, data


def _system_of(settings: _Settings, data: Mapping[str, Any]) -> tuple[str, str]:
    """The address of the system, and the name of the file that describes it."""
    system = data.get("system", {})
    url = settings.text_of(system, "url", "", "system")
    if not url:
        raise settings.wrong(
            "no system is set", "system", hint='Under [system], set url = "sqlite:practice.db", or your own address.'
        )
    return url, settings.text_of(system, "description", "system.toml", "system")


def open_workspace(folder: Path, text: str | None = None) -> Workspace:
    """Reads a workspace's settings and its system description.

    Args:
        text: what ``kotrel.toml`` would say, instead of what it says.

    Raises:
        WrongUse: one of them is wrong; the message has file and line.
    """
    path = folder / FILE
    text = _text(path) if text is None else text
    settings, data = _settings(path, text)
    system, sheets = data.get("system", {}), data.get("sheets", {})
    url, name = _system_of(settings, data)
    described = folder / name
    currency = settings.text_of(sheets, "currency", "EUR", "sheets").upper()
    rates = Rates(currency, settings.rates(data.get("rates", {}), currency))
    below_cost = settings.choice(data.get("prices", {}), "below_cost", ("warning", "error", "allowed"), "prices")
    description = read_description(_text(described), str(described))
    return Workspace(
        folder=folder,
        url=url,
        description=description,
        conventions=Conventions(
            decimal_mark=settings.choice(sheets, "decimal_mark", ("auto", ".", ","), "sheets"),  # type: ignore[arg-type]
            dates=settings.choice(sheets, "dates", ("auto", "day", "month"), "sheets"),  # type: ignore[arg-type]
            spellings=read_spellings(settings, data.get("spellings", {}), description.records),
            currency=currency,
            rounding=settings.rounding(sheets, "rounding", "sheets"),
            no_price=settings.texts(sheets, "no_price", "sheets"),
        ),
        trigger_schemas=settings.texts(system, "trigger_schemas", "system"),
        time_limit=settings.minutes(system, "time_limit", "system"),
        picture_folder=_picture_folder(settings, data, folder),
        stock=settings.stock(data.get("stock", {})),
        tolerance=tolerances(settings, data.get("count", {})),
        files_only=settings.files_only(data.get("folder", {})),
        limits=settings.limits(data.get("limits", {})),
        rates=rates,
        not_counted=settings.text_of(data.get("count", {}), "not_counted", "", "count"),
        prices=SheetGuard(below_cost, rates),  # type: ignore[arg-type]
        largest_picture=settings.megabytes(data.get("pictures", {}), "at_most_mb", 10, "pictures"),
    )


def _picture_folder(settings: _Settings, data: Mapping[str, Any], folder: Path) -> Path | None:
    named = settings.text_of(data.get("pictures", {}), "folder", "", "pictures")
    if not named:
        return None
    try:
        there = (folder / named).is_dir()
    except OSError:
        # A name that no folder can have.
        there = False
    if not there:
        raise settings.wrong(
            f"there is no folder {folder / named}",
            "pictures",
            "folder",
            hint="folder under [pictures] names the folder with the pictures that items name.",
        )
    return folder / named


def _text(path: Path) -> str:
    try:
        return path.read_text("utf-8-sig")
    except FileNotFoundError:
        raise WrongUse(
            f"there is no {path}",
            "Put it back, or correct description under [system] in kotrel.toml.",
            "wrong-settings",
        ) from None
    except UnicodeDecodeError:
        raise WrongUse(f"{path} is not UTF-8 text", "Save it again as UTF-8.", "wrong-settings") from None
    except OSError as error:
        raise OutOfReach(f"{path} cannot be read: {error.strerror or error}", "", "file-not-readable") from None


_LONGEST = 10_000
"""Minutes of a step of a load; a week."""
_LARGEST = 100_000
"""Megabytes of a picture."""


class _Settings(TomlReader):
    """The text of ``kotrel.toml``."""

    kind = "wrong-settings"

    def minutes(self, table: Mapping[str, Any], key: str, *at: str) -> int | None:
        value = table.get(key)
        if value is None:
            return None
        if isinstance(value, bool) or not isinstance(value, int) or not 0 < value <= _LONGEST:
            raise self.wrong(f"“{key}” must be a whole number of minutes, from 1 to {_LONGEST:,}", *at, key)
        return value * 60

    def megabytes(self, table: Mapping[str, Any], key: str, default: float, *at: str) -> int:
        value = table.get(key, default)
        if isinstance(value, bool) or not isinstance(value, int | float) or not 0 < value <= _LARGEST:
            raise self.wrong(f"“{key}” must be a number above zero, and at most {_LARGEST:,}", *at, key)
        return int(value * 1_000_000)

    def stock(self, table: Mapping[str, Any]) -> StockRules:
        closed, below = table.get("closed_until"), table.get("below_zero", "refused")
        if isinstance(closed, datetime) or not isinstance(closed, date | None):
            raise self.wrong("“closed_until” must be a date without quotes, like 2026-12-31", "stock", "closed_until")
        self.one_of(str(below), ("refused", "allowed"), "below_zero", "stock", "below_zero")
        return StockRules(closed, below == "allowed")

    def limits(self, table: Mapping[str, Any]) -> Limits:
        return replace(USUAL, **{name: self.whole(table, name, 1, "limits") or 0 for name in table})

    def files_only(self, table: Mapping[str, Any]) -> FilesOnly:
        days = self.whole(table, "old_after_days", 0, "folder")
        texts = {name: self.text_of(table, name, "", "folder") for name in ("trial", "results", "result_map")}
        return FilesOnly(
            old_after_days=7 if days is None else days,
            uploads=self.text_of(table, "uploads", "uploads", "folder"),
            layouts=self.mapping(table, "layouts", "folder"),
            **texts,
        )

    def choice(self, table: Mapping[str, Any], key: str, allowed: tuple[str, ...], *at: str) -> str:
        """One of the allowed words; the first by default."""
        return self.one_of(self.text_of(table, key, allowed[0], *at), allowed, key, *at, key)

    def rounding(self, table: Mapping[str, Any], key: str, *at: str) -> str:
        """``as shown``, or a number of decimals as a text; an empty text where nothing is set."""
        value = table.get(key, "")
        if not is_rounding(value):
            raise self.wrong(f"“{key}” must be {ROUNDINGS}", *at, key)
        return str(value)


_NAME = re.compile(r"\w[\w.-]{0,40}")
_DEVICES = re.compile(r"(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?", re.IGNORECASE)
"""Names that mean a device on Windows, whatever the ending: no file can have them there."""


def is_file_name(name: str) -> bool:
    """True where a file can have the name on every system: letters, digits, - and _, and dots not at its end."""
    return _NAME.fullmatch(name) is not None and not name.endswith(".") and not _DEVICES.fullmatch(name)


def made_file_name(words: str, otherwise: str) -> str:
    """A name for a file made of words, or another where they make none."""
    name = re.sub(r"[^\w.-]+", "-", words).strip("-.")[:60].rstrip("-.") or otherwise
    return f"{name}-{otherwise}" if _DEVICES.fullmatch(name) else name
