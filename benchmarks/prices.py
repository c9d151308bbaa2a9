"""Repricing: the arithmetic alone against floats, and the whole command against writing its workbook."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

import polars as pl

from benchmarks import data
from benchmarks.databases import SqliteBench
from benchmarks.timing import Timed, call, kotrel, process, python
from kotrel.core.columns import decimal_type
from kotrel.core.description.model import Field
from kotrel.core.expressions.compiling import compile_expression
from kotrel.core.expressions.scope import Scope
from kotrel.core.pricing.rounding import rounded

RULES = """
title = "Costs"
[[step]]
name = "from cost"
set = { price = "cost at margin 40%" }
round = "up to 0.05"
"""


LISTS = 20
"""Price lists of the large file."""


def in_parts(folder: Path, items: int, runs: int) -> tuple[Timed, Timed]:
    """``check`` of prices of that number of items on :data:`LISTS` lists, a file that is read in parts, and Polars reading it as
    text.
    """
    state = SqliteBench(folder, items)
    state.fill(data.items(items))
    with closing(sqlite3.connect(state.file)) as database:
        database.executemany(
            "INSERT INTO price_list (code, name, currency, decimals, for_sale) VALUES (?, ?, 'EUR', 2, 1)",
            [(f"P{number:03}", f"List {number}") for number in range(LISTS)],
        )
        database.commit()
    sheet = folder / "prices.csv"
    codes = data.items(items)["code"]
    prices = pl.format("{}.{}", pl.int_range(pl.len()), pl.int_range(pl.len()) % 90 + 10)
    with sheet.open("wb") as file:
        file.write(b"Price list,Item,Unit,From quantity,Valid from,Price\n")
        for number in range(LISTS):
            lines = codes.to_frame().select(
                pl.lit(f"P{number:03}").alias("list"),
                "code",
                pl.lit("EA").alias("unit"),
                pl.lit("1").alias("from"),
                pl.lit("2027-01-01").alias("day"),
                prices.alias("price"),
            )
            lines.write_csv(file, include_header=False)
    ours = process(kotrel("check", str(sheet)), folder, runs)
    read = python("-c", f"import polars; polars.read_csv({str(sheet)!r}, infer_schema=False)")
    return ours, process(read, folder, runs)


def arithmetic(rows: int, runs: int) -> tuple[Timed, Timed]:
    """A price plus 2.5 %, to two decimals: ours, and a float multiply and round."""
    prices = data.items(rows).select(pl.col("cost").cast(pl.Decimal(38, 4)).cast(decimal_type()).alias("SHOP"))
    floats = prices.select(pl.col("SHOP").cast(pl.Float64))
    scope = Scope({"cost": Field("cost", "Cost", "money", decimals=4)}, prices=frozenset({"SHOP"}))
    compiled = compile_expression("SHOP + 2.5%", scope, "number")

    def ours() -> None:
        compiled.column(prices, rounded(compiled.expr, None, 2))

    def theirs() -> None:
        floats.select((pl.col("SHOP") * 1.025).round(2))

    return call(ours, runs), call(theirs, runs)


def whole(folder: Path, rows: int, runs: int) -> tuple[Timed, Timed]:
    """``reprice`` of items from their cost to the workbook, and writing that workbook's cells."""
    state = SqliteBench(folder, rows)
    state.fill(data.items(rows))
    (folder / "prices").mkdir(exist_ok=True)
    (folder / "prices" / "costs.toml").write_text(RULES, "utf-8")
    out = folder / "costs.xlsx"

    def ready() -> None:
        out.unlink(missing_ok=True)
        out.with_suffix(".png").unlink(missing_ok=True)

    ours = process(kotrel("reprice", "costs", "-o", out.name), folder, runs, ready)
    from openpyxl import load_workbook

    book = load_workbook(out, read_only=True)
    cells = [list(sheet.iter_rows(values_only=True)) for sheet in book]
    book.close()

    def theirs() -> None:
        import xlsxwriter

        plain = xlsxwriter.Workbook(folder / "plain.xlsx")
        for lines in cells:
            sheet = plain.add_worksheet()
            for row, values in enumerate(lines):
                for column, value in enumerate(values):
                    if isinstance(value, str):
                        sheet.write_string(row, column, value)
                    elif value is not None:
                        sheet.write_number(row, column, value)
        plain.close()

    return ours, call(theirs, runs)
