"""How another program writes its values: days, numbers, yes and no, as the rows of its file show."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime

from kotrel.core.description.model import Record
from kotrel.core.layouts.draft_model import DraftColumn, Drafted, How
from kotrel.core.layouts.sample import Sample, SampleCell
from kotrel.core.layouts.wording import strftime_of
from kotrel.core.values.yes_no import read_yes_no

_DATES = (
    "YYYY-MM-DD", "DD.MM.YYYY", "DD/MM/YYYY", "MM/DD/YYYY", "YYYYMMDD", "DD-MM-YYYY", "MM-DD-YYYY", "YYYY/MM/DD", "YYYY.MM.DD",
    "DDMMYYYY", "MMDDYYYY", "DD.MM.YY", "DD/MM/YY", "MM/DD/YY", "DD-MM-YY", "YYMMDD", "DDMMYY",
)  # fmt: skip
_OTHER_WORD = {
    "j": "N", "ja": "Nein", "y": "N", "yes": "No", "1": "0", "true": "false", "t": "F", "o": "N", "oui": "Non", "s": "N", "wahr": "falsch",
    "x": "", "✓": "",
}  # fmt: skip
"""The word for no beside a word for yes, where the file shows only one of them."""


def _texts_of(rows: Sequence[Sequence[SampleCell]], place: int) -> list[str]:
    return [line[place].text.strip() for line in rows if line[place].kind == "text"]


def with_dates(
    sample: Sample,
    columns: Sequence[DraftColumn],
    rows: Sequence[Sequence[SampleCell]],
    record: Record,
    settings: dict[str, Drafted],
) -> tuple[list[DraftColumn], list[str]]:
    """The form of dates: the first that all of them have, and the others that they may have."""
    values = [
        text
        for each in columns
        if each.field and record.fields[each.field].kind == "date"
        for text in _texts_of(rows, each.place)
    ]
    forms = [form for form in _DATES if values and all(_is_in(value, form) for value in values)]
    if forms and (sample.kind == "text" or values):
        why = f"or {' or '.join(forms[1:])}" if len(forms) > 1 else ""
        settings["date"] = Drafted(forms[0], "open" if len(forms) > 1 else "seen", why)
    return list(columns), forms


def _is_in(text: str, form: str) -> bool:
    try:
        return datetime.strptime(text, strftime_of(form)).strftime(strftime_of(form)) == text
    except ValueError:
        return False


_NUMBER = re.compile(r"-?[0-9]+(?:([.,])([0-9]+))?")


def with_numbers(
    sample: Sample,
    columns: Sequence[DraftColumn],
    rows: Sequence[Sequence[SampleCell]],
    record: Record,
    settings: dict[str, Drafted],
) -> list[DraftColumn]:
    """The decimal mark, and the decimals of each column that always has as many."""
    marks: list[str] = []
    always: dict[int, Drafted] = {}
    loose = False
    for each in columns:
        if not {"price_of", "stock_in"} & set(each.settings) and not (
            each.field and record.fields[each.field].is_decimal
        ):
            continue
        if sample.kind == "workbook" and "as" not in each.settings:
            formats = {line[each.place].format for line in rows if line[each.place].kind == "number"}
            if len(formats) == 1 and (found := re.fullmatch(r"#?,?#*0(?:\.(0+))?", next(iter(formats)))) and found[1]:
                always[each.place] = Drafted(len(found[1]), "seen", "its format")
            elif formats:
                loose = True
            continue
        parts = [_NUMBER.fullmatch(text) for text in _texts_of(rows, each.place)]
        found_marks = [part[1] for part in parts if part and part[1]]
        marks += found_marks
        decimals = {len(part[2] or "") for part in parts if part}
        if len(decimals) == 1 and (only := decimals.pop()):
            zeros = any(part[2].endswith("0") for part in parts if part and part[2])
            always[each.place] = Drafted(
                only, "seen" if zeros else "supposed", "" if zeros else "every value has that number"
            )
        elif parts and not (each.field and record.fields[each.field].decimals == 0):
            loose = True
    if marks:
        mark = max(sorted(set(marks)), key=marks.count)
        several = len(set(marks)) > 1
        settings["decimal_mark"] = Drafted(mark, "supposed" if several else "seen", "most of them" if several else "")
    if always and not loose and len({each.value for each in always.values()}) == 1:
        settings["decimals"] = next(iter(always.values()))
        return list(columns)
    return [_with(each, "decimals", always[each.place]) if each.place in always else each for each in columns]


def with_yes_no(
    columns: Sequence[DraftColumn],
    rows: Sequence[Sequence[SampleCell]],
    record: Record,
    settings: dict[str, Drafted],
) -> list[DraftColumn]:
    """The words for yes and no: of the layout where all columns have the same, else of each column."""
    found: dict[int, tuple[str, str, How]] = {}
    for each in columns:
        if not each.field or record.fields[each.field].kind != "yes_no" or "words" in each.settings:
            continue
        pair = yes_and_no([line[each.place].text for line in rows])
        if pair is not None:
            found[each.place] = pair
    pairs = {(yes, no) for yes, no, _ in found.values()}
    if len(pairs) == 1:
        (yes, no), how = pairs.pop(), min((each[2] for each in found.values()), key=("seen", "supposed").index)
        why = "" if how == "seen" else "the file shows only one of them"
        settings["yes"], settings["no"] = Drafted(yes, how, why), Drafted(no, how, why)
        return list(columns)
    return [
        _with(
            each, "words", Drafted({"yes": found[each.place][0], "no": found[each.place][1]}, found[each.place][2], "")
        )
        if each.place in found
        else each
        for each in columns
    ]


def yes_and_no(texts: Sequence[str]) -> tuple[str, str, How] | None:
    """The words for yes and no in a column, where they are known words."""
    values = list(dict.fromkeys(texts))
    filled = [each for each in values if each]
    said = {read_yes_no(each): each for each in filled}
    if not filled or len(filled) > 2 or None in said or len(said) != len(filled):
        return None
    if len(said) == 2:
        return said["yes"], said["no"], "seen"
    if "yes" in said:
        yes = said["yes"]
        if "" in values:
            return yes, "", "supposed"
        no = _OTHER_WORD.get(yes.casefold())
        return (
            None
            if no is None
            else (yes, no.lower() if yes.islower() else no.upper() if yes.isupper() else no, "supposed")
        )
    no = said["no"]
    pairs = {"n": "Y", "0": "1", "no": "yes", "false": "true", "f": "T", "nein": "ja", "non": "oui"}
    yes = pairs.get(no.casefold(), "")
    return (
        (yes.lower() if no.islower() else yes.upper() if no.isupper() else yes.capitalize(), no, "supposed")
        if yes
        else None
    )


def _with(column: DraftColumn, key: str, setting: Drafted) -> DraftColumn:
    return replace(column, settings={**column.settings, key: setting})
