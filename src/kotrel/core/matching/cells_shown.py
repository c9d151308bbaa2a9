"""Cells that show something else than they hold: a number with words of its format,
a text of which a part is raised or struck.
"""

from __future__ import annotations

from kotrel.core.columns import ROW
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
    found = []
    for name, letter in rows.letters.items():
        field = rows.record.fields[name]
        if field.is_decimal and (shown := formats.otherwise.get(letter)):
            at = [
                (row, value)
                for row, value in _filled(rows, name)
                if row in shown and rows.table.kinds.get(letter) is not None
            ]
            if at:
                cells = cells_of(
                    [row for row, _ in at], [value for _, value in at], [_words(shown[row]) for row, _ in at]
                )
                found.append(rows.group("warning", "shown-otherwise", "shown differently from its value", name, cells))
        apart = formats.apart.get(letter)
        for kind, (code, title, message) in _APART.items() if apart else ():
            at = [(row, value) for row, value in _filled(rows, name) if apart.get(row) == kind]  # type: ignore[union-attr]
            if at:
                cells = cells_of([row for row, _ in at], [value for _, value in at], message)
                severity = "warning" if field.kind == "text" else "error"
                found.append(rows.group(severity, code, title, name, cells))  # type: ignore[arg-type]
    return found


def _filled(rows: Rows, name: str) -> list[tuple[int, str]]:
    stands = rows.as_it_stands(name)
    return [
        (row, value)
        for row, value in zip(rows.values[ROW].to_list(), stands.to_list(), strict=True)
        if value is not None
    ]


def _words(shown: str) -> str:
    words = shown.strip()
    return f"its format shows “{words}” with it, or instead of it" if words else "its format shows nothing in the cell"
