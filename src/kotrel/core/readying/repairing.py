"""Repairs damaged codes and names by the lists of the system, and only where the repair can be proved.

What spreadsheets and people do to codes is undone if exactly one code on the list could have become what is in the cell.
Everything else stays as it is, and the checks report it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.parallel import map_parallel
from kotrel.core.readying.barcode_repairs import repaired_barcodes
from kotrel.core.readying.found_by import found_by_fields
from kotrel.core.readying.lost_codes import lost_codes
from kotrel.core.readying.other_codes import known_as
from kotrel.core.readying.suspicious import suspicious_keys
from kotrel.core.rows.findings import FindingGroup, RepairGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import folded
from kotrel.core.values.dated_codes import DATE_LIKE, Day, any_could_be, days_of, days_shown
from kotrel.core.values.lookalikes import as_number, plain, right_code_page, seen, shape, unquoted

TITLES = {
    "name-for-code": "names and other spellings replaced by codes",
    "other-case": "codes spelled as on the list",
    "look-alike": "look-alike and invisible characters replaced",
    "leading-zeros": "lost leading zeros restored",
    "number-for-code": "codes that had become numbers restored",
    "date-for-code": "codes that had become dates restored",
    "wrong-code-page": "characters from a wrong code page restored",
    "other-code": "other codes replaced by the code",
    "digits-apart": "blanks and signs between digits removed",
}
"""Kind of repair → its title."""

BROKEN = re.compile(r"[\t\n\x0b\x0c\r\x85\u2028\u2029]")
CODE_AND_NAME = (
    re.compile(r"(.+?)\s+-+\s+(.+)"),
    re.compile(r"(.+?)\s*[:|=;/]\s*(.+)"),
    re.compile(r"(.+?)\s*\((.+)\)"),
    re.compile(r"(.+?)\s*\[(.+)\]"),
    re.compile(r"(\S+)\s+(.+)"),
)
"""How a code and its name stand in one cell."""
NO_OTHERS: Mapping[str, str] = {}
EYE_NEEDS = 3
"""Characters that a code needs before a letter in it may be taken for a digit: “1” is not an “L”."""


@dataclass
class _Column:
    """One field's values while they are repaired."""

    rows: Rows
    about: Field
    values: pl.Series
    repairs: dict[str, tuple[str, str, str]] = field(default_factory=dict)
    """Value → (after, kind of repair, proof)."""

    def kind_is(self, kind: str) -> pl.Series:
        letter = self.rows.letters.get(self.about.name)
        if letter is None:
            return pl.Series([False], dtype=pl.Boolean).new_from_index(0, self.values.len())
        return self.rows.table.kind_is(letter, kind)


def repair(
    rows: Rows, state: SystemState, spellings: Mapping[str, Mapping[str, str]], only: Collection[str] | None = None
) -> Rows:
    """Repairs codes, names and texts where a repair can be proved; every repair is recorded.

    Args:
        spellings: record → other spelling, folded → code.
        only: the fields to repair, or None for all.
    """

    def one(name: str) -> tuple[pl.Series, list[RepairGroup], list[FindingGroup]]:
        about, source = rows.record.fields[name], rows.sources.get(name)
        column = _Column(rows, about, rows.values[name])
        found_by = source is not None and bool(source.found_by)
        if not found_by and column.values.null_count() == len(column.values):
            return column.values, [], []
        if about.to is not None:
            target = state.description.records[about.to]
            if source is not None and found_by:
                column.repairs |= found_by_fields(rows, name, source, target, state)
            else:
                _repair_reference(column, state, target, spellings.get(target.name, {}))
        elif about.check == "gtin" and about.kind != "list":
            column.repairs |= repaired_barcodes(column.rows, about.name, state)
        elif rows.record.key == (name,):
            _repair_key(column, state)
        elif about.kind == "text":
            _repair_texts(column)
        repairs: list[RepairGroup] = []
        after = _repaired(column, repairs) if column.repairs else column.values
        findings = lost_codes(rows, about, column.values, column.repairs) if about.kind in ("code", "reference") else []
        return after, repairs, findings

    done = map_parallel(one, [name for name in rows.fields if only is None or name in only], rows.values.height)
    values = rows.values.with_columns(after for after, _, _ in done)
    repairs = (*rows.repairs, *(group for _, groups, _ in done for group in groups))
    findings = (*rows.findings, *(group for _, _, groups in done for group in groups))
    return replace(rows, values=values, repairs=repairs, findings=findings)


def _repaired(column: _Column, repairs: list[RepairGroup]) -> pl.Series:
    """The column after its repairs; the repair groups are added to the list."""
    after = column.values.replace({value: repair[0] for value, repair in column.repairs.items()}).alias(
        column.about.name
    )
    letter = column.rows.letters.get(column.about.name, "")
    stands = column.rows.as_it_stands(column.about.name)
    for kind in dict.fromkeys(repair[1] for repair in column.repairs.values()):
        mine = {value: repair for value, repair in column.repairs.items() if repair[1] == kind}
        cells = (
            pl.DataFrame(
                [column.rows.values[ROW], column.values.alias("value"), stands.alias("before"), after.alias("after")]
            )
            .filter(pl.col("value").is_in(list(mine)))
            .with_columns(pl.col("value").replace({value: repair[2] for value, repair in mine.items()}).alias("proof"))
            .select(ROW, "before", "after", "proof")
        )
        repairs.append(RepairGroup(kind, TITLES[kind], column.about.name, letter, cells))
    return after


# --- references ------------------------------------------------------------------------------------------------------


def _repair_reference(column: _Column, state: SystemState, target: Record, spellings: Mapping[str, str]) -> None:
    distinct = column.rows.distinct(column.about.name).drop_nulls()
    unknown = distinct.filter(~distinct.is_in(state.known_codes(target, distinct).implode()))
    own_keys = target.name == column.rows.record.name and column.rows.has_key
    if own_keys and len(unknown):
        unknown = unknown.filter(~unknown.is_in(column.rows.values[target.key[0]].implode()))
    if not len(unknown):
        return
    listed = state.listed(target)
    if own_keys:
        # The rows of this sheet are on the list too, by their names and codes.
        own = [name for name in listed.columns if name in column.rows.fields]
        listed = pl.concat([listed, column.rows.values.select(own).drop_nulls(target.key)], how="diagonal").unique(
            target.code, keep="first", maintain_order=True
        )
    words = unknown.to_list()
    known = _List(listed, target, words)
    others = known_as(target, unknown, state)
    dates = set(column.values.filter(column.kind_is("date")).to_list())
    for value in words:
        if found := known.repair(value, spellings, value in dates, others.get(value, {})):
            column.repairs[value] = found


class _List:
    """The codes of a list that some words may mean, and what each could have become."""

    def __init__(self, rows: pl.DataFrame, record: Record, words: Sequence[str]) -> None:
        self.names = ListNames(rows, record, words)
        self.title = record.title.lower()
        self.codes = self.names.codes
        self._every = rows[record.code]
        self._made: dict[Callable[[str], object], dict[object, list[str]]] = {}

    def which(self, made: Callable[[str], object], value: object) -> list[str]:
        """The codes on the list that ``made`` turns into the value. What it makes of each is made once."""
        if value is None:
            return []
        if made not in self._made:
            known = self._made[made] = {}
            for code in self.codes:
                known.setdefault(made(code), []).append(code)
        return self._made[made].get(value, [])

    @cached_property
    def dated(self) -> list[tuple[str, set[Day]]]:
        """The codes that a spreadsheet could take for days, and these."""
        shaped = self._every.filter(self._every.str.contains(DATE_LIKE)).to_list()
        return [(code, days) for code in shaped if (days := days_of(code))]

    def repair(
        self, value: str, spellings: Mapping[str, str], is_date: bool, others: Mapping[str, str] = NO_OTHERS
    ) -> tuple[str, str, str] | None:
        """The code that was meant, the kind of repair and its proof; None without proof.

        The rules come in the order of their strength. One that finds several candidates ends the search: a weaker
        rule that finds only one of them, or another, proves nothing.

        Args:
            others: the codes of rows that are known by this value otherwise, and the title of that code.
        """
        if (code := spellings.get(folded(value))) is not None and self._has(code):
            return code, "name-for-code", "listed under spellings in kotrel.toml"
        if is_date:
            return self._of_date(value)
        named = self.names.codes_of(value)
        if found := self.which(str.casefold, value.casefold()):
            # A word that is one row's name and another's code means neither.
            if len(found) > 1 or any(self.names.is_name(value, code) for code in named - {found[0]}):
                return None
            return found[0], "other-case", f"the only code on the {self.title} list that differs only in capitals"
        if not BROKEN.search(value) and (found := self.which(plain, plain(value))):
            proof = f"the only code on the {self.title} list that looks like it"
            return (found[0], "look-alike", proof) if len(found) == 1 else None
        if others:
            # Another code that is also the name or the damaged code of a second row means neither.
            rivals = named | set(self.which(as_number, as_number(value)))
            code, *more = others
            if more or rivals - {code}:
                return None
            return code, "other-code", f"it is its {others[code]}"
        if found := self.which(as_number, as_number(value)):
            zeros = found[0].lstrip("0") == value.lstrip("0")
            kind, proof = (
                "leading-zeros" if zeros else "number-for-code",
                f"the only code on the {self.title} list that is this number",
            )
            return (found[0], kind, proof) if len(found) == 1 else None
        if days_shown(value) and (found_for_date := self._of_date(value)):
            return found_for_date
        if named:
            [code, *more] = sorted(named)
            name = self.names.names.get(code)
            return None if more else (code, "name-for-code", f"{name or code} is its name on the {self.title} list")
        if both := self._code_and_name(value):
            return both
        if len(value) >= EYE_NEEDS and (found := self.which(shape, shape(value))):
            proof = f"the only code on the {self.title} list that looks like it"
            return (found[0], "look-alike", proof) if len(found) == 1 else None
        return None

    def _has(self, code: str) -> bool:
        return code in self.names.code_set or bool((self._every == code).any())

    def _code_and_name(self, value: str) -> tuple[str, str, str] | None:
        """The code where a cell holds it together with its name, in either order: both must mean the same."""
        for pattern in CODE_AND_NAME:
            if not (parts := pattern.match(plain(value))):
                continue
            first, second = (self.names.codes_of(part) for part in parts.groups())
            folds = dict.fromkeys(part.casefold() for part in parts.groups())
            codes = [code for fold in folds for code in self.which(str.casefold, fold)]
            if len(codes) > 1:
                # The second part is a code too: either may be meant.
                return None
            if codes and codes[0] in first & second:
                proof = f"the code and its name on the {self.title} list, in one cell"
                return codes[0], "name-for-code", proof
        return None

    def _of_date(self, value: str) -> tuple[str, str, str] | None:
        """The one code that a spreadsheet could have turned into this date."""
        shown = days_shown(value)
        found = [code for code, days in self.dated if any_could_be(days, shown)]
        proof = "the only code on the list that could become this date"
        return (found[0], "date-for-code", proof) if len(found) == 1 else None


# --- keys, barcodes, texts -------------------------------------------------------------------------------------------


def _repair_key(column: _Column, state: SystemState) -> None:
    """Keys that the system does not have, where exactly one that it has could have become this one."""
    record = column.rows.record
    suspicious = suspicious_keys(column.rows, column.about.name) | column.kind_is("date")
    distinct = column.values.filter(suspicious).unique().drop_nulls()
    if not len(distinct):
        return
    unknown = distinct.filter(~distinct.is_in(state.known_codes(record, distinct).implode()))
    if not len(unknown):
        return
    known = _List(state.all_of(record), record, unknown.to_list())
    dates = set(column.values.filter(column.kind_is("date")).to_list())
    for value in unknown.to_list():
        found = known.repair(value, {}, value in dates)
        # A new code may resemble an existing name; only damage is repaired here.
        if found and found[1] in ("leading-zeros", "number-for-code", "date-for-code", "look-alike"):
            column.repairs[value] = found
        elif BROKEN.search(value):
            # A line break within a code says nothing about what was there: the check reports it.
            continue
        elif value not in dates and value != (clean := _clean(value)):
            proof = "invisible and look-alike characters, and quotes around a code, are never part of it"
            column.repairs[value] = (clean, "look-alike", proof)


def _clean(code: str) -> str:
    """A new code in plain characters. One written in another alphabet stays so: half of it in Latin would be a third code."""
    return unquoted(plain(code)) if plain(code).isascii() else seen(code)


def _repair_texts(column: _Column) -> None:
    if bool((column.values.str.len_bytes() == column.values.str.len_chars()).all()):
        return
    odd = column.values.filter(column.values.str.contains("[\u00c2-\u00f4][\u0080-\u2122]").fill_null(False)).unique()
    for value in odd.to_list():
        if repaired := right_code_page(value):
            column.repairs[value] = (repaired, "wrong-code-page", "it converts back into valid UTF-8")
