"""Values that a load adds to a list, because rows use them: a new vendor that comes with its first items."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Literal

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Record
from kotrel.core.resolving.filling import make_values
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.as_shown import cells_as_shown
from kotrel.core.tables.sources import Source
from kotrel.core.tables.table import Table
from kotrel.core.values.same_writing import form_of

SHORT = 3
"""A word of no more letters has no plural to speak of."""


class Consequence(Struct, frozen=True):
    """Rows that no sheet has, and that a load changes because of rows that sheets have.

    Attributes:
        kind: ``created``: they are new on a list, because rows use them; ``ended``: a new row of the sheet ends their
            period; ``resumed``: what was in force before a row of the sheet begins again after its end.
        rows: each has the row number of the first row that causes it.
        causes: ``sheet row`` and the fields of the record's key: every row that causes one, and which.
    """

    kind: Literal["created", "ended", "resumed"]
    rows: Rows
    causes: pl.DataFrame

    def caused_by(self, good: pl.Series, rows: Rows) -> Rows:
        """Of checked consequences, those that a good row causes, and those that have an error of their own.

        Args:
            good: the rows in the sheet that have no error.
            rows: the consequences with their findings.
        """
        key = list(rows.record.key)
        wanted = self.causes.filter(pl.col(ROW).is_in(good.implode())).select(key).unique()
        caused = (
            rows.values.select(key)
            .join(wanted.with_columns(pl.lit(True).alias("is caused")), on=key, how="left", maintain_order="left")[
                "is caused"
            ]
            .fill_null(False)
        )
        wrong = rows.values[ROW].is_in(rows.refused.implode())
        return rows.only(caused | wrong)


def created_rows(rows: Rows, create: Sequence[str], state: SystemState) -> tuple[Rows, tuple[Consequence, ...]]:
    """Rows for the lists in ``create``, one for each value that the rows use and the list does not have.

    Spellings that differ only in capitals, blanks or a plural are one value, and the rows use the commonest of them;
    each of the others is a warning. A row's name is its code; the defaults of its record fill the rest. A list with
    levels gets the levels that the sheet has above the value.
    """
    consequences: list[Consequence] = []
    for name in dict.fromkeys(create):
        target = state.description.records[name]
        fields = [
            field.name
            for field in rows.record.references
            if field.to == name and field.name in rows.fields and not field.within and name != rows.record.name
        ]
        if not fields:
            continue
        rows = _one_spelling(rows, fields, target, state)
        every = pl.concat(rows.values.select(ROW, pl.col(field).alias("code")) for field in fields).drop_nulls()
        parents = _parents(rows, fields, target, state)
        every = pl.concat([every, parents.select(ROW, pl.col("parent").alias("code")).drop_nulls()])
        used = every.sort(ROW).unique("code", keep="first", maintain_order=True)
        known = state.known_codes(target, used["code"])
        new = used.filter(~pl.col("code").is_in(known.implode())).sort(ROW)
        if not new.height:
            continue
        values = new.select(ROW, pl.col("code").alias(target.code))
        if target.called and target.called != target.code:
            values = values.with_columns(pl.col(target.code).alias(target.called))
        if target.path and parents.height:
            above = parents.unique("code", keep="first").select("code", "parent")
            values = values.join(above, left_on=target.code, right_on="code", how="left", maintain_order="left").rename(
                {"parent": target.path}
            )
        table = Table(*rows.table.origin, 0, (), values.select(ROW), {})
        made = make_values(
            Rows(table, target, {}, values),
            state.names_of,
            lambda field, target=target: state.whole(target, field),  # type: ignore[misc]
            lambda height=values.height: pl.Series([True], dtype=pl.Boolean).new_from_index(0, height),  # type: ignore[misc]
        )
        causes = every.filter(pl.col("code").is_in(new["code"].implode())).rename({"code": target.code})
        consequences.append(Consequence("created", made.with_findings(_near(made, target.code, state)), causes))
    return rows, tuple(consequences)


def _one_spelling(rows: Rows, fields: Sequence[str], target: Record, state: SystemState) -> Rows:
    """The rows with one spelling of each new value: the commonest, of equals the first."""
    every = pl.concat(rows.values.select(pl.col(name).alias("code")) for name in fields).drop_nulls()
    known = state.known_codes(target, every["code"].unique())
    count = every.filter(~pl.col("code").is_in(known.implode())).group_by("code", maintain_order=True).len()
    alike: dict[str, list[tuple[int, str]]] = {}
    for code, times in count.iter_rows():
        alike.setdefault(_bare(code), []).append((times, code))
    chosen = {
        code: best
        for spellings in alike.values()
        if len(spellings) > 1
        for best in [max(spellings, key=lambda each: each[0])[1]]
        for _, code in spellings
        if code != best
    }
    if not chosen:
        return rows
    findings: list[FindingGroup] = []
    for name in fields:
        other = rows.values.filter(pl.col(name).is_in(list(chosen))).select(ROW, name)
        if other.height:
            messages = [f"read as “{chosen[code]}”, which other rows have" for code in other[name]]
            cells = cells_of(other[ROW], other[name], messages)
            findings.append(rows.group("warning", "other-spelling", "another spelling of a new value", name, cells))
    values = rows.values.with_columns(pl.col(name).replace(chosen) for name in fields)
    return replace(rows, values=values).with_findings(findings)


def _bare(code: str) -> str:
    """A value without capitals, blanks, signs and the s of a plural."""
    word = form_of(code)
    return word.removesuffix("S") if len(word) > SHORT else word


def _parents(rows: Rows, fields: Sequence[str], target: Record, state: SystemState) -> pl.DataFrame:
    """``ROW``, ``code`` and ``parent``: what stands one level above each value in the sheet;
    none where it has no levels.
    """
    frames = [pl.DataFrame(schema={ROW: pl.UInt32, "code": pl.String, "parent": pl.String})]
    for name in fields:
        source = rows.sources.get(name)
        if target.path is None or source is None or not source.last or len(source.columns) < 2:
            continue
        names = ListNames(state.listed(target), target)
        own = dict(rows.values.select(ROW, name).iter_rows())
        pairs = _levels(rows, source, own, names)
        usual = _usual_spelling(pairs, own, names)
        spelled = [(row, usual.get(code, code), usual.get(above or "", above)) for row, code, above in pairs]
        frames.append(pl.DataFrame(spelled, schema=frames[0].schema, orient="row"))
    return pl.concat(frames)


def _levels(
    rows: Rows, source: Source, own_codes: Mapping[int, str | None], names: ListNames
) -> list[tuple[int, str, str | None]]:
    """The row, each level that it names, and the level above."""
    shown = (pl.col(letter).str.strip_chars().replace("", None) for letter in source.columns)
    levels = cells_as_shown(rows.table, source.columns).select(
        ROW, *(level.alias(f"level {number}") for number, level in enumerate(shown))
    )
    pairs: list[tuple[int, str, str | None]] = []
    for row, *steps in levels.iter_rows():
        filled = [names.code_of(step) or step for step in steps if step]
        value = own_codes.get(row)
        if filled and value is not None:
            # The lowest level is the value itself, as it was repaired or spelled.
            filled[-1] = value
            pairs += [(row, code, above) for above, code in zip([None, *filled], filled, strict=False)]
    return pairs


def _usual_spelling(
    pairs: Sequence[tuple[int, str, str | None]], own: Mapping[int, str | None], names: ListNames
) -> dict[str, str]:
    """Each new level → how it is spelled: as the values themselves are, else as it is most often."""
    times = Counter(code for _, code, _ in pairs if code not in names.codes)
    times.update({code: len(pairs) for code in filter(None, own.values()) if code in times})
    best: dict[str, str] = {}
    for code, _ in times.most_common():
        best.setdefault(_bare(code), code)
    return {code: best[_bare(code)] for code in times}


def _near(rows: Rows, code: str, state: SystemState) -> list[FindingGroup]:
    """A warning for each new value that is similar to one on the list: it may be a typing error."""
    names = ListNames(state.all_of(rows.record), rows.record, rows.values[code].drop_nulls())
    near = [
        (row, value, hint)
        for row, value in rows.values.select(ROW, code).iter_rows()
        if (hint := names.suggestion(value))
    ]
    if not near:
        return []
    numbers, values, hints = zip(*near, strict=True)
    title = f"to be created, but similar to a code on the list “{rows.record.title}”"
    cells = cells_of(numbers, values, "is it another spelling of the same?", hints)
    return [rows.group("warning", "nearly-on-list", title, code, cells)]
