"""Generated data for the benchmarks: any number of items with 20 columns, the same every time."""

from __future__ import annotations

from pathlib import Path

import polars as pl

HEADINGS = (
    "code", "description", "kind", "unit", "category", "brand", "vendor", "vendor_code", "part_number", "condition",
    "barcode", "cost", "price", "recommended_price", "tax_class", "lot_tracked", "serial_tracked", "weight",
    "weight_unit", "archived",
)  # fmt: skip


def items(count: int, first: int = 0, cents: int = 0) -> pl.DataFrame:
    """Items ``first`` to ``first + count`` in canonical text.

    Args:
        cents: added to every cost and price, to make changes.
    """
    number = pl.col("number")

    def money(base: int, times: int, decimals: int) -> pl.Expr:
        # Of one item, a price is above its cost.
        whole = base + number % 500 * times
        part = (number * 7 + cents) % 10**decimals
        return pl.format("{}.{}", whole, part.cast(pl.String).str.zfill(decimals))

    body = (200_000_000_000 + number).alias("body")
    digits = [pl.col("body") // 10**place % 10 * (3 if place % 2 == 0 else 1) for place in range(12)]
    check = (10 - pl.sum_horizontal(digits) % 10) % 10
    frame = pl.DataFrame({"number": pl.int_range(first, first + count, eager=True)}).with_columns(body)
    return frame.select(
        pl.format("{}-{}", pl.lit("ITM"), number.cast(pl.String).str.zfill(8)).alias("code"),
        pl.format("Braided rope {} mm white polyester", number % 97).alias("description"),
        pl.lit("stocked").alias("kind"),
        pl.lit("EA").alias("unit"),
        pl.lit("ROPE-BRAID").alias("category"),
        pl.lit("KELD").alias("brand"),
        pl.lit("KELDRIFT").alias("vendor"),
        pl.format("K-{}", number).alias("vendor_code"),
        pl.format("P{}", number).alias("part_number"),
        pl.lit("new").alias("condition"),
        pl.format("{}{}", pl.col("body"), check).alias("barcode"),
        money(1, 1, 4).alias("cost"),
        money(2, 2, 2).alias("price"),
        money(3, 3, 2).alias("recommended_price"),
        pl.lit("STD").alias("tax_class"),
        pl.lit("no").alias("lot_tracked"),
        pl.lit("no").alias("serial_tracked"),
        pl.format("{}.500", number * 7 % 50).alias("weight"),
        pl.lit("KG").alias("weight_unit"),
        pl.lit("no").alias("archived"),
    ).select(HEADINGS)


def write_items(path: Path, count: int, first: int = 0, cents: int = 0) -> None:
    """Writes items as a CSV file."""
    items(count, first, cents).write_csv(path)


def write_workbook(path: Path, count: int) -> None:
    """Writes items as an .xlsx workbook with real numbers in its number columns."""
    import xlsxwriter

    frame = items(count)
    numbers = {frame.columns.index(name) for name in ("cost", "price", "recommended_price", "weight")}
    book = xlsxwriter.Workbook(path, {"constant_memory": True})
    sheet = book.add_worksheet("Items")
    sheet.write_row(0, 0, frame.columns)
    for row, values in enumerate(frame.iter_rows(), start=1):
        for column, value in enumerate(values):
            if column in numbers:
                sheet.write_number(row, column, float(value))
            else:
                sheet.write_string(row, column, value)
    book.close()
