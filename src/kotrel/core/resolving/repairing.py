"""Repairs damaged codes and names by the lists of the system, only where that can be proved;
reports those that are lost.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field, Record
from kotrel.core.parallel import map_parallel
from kotrel.core.phrases import listed_and
from kotrel.core.resolving.barcodes import repaired_barcodes
from kotrel.core.resolving.cell_damage import cells_of_column
from kotrel.core.resolving.code_list import BROKEN, CodeList
from kotrel.core.resolving.other_codes import known_as
from kotrel.core.rows.findings import AS_SHOWN, FindingGroup, RepairGroup, cells_of
from kotrel.core.rows.load_options import ALL
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.as_shown import cells_as_shown
from kotrel.core.tables.sources import Source
from kotrel.core.values.code_pages import MAY_BE_GARBLED, right_code_pages
from kotrel.core.values.dated_codes import SHAPED_LIKE_DATE, may_be_date
from kotrel.core.values.lookalikes import is_latin, seen, unquoted, without_lookalikes
from kotrel.core.values.near_codes import common_start
from kotrel.core.values.same_writing import form_of

_DAMAGED = rf"""^[0-9.]+(?:[eE]\+?[0-9]+)?$|[^ -~]|^["'].|(?:{SHAPED_LIKE_DATE})"""


def suspicious_keys(rows: Rows, name: str) -> pl.Series:
    """Boolean for each row. How all keys of a sheet begin nearly always shows that none is damaged."""
    values = rows.values[name]
    start = common_start(values)
    if start[:1] not in ("", ".", '"', "'") and not may_be_date(start) and rows.few.plain(name, rows.values):
        return pl.Series([False], dtype=pl.Boolean).new_from_index(0, len(values))
    return values.str.contains(_DAMAGED).fill_null(False)


def keep_as_held(rows: Rows, state: SystemState, only: Collection[str] | None = None) -> Rows:
    """Takes back the reading of keys and references as they are shown, where the list has just what the cell holds.

    Args:
        only: the fields to look at, or None for all.
    """
    values, repairs = rows.values, []
    for group in rows.repairs:
        field = rows.record.fields.get(group.field)
        name = rows.record.name if rows.record.key == (group.field,) else field.to if field is not None else None
        if group.kind != AS_SHOWN or name is None or (only is not None and group.field not in only):
            repairs.append(group)
            continue
        target = state.description.records[name]
        both = pl.concat([group.cells["before"], group.cells["after"]]).unique()
        known = state.known_codes(target, both).implode()
        back = group.cells.filter(pl.col("before").is_in(known) & ~pl.col("after").is_in(known))
        if back.height:
            held = back.select(ROW, pl.col("before").alias(group.field))
            values = values.update(held, on=ROW, how="left")
            group = RepairGroup(group.kind, group.field, group.letter, group.cells.join(back, on=ROW, how="anti"))
        if group.count:
            repairs.append(group)
    return replace(rows, values=values, repairs=tuple(repairs)) if values is not rows.values else rows


def _formed(parts: Iterable[str | None]) -> tuple[str, ...]:
    return tuple(form_of(part or "") for part in parts)


def found_by_fields(
    rows: Rows, name: str, source: Source, target: Record, state: SystemState
) -> dict[str, tuple[str, str, str]]:
    """Value of the field → the code of the one row that has all the values given, written in this way or another, and
    its proof.

    A reference, such as the brand, may be given by its name there. A blank cell means that the row has nothing there
    either. Where several rows fit, or none, there is no entry.
    """
    fields, key = list(source.found_by), target.key[0]
    given = cells_as_shown(rows.table, source.columns).select(
        pl.col(letter).str.strip_chars().replace("", None).alias(field)
        for field, letter in zip(fields, source.columns, strict=True)
    )
    given = (
        given.with_columns(rows.values[name].alias("given value")).drop_nulls("given value").unique(maintain_order=True)
    )
    if not given.height:
        return {}
    given = given.with_columns(
        _codes_for_names(given[field], state.names_of(to)) for field in fields if (to := target.fields[field].to)
    )
    held_pairs = [
        state.having(target, fields, field, given[field].unique().drop_nulls()).select(key, *fields) for field in fields
    ]
    # A row that is looked for is not among those that are yet to come.
    coming = [state.coming(target, (key, *fields))] if target is not rows.record else []
    every = pl.concat([*held_pairs, *coming]).drop_nulls(key).unique()
    codes: dict[tuple[str, ...], set[str]] = {}
    for code, *parts in every.iter_rows():
        codes.setdefault(_formed(parts), set()).add(code)
    candidates: dict[str, set[str]] = {}
    for *parts, value in given.iter_rows():
        candidates.setdefault(value, set()).update(codes.get(_formed(parts), {""}))
    proof = f"the only {target.title.lower()} with this {listed_and([target.fields[field].title.lower() for field in fields])}"
    return {
        value: (next(iter(there)), "other-code", proof)
        for value, there in candidates.items()
        if len(there) == 1 and "" not in there
    }


def _codes_for_names(texts: pl.Series, names: Mapping[str, str]) -> pl.Series:
    """The texts with the code of the one row that is called so;
    a text that is a code itself, or several names, stays.
    """
    if not names:
        return texts
    codes: dict[str, list[str]] = {}
    for code, called in names.items():
        codes.setdefault(form_of(called), []).append(code)
    own = {form_of(code) for code in names}
    code_of = {
        text: there[0]
        for text in texts.drop_nulls().unique()
        if form_of(text) not in own and len(there := codes.get(form_of(text), [])) == 1
    }
    return texts.replace(code_of) if code_of else texts


EXPONENT = r"^[0-9](?:[.,][0-9]+)?[eE]\+[0-9]{1,2}$"
"""What a spreadsheet shows instead of a long number."""
_TOO_LONG = "^[0-9]{16,}$"
_TOO_LONG_TITLE = "more than 15 digits as a number"
_TOO_LONG_MESSAGE = (
    "a spreadsheet keeps only 15 digits of a number: get it from its source again, into a column formatted as text"
)
_EITHER = f"{EXPONENT}|(?:{SHAPED_LIKE_DATE})"


def lost_texts(rows: Rows, about: Field, values: pl.Series) -> list[FindingGroup]:
    """Findings on texts that a spreadsheet keeps as a date, a yes/no value or a number of too many digits.

    A date may be meant in a note, so it is only doubtful; digits are lost for good.
    """
    kinds = rows.table.kinds.get(rows.letters.get(about.name, ""), "text")
    source = rows.sources.get(about.name)
    if (isinstance(kinds, str) and kinds == "text") or source is None or not source.is_plain:
        return []
    findings: list[FindingGroup] = []
    letter = rows.letters[about.name]
    for kind, what in (("date", "a date"), ("yes_no", "a yes/no value")):
        if (here := rows.table.kind_is(letter, kind)).any():
            message = f"the cell holds {what}: if it should be text, format the column as text and type it again"
            findings += rows.where(
                "warning", f"became-{kind.replace('_', '-')}", f"{what} in a text", about, here, message
            )
    long = rows.table.kind_is(letter, "number") & values.str.contains(_TOO_LONG).fill_null(False)
    return findings + (
        rows.where("error", "digits-lost", _TOO_LONG_TITLE, about, long, _TOO_LONG_MESSAGE) if long.any() else []
    )


def lost_codes(rows: Rows, about: Field, values: pl.Series, repaired: Collection[str]) -> list[FindingGroup]:
    """Findings on codes in exponent form, with digits lost, or turned into dates or yes/no values.

    Args:
        values: of the field.
        repaired: those that a rule has repaired.
    """

    def kind_is(kind: str) -> pl.Series:
        letter = rows.letters.get(about.name)
        if letter is None:
            return pl.Series([False], dtype=pl.Boolean).new_from_index(0, len(values))
        return rows.table.kind_is(letter, kind)

    # The distinct values settle nearly every column of a text file quickly.
    seen = rows.seen(about.name)
    # An exponent form begins with a digit, as dates may.
    odd = seen.filter(seen.str.contains(_EITHER)) if may_be_date(common_start(seen)) else seen.clear()
    in_exponent_form = bool(odd.str.contains(EXPONENT).any())
    dated = pl.Series([False], dtype=pl.Boolean)
    if about.kind == "code" and about.name not in rows.record.key:
        dated = odd.str.contains(SHAPED_LIKE_DATE) & odd.str.contains("[a-z]")
    kinds = rows.table.kinds.get(rows.letters.get(about.name, ""), "text")
    findings: list[FindingGroup] = []
    if dated.any():
        wrong = values.str.contains(SHAPED_LIKE_DATE) & values.str.contains("[a-z]") & ~kind_is("date")
        message = "it looks like a date that a spreadsheet made of another code: is it a code?"
        findings += rows.where("warning", "became-date", "turned into a date", about, wrong.fill_null(False), message)
    if isinstance(kinds, str) and kinds == "text" and not in_exponent_form:
        return findings
    open_ones = ~values.is_in(pl.Series(list(repaired), dtype=pl.String).implode()).fill_null(False)
    for wrong, kind, title, message in (
        (
            values.str.contains(EXPONENT),
            "digits-lost",
            "in exponent form, with digits lost",
            "the spreadsheet dropped digits: get the code from its source again, into a column formatted as text",
        ),
        (kind_is("number") & values.str.contains(_TOO_LONG), "digits-lost", _TOO_LONG_TITLE, _TOO_LONG_MESSAGE),
        (
            kind_is("date"),
            "became-date",
            "turned into a date",
            "the spreadsheet took the code for a date: format the column as text and type the code again",
        ),
        (
            kind_is("yes_no"),
            "became-yes-no",
            "turned into yes or no",
            "the spreadsheet took the code for a yes/no value: format the column as text and type the code again",
        ),
    ):
        bad = wrong.fill_null(False) & open_ones
        if bad.any():
            findings += rows.where("error", kind, title, about, bad, message)
    return findings


class _RepairedColumn(Struct):
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
    rows: Rows,
    state: SystemState,
    spellings: Mapping[str, Mapping[str, str]],
    only: Collection[str] | None = None,
    really_new: Collection[str] = (),
) -> Rows:
    """Repairs codes, names and texts where a repair can be proved; every repair is recorded.

    Args:
        spellings: record → the form of another spelling → code.
        only: the fields to repair, or None for all.
        really_new: codes that the user says are new.
    """
    rows = keep_as_held(rows, state, only)
    done = map_parallel(
        lambda name: _repaired_field(rows, name, state, spellings, really_new),
        [name for name in rows.fields if only is None or name in only],
        rows.values.height,
    )
    # Where nothing is repaired, what is known of the columns is still known.
    values = rows.values.with_columns(after for after, groups, _ in done if groups)
    if not any(groups for _, groups, _ in done):
        values = rows.values
    repairs = (*rows.repairs, *(group for _, groups, _ in done for group in groups))
    findings = (*rows.findings, *(group for _, _, groups in done for group in groups))
    return replace(rows, values=values, repairs=repairs, findings=findings)


def _lost(rows: Rows, about: Field, column: _RepairedColumn) -> list[FindingGroup]:
    """What of a field's values is lost for good."""
    if about.kind in ("code", "reference"):
        return lost_codes(rows, about, column.values, column.repairs)
    return lost_texts(rows, about, column.values) if about.kind == "text" else []


def _repaired_field(
    rows: Rows,
    name: str,
    state: SystemState,
    spellings: Mapping[str, Mapping[str, str]],
    really_new: Collection[str],
) -> tuple[pl.Series, list[RepairGroup], list[FindingGroup]]:
    """One field's values after their repairs, the repairs, and what is lost for good."""
    about, source = rows.record.fields[name], rows.sources.get(name)
    column = _RepairedColumn(rows, about, rows.values[name])
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
        if source is not None and found_by:
            column.repairs |= found_by_fields(rows, name, source, rows.record, state)
            return _found_key(column, source)
        _repair_key(column, state, really_new)
    elif about.kind == "text":
        _repair_texts(column)
    repairs: list[RepairGroup] = []
    after = _apply_repairs(column, repairs) if column.repairs else column.values
    return after, repairs, _lost(rows, about, column)


def _found_key(column: _RepairedColumn, source: Source) -> tuple[pl.Series, list[RepairGroup], list[FindingGroup]]:
    """The key of the rows that the system has with these values;
    the others have none, which is an error unless one is made.
    """
    rows, name = column.rows, column.about.name
    repairs: list[RepairGroup] = []
    after = _apply_repairs(column, repairs) if column.repairs else column.values
    lost = column.values.is_not_null() & ~column.values.is_in(list(column.repairs))
    after = after.set(lost, None)
    if source.make or not lost.any():
        return after, repairs, []
    fields = rows.record.fields
    said = listed_and([fields[each].title.lower() for each in source.found_by])
    message = f"the system has no {rows.record.title.lower()} with this {said}, or more than one"
    cells = cells_of(rows.values[ROW].filter(lost), column.values.filter(lost), message)
    return after, repairs, [rows.group("error", "not-found", f"nothing has this {said}", name, cells)]


def _apply_repairs(column: _RepairedColumn, repairs: list[RepairGroup]) -> pl.Series:
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
        repairs.append(RepairGroup(kind, column.about.name, letter, cells))
    return after


# --- references ------------------------------------------------------------------------------------------------------


def _repair_reference(
    column: _RepairedColumn, state: SystemState, target: Record, spellings: Mapping[str, str]
) -> None:
    seen = column.rows.seen(column.about.name)
    unknown = seen.filter(~state.are_known(target, seen)).unique()
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
    known = CodeList(listed, target, words)
    others = known_as(target, unknown, state)
    damage = known.damage(cells_of_column(column.rows, column.about.name, column.values), words)
    for value in words:
        if found := known.repair(value, spellings, damage, others.get(value, {})):
            column.repairs[value] = found


# --- keys, barcodes, texts -------------------------------------------------------------------------------------------


def _repair_key(column: _RepairedColumn, state: SystemState, really_new: Collection[str]) -> None:
    """Keys that the system does not have, where exactly one that it has could have become this one.

    Args:
        really_new: codes that the user says are new, or :data:`ALL`: what they look like does not count.
    """
    record = column.rows.record
    suspicious = suspicious_keys(column.rows, column.about.name) | column.kind_is("date")
    distinct = column.values.filter(suspicious).unique().drop_nulls()
    if not len(distinct):
        return
    unknown = distinct.filter(~distinct.is_in(state.known_codes(record, distinct).implode()))
    if not len(unknown):
        return
    named = ALL in really_new
    words = [value for value in unknown.to_list() if value not in really_new]
    known = CodeList(state.all_of(record), record, words)
    damage = known.damage(cells_of_column(column.rows, column.about.name, column.values), words)
    in_latin = is_latin(column.values)
    for value in words:
        found = known.repair(value, {}, damage) if not named and (in_latin or seen(value).isascii()) else None
        # A new code may resemble an existing name; only damage is repaired here.
        if found and found[1] in ("leading-zeros", "number-for-code", "date-for-code", "look-alike"):
            column.repairs[value] = found
        elif BROKEN.search(value):
            # A line break within a code says nothing about what was there: the check reports it.
            continue
        elif value not in damage.date_cells and value != (clean := _clean(value, in_latin)):
            proof = "invisible and look-alike characters, and quotes around a code, are never part of it"
            column.repairs[value] = (clean, "look-alike", proof)


def _clean(code: str, in_latin: bool) -> str:
    """A new code in plain characters. One written in another alphabet stays so:
    half of it in Latin would be a third code.
    """
    return (
        unquoted(without_lookalikes(code))
        if without_lookalikes(code).isascii() and (in_latin or seen(code).isascii())
        else seen(code)
    )


def _repair_texts(column: _RepairedColumn) -> None:
    if bool((column.values.str.len_bytes() == column.values.str.len_chars()).all()):
        return
    odd = column.values.filter(column.values.str.contains(MAY_BE_GARBLED).fill_null(False)).unique()
    for value, repaired in right_code_pages(odd.to_list()).items():
        column.repairs[value] = (repaired, "wrong-code-page", "it converts back into valid UTF-8")
