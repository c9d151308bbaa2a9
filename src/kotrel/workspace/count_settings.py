"""``[count]`` in ``kotrel.toml``: how far counted lines may be off."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from decimal import Decimal
from typing import Any

from kotrel.core.counting.freezing import CLASS_NAMES
from kotrel.core.counting.tolerance import Tolerance
from kotrel.core.description.toml_reading import TomlReader
from kotrel.core.similarity import nearest

NAMES = ("tolerance_quantity", "tolerance_percent", "tolerance_value")


def tolerances(reader: TomlReader, table: Mapping[str, Any]) -> Tolerance:
    """The tolerance of counts, and those of classes of items: ``[count.class.A]``.

    Raises:
        WrongUse: a setting is wrong, with its line.
    """
    named = table.get("class", {})
    if not isinstance(named, dict):
        raise reader.wrong("a class has a table of its own: [count.class.A], B or C", "count", "class")
    for name, each in named.items():
        if name not in CLASS_NAMES or not isinstance(each, dict):
            raise reader.wrong(f"there is no class {name}; they are A, B and C", "count", "class", name)
        for key in each:
            if key not in NAMES:
                close = nearest(key, NAMES)
                hint = f"Did you mean “{close}”?" if close else f"Use {', '.join(NAMES)}."
                raise reader.wrong(f"“{key}” is not a setting of a class", "count", "class", name, key, hint=hint)
    by_class = {name: _tolerance(reader, each, "count", "class", name) for name, each in named.items()}
    return replace(_tolerance(reader, table, "count"), by_class=by_class)


def _tolerance(reader: TomlReader, table: Mapping[str, Any], *at: str) -> Tolerance:
    found = []
    for name in NAMES:
        number = reader.decimal(table, name, *at) or Decimal(0)
        if number < 0:
            raise reader.wrong(f"“{name}” cannot be below zero", *at, name)
        found.append(number)
    return Tolerance(found[0], found[1], found[2])
