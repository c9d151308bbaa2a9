"""Rules between fields: exactly one of several, one before the other, the same as in the row referred to."""

from __future__ import annotations

from collections.abc import Iterable

import polars as pl

from kotrel.core.columns import ROW, decimal_type
from kotrel.core.description.model import Field, Record
from kotrel.core.phrases import listed_and
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, after_load, behind_rows, is_new


def check_rules(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """The record's rules on several fields of a row, or on the row that a reference points at."""
    return [
        *_exactly_one(rows, state),
        *_in_order(rows, state),
        *_behind_references(rows, state),
        *_check_one_of(rows, state),
        *_different(rows),
        *_zeros(rows),
    ]


def _exactly_one(rows: Rows, state: SystemState) -> Iterable[FindingGroup]:
    for group in rows.record.exactly_one:
        after = after_load(rows, state, group)
        filled = after.select(pl.sum_horizontal(pl.col(name).is_not_null() for name in group)).to_series()
        field = _field_shown(rows, group)
        names = listed_and([rows.record.fields[name].title.lower() for name in group], "or")
        title = f"not exactly one of {names}"
        yield from rows.where("error", "not-exactly-one", title, field, filled == 0, f"one of {names} must be filled")
        message = f"only one of {names} may be filled; to switch, write (clear) in the old one"
        yield from rows.where("error", "not-exactly-one", title, field, filled > 1, message)


def _in_order(rows: Rows, state: SystemState) -> Iterable[FindingGroup]:
    for low, high in rows.record.in_order:
        if low not in rows.fields and high not in rows.fields:
            continue
        after = after_load(rows, state, (low, high))
        first, second = rows.record.fields[low], rows.record.fields[high]
        wrong = after.select((_ordered(first) > _ordered(second)).fill_null(False)).to_series()
        what = "after" if first.kind in ("date", "moment") else "above"
        title = f"{first.title} {what} {second.title.lower()}"
        yield from rows.where(
            "error", "wrong-order", title, _field_shown(rows, (high, low)), wrong, f"{title}: swap them?"
        )


def _ordered(field: Field) -> pl.Expr:
    column = pl.col(field.name)
    return column.cast(decimal_type(field.decimals or 0), strict=False) if field.is_decimal else column


def _behind_references(rows: Rows, state: SystemState) -> Iterable[FindingGroup]:
    """``needs`` and ``same_as``: what the row referred to must have."""
    for (reference, name), allowed in rows.record.needs.items():
        if reference not in rows.fields:
            continue
        target, referred = behind_rows(rows, state, reference, name)
        wrong = rows.values[reference].is_not_null() & (
            referred["is known"] & ~referred["value there"].is_in(list(allowed)).fill_null(False)
        )
        value, what = listed_and(list(allowed), "or"), target.fields[name].title.lower()
        title = f"{target.title}: {what} is not {value}"
        message = f"set {what} of the {target.title.lower()} to {value} first"
        about = rows.record.fields[reference]
        if rows.record.nature == "document" and wrong.any():
            part = rows.values.select(ROW).hstack([rows.as_it_stands(reference), referred["value there"]]).filter(wrong)
            messages = [
                f"{rows.record.title} needs an {target.title.lower()} for {value}; this one is for {has or 'nothing'}"
                for has in part["value there"]
            ]
            title = f"not an {target.title.lower()} for {value}"
            yield rows.group(
                "error", "not-as-needed", title, reference, cells_of(part[ROW], part["as it stands"], messages)
            )
            continue
        yield from rows.where("error", "not-as-needed", title, about, wrong, message)
    for field in rows.record.fields.values():
        if field.same_as is None or field.name not in rows.fields:
            continue
        reference, name = field.same_as
        target, referred = behind_rows(rows, state, reference, name)
        wrong = (rows.values[field.name] != referred["value there"]).fill_null(False)
        title = f"differs from the {target.fields[name].title.lower()} of the {target.title.lower()}"
        unread = rows.values[ROW].is_in(rows.unread(field.name).implode())
        if (wrong := wrong & ~unread).any():
            part = (
                rows.values.select(ROW).hstack([rows.as_it_stands(field.name), referred["value there"]]).filter(wrong)
            )
            cells = cells_of(part[ROW], part["as it stands"], title, part["value there"])
            yield rows.group("error", "must-match", title, field.name, cells)


def _check_one_of(rows: Rows, state: SystemState) -> Iterable[FindingGroup]:
    """``one_of``: the value of the row referred to, or of another record's rows that refer to the same row."""
    for field in rows.record.fields.values():
        if not field.one_of or field.name not in rows.fields:
            continue
        reference, name = field.one_of[0]
        codes = rows.values if reference in rows.fields else after_load(rows, state, (reference,))
        target, there = behind_rows(rows, state, reference, name)
        given = pl.DataFrame({"code": codes[reference], "value": rows.values[field.name], "own": there["value there"]})
        odd = (given["value"] != given["own"]).fill_null(False)
        if field.name in rows.record.key:
            # What the system has already is its own affair.
            odd = odd & is_new(rows, state)
        if not odd.any():
            continue
        others = pl.concat(
            [_allowed(state, other, column, target, given.filter(odd)["code"]) for other, column in field.one_of[1:]]
            or [pl.DataFrame(schema={"code": pl.String, "value": pl.String})]
        )
        known = given.join(
            others.with_columns(pl.lit(True).alias("known")), on=["code", "value"], how="left", maintain_order="left"
        )
        bad = odd & known["known"].is_null() & ~rows.values[ROW].is_in(rows.unread(field.name).implode())
        if not bad.any():
            continue
        has = dict(others.group_by("code").agg(pl.col("value").sort()).iter_rows())
        part = given.filter(bad)
        owners = [state.description.records[other].title.lower() for other, _ in field.one_of[1:]]
        advice = f"; use one of them, or load its {listed_and(owners, 'or')} first" if owners else ""
        messages = [
            f"{code} has {listed_and([own, *has.get(code, [])])}{advice}"
            for code, own in part.select("code", "own").iter_rows()
        ]
        stands = rows.as_it_stands(field.name).filter(bad)
        title = f"not a {field.title.lower()} of the {target.title.lower()}"
        cells = cells_of(rows.values[ROW].filter(bad), stands, messages)
        yield rows.group("error", "not-its-own", title, field.name, cells)


def _allowed(state: SystemState, record: str, field: str, target: Record, codes: pl.Series) -> pl.DataFrame:
    """``code`` and ``value`` of a record's rows that refer to these rows of the target,
    in the system or in this load.
    """
    about = state.description.records[record]
    reference = next(each.name for each in about.references if each.to == target.name and not each.within)
    there = state.having(about, [field], reference, codes).select(reference, field)
    rows = pl.concat([there, state.coming(about, [reference, field])])
    return rows.select(pl.col(reference).alias("code"), pl.col(field).alias("value")).drop_nulls().unique()


def _different(rows: Rows) -> Iterable[FindingGroup]:
    for field in rows.record.fields.values():
        other = field.differs_from
        if other is None or field.name not in rows.fields or other not in rows.fields:
            continue
        title = f"the same as {rows.record.fields[other].title.lower()}"
        wrong = (rows.values[field.name] == rows.values[other]).fill_null(False)
        yield from rows.where(
            "error", "must-differ", title, field, wrong, f"it must differ from {other.replace('_', ' ')}"
        )


def _zeros(rows: Rows) -> Iterable[FindingGroup]:
    """A warning for each zero that has a meaning, such as “ask for the price”, so that none slips through."""
    for name in rows.fields:
        field = rows.record.fields[name]
        if field.zero_means is None:
            continue
        zero = (rows.values[name] == f"{0:.{field.decimals or 0}f}").fill_null(False)
        if zero.any():
            message = f"0 means: {field.zero_means}"
            yield from rows.where("warning", "zero", f"zero, which means: {field.zero_means}", field, zero, message)


def _field_shown(rows: Rows, fields: Iterable[str]) -> Field:
    """The field whose cell shows a finding about several fields: the first that the sheet has."""
    names = list(fields)
    return rows.record.fields[next((name for name in names if name in rows.fields), rows.record.key[0])]
