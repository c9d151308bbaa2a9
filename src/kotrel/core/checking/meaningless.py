"""Cells that say nothing by themselves: ditto marks, words for no value as codes,
characters written in a program's own way.
"""

from __future__ import annotations

from collections.abc import Collection

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.meaningless_texts import DITTO, ESCAPED, MARKS, NOTHING, as_meant

LONGEST = max(len(word.encode()) for word in (*DITTO, *NOTHING)) + 2


def check_meaningless(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """An error at each ditto mark and at each word for nothing in a code;
    a warning at texts with text in a program's notation.
    """
    findings: list[FindingGroup] = []
    for name in rows.fields:
        field = rows.record.fields[name]
        if field.kind not in ("code", "text", "reference") or name not in rows.letters:
            continue
        seen = rows.seen(name)
        # By far the most values are longer than any of these words.
        short = seen.filter((seen.str.len_bytes() <= LONGEST).fill_null(False)).str.strip_chars()
        ditto = _those_in(short, DITTO)
        if ditto and name not in rows.record.key:
            message = "it repeats the cell above: write the value here"
            findings += rows.where("error", "ditto", "ditto marks", field, pl.col(name).is_in(list(ditto)), message)
        if field.kind == "code":
            nothing = _those_in(short, NOTHING)
            nothing -= _texts_that_are_codes(rows, state, name, nothing)
            if nothing:
                message = "it means “no value”: leave the cell blank"
                findings += rows.where(
                    "error", "no-value-word", "words for no value", field, pl.col(name).is_in(list(nothing)), message
                )
        if field.kind == "text":
            findings += _written_otherwise(rows, name)
    return findings


def _those_in(short: pl.Series, words: Collection[str]) -> set[str]:
    return set(short.filter(short.str.to_lowercase().is_in(list(words)).fill_null(False)).unique())


def _texts_that_are_codes(rows: Rows, state: SystemState, name: str, texts: set[str]) -> set[str]:
    """Those of the texts that the system has in that field: there they are codes."""
    if not texts:
        return set()
    held = state.having(rows.record, [name], name, pl.Series(name, sorted(texts), dtype=pl.String))
    return set(held[name].drop_nulls())


def _written_otherwise(rows: Rows, name: str) -> list[FindingGroup]:
    seen = rows.seen(name)
    begins = seen.str.contains_any(["&", "<", "\\u", "_x", "="]).fill_null(False)
    escaped = begins & seen.str.contains(ESCAPED).fill_null(False) if begins.any() else begins
    odd = escaped if rows.few.plain(name, rows.values) else escaped | seen.str.contains(MARKS).fill_null(False)
    if not odd.any():
        return []
    values = rows.values[name]
    wrong = values.is_in(seen.filter(odd).unique().implode()).fill_null(False)
    held = values.filter(wrong)
    meant = [as_meant(text) for text in held.to_list()]
    messages = [f"the text is in a program's own notation: perhaps “{text[:80]}” is meant" for text in meant]
    cells = cells_of(rows.values[ROW].filter(wrong), held, messages)
    return [rows.group("warning", "written-otherwise", "text in a program's notation", name, cells)]
