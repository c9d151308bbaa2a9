"""Rows that count in a period, such as prices: a new one ends the one in force the day before it begins.

So a load changes rows that no sheet has. Where a period has an end, the new row takes it over; where a later row stands
already, the new one ends the day before that. What a sheet says itself comes first, unless it overlaps.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from datetime import date

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing
from kotrel.core.normalizing.date_columns import is_day
from kotrel.core.phrases import count
from kotrel.core.resolving.list_additions import Consequence
from kotrel.core.resolving.resuming import OPEN, AfterEnd, days_left, rows_again
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, all_keys_differ, is_new
from kotrel.core.tables.table import Table


def _remarks(filled: int, settled: int, again: bool) -> list[str]:
    """The remarks on rows that were given an end, and on rows after whose end something was settled."""
    said = [f"{count(filled, 'row ends', 'rows end')} where another begins or ended"] if filled else []
    if settled:
        what = "what was in force before begins again after" if again else "nothing is in force after"
        said.append(f"{what} {count(settled, 'row')} with an end")
    return said


def follow_periods(
    rows: Rows,
    state: SystemState,
    new: Callable[[], pl.Series],
    after_end: AfterEnd | None = None,
    today: date | None = None,
) -> tuple[Rows, tuple[Consequence, ...], list[str]]:
    """The rows with the ends that follow from other rows, the rows of the system that end because of them, and remarks.

    Args:
        after_end: what follows the end of a row where another was open before; None asks, unless the mapping says it.
        today: a row that says no first day and would be over by then is an error.
    """
    record = rows.record
    if record.period is None or any(name not in rows.fields for name in record.key):
        return rows, (), []
    first, last = record.period
    group = [name for name in record.key if name != first]
    keyed = rows.values.select(pl.all_horizontal(pl.col(record.key).is_not_null())).to_series()
    # A day that could not be read has its error already, and nothing follows from it.
    sound = is_day(rows.values[first])
    if last in rows.values.columns:
        sound &= is_day(rows.values[last]) | rows.values[last].is_null()
    # Of rows with one key, the first: what is there twice is an error of its own, and follows nothing.
    once = (
        pl.Series([True]).new_from_index(0, rows.values.height)
        if all_keys_differ(rows, state)
        else rows.values.select(pl.struct(record.key).is_first_distinct()).to_series()
    )
    wanted = new() & keyed & sound & once
    said = _said_ends(rows, ~wanted & keyed & sound, last)
    if not wanted.any() and not said.height:
        return rows, (), []
    points = _points(rows, state, wanted, said, group, first, last)
    joined = points.filter(pl.col("is new") | pl.col("end is given"))
    filled = joined.filter(pl.col("is new") & pl.col("own end").is_null() & pl.col("new end").is_not_null())
    rows = _with_ends(rows, filled, ~once, last)
    left = days_left(points, first)
    rows = rows.with_findings(_findings(rows, joined, first, last, left["caused by"], today))
    after_end = after_end or rows.after_end
    again = rows_again(rows, left, points, state, first, last) if after_end == "resume" else None
    ended = points.filter(
        ~pl.col("is new") & ~pl.col("end is given") & pl.col("is cut") & pl.col("caused by").is_not_null()
    )
    remarks = _remarks(filled.height, left["caused by"].n_unique() if after_end is not None else 0, again is not None)
    if left.height and after_end is None:
        rows = rows.with_findings(_nothing_follows(rows, left, last))
    begun = () if again is None else (again,)
    if not ended.height:
        return rows, begun, remarks
    causes = ended.select(pl.col("caused by").cast(pl.UInt32).alias(ROW), *record.key)
    values = ended.select(
        pl.col("caused by").cast(pl.UInt32).alias(ROW), *record.key, _day_before(pl.col("next start")).alias(last)
    ).sort(ROW)
    table = Table(*rows.table.origin, 0, (), values.select(ROW), {})
    return rows, (Consequence("ended", Rows(table, record, {}, values), causes), *begun), remarks


def follow_periods_together(
    parts: Sequence[Rows], state: SystemState, after_end: AfterEnd | None, today: date | None = None
) -> list[tuple[Rows, tuple[Consequence, ...], list[str]]]:
    """As :func:`follow_periods`, for rows of one record from several sheets of a load:
    a row of one sheet ends those of another.
    """
    apart = 1 + max(int(rows.values[ROW].max() or 0) for rows in parts)  # type: ignore[arg-type]
    frames = [rows.values.with_columns(pl.col(ROW) + apart * place) for place, rows in enumerate(parts)]
    values = pl.concat(frames, how="diagonal")
    marks = [name for name, kind in values.schema.items() if kind == pl.Boolean]
    said = {rows.after_end for rows in parts}
    whole = replace(
        parts[0],
        values=values.with_columns(pl.col(marks).fill_null(False)),
        findings=(),
        repairs=(),
        defaulted=tuple(
            replace(each, rows=(each.rows + apart * place).cast(pl.UInt32))
            for place, rows in enumerate(parts)
            for each in rows.defaulted
        ),
        after_end=said.pop() if len(said) == 1 else None,
    )
    done, ended, remarks = follow_periods(whole, state, lambda: is_new(whole, state), after_end, today)
    return [
        (*_part_of(rows, done, ended, apart, number), [] if number else remarks) for number, rows in enumerate(parts)
    ]


def _part_of(
    rows: Rows, done: Rows, ended: Sequence[Consequence], apart: int, number: int
) -> tuple[Rows, tuple[Consequence, ...]]:
    """What was found of the rows of all sheets together, for those of one sheet.

    Args:
        rows: the sheet's, as they were; ``number``: which sheet it is.
        apart: how far apart the row numbers of two sheets are in ``done`` and ``ended``.
    """

    def of_this_sheet(frame: pl.DataFrame) -> pl.DataFrame:
        mine = frame.filter((pl.col(ROW) // apart) == number)
        return mine.with_columns((pl.col(ROW) - apart * number).cast(pl.UInt32).alias(ROW))

    left = of_this_sheet(done.values)
    names = [name for name in left.columns if name in rows.values.columns or left[name].null_count() < left.height]
    groups = [
        replace(group, cells=of_this_sheet(group.cells), letter=rows.letters.get(group.field or ""))
        for group in done.findings
    ]
    consequences: list[Consequence] = []
    for consequence in ended:
        values = of_this_sheet(consequence.rows.values)
        if values.height:
            table = Table(*rows.table.origin, 0, (), values.select(ROW), {})
            consequences.append(
                replace(
                    consequence,
                    rows=replace(consequence.rows, values=values, table=table),
                    causes=of_this_sheet(consequence.causes),
                )
            )
    changed = replace(rows, values=left.select(names)).with_findings([group for group in groups if group.count])
    return changed, tuple(consequences)


def _said_ends(rows: Rows, in_system: pl.Series, last: str) -> pl.DataFrame:
    """The key and ``said end`` of rows that the system has and to which the sheet gives an end,
    or takes it away (an open one).
    """
    record = rows.record
    if last not in rows.fields:
        return rows.values.clear().select(ROW, *record.key).with_columns(pl.lit(None, pl.String).alias("said end"))
    cleared = pl.col(clearing(last)) if last in rows.cleared else pl.lit(False)
    said = pl.when(cleared).then(pl.lit(OPEN)).otherwise(pl.col(last)).alias("said end")
    return rows.values.filter(in_system).select(ROW, *record.key, said).drop_nulls("said end").unique(record.key)


def _points(
    rows: Rows, state: SystemState, wanted: pl.Series, said: pl.DataFrame, group: list[str], first: str, last: str
) -> pl.DataFrame:
    """The new rows and those that the system holds for the same things, in the order of their first days.

    Each with where the next begins (``next start``), the row in the sheet that does (``caused by``), whether it is cut by
    that, whether the sheet gives another end to one that is there (``end is given``), and of new rows the end that follows
    for them.
    """
    record = rows.record
    new_rows = rows.values.filter(wanted).select(
        pl.col(ROW).cast(pl.Int64),
        *record.key,
        (pl.col(last) if last in rows.fields else pl.lit(None, pl.String)).alias("own end"),
        pl.lit(True).alias("is new"),
        pl.lit(False).alias("end is given"),
    )
    things = pl.concat([new_rows.select(group), said.select(group)]).unique()
    held_rows = state.having(record, [last], group[0], things[group[0]].unique()).select(*record.key, last)
    held_rows = (
        held_rows.unique(record.key, keep="any")
        .join(things, on=group, how="semi")
        .join(said, on=record.key, how="left")
    )
    held_end = pl.col(last).fill_null(OPEN)
    held_rows = held_rows.select(
        pl.col(ROW).cast(pl.Int64),
        *record.key,
        pl.coalesce("said end", held_end).replace(OPEN, None).alias("own end"),
        pl.lit(False).alias("is new"),
        (pl.col("said end") != held_end).fill_null(False).alias("end is given"),
    )
    points = pl.concat([new_rows, held_rows]).sort([*group, first], maintain_order=True)
    start, end = pl.col(first), pl.col("own end")
    # In their order, rows for the same thing stand beside each other: by far the most have none beside them.
    goes_on = pl.all_horizontal(pl.col(name).eq_missing(pl.col(name).shift(-1)) for name in group)
    points = points.with_columns(goes_on.alias("goes on")).with_columns(
        pl.col("goes on").shift(1, fill_value=False).alias("went on")
    )
    ends = pl.when(~pl.col("is new") | end.is_not_null()).then(end.fill_null(OPEN))
    points = points.with_columns(
        *(
            pl.when("goes on").then(following.shift(-1)).alias(name)
            for name, following in (
                ("next start", start),
                ("next is new", pl.col("is new")),
                ("caused by", pl.col(ROW)),
            )
        ),
        # A new row without an end stands within the last period before it that has one, or none.
        pl.when("went on").then(ends.shift(1)).alias("period end"),
        (~pl.col("went on")).cum_sum().alias("same thing"),
    )
    if points["went on"].any():
        points = points.with_columns(pl.col("period end").forward_fill().over("same thing"))
    before_next = _day_before(pl.col("next start"))
    within = pl.when(pl.col("period end") >= start).then(pl.col("period end")).replace(OPEN, None)
    return points.with_columns(
        within.alias("ends within"),
        pl.min_horizontal(before_next, within).alias("new end"),
        (pl.col("next is new").fill_null(False) & (end.fill_null(OPEN) >= pl.col("next start"))).alias("is cut"),
    )


def _day_before(day: pl.Expr) -> pl.Expr:
    return day.str.to_date("%Y-%m-%d", strict=False).dt.offset_by("-1d").dt.to_string("%Y-%m-%d")


def _with_ends(rows: Rows, filled: pl.DataFrame, again: pl.Series, last: str) -> Rows:
    """The rows with the ends that follow from others, where they have none of their own.

    Args:
        again: which rows have the key of an earlier one. They get its end: that it was filled in is no difference of theirs.
    """
    if not filled.height:
        return rows
    key = rows.record.key
    ends = filled.select(pl.col(ROW).cast(pl.UInt32), pl.col("new end"))
    if again.any():
        doubled = rows.values.filter(again).select(ROW, *key)
        ends = pl.concat([ends, doubled.join(filled.select(*key, "new end"), on=key).select(ends.columns)])
    joined = rows.values.select(ROW).join(ends, on=ROW, how="left", maintain_order="left")["new end"]
    own = rows.values[last] if last in rows.values.columns else pl.Series(last, [None], dtype=pl.String)
    if len(own) != len(joined):
        own = own.new_from_index(0, len(joined))
    return replace(rows, values=rows.values.with_columns(own.fill_null(joined).alias(last)))


def _nothing_follows(rows: Rows, left: pl.DataFrame, last: str) -> list[FindingGroup]:
    """Errors where an end leaves days without a row, although one was open before:
    nobody has said that it is to be so.
    """
    title = rows.record.title.lower()
    first_days = left.sort("from day").unique("caused by", keep="first", maintain_order=True).sort("caused by")
    own = rows.values.select(pl.col(ROW).cast(pl.Int64), last) if last in rows.values.columns else None
    ends = (
        first_days.join(own, left_on="caused by", right_on=ROW, how="left")[last]
        if own is not None
        else first_days["to day"]
    )
    messages = [
        f"the {title} before it has no end, and stops because of this one; from {day} on there is none. "
        "--resume starts it again that day, --no-resume leaves the gap"
        for day in first_days["from day"]
    ]
    cells = cells_of(first_days["caused by"].cast(pl.UInt32), ends, messages)
    return [rows.group("error", "nothing-follows", "nothing follows its end", last, cells)]


def _findings(
    rows: Rows, joined: pl.DataFrame, first: str, last: str, told: pl.Series, today: date | None
) -> list[FindingGroup]:
    """Errors where an end that the sheet says runs into a later row, warnings where a gap is left or a later row
    stands.

    Args:
        told: rows for which another finding reports what follows their end.
    """
    title = rows.record.title.lower()
    findings: list[FindingGroup] = []
    following = pl.col("next start")
    # Of a row that is there, no end is an end that the sheet takes away.
    says = pl.when("end is given").then(pl.col("own end").fill_null(OPEN)).otherwise(pl.col("own end"))
    before_next = _day_before(following)
    over = joined.filter(says >= following)
    if over.height:
        messages = [
            f"another {title} begins on {day}: end it the day before" + (", or leave the end blank" if is_new else "")
            for day, is_new in over.select("next start", "is new").iter_rows()
        ]
        cells = cells_of(over[ROW], over["own end"], messages)
        findings.append(rows.group("error", "overlaps", "runs into the next period", last, cells))
    gap = joined.filter((says < before_next) & ~pl.col(ROW).is_in(told.implode()))
    if gap.height:
        messages = [f"nothing is in force from then until {day}" for day in gap["next start"]]
        cells = cells_of(gap[ROW], gap["own end"], messages)
        findings.append(rows.group("warning", "gap", "leaves a gap before the next period", last, cells))
    late = joined.filter(says.is_null() & following.is_not_null() & ~pl.col("next is new").fill_null(False))
    return [*findings, *_before_existing(rows, late, first, today)]


def _before_existing(rows: Rows, late: pl.DataFrame, first: str, today: date | None) -> Iterator[FindingGroup]:
    """A warning at rows that end because a later one is there; an error where nobody gave their first day, and they
    would be over before they ever applied.
    """
    title, title_of_first = rows.record.title.lower(), rows.record.fields[first].title.lower()
    undated = [each.rows for each in rows.defaulted if each.field == first and each.source == "system"]
    never = pl.Series([False]).new_from_index(0, late.height)
    if undated and today is not None:
        never = late[ROW].is_in(pl.concat(undated).implode()) & (late["new end"] < today.isoformat())
    parts: tuple[tuple[pl.DataFrame, Severity], ...] = ((late.filter(never), "error"), (late.filter(~never), "warning"))
    for part, severity in parts:
        if part.height:
            messages = [
                f"a later {title} already starts on {day}: "
                + (
                    f"give the {title_of_first}, in a column or in the mapping; without it, this one is over before it applies"
                    if severity == "error"
                    else f"this one ends {end}"
                )
                for day, end in part.select("next start", "new end").iter_rows()
            ]
            cells = cells_of(part[ROW], part[first], messages)
            yield rows.group(severity, "later-stands", "ends before an existing one", first, cells)
