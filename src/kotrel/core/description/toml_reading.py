"""Reads a settings file value by value; an error names the line and what is wrong there."""

from __future__ import annotations

import json
import re
from collections.abc import Collection, Mapping
from decimal import Context, Decimal, InvalidOperation
from typing import Any

import tomli

from kotrel.core.errors import WrongUse
from kotrel.core.similarity import did_you_mean, nearest

_TABLE = re.compile(r"^\s*(\[+)\s*([^\[\]]+?)\s*\]+\s*(?:#.*)?$")
_KEY = re.compile(r"""^\s*((?:"[^"]*"|'[^']*'|[\w-]+)(?:\s*\.\s*(?:"[^"]*"|'[^']*'|[\w-]+))*)\s*=""")
_NUMBER = "\x00"


def numbered(name: str, place: int) -> str:
    """The part of a path for the ``place``-th (from 1) of the tables with one name, written ``[[name]]``."""
    return f"{name}{_NUMBER}{place}"


def _parts(dotted: str) -> list[str]:
    return [part.strip().strip("\"'") for part in re.findall(r'"[^"]*"|\'[^\']*\'|[^.]+', dotted)]


def line_of(text: str, *path: str) -> int:
    """Line number (from 1) of the table or key ``path``, or of the nearest table above it; 1 where nothing fits."""
    best, best_depth = 1, 0
    table: list[str] = []
    times: dict[str, int] = {}
    for number, line in enumerate(text.splitlines(), start=1):
        if match := _TABLE.match(line):
            table = _parts(match.group(2))
            if match.group(1) == "[[" and len(table) == 1:
                times[table[0]] = times.get(table[0], 0) + 1
            if table[0] in times:
                table[0] = numbered(table[0], times[table[0]])
            here = table
        elif match := _KEY.match(line):
            here = table + _parts(match.group(1))
        else:
            continue
        depth = len(here)
        if best_depth < depth <= len(path) and all(map(_is, here, path)):
            best, best_depth = number, depth
    return best


def _is(here: str, wanted: str) -> bool:
    return here == wanted or (_NUMBER not in wanted and here.partition(_NUMBER)[0] == wanted)


class NotToml(Exception):
    """A text is no TOML that means anything; the message says where."""


def parsed(text: str) -> dict[str, Any]:
    """What a settings file says.

    Raises:
        NotToml: it is no TOML; or it nests too deeply, or a text in it has a character that nothing can be
            called by.
    """
    try:
        data: dict[str, Any] = tomli.loads(text)
        nul = _NUL.search(text) is not None and _has_nul(data)
    except tomli.TOMLDecodeError as error:
        raise NotToml(str(error)) from None
    except RecursionError:
        raise NotToml("brackets within brackets, too deep to be meant") from None
    if nul:
        # TOML allows it only as an escape.
        line = next((n for n, each in enumerate(text.splitlines(), start=1) if _NUL.search(each)), 1)
        raise NotToml(f"the character \\u0000 in a text (at line {line})")
    return data


MOST_DECIMALS = 12
"""Decimals of a field, as of the exact numbers that Kotrel works with."""
_FINEST = Decimal(1).scaleb(-MOST_DECIMALS)
_MOST = 1_000_000_000
"""No length, count or number of rows is larger."""
_DIGITS = 18
"""No number in a settings file has more digits before its point."""
_NUL = re.compile(r"\\(?:u0000|U00000000)")


def _has_nul(value: Any) -> bool:
    if isinstance(value, dict):
        return any(_has_nul(key) or _has_nul(each) for key, each in value.items())
    if isinstance(value, list):
        return any(map(_has_nul, value))
    return isinstance(value, str) and "\x00" in value


class TomlReader:
    """One settings file: its text, for finding lines, and its name, for messages."""

    kind = "wrong-description"
    """The kind of error that a wrong setting causes."""

    def __init__(self, text: str, name: str) -> None:
        self.text = text
        self.name = name

    def wrong(self, message: str, *path: str, hint: str = "") -> WrongUse:
        line = line_of(self.text, *path)
        return WrongUse(f"{self.name}, line {line}: {message}", hint, self.kind)

    def known_keys(self, table: Mapping[str, Any], allowed: Collection[str], what: str, *path: str) -> None:
        for key in table:
            if key not in allowed:
                hint = did_you_mean(key, allowed, f"The settings are: {', '.join(allowed)}.")
                raise self.wrong(f"“{key}” is not a setting of {what}", *path, key, hint=hint)

    def text_of(self, table: Mapping[str, Any], key: str, default: str, *path: str) -> str:
        value = table.get(key, default)
        if not isinstance(value, str):
            raise self.wrong(f"“{key}” must be a text in quotes", *path, key)
        return value

    def whole(self, table: Mapping[str, Any], key: str, least: int, *path: str, most: int = _MOST) -> int | None:
        value = table.get(key)
        if value is None:
            return None
        if isinstance(value, bool) or not isinstance(value, int) or value < least:
            raise self.wrong(f"“{key}” must be a whole number of at least {least}", *path, key)
        if value > most:
            raise self.wrong(f"“{key}” must be at most {most:,}", *path, key)
        return value

    def one_of(self, value: str, allowed: tuple[str, ...], key: str, *path: str) -> str:
        if value not in allowed:
            close = nearest(value, allowed)
            hint = (
                (f"Did you mean “{close}”? " if close else "")
                + "Use one of: "
                + ", ".join(f"“{each}”" for each in allowed)
                + "."
            )
            raise self.wrong(f"{key} “{value}” is not known", *path, key, hint=hint)
        return value

    def texts(self, table: Mapping[str, Any], key: str, *path: str) -> tuple[str, ...]:
        value = table.get(key, [])
        if not isinstance(value, list) or not all(isinstance(each, str) for each in value):
            raise self.wrong(f'“{key}” must be a list of texts, like ["one", "two"]', *path, key)
        return tuple(value)

    def groups(self, table: Mapping[str, Any], key: str, *path: str) -> tuple[tuple[str, ...], ...]:
        value = table.get(key, [])
        fits = isinstance(value, list) and all(
            isinstance(group, list) and group and all(isinstance(each, str) for each in group) for group in value
        )
        if not fits:
            raise self.wrong(f'“{key}” must be a list of groups of fields, like [["one", "two"]]', *path, key)
        if any(len(set(group)) < len(group) for group in value):
            raise self.wrong(f"“{key}” has a group that names a field twice", *path, key)
        return tuple(tuple(group) for group in value)

    def mapping(self, table: Mapping[str, Any], key: str, *path: str) -> dict[str, str]:
        value = table.get(key, {})
        if not isinstance(value, dict) or not all(isinstance(each, str) for each in value.values()):
            raise self.wrong(f'“{key}” must look like {{ one = "two" }}', *path, key)
        return dict(value)

    def table(self, value: Any, what: str, *path: str) -> Mapping[str, Any]:
        if not isinstance(value, dict):
            raise self.wrong(f"{what} must be a table, like [{'.'.join(path)}]", *path)
        return value

    def rates(self, table: Mapping[str, Any], home: str) -> dict[str, Decimal]:
        """``[rates]``: currency → what one of it is in the workspace's own.

        Raises:
            WrongUse: one is no number above zero, or is of the workspace's own currency.
        """
        rates_read: dict[str, Decimal] = {}
        for currency in table:
            rate = self.decimal(table, currency, "rates")
            if rate is None or rate <= 0:
                raise self.wrong(f"the rate of {currency} must be a number above zero", "rates", currency)
            if home and currency.upper() == home and rate != 1:
                trouble = f"one {home} is one {home}: amounts here are in {home}, so only other currencies have a rate"
                raise self.wrong(trouble, "rates", currency)
            rates_read[currency.upper()] = rate
        return rates_read

    def decimal(self, table: Mapping[str, Any], key: str, *path: str) -> Decimal | None:
        value = table.get(key)
        if value is None:
            return None
        try:
            # A text keeps "0.1" exact; whole numbers need no quotes.
            if isinstance(value, bool) or not isinstance(value, int | str):
                raise InvalidOperation
            number = Decimal(value)
            if not number.is_finite():
                raise InvalidOperation
            if number.adjusted() >= _DIGITS or number != number.quantize(_FINEST, context=Context(prec=60)):
                raise self.wrong(
                    f"“{key}” has more than {_DIGITS} digits before the point, or {MOST_DECIMALS} after it", *path, key
                )
            return number
        except InvalidOperation:
            raise self.wrong(f'“{key}” must be a whole number, or a decimal in quotes like "0.5"', *path, key) from None


def quoted_text(text: str) -> str:
    """A text as a settings file has it, in quotes."""
    # What JSON escapes, TOML reads the same; it wants the delete character escaped, too.
    return json.dumps(text, ensure_ascii=False).replace("\x7f", "\\u007f")
