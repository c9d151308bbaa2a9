"""Reads known other spellings of codes from ``kotrel.toml``."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from kotrel.core.description.toml_reading import TomlReader
from kotrel.core.similarity import folded, nearest


def read_spellings(reader: TomlReader, table: Mapping[str, Any], records: Collection[str]) -> dict[str, dict[str, str]]:
    """Record → word (folded) → code, from the settings.

    Raises:
        WrongUse: a record does not exist, or one word stands for two codes.
    """
    found: dict[str, dict[str, str]] = {}
    for record, words in table.items():
        if record not in records and words:
            close = nearest(record, records)
            hint = f"Did you mean [spellings.{close}]?" if close else ""
            raise reader.wrong(f"the system has no record “{record}”", "spellings", record, hint=hint)
        if not isinstance(words, dict) or not all(isinstance(code, str) and code for code in words.values()):
            raise reader.wrong(f'spellings of {record} must look like each = "EA"', "spellings", record)
        known = found.setdefault(record, {})
        for word, code in words.items():
            if known.setdefault(folded(word), code) != code:
                trouble = f"“{word}” stands for {known[folded(word)]} and for {code}: capitals and punctuation make no difference"
                raise reader.wrong(trouble, "spellings", record, word)
    return found
