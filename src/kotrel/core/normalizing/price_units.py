"""Amounts that are for more than one: “per 100” becomes the amount for one."""

from __future__ import annotations

import re
from decimal import ROUND_HALF_UP, Decimal

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field
from kotrel.core.normalizing.column import ColumnSetting, Repair, Tidied, Trouble
from kotrel.core.phrases import plain_number
from kotrel.core.rows.findings import cells_of
from kotrel.core.tables.as_shown import as_shown
from kotrel.core.tables.sources import PriceUnit
from kotrel.core.tables.table import Table
from kotrel.core.values.numbers import read_number
from kotrel.core.values.same_writing import form_of

_MOST_DECIMALS = 12


def _in_form(amount: Decimal, about: Field) -> str:
    return plain_number(amount) if about.decimals is None else f"{amount:.{about.decimals}f}"


def _long(amount: Decimal) -> str:
    """An amount with all its digits, or with enough of them to recognise it."""
    text = plain_number(amount)
    return text if len(text) < 16 else f"{amount:.8f}…"


def per_one(
    rows: pl.Series, tidied: Tidied, table: Table, unit: PriceUnit, about: Field, setting: ColumnSetting
) -> Tidied:
    """The column as amounts for one, exact; what does not come out in the field's decimals is an error at its cell.

    Args:
        tidied: the amounts as the sheet has them, read.
    """
    bad = tidied.unread
    says = as_shown(table, unit.letter).to_list() if unit.letter else [None] * len(rows)
    read = {said: number_said(said, unit) for said in set(says)}
    places = about.decimals if about.decimals is not None else _MOST_DECIMALS
    rounded = int(setting.rounding) if setting.rounding.isdigit() else None
    finest = Decimal(1).scaleb(-(places if rounded is None else min(rounded, places)))
    after: list[str | None] = []
    done: list[tuple[int, str, str, str]] = []
    wrong: dict[tuple[str, str], list[tuple[int, str | None, str]]] = {}
    for row, text, said in zip(rows.to_list(), tidied.values.to_list(), says, strict=True):
        after.append(text)
        if text is None or row in bad:
            continue
        number, trouble = read[said]
        if number is None:
            wrong.setdefault(("per-unreadable", "for how many the amount is"), []).append((row, said, trouble))
            continue
        exact = Decimal(text) / number
        one = exact.quantize(finest, ROUND_HALF_UP)
        if rounded is None and one != exact:
            text = plain_number(Decimal(text))
            message = f"{text} for {number:f} is {_long(exact)} for one, and {about.title} has {places} decimals: rounding = {places} in the mapping rounds it"
            wrong.setdefault(("per-uneven", "not exact for one piece"), []).append((row, text, message))
            continue
        after[-1] = _in_form(one, about)
        if number != 1:
            proof = f"the amount is for {number:f}, as the mapping says"
            done.append((row, plain_number(Decimal(text)), plain_number(one), proof))
    troubles = [
        Trouble("error", kind, title, cells_of(*map(list, zip(*found, strict=True))))
        for (kind, title), found in wrong.items()
    ]
    schema = {ROW: pl.UInt32, "before": pl.String, "after": pl.String, "proof": pl.String}
    repairs = [Repair("per-one", pl.DataFrame(done, schema, orient="row"))] if done else []
    values = pl.Series(tidied.values.name, after, dtype=pl.String)
    return Tidied(values, [*tidied.troubles, *troubles], [*tidied.repairs, *repairs])


def number_said(said: str | None, unit: PriceUnit) -> tuple[Decimal | None, str]:
    """For how many, or why nobody knows."""
    if unit.number is not None:
        return unit.number, ""
    if said is None or not said.strip():
        return unit.default, "blank, and the mapping has no default for it: add default under per"
    if (word := unit.words.get(form_of(said))) is not None:
        return word, ""
    # “100”, “per 100”, “100 pcs”: one number is all that counts.
    numbers = re.findall(r"\d[\d.,'  ]*", said)
    read = read_number(numbers[0].strip(), None).value if len(numbers) == 1 else None
    if read is None or Decimal(read) <= 0:
        return None, f"“{said}” is not a number: add it to words under per in the mapping"
    return Decimal(read), ""
