"""Stock: opening lines with lots in one load, and sums of a large ledger against a plain SQL sum of it."""

from __future__ import annotations

from pathlib import Path

import polars as pl

from benchmarks.databases import PostgresBench
from benchmarks.timing import Timed, call, kotrel, process
from kotrel.systems.opening_systems import database_at
from kotrel.systems.sql.database import Database

LOTS_EACH = 100
"""Lots of one item in the opening stock."""
LEDGER = "practice.stock_movement"


def _open(bench: PostgresBench) -> Database:
    return database_at(bench.url, bench.folder)()


def _items(database: Database, items: int) -> None:
    database.run("DELETE FROM practice.item WHERE code LIKE 'LOT-%'")
    database.run(
        "INSERT INTO practice.item (code, description, unit, category, cost, kind, lot_tracked) "
        f"SELECT 'LOT-' || lpad(n::text, 5, '0'), 'Lot item ' || n, 'KG', 'RESIN', 2.5, 'stocked', true FROM generate_series(1, {items}) AS n"
    )


def opening(bench: PostgresBench, lines: int, runs: int) -> tuple[Timed, Timed]:
    """``load`` of so many opening lines with a lot each, and COPY of the same lines and lots into the same tables."""
    items = max(lines // LOTS_EACH, 1)
    sheet = bench.folder / "opening.csv"
    numbers = pl.int_range(0, lines, eager=True)
    frame = pl.DataFrame({"n": numbers}).select(
        pl.concat_str(pl.lit("LOT-"), (pl.col("n") % items + 1).cast(pl.String).str.zfill(5)).alias("Item"),
        pl.lit("LOFT").alias("Warehouse"),
        pl.lit("3").alias("Quantity"),
        pl.lit("KG").alias("Unit"),
        pl.lit("2.50").alias("Cost"),
        pl.lit("L-01-A").alias("Bin"),
        pl.concat_str(pl.lit("V-"), pl.col("n")).alias("Lot"),
        pl.lit("2029-04-30").alias("Expiry"),
    )
    frame.write_csv(sheet)

    def again() -> None:
        database = _open(bench)
        database.run(f"TRUNCATE {LEDGER}, practice.opening_stock CASCADE")
        database.run("TRUNCATE kotrel.load CASCADE")
        _items(database, items)
        database.run("CHECKPOINT")
        database.close()

    ours = process(kotrel("load", str(sheet), "--as", "opening_stock", "--yes"), bench.folder, runs, again)
    header = "INSERT INTO practice.opening_stock (number, warehouse, date, account) VALUES ('X', 'LOFT', '2026-11-26', 'OPENING')"
    line = pl.int_range(1, lines + 1, eager=True).cast(pl.String).alias("line")
    lot = frame.select(pl.lit("X").alias("document"), line, pl.lit("1").alias("part"), "Lot", "Expiry", "Quantity")
    row = frame.select(pl.lit("X").alias("document"), line, "Item", "Warehouse", "Bin", "Quantity", "Unit", "Cost")

    def copy() -> None:
        database = _open(bench)
        with database.changing():
            database.run(header)
            names = ("document", "line", "item", "warehouse", "bin", "quantity", "unit", "cost")
            database.insert("practice.opening_stock_line", names, row)
            database.insert(
                "practice.opening_stock_lot", ("document", "line", "part", "lot", "expires_on", "quantity"), lot
            )
        database.close()

    theirs = call(copy, runs, again)
    again()
    return ours, theirs


def fill_ledger(bench: PostgresBench, lines: int, items: int = 1_000) -> None:
    """A ledger of so many movements of lot items, straight into its table."""
    database = _open(bench)
    database.run(f"TRUNCATE {LEDGER}")
    _items(database, items)
    # Row by row, the database would prove each movement's references: ten minutes for ten million.
    database.run("SET session_replication_role = replica")
    database.run(
        f"INSERT INTO {LEDGER} (kind, document, line, part, counts_as, date, posted_at, item, warehouse, bin, quantity, value) "
        "SELECT 'goods_receipt', 'D-' || (n / 1000), (n % 1000)::text, 1, 'on hand', date '2020-01-01' + (n % 2000)::int, timestamp '2020-01-01', "
        f"'LOT-' || lpad((n % {items} + 1)::text, 5, '0'), 'LOFT', 'L-01-A', 3, 7.5 FROM generate_series(1, {lines}::bigint) AS n"
    )
    database.run("RESET session_replication_role")
    _balance(database)
    # The first look at new rows writes their marks; nobody is to pay for that.
    database.run(f"VACUUM ANALYZE {LEDGER}")
    database.run("CHECKPOINT")
    database.close()


def _balance(database: Database) -> None:
    """The balances of the ledger, as its triggers would have kept them."""
    place = "item, warehouse, bin, lot, serial, counts_as"
    database.run("TRUNCATE practice.stock_balance")
    database.run(
        f"INSERT INTO practice.stock_balance ({place}, quantity, value, settled) "
        f"SELECT {place}, sum(quantity), sum(value), true FROM {LEDGER} GROUP BY {place}"
    )
    database.run("VACUUM ANALYZE practice.stock_balance")


def fill_places(bench: PostgresBench, places: int, items: int = 10_000) -> None:
    """A ledger with a movement in each of so many places, each a lot of its own."""
    fill_ledger(bench, places, items)
    database = _open(bench)
    database.run("SET session_replication_role = replica")
    database.run(f"UPDATE {LEDGER} SET lot = 'V-' || document || '-' || line")
    database.run("RESET session_replication_role")
    _balance(database)
    database.run(f"VACUUM FULL {LEDGER}")
    database.run("CHECKPOINT")
    database.close()


def sums(bench: PostgresBench, runs: int) -> tuple[Timed, Timed, Timed]:
    """``stock --by item`` of the whole ledger; a plain SQL sum of it; and ``stock`` of one item."""
    whole = process(kotrel("stock", "--by", "item", "--quiet"), bench.folder, runs)

    def plain() -> None:
        database = _open(bench)
        database.run(f"SELECT item, sum(quantity), sum(value) FROM {LEDGER} GROUP BY item")
        database.close()

    theirs = call(plain, runs)
    one = process(kotrel("stock", "LOT-00007", "--by", "item"), bench.folder, runs)
    return whole, theirs, one


def bench_of(folder: Path) -> PostgresBench:
    """A practice system on a server of its own."""
    at = len(list(folder.glob("stock*")))
    return PostgresBench(folder / f"stock{at}", folder / f"stock_server{at}")
