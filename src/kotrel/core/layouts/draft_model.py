"""A drafted layout: each setting with how it is known."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.description.model import Record
from kotrel.core.layouts.sample import Sample, SampleCell
from kotrel.core.layouts.sample_parts import Parts
from kotrel.core.phrases import count

How = Literal["seen", "supposed", "open"]


class Drafted(Struct, frozen=True):
    """A setting, and how it is known."""

    value: Any
    how: How
    why: str


class DraftColumn(Struct, frozen=True):
    """A column of the file.

    Attributes:
        place: from 0.
        settings: those of the column, without its heading; an open column has no source among them.
        how, why: how what feeds it is known.
        sure: in per cent, of a field that was proposed.
        values: a few different ones, as the file has them.
        unknown: values that have no equal here.
        offer: an expression that does what the heading says, for a person to take.
        waits_for: the setting at the top that must be decided first, ``date`` or ``decimal_mark``; then ``meant`` feeds
            the column. Without it, ``meant`` feeds the column once somebody says what its unknown values are.
    """

    place: int
    heading: str
    settings: Mapping[str, Drafted]
    how: How
    why: str
    sure: int = 0
    values: tuple[str, ...] = ()
    unknown: tuple[str, ...] = ()
    offer: str = ""
    waits_for: str = ""
    meant: str = ""

    @property
    def field(self) -> str | None:
        about = self.settings.get("field")
        return None if about is None else str(about.value)


class Draft(Struct, frozen=True):
    """A layout, as far as the file says it.

    Attributes:
        settings: those at the top.
        open: what nobody can read from the file, in words.
    """

    record: Record
    sample: Sample
    parts: Parts
    settings: Mapping[str, Drafted]
    columns: tuple[DraftColumn, ...]
    dates: tuple[str, ...] = ()
    open: tuple[str, ...] = ()

    @property
    def rows(self) -> tuple[tuple[SampleCell, ...], ...]:
        """The rows of the file."""
        return tuple(line for line in self.sample.lines[self.parts.rows :] if any(cell.text for cell in line))


def with_setting(column: DraftColumn, key: str, setting: Drafted) -> DraftColumn:
    """The column with one more setting."""
    return replace(column, settings={**column.settings, key: setting})


def waiting(column: DraftColumn, setting: str, why: str) -> DraftColumn:
    """The column, open until a setting at the top is decided."""
    settings = {key: value for key, value in column.settings.items() if key != "field"}
    return replace(column, settings=settings, how="open", why=why, waits_for=setting, meant=column.field or "")


def in_short(draft: Draft) -> str:
    """What was found, in a line."""
    rows = count(len(draft.rows), "row")
    fed = sum(each.field is not None for each in draft.columns)
    return f"{count(len(draft.columns), 'column')}, {fed} of them fed by a field; {rows} to prove it with"
