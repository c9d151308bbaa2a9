"""Saves a drafted layout: what was seen in the file, what is supposed and what is open are told apart in comments."""

from __future__ import annotations

from typing import Any

from kotrel.core.layouts.draft_model import Draft, DraftColumn, Drafted
from kotrel.core.phrases import listed
from kotrel.core.tables.table import letter_of


def layout_text(draft: Draft) -> str:
    """The text of ``layouts/NAME.toml``."""
    # Only here: every other command would wait for it.
    import tomlkit

    document = tomlkit.document()
    for line in (
        f"The layout of {draft.sample.path.name}, drafted from that file.",
        "“seen”: the file shows it. “supposed”: concluded from the file, please check. “open”: for you to decide.",
        "docs/reference/layouts.md lists the settings.",
    ):
        document.add(_comment(line))
    document.add("record", tomlkit.item(draft.record.name))
    for name, setting in draft.settings.items():
        document.add(name, _item(setting.value).comment(_one_line(_how(setting))))
    columns = tomlkit.aot()
    for each in draft.columns:
        columns.append(_column(each))
    document.add("column", columns)
    return tomlkit.dumps(document)


def _comment(text: str) -> Any:
    import tomlkit

    return tomlkit.comment(_one_line(text))


def _one_line(text: str) -> str:
    """On one line, without signs that no comment can have."""
    return "".join(letter if letter.isprintable() else " " for letter in text)


def _item(value: Any) -> Any:
    import tomlkit

    if isinstance(value, dict):
        table = tomlkit.inline_table()
        table.update(value)
        return table
    return tomlkit.item(value)


def _how(setting: Drafted) -> str:
    return f"{setting.how}: {' '.join(setting.why.split())}" if setting.why else setting.how


def _offered(column: DraftColumn) -> str:
    if column.waits_for:
        return f'set {column.waits_for} at the top, and here field = "{column.meant}"'
    if column.meant:
        return f'field = "{column.meant}", with words = {{ OURS = "THEIRS" }}; or without, if it takes our codes'
    if column.offer:
        return f'make = "{column.offer}" does that; a field takes it as it is'
    return "give it a field, fixed, make … or empty = true"


def _column(column: DraftColumn) -> Any:
    import tomlkit

    table = tomlkit.table()
    values = f": {listed([' '.join(each.split()) for each in column.values], 5)}" if column.values else ""
    table.add(_comment(f"column {letter_of(column.place)}{values}"))
    if column.how == "open":
        table.add(_comment(f"open: {' '.join(column.why.split())}; {_offered(column)}"))
    table.add("heading", tomlkit.item(column.heading))
    for name, setting in column.settings.items():
        table.add(name, _item(setting.value).comment(_one_line(_how(setting))))
    if column.unknown and column.how != "open":
        unknown = listed([f"“{each}”" for each in column.unknown], 6)
        table.add(
            _comment(
                f'open: what {unknown} {"is" if len(column.unknown) == 1 else "are"} here: words = {{ OURS = "THEIRS" }}'
            )
        )
    return table
