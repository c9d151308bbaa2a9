"""Reads the columns of a layout, each setting checked against what the column is filled from."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kotrel.core.description.model import Description, Field, Record
from kotrel.core.description.toml_lines import numbered
from kotrel.core.description.toml_reading import MOST_DECIMALS, TomlReader
from kotrel.core.expressions import Compiled, Scope, compile_at
from kotrel.core.layouts.layout import LayoutColumn
from kotrel.core.similarity import nearest

_COLUMN = ("heading", "field", "fixed", "action", "make", "price_of", "stock_in", "at_most", "name", "decimals", "length", "words", "must",
           "reference", "empty")  # fmt: skip
_SOURCES = ("field", "fixed", "action", "make", "price_of", "stock_in", "reference", "empty")
_ACTIONS = ("new", "changed", "same", "withdrawn")


class LayoutReader(TomlReader):
    kind = "wrong-layout"

    def flag(self, table: Mapping[str, Any], key: str, default: bool, *at: str) -> bool:
        value = table.get(key, default)
        if not isinstance(value, bool):
            raise self.wrong(f"“{key}” is true or false", *at, key)
        return value


def layout_column(
    reader: LayoutReader, raw: Mapping[str, Any], place: int, record: Record, description: Description
) -> LayoutColumn:
    """One column, the ``place``-th.

    Raises:
        WrongUse: a setting is wrong, or means nothing for what the column is filled from.
    """
    at = (numbered("column", place),)
    reader.known_keys(raw, _COLUMN, f"column {place}", *at)
    sources = [key for key in _SOURCES if key in raw]
    if len(sources) != 1:
        given = " and ".join(sources) or "none of its sources"
        raise reader.wrong(f"column {place} has {given}; it needs one of {', '.join(_SOURCES)}", *at)

    def text(key: str) -> str | None:
        return reader.text_of(raw, key, "", *at) if key in raw else None

    name = text("field")
    about = None if name is None else record.fields.get(name)
    if name is not None and about is None:
        close = nearest(name, record.fields)
        raise reader.wrong(
            f"column {place}: {record.name} has no field “{name}”", *at, hint=f"Did you mean {close}?" if close else ""
        )
    action = reader.mapping(raw, "action", *at)
    if any(key not in _ACTIONS for key in action):
        raise reader.wrong(f"column {place}: “action” has a word for new, changed, same and withdrawn", *at)
    made = _made(reader, raw, place, record) if "make" in raw else None
    words = reader.mapping(raw, "words", *at)
    _require_sense(reader, raw, place, about, made, words, record, description)
    return LayoutColumn(
        heading=reader.text_of(raw, "heading", "", *at), field=name, fixed=text("fixed"), action=action,
        make=text("make"), made_from=made.fields if made else (),
        price_of=text("price_of"), stock_in=text("stock_in"), at_most=reader.decimal(raw, "at_most", *at),
        name=reader.flag(raw, "name", False, *at), decimals=reader.whole(raw, "decimals", 0, *at, most=MOST_DECIMALS), length=reader.whole(raw, "length", 1, *at),
        words=words, must=reader.flag(raw, "must", False, *at), reference=reader.flag(raw, "reference", False, *at),
    )  # fmt: skip


def _made(reader: LayoutReader, raw: Mapping[str, Any], place: int, record: Record) -> Compiled:
    """What the column's expression reads."""
    text = reader.text_of(raw, "make", "", numbered("column", place))
    return compile_at(f"{reader.name}, column {place} “{raw.get('heading', '')}”", text, Scope(record.fields))


def _require_sense(
    reader: LayoutReader,
    raw: Mapping[str, Any],
    place: int,
    about: Field | None,
    made: Compiled | None,
    words: Mapping[str, str],
    record: Record,
    description: Description,
) -> None:
    """A setting that would do nothing is an error: whoever wrote it counts on it."""

    def wrong(trouble: str) -> None:
        raise reader.wrong(f"column {place}: {trouble}", numbered("column", place))

    for key, needs in (("price_of", ("price_list", "price")), ("stock_in", ("warehouse",))):
        if key in raw and record.name != "item":
            wrong(f"“{key}” is only for items")
        if key in raw and (missing := [each for each in needs if each not in description.records]):
            wrong(f"“{key}” needs the record {' and '.join(missing)}, which the system does not have")
    if "stock_in" in raw and description.stock_places is None:
        wrong("“stock_in” needs a ledger or a list of stock, and system.toml has neither")
    is_number = (about is not None and about.is_decimal) or (made is not None and made.kind == "number")
    for key in ("at_most", "decimals"):
        if key in raw and not (is_number or "price_of" in raw or "stock_in" in raw):
            wrong(f"“{key}” is only for numbers")
    if "name" in raw and (about is None or about.to is None or not description.records[about.to].called):
        wrong("“name” is only for a field that refers to a list with names")
    if words and ("action" in raw or "fixed" in raw or "empty" in raw or "reference" in raw):
        wrong("“words” is only for values of rows")
    known = {"choice": about.choices, "yes_no": ("yes", "no")}.get(about.kind, ()) if about is not None else ()
    if odd := next((each for each in words if known and each not in known), None):
        close = nearest(odd, known)
        wrong(f"“words”: “{odd}” is none of {', '.join(known)}" + (f"; did you mean {close}?" if close else ""))
