"""Cells that show something else than they hold: a number with words of its format,
a text of which a part is raised or struck.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows

_APART = {
    "raised": ("raised-sign", "a raised or lowered sign", "part of it is raised or lowered, like a footnote, and is read as part of the value"),
    "struck": ("partly-struck", "partly struck through", "part of it is struck through, but is still read"),
}  # fmt: skip


def about_what_cells_show(rows: Rows) -> list[FindingGroup]:
    """A warning at numbers whose format shows other words;
    at texts apart, an error in a code or a value, a warning in a text.
    """
    formats = rows.table.formats
    if formats is None:
        return []
    findings = []
    for name, letter in rows.letters.items():
        field = rows.record.fields[name]
        shown = formats.otherwise.get(letter) if letter in rows.table.kinds else None
        if field.is_decimal and shown and (at := _texts_among(rows, name, shown)):
            cells = cells_of(list(at), list(at.values()), [_words(shown[row]) for row in at])
            findings.append(rows.group("warning", "shown-otherwise", "shown differently from its value", name, cells))
        if apart := formats.apart.get(letter):
            findings += _report_apart(rows, field, apart)
    return findings


def _report_apart(rows: Rows, field: Field, apart: Mapping[int, str]) -> Iterator[FindingGroup]:
    """What stands apart in the cells of a field. ``apart``: row → the way in which."""
    for kind, (code, title, message) in _APART.items():
        if at := _texts_among(rows, field.name, {row for row, how in apart.items() if how == kind}):
            cells = cells_of(list(at), list(at.values()), message)
            yield rows.group("warning" if field.kind == "text" else "error", code, title, field.name, cells)


def _texts_among(rows: Rows, name: str, among: Collection[int]) -> dict[int, str]:
    """Row → the text in it, of those among some rows that are filled."""
    stands = rows.as_it_stands(name)
    return {
        row: value
        for row, value in zip(rows.values[ROW].to_list(), stands.to_list(), strict=True)
        if value is not None and row in among
    }


def _words(shown: str) -> str:
    words = shown.strip()
    return f"its format shows “{words}” with it, or instead of it" if words else "its format shows nothing in the cell"
