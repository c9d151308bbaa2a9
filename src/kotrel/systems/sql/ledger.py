"""The ledger in a database: sums of what documents posted, grouped by the database itself."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import polars as pl

from kotrel.core.columns import decimal_type
from kotrel.core.description.model import Description, Record
from kotrel.core.errors import OutOfReach
from kotrel.core.rows.system_state import WHOLE
from kotrel.core.stock.sums import PLACE, SUMS, LedgerQuery, average_costs, summed
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.dialect import quoted
from kotrel.systems.sql.stock_list import listed_sums
from kotrel.systems.sql.store import Store, key_condition, read_rows, store_of


def _have(balances: Record, by: Sequence[str], query: LedgerQuery) -> bool:
    """Whether the balances answer a question, too: they are kept by all that is asked for."""
    asked = {*by, *(name for name, _ in query.among)}
    return not query.is_dated and asked <= set(balances.fields)


def ledger_sums(database: Database, description: Description, query: LedgerQuery, last: bool = False) -> pl.DataFrame:
    """Sums of the ledger; see :meth:`kotrel.systems.interface.Reading.ledger_sums`.

    Args:
        last: add ``last``, the day of the last movement.
    """
    ledger = description.ledger
    if ledger is None:
        if query.counts_as != "on hand":
            return pl.DataFrame(schema=dict.fromkeys((*query.by, *SUMS), pl.String))
        return listed_sums(database, description, query)
    by = [name for name in query.by if name in ledger.fields]
    balances = description.balances
    if balances is not None and not last and _have(balances, by, query):
        ledger = balances
    store = store_of(description, ledger, database.dialect)
    conditions, values = _conditions(database, store, query)
    rows = f"FROM {store.name} AS t WHERE {' AND '.join(conditions)}"
    amounts = [ledger.fields[name] for name in SUMS]
    if ledger is balances and set(ledger.fields) == {*by, *SUMS, "counts_as"}:
        # Of each place there are few rows, mostly one: they are added up sooner here.
        texts = [store.text(database, "t", ledger.fields[name]) for name in (*by, *SUMS)]
        found = database.frame(texts, [*by, *SUMS], rows, values)
        return summed(found, by, [field.decimals or 0 for field in amounts])
    return _grouped(database, store, ledger, by, rows, values, last)


def _grouped(
    database: Database, store: Store, ledger: Record, by: Sequence[str], rows: str, values: Sequence[Any], last: bool
) -> pl.DataFrame:
    """The sums of the rows of a ledger, added up by the database."""
    columns = [database.exactly(f"t.{store.column(name)}", ledger.fields[name]) for name in by]
    inner = [f"{column} AS {quoted(f'g{n}')}" for n, column in enumerate(columns)]
    outer = [database.as_text(f"s.{quoted(f'g{n}')}", ledger.fields[name], store.plain) for n, name in enumerate(by)]
    for name, short in zip(SUMS, "qv", strict=True):
        inner.append(f"sum(t.{store.column(name)}) AS {short}")
        outer.append(database.as_text(f"s.{short}", ledger.fields[name], store.plain))
    if last:
        inner.append(f"max(t.{store.column('date')}) AS d")
        outer.append(database.as_text("s.d", ledger.fields["date"], store.plain))
    group = f" GROUP BY {', '.join(columns)}" if columns else " HAVING count(*) > 0"
    rest = f"FROM (SELECT {', '.join(inner)} {rows}{group}) AS s"
    return database.frame(outer, [*by, *SUMS, *(["last"] if last else [])], rest, values)


def _conditions(database: Database, store: Store, query: LedgerQuery) -> tuple[list[str], list[Any]]:
    """The conditions on movements ``t``, and what to bind."""
    kind = store.stored(database, "?", store.record.fields["counts_as"])
    conditions = [*store.mine("t"), f"t.{store.column('counts_as')} = {kind}"]
    values: list[Any] = [query.counts_as]
    found, bound = _conditions_of(database, store, query.among)
    conditions += found
    values += bound
    for sign, day in ((">=", query.since), ("<=", query.until)):
        if day is not None:
            conditions.append(f"t.{store.column('date')} {sign} {database.dialect.bound('date')}")
            values.append(day)
    if query.as_at is not None:
        conditions.append(f"t.{store.column('posted_at')} <= {database.dialect.bound('moment')}")
        values.append(query.as_at)
    if query.direction is not None:
        conditions.append(f"t.{store.column('quantity')} {'>' if query.direction == 'in' else '<'} 0")
    return conditions, values


def _conditions_of(
    database: Database, store: Store, among: Sequence[tuple[str, pl.Series]]
) -> tuple[list[str], list[Any]]:
    conditions: list[str] = []
    values: list[Any] = []
    for name, wanted in among:
        if len(wanted) <= WHOLE:
            found, bound = key_condition(database, store, name, wanted)
            conditions += found
            values += bound
    return conditions, values


def movements_since(
    database: Database, description: Description, moment: str, among: Sequence[tuple[str, pl.Series]] = ()
) -> pl.DataFrame:
    """What moved on hand after a moment; see :meth:`kotrel.systems.interface.Reading.movements_since`."""
    ledger = description.ledger
    names = (*PLACE, "quantity", "posted_at")
    if ledger is None or "posted_at" not in ledger.fields:
        raise OutOfReach(
            "this system does not say when goods moved, so nobody can know what moved while they were counted",
            "Count with trading stopped: --stopped.",
            "no-time-of-posting",
        )
    store = store_of(description, ledger, database.dialect)
    cast = database.dialect.bound("moment")
    conditions = [*store.mine("t"), f"t.{store.column('counts_as')} = ?", f"t.{store.column('posted_at')} > {cast}"]
    found, bound = _conditions_of(database, store, among)
    conditions += found
    values: list[Any] = ["on hand", moment, *bound]
    there = [name for name in names if name in ledger.fields]
    columns = [store.text(database, "t", ledger.fields[name]) for name in there]
    frame = database.frame(columns, there, f"FROM {store.name} AS t WHERE {' AND '.join(conditions)}", values)
    return frame.with_columns(pl.lit(None, pl.String).alias(name) for name in names if name not in there).select(names)


def read_with_ledger(
    database: Database,
    store: Store,
    fields: Sequence[str],
    among: tuple[str, pl.Series] | None,
    filled: str | Sequence[str] | None,
) -> pl.DataFrame:
    """Rows of a record as :func:`read_rows`, with what fields show of the ledger: the table has no columns for them."""
    record = store.record
    shows = [name for name in fields if record.fields[name].from_ledger]
    if not shows:
        return read_rows(database, store, fields, among, filled)
    needed = [filled] if isinstance(filled, str) else list(filled or ())
    by_table = None if any(name in shows for name in needed) else filled
    wanted = list(dict.fromkeys((record.key[0], *(name for name in fields if name not in shows))))
    frame = _with_ledger(database, store, read_rows(database, store, wanted, among, by_table), shows).select(fields)
    return frame.filter(pl.any_horizontal(pl.col(needed).is_not_null())) if needed and by_table is None else frame


def _with_ledger(database: Database, store: Store, frame: pl.DataFrame, names: Sequence[str]) -> pl.DataFrame:
    record, ledger = store.record, store.description.ledger
    assert ledger is not None
    key = record.key[0]
    reference = next(each.name for each in ledger.references if each.to == record.name)
    sums: dict[str, pl.DataFrame] = {}
    codes = frame[key]
    needs_day = any(record.fields[name].from_ledger == "last moved" for name in names)
    for name in names:
        what = str(record.fields[name].from_ledger)
        counts_as = what if what in ("on order", "reserved") else "on hand"
        if counts_as not in sums:
            query = LedgerQuery([reference], [(reference, codes)], counts_as)
            sums[counts_as] = ledger_sums(database, store.description, query, last=needs_day)
        stock_sums = sums[counts_as]
        decimals = record.fields[name].decimals or 0
        if what == "average cost":
            shown = average_costs(stock_sums, decimals)
        elif what == "last moved":
            shown = stock_sums["last"]
        else:
            # A quantity with more decimals than the field usually has is shown whole, never rounded.
            exact = pl.col("quantity").cast(decimal_type())
            near = exact.round(decimals, mode="half_away_from_zero")
            short = near.cast(decimal_type(decimals)).cast(pl.String)
            shown = stock_sums.select(pl.when(near == exact).then(short).otherwise("quantity")).to_series()
        other = stock_sums.select(pl.col(reference).alias(key), shown.alias(name))
        frame = frame.join(other, on=key, how="left", maintain_order="left")
    return frame
