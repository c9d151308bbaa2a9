"""What a column holds, and what that says for or against a field."""

from __future__ import annotations

import re
from collections.abc import Callable

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.tables.profiling import kind_of_values
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.same_writing import form_of
from kotrel.core.values.yes_no import read_yes_no

LOOK_AT = 5_000
"""A column's content is looked at in this many rows from the top."""
FEW = 300
"""So many distinct values are looked at one by one."""
REPEATS = "it repeats itself"
NUMBERS = ("number", "whole number")


class Content:
    """What the top of a column holds, computed when needed."""

    def __init__(self, table: Table, column: Column) -> None:
        top = table.cells[column.letter].head(LOOK_AT)
        sound = top.drop_nulls().str.strip_chars()
        self.rows = len(top)
        self.count = len(sound)
        self.distinct = sound.unique(maintain_order=True)
        self._kind: str | None = None

    @property
    def kind(self) -> str:
        if self._kind is None:
            self._kind = kind_of_values(self.distinct) if len(self.distinct) else "empty"
        return self._kind

    @property
    def is_key(self) -> bool:
        """True where it is filled in nearly every row, each time otherwise, with texts of the length of a code."""
        different = len(self.distinct) * 100 >= 98 * self.count
        return (
            self.count > 2
            and self.count * 100 >= 98 * self.rows
            and different
            and self.longest <= 24
            and not self.wordy
        )

    @property
    def repeats(self) -> bool:
        """True where most values stand in several rows."""
        return self.count > 5 and len(self.distinct) * 2 < self.count

    @property
    def is_numbers(self) -> bool:
        """True where its values may be numbers as people type them."""
        return self.kind in (*NUMBERS, "yes/no", "code") and self.share(_has_digit) > 60

    @property
    def longest(self) -> int:
        return int(self.distinct.str.len_chars().max() or 0)  # type: ignore[arg-type]

    @property
    def wordy(self) -> bool:
        """True where most values have several words."""
        return self.share(lambda value: value.count(" ") >= 2) > 40

    def share(self, fits: Callable[[str], bool]) -> int:
        """How many of the distinct values fit, in per cent."""
        some = self.distinct.head(FEW).to_list()
        return 100 * sum(map(fits, some)) // len(some) if some else 0


def objection_to(content: Content, field: Field, record: Record, names: Callable[[str], ListNames]) -> str:
    """Why the column can hardly feed the field, in words; an empty text where nothing speaks against it."""
    if not content.count:
        return ""
    if field.check == "gtin":
        fitting = ("barcode", "text") if field.kind == "list" else ("barcode",)
        return "" if content.kind in fitting else "it holds no barcodes"
    if field.to is not None:
        return _against_reference(content, field, record, names)
    if field.is_decimal:
        return "" if content.is_numbers else "it holds no numbers"
    if field.kind in ("date", "moment"):
        return "" if content.kind == "date" else "it holds no dates"
    if field.kind in ("yes_no", "choice"):
        return _against_words(content, field)
    if field.kind == "code":
        return _against_code(content, record.key == (field.name,))
    return _against_text(content, field, record)


def _against_words(content: Content, field: Field) -> str:
    if field.kind == "yes_no":
        fits = content.share(lambda value: read_yes_no(value) is not None)
        return "" if fits > 60 or content.kind == "yes/no" else "it holds neither yes nor no"
    choices = {form_of(choice) for choice in field.choices}
    return "" if content.share(lambda value: form_of(value) in choices) > 50 else "its values are not the choices"


def _against_reference(content: Content, field: Field, record: Record, names: Callable[[str], ListNames]) -> str:
    if field.to == record.name and content.is_key and content.count > 3:
        return "it is different in every row"
    odd = content.kind in ("number", "date", "barcode") or content.share(_has_decimals) > 30
    if odd and not content.share(lambda value: names(field.to or "").code_of(value) is not None):
        return "nothing in it is on the list"
    return "it has several words in every cell" if content.wordy and not on_list(content, field, names) else ""


def _against_code(content: Content, is_key: bool) -> str:
    if content.wordy or content.kind == "number" or (is_key and content.kind in ("date", "yes/no", "barcode")):
        return "it does not look like codes"
    return REPEATS if is_key and len(content.distinct) * 2 < content.count else ""


def _against_text(content: Content, field: Field, record: Record) -> str:
    if field.kind == "text" and field.name == record.called:
        return _against_name(content)
    return "it holds numbers" if field.kind in ("text", "file") and content.kind == "barcode" else ""


def _against_name(content: Content) -> str:
    if content.kind in (*NUMBERS, "barcode", "date", "yes/no"):
        return "it holds no texts"
    if content.count > 5 and len(content.distinct) * 4 < content.count:
        return REPEATS
    return "it looks like codes" if content.kind == "code" and content.is_key else ""


def suggests(content: Content, field: Field, record: Record, names: Callable[[str], ListNames]) -> tuple[int, str]:
    """What the values suggest by themselves: per cent, and the reason."""
    if not content.count:
        return 0, ""
    if field.check == "gtin" and field.kind != "list":
        return 82, "it holds valid barcodes"
    if field.to is not None and field.to != record.name:
        known = on_list(content, field, names)
        if known >= 70 and not content.is_key:
            return 50 + known // 3, f"{known} % of its values are on the {field.to} list"
        return 0, ""
    if field.kind == "choice" and len(content.distinct) > 1:
        return 70, "its values are the choices"
    if field.name == record.called and content.wordy and len(content.distinct) * 10 > content.count * 8:
        return 62, "it holds different texts"
    return 0, ""


def on_list(content: Content, field: Field, names: Callable[[str], ListNames]) -> int:
    """How many of the distinct values are on the list that the field refers to, in per cent."""
    known = names(field.to or "")
    return content.share(lambda value: known.code_of(value) is not None)


def _has_decimals(value: str) -> bool:
    return re.fullmatch(r"[0-9]+[.,][0-9]+", value) is not None


def _has_digit(value: str) -> bool:
    return any(letter.isdigit() for letter in value)
