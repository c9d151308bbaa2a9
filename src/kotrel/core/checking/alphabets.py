"""Letters that a wrong code page exchanged within words, and letters of another alphabet in codes that no list has."""

from __future__ import annotations

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.code_pages import SIGN_IN_WORD, perhaps_meant
from kotrel.core.values.lookalikes import without_lookalikes

_OTHER_LETTER = r"[\p{L}--[\x{0}-\x{24f}]]"
"""A letter of no Latin alphabet."""
_LATIN_ONLY = r"^[\x{0}-\x{24f}]*$"


def check_alphabets(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """A warning at words with signs in them, and at codes with a letter of another alphabet in a column of Latin ones.

    Keys and references are held against their lists elsewhere (:mod:`kotrel.core.resolving.new_codes`).
    """
    findings: list[FindingGroup] = []
    for name in rows.fields:
        field = rows.record.fields[name]
        if name not in rows.letters or rows.few.plain(name, rows.values):
            continue
        seen = rows.distinct(name)
        seen = seen.filter((seen.str.len_bytes() != seen.str.len_chars()).fill_null(False))
        if not len(seen):
            continue
        if field.kind == "text":
            odd = {
                text: meant for text in seen.filter(seen.str.contains(SIGN_IN_WORD)) if (meant := perhaps_meant(text))
            }
            title, kind = "signs within words", "signs-in-words"
            said = {
                text: f"there is a sign among the letters: perhaps “{meant[:80]}” is meant"
                for text, meant in odd.items()
            }
        elif field.kind == "code" and field.to is None and name not in rows.record.key:
            odd = {text: without_lookalikes(text) for text in _of_other_alphabets(rows, name, seen)}
            title, kind = "letters of another alphabet", "other-alphabet"
            message = "a letter is of another alphabet than the other codes: typed again, it would be another code"
            said = dict.fromkeys(odd, message)
        else:
            continue
        if odd:
            findings.append(_group(rows, name, kind, title, odd, said))
    return findings


def _of_other_alphabets(rows: Rows, name: str, seen: pl.Series) -> list[str]:
    other = seen.filter(seen.str.contains(_OTHER_LETTER))
    latin = rows.distinct(name).drop_nulls()
    latin = latin.filter(latin.str.contains(_LATIN_ONLY) & latin.str.contains("[A-Za-z]"))
    return (
        other.to_list() if len(latin) > len(other) or all(any("A" <= c <= "z" for c in text) for text in other) else []
    )


def _group(rows: Rows, name: str, kind: str, title: str, odd: dict[str, str], said: dict[str, str]) -> FindingGroup:
    wrong = rows.values[name].is_in(list(odd)).fill_null(False)
    values = rows.values[name].filter(wrong).to_list()
    suggestions = [odd[text] if odd[text] != text else None for text in values]
    cells = cells_of(rows.values[ROW].filter(wrong), values, [said[text] for text in values], suggestions)
    return rows.group("warning", kind, title, name, cells)
