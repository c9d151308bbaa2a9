"""Yes and no, choices and lists in a column → the words of the description."""

from __future__ import annotations

import polars as pl

from kotrel.core.description.model import Field
from kotrel.core.normalizing.column import STRAY_CHARS, Tidied, spread
from kotrel.core.similarity import nearest
from kotrel.core.values.same_writing import form_of
from kotrel.core.values.yes_no import read_yes_no


def tidy_yes_no(rows: pl.Series, values: pl.Series) -> Tidied:
    """Words for yes and no → ``yes`` and ``no``."""

    def read(text: str) -> tuple[str | None, str, str]:
        word = read_yes_no(text)
        return (word, "", "") if word else (None, "not-yes-or-no", "")

    odd = ~values.is_in(["yes", "no"]).fill_null(True)
    return spread(rows, values, odd, read, {"not-yes-or-no": ("not yes or no", "write yes or no")})


def tidy_choice(rows: pl.Series, values: pl.Series, about: Field) -> Tidied:
    """Choices in any case → the choice as in the description."""
    known = {form_of(choice): choice for choice in about.choices}

    def read(text: str) -> tuple[str | None, str, str]:
        if found := known.get(form_of(text)):
            return found, "", ""
        return None, "not-a-choice", nearest(text, about.choices) or ""

    odd = ~values.is_in(list(about.choices)).fill_null(True)
    message = f"one of: {', '.join(about.choices)}"
    return spread(rows, values, odd, read, {"not-a-choice": ("not one of the choices", message)})


def split_list(text: str) -> list[str]:
    """The parts of a list in one cell, separated by ``;`` or line breaks, or by commas if it has neither."""
    mark = ";" if ";" in text or "\n" in text else ","
    parts = (part.strip(STRAY_CHARS) for part in text.replace("\n", ";" if mark == ";" else mark).split(mark))
    return list(dict.fromkeys(part for part in parts if part))


def tidy_list(rows: pl.Series, values: pl.Series) -> Tidied:
    """Lists in one cell → parts joined by ``; ``, each once."""

    def read(text: str) -> tuple[str | None, str, str]:
        return "; ".join(split_list(text)) or None, "", ""

    tidied = spread(rows, values, values.is_not_null(), read, {})
    # A cell of nothing but separators is an empty list.
    tidied.values = tidied.values.set(tidied.values.str.contains(r"^[;,\s]*$").fill_null(False), None)
    return tidied
