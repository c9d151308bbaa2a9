"""How another program writes its values: days, numbers, yes and no, as the rows of its file show."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from datetime import datetime

from kotrel.core.description.model import Record
from kotrel.core.layouts.draft_model import DraftColumn, Drafted, How, waiting, with_setting
from kotrel.core.layouts.sample import Sample, SampleCell
from kotrel.core.layouts.wording import strftime_of
from kotrel.core.values.yes_no import read_yes_no

Lines = Sequence[Sequence[SampleCell]]

_DATES = (
    "YYYY-MM-DD", "DD.MM.YYYY", "DD/MM/YYYY", "MM/DD/YYYY", "YYYYMMDD", "DD-MM-YYYY", "MM-DD-YYYY", "YYYY/MM/DD", "YYYY.MM.DD",
    "DDMMYYYY", "MMDDYYYY", "DD.MM.YY", "DD/MM/YY", "MM/DD/YY", "DD-MM-YY", "YYMMDD", "DDMMYY",
)  # fmt: skip
_NO_BESIDE = {
    "j": "n", "ja": "nein", "y": "n", "yes": "no", "1": "0", "true": "false", "t": "f", "o": "n", "oui": "non", "s": "n", "wahr": "falsch",
    "x": "", "✓": "",
}  # fmt: skip
_YES_BESIDE = {"n": "y", "0": "1", "no": "yes", "false": "true", "f": "t", "nein": "ja", "non": "oui"}
"""The other word, where the file shows only one of them."""
_NUMBER = re.compile(r"-?([0-9]+)(?:([.,])([0-9]+))?")


def _texts_of(rows: Lines, place: int) -> list[str]:
    return [line[place].text.strip() for line in rows if line[place].kind == "text"]


def _is_text(sample: Sample, column: DraftColumn) -> bool:
    """True for a column whose numbers and days are written as texts."""
    return sample.kind == "text" or "as" in column.settings


def _of_kind(columns: Sequence[DraftColumn], record: Record, kind: str) -> list[DraftColumn]:
    return [each for each in columns if each.field and record.fields[each.field].kind == kind]


def _with_settings(columns: Sequence[DraftColumn], name: str, values: Mapping[int, Drafted]) -> list[DraftColumn]:
    """The columns with a setting. ``values``: place of the column → its value; others stay as they are."""
    return [with_setting(each, name, values[each.place]) if each.place in values else each for each in columns]


def with_dates(
    sample: Sample, columns: Sequence[DraftColumn], rows: Lines, record: Record, settings: dict[str, Drafted]
) -> tuple[list[DraftColumn], list[str]]:
    """The form that all days have; where they may have several, their columns are open. Returns the forms too."""
    dated = [each for each in _of_kind(columns, record, "date") if _is_text(sample, each)]
    values = [text for each in dated for text in _texts_of(rows, each.place)]
    forms = [form for form in _DATES if values and all(_is_in(value, form) for value in values)]
    if len(forms) == 1:
        settings["date"] = Drafted(forms[0], "seen", "")
    elif dated and not values:
        settings["date"] = Drafted("YYYY-MM-DD", "supposed", "no day shows it")
    if len(forms) < 2:
        return list(columns), forms
    why = f"its days can be read in two ways: {' or '.join(forms)}"
    return [waiting(each, "date", why) if each in dated else each for each in columns], forms


def _is_in(text: str, form: str) -> bool:
    try:
        return datetime.strptime(text, strftime_of(form)).strftime(strftime_of(form)) == text
    except ValueError:
        return False


def _numbers_in(rows: Lines, place: int) -> list[re.Match[str]]:
    return list(filter(None, map(_NUMBER.fullmatch, _texts_of(rows, place))))


def with_numbers(
    sample: Sample, columns: Sequence[DraftColumn], rows: Lines, record: Record, settings: dict[str, Drafted]
) -> list[DraftColumn]:
    """The decimal mark, and the decimals of each column that always has as many."""
    numeric = [each for each in columns if _is_numeric(each, record)]
    read = {each.place: _numbers_in(rows, each.place) for each in numeric if _is_text(sample, each)}
    found_columns = _with_mark(columns, read, settings)
    undecided = {each.place for each in found_columns if each.waits_for}
    always: dict[int, Drafted] = {}
    loose = bool(undecided & set(read))
    for column in (one for one in numeric if one.place not in undecided):
        shown = _decimals_of(read[column.place]) if column.place in read else _decimals_shown(rows, column.place)
        if shown is not None:
            always[column.place] = shown
        elif column.field is None or record.fields[column.field].decimals != 0:
            loose = loose or any(line[column.place].text for line in rows)
    if always and not loose and len({each.value for each in always.values()}) == 1:
        settings["decimals"] = next(iter(always.values()))
        return found_columns
    return _with_settings(found_columns, "decimals", always)


def _is_numeric(column: DraftColumn, record: Record) -> bool:
    if {"price_of", "stock_in"} & set(column.settings):
        return True
    return column.field is not None and record.fields[column.field].is_decimal


def _with_mark(
    columns: Sequence[DraftColumn], read: Mapping[int, Sequence[re.Match[str]]], settings: dict[str, Drafted]
) -> list[DraftColumn]:
    """The decimal mark that most numbers have.

    One point or comma before three digits may divide thousands: where nothing else shows the mark, such columns are
    open.
    """
    marks = [each[2] for found in read.values() for each in found if each[2] and not _may_be_thousands(each)]
    doubtful = {place for place, found in read.items() if any(map(_may_be_thousands, found))}
    if marks:
        mark = max(sorted(set(marks)), key=marks.count)
        several = len(set(marks)) > 1
        settings["decimal_mark"] = Drafted(mark, "supposed" if several else "seen", "most of them" if several else "")
    elif doubtful:
        why = "a point or comma before three digits can be read in two ways, and no number shows their decimal mark"
        return [waiting(each, "decimal_mark", why) if each.place in doubtful else each for each in columns]
    elif read:
        settings["decimal_mark"] = Drafted(".", "supposed", "no number shows it")
    return list(columns)


def _may_be_thousands(number: re.Match[str]) -> bool:
    return len(number[3] or "") == 3 and number[1] != "0" and len(number[1]) <= 3


def _decimals_of(numbers: Sequence[re.Match[str]]) -> Drafted | None:
    """The decimals that all numbers have; None where they have none, or not all as many."""
    different = {len(each[3] or "") for each in numbers}
    if len(different) != 1 or not (only := different.pop()):
        return None
    zeros = any(each[3].endswith("0") for each in numbers)
    return Drafted(only, "seen" if zeros else "supposed", "" if zeros else "every value has that number")


def _decimals_shown(rows: Lines, place: int) -> Drafted | None:
    """The decimals that the format of all number cells of a column shows."""
    formats = [line[place].format for line in rows if line[place].kind == "number"]
    if len(set(formats)) != 1 or not (found := re.fullmatch(r"#?,?#*0(?:\.(0+))?", formats[0])) or not found[1]:
        return None
    return Drafted(len(found[1]), "seen", "its format")


def with_yes_no(
    columns: Sequence[DraftColumn], rows: Lines, record: Record, settings: dict[str, Drafted]
) -> list[DraftColumn]:
    """The words for yes and no: of the layout where all columns have the same, else of each column."""
    asked = [each for each in _of_kind(columns, record, "yes_no") if "words" not in each.settings]
    yes_no_columns = {
        each.place: pair for each in asked if (pair := yes_and_no([line[each.place].text for line in rows])) is not None
    }
    pairs = {(yes, no) for yes, no, _ in yes_no_columns.values()}
    if len(pairs) > 1:
        words = {at: Drafted({"yes": yes, "no": no}, how, "") for at, (yes, no, how) in yes_no_columns.items()}
        return _with_settings(columns, "words", words)
    if asked:
        yes, no = pairs.pop() if pairs else ("yes", "no")
        how: How = "seen" if any(pair[2] == "seen" for pair in yes_no_columns.values()) else "supposed"
        why = "" if how == "seen" else "the file shows only one of them" if yes_no_columns else "no value shows them"
        settings["yes"], settings["no"] = Drafted(yes, how, why), Drafted(no, how, why)
    return list(columns)


def yes_and_no(texts: Sequence[str]) -> tuple[str, str, How] | None:
    """The words for yes and no in a column, where they are known words."""
    filled = [each for each in dict.fromkeys(texts) if each]
    said = {read_yes_no(each): each for each in filled}
    if not filled or None in said or len(said) != len(filled):
        return None
    if len(said) == 2:
        return said["yes"], said["no"], "seen"
    if "no" in said:
        yes = _as_written(_YES_BESIDE.get(said["no"].casefold()), said["no"])
        return None if yes is None else (yes, said["no"], "supposed")
    no = "" if "" in texts else _as_written(_NO_BESIDE.get(said["yes"].casefold()), said["yes"])
    return None if no is None else (said["yes"], no, "supposed")


def _as_written(word: str | None, other: str) -> str | None:
    """A word in capitals or small letters, as the other one is."""
    if word is None or other.islower():
        return word
    return word.upper() if other.isupper() else word.capitalize()
