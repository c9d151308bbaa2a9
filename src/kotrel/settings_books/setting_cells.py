"""A setting's value as the text of a cell, and back: by the kind that its declaration names."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date
from typing import Any, Literal

from kotrel.core.description.setting import Setting
from kotrel.core.values.yes_no import read_yes_no

Shape = Literal["text", "yes or no", "whole number", "number", "day", "texts", "groups", "table", "any"]
"""What a setting may hold; ``any`` is decided by what the cell says, and by what the setting was."""


def shape_of(setting: Setting) -> Shape:
    """The shape of a setting."""
    kind = setting.kind
    if kind == "true or false":
        return "yes or no"
    if kind in ("a whole number", "minutes"):
        return "whole number"
    if kind == "a number":
        return "number"
    if kind == "a date":
        return "day"
    if kind.startswith(("groups of", "pairs of", "lists of")):
        return "groups"
    if kind.startswith("a list") or kind in ("two date fields", "two texts"):
        return "texts"
    if re.fullmatch(r"[a-z.]+ = [a-z. ]+", kind):
        return "table"
    if " or " in kind or kind in ("a value", "patterns"):
        # Words of a choice are texts, whatever there is between them.
        return "text" if choices_of(setting) and "whole number" not in kind else "any"
    return "text"


def choices_of(setting: Setting) -> list[str]:
    """The words that a setting may have, where there are only a few."""
    if setting.kind == "true or false":
        return ["yes", "no"]
    if quoted := re.findall(r"[\"“]([^\"“”]+)[\"”]", setting.kind):
        return quoted
    words = re.split(r", | or ", setting.kind)
    if len(words) > 1 and all(re.fullmatch(r"[a-z_]+", word) for word in words):
        return words
    return []


def cell_text(value: Any, setting: Setting | None = None) -> str:
    """A value as a cell shows it: lists with a line for each, tables with a line ``word = meaning`` for each."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, dict):
        return "\n".join(f"{key} = {cell_text(each)}" for key, each in value.items())
    if isinstance(value, list):
        return _list_text(value, setting is not None and setting.kind == "two lists, or pairs")
    return str(value)


def _list_text(values: Sequence[Any], as_pair: bool) -> str:
    if as_pair and all(isinstance(each, str) for each in values):
        return " + ".join(values)
    if values and all(isinstance(each, list) for each in values):
        return "\n".join(" + ".join(map(cell_text, each)) for each in values)
    return "\n".join(map(cell_text, values))


def setting_value(text: str, setting: Setting, was: Any) -> Any:
    """The value that a cell's text means; None for a blank cell.

    Args:
        was: the value that the setting has now, or None: a table keeps the kinds of its values.

    Raises:
        ValueError: it cannot be one; the message says what can.
    """
    if not text.strip():
        return None
    shape = shape_of(setting)
    lines = [line.strip() for line in text.strip().split("\n") if line.strip()]
    if shape == "yes or no":
        said = read_yes_no(text)
        if said is None:
            raise ValueError("write yes or no")
        return said == "yes"
    if shape == "whole number":
        return _read_whole_number(text)
    if shape == "number":
        return _number(text)
    if shape == "day":
        return _day(text)
    if shape == "texts":
        return lines
    if shape == "groups":
        return [[part.strip() for part in line.split("+")] for line in lines]
    if shape == "table":
        return _table(lines, was)
    if shape == "any":
        return _by_its_looks(text, lines, setting, was)
    return text


def _read_whole_number(text: str) -> int:
    if not re.fullmatch(r"\s*-?[0-9]{1,15}\s*", text):
        raise ValueError("write a whole number, such as 5")
    return int(text)


def _number(text: str) -> int | str:
    bare = text.strip()
    if re.fullmatch(r"-?[0-9]{1,15}", bare):
        return int(bare)
    if not re.fullmatch(r"-?[0-9]+[.,][0-9]+", bare):
        raise ValueError("write a number, such as 0.5")
    # In quotes, a settings file keeps all its digits.
    return bare.replace(",", ".")


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text.strip()[:10])
    except ValueError:
        raise ValueError("write a day, such as 2027-03-01") from None


def _table(lines: Sequence[str], was: Any) -> dict[str, Any]:
    former = was if isinstance(was, dict) else {}
    numbers = bool(former) and all(isinstance(each, int) and not isinstance(each, bool) for each in former.values())
    table: dict[str, Any] = {}
    for line in lines:
        key, sign, meant = line.partition(" = ")
        if not sign or not key.strip():
            raise ValueError(f"write a line for each, such as “word = meaning”; “{line[:40]}” has no “ = ”")
        key, meant = key.strip(), meant.strip()
        if key in table:
            raise ValueError(f"“{key}” is there twice")
        if key in former and cell_text(former[key]) == meant:
            table[key] = former[key]
        else:
            table[key] = int(meant) if numbers and re.fullmatch(r"-?[0-9]{1,15}", meant) else meant
    return table


def _pairs(lines: Sequence[str], was: Any) -> list[Any]:
    pairs = [[part.strip() for part in line.split("+")] for line in lines]
    if any(len(pair) != 2 for pair in pairs):
        raise ValueError("write two lists with a plus between them, the lower first: YARD + SHOP")
    one = len(pairs) == 1 and not (isinstance(was, list) and was and isinstance(was[0], list))
    return pairs[0] if one else pairs


def _may_be_whole(kind: str, was: Any) -> bool:
    return "whole number" in kind or kind.startswith("a number") or type(was) is int


def _by_its_looks(text: str, lines: Sequence[str], setting: Setting, was: Any) -> Any:
    """A setting that may be one thing or several: a number, a text, a list, or a table."""
    kind = setting.kind
    if _may_be_whole(kind, was) and re.fullmatch(r"\s*-?[0-9]{1,15}\s*", text):
        return int(text)
    if ("=" in kind or "table" in kind) and all(" = " in line for line in lines):
        return _table(lines, was)
    if kind == "two lists, or pairs":
        return _pairs(lines, was)
    several = "list" in kind or kind in ("patterns",) or kind.startswith("codes")
    if several and (len(lines) > 1 or isinstance(was, list) or kind.startswith("codes")):
        return list(lines)
    return text.strip()
