"""Cells that say nothing by themselves: ditto marks, words for no value as codes,
characters written in a program's own way.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.meaningless_texts import DITTO, ESCAPED, MARKS, NOTHING, as_meant

_ANY_WORD = rf"(?i)^\s*(?:{'|'.join(map(re.escape, sorted({*DITTO, *NOTHING})))})\s*$"
"""Finds at least all of these words, in a third of the time of making every value small."""


def check_meaningless(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """An error at each ditto mark and at each word for nothing in a code;
    a warning at texts with text in a program's notation.
    """
    findings: list[FindingGroup] = []
    names = [name for name in rows.fields if _is_looked_at(rows, name)]
    words = _words_in(rows, names)
    noted = _noted_in(rows, [name for name in names if rows.record.fields[name].kind == "text"])
    for name in names:
        field = rows.record.fields[name]
        if ditto := _ditto_among(rows, name, words[name]):
            message = "it repeats the cell above: write the value here"
            findings += rows.where("error", "ditto", "ditto marks", field, pl.col(name).is_in(ditto), message)
        if nothing := _nothing_among(rows, state, name, words[name]):
            message = "it means “no value”: leave the cell blank"
            findings += rows.where(
                "error", "no-value-word", "words for no value", field, pl.col(name).is_in(nothing), message
            )
        if noted.get(name):
            findings += _written_otherwise(rows, name)
    return findings


def meaningless_words(rows: Rows, state: SystemState, name: str) -> list[str]:
    """The values of a column at which :func:`check_meaningless` has an error."""
    if not _is_looked_at(rows, name):
        return []
    words = _words_in(rows, [name])[name]
    return [*_ditto_among(rows, name, words), *_nothing_among(rows, state, name, words)]


def _is_looked_at(rows: Rows, name: str) -> bool:
    return rows.record.fields[name].kind in ("code", "text", "reference") and name in rows.letters


def _ditto_among(rows: Rows, name: str, words: Sequence[str]) -> list[str]:
    return [] if name in rows.record.key else [word for word in words if word.lower() in DITTO]


def _nothing_among(rows: Rows, state: SystemState, name: str, words: Sequence[str]) -> list[str]:
    """The words that say nothing where a code is wanted, and that are no code of the system."""
    if rows.record.fields[name].kind != "code":
        return []
    nothing = {word for word in words if word.lower() in NOTHING}
    return sorted(nothing - _texts_that_are_codes(rows, state, name, nothing))


def _words_in(rows: Rows, names: Sequence[str]) -> dict[str, list[str]]:
    """The words of each column that are ditto marks or say nothing, as they are written.

    All columns are asked at once: one by one, a sheet of forty rows waits longer for the questions than for the answers.
    """
    asked = []
    for name in names:
        seen = pl.lit(rows.seen(name))
        words = seen.filter(seen.str.contains(_ANY_WORD)).str.strip_chars()
        asked.append(words.filter(words.str.to_lowercase().is_in([*DITTO, *NOTHING])).unique().implode().alias(name))
    answers = pl.select(asked)
    return {name: answers[name][0].to_list() for name in names}


def _noted_in(rows: Rows, names: Sequence[str]) -> dict[str, bool]:
    """Whether a column has a text that may be in a program's own notation; a plain one has none of its marks."""
    asked = []
    for name in names:
        seen = pl.lit(rows.seen(name))
        begins = seen.str.contains_any(["&", "<", "\\u", "_x", "="]).any()
        plain = rows.few.plain(name, rows.values)
        asked.append((begins if plain else begins | seen.str.contains(MARKS).any()).alias(name))
    answers = pl.select(asked)
    return {name: bool(answers[name][0]) for name in names}


def _texts_that_are_codes(rows: Rows, state: SystemState, name: str, texts: set[str]) -> set[str]:
    """Those of the texts that the system has in that field: there they are codes."""
    if not texts:
        return set()
    held = state.having(rows.record, [name], name, pl.Series(name, sorted(texts), dtype=pl.String))
    return set(held[name].drop_nulls())


def _written_otherwise(rows: Rows, name: str) -> list[FindingGroup]:
    seen = rows.seen(name)
    odd = (seen.str.contains(ESCAPED) | seen.str.contains(MARKS)).fill_null(False)
    if not odd.any():
        return []
    values = rows.values[name]
    wrong = values.is_in(seen.filter(odd).unique().implode()).fill_null(False)
    held = values.filter(wrong)
    meant = [as_meant(text) for text in held.to_list()]
    messages = [f"the text is in a program's own notation: perhaps “{text[:80]}” is meant" for text in meant]
    cells = cells_of(rows.values[ROW].filter(wrong), held, messages)
    return [rows.group("warning", "written-otherwise", "text in a program's notation", name, cells)]
