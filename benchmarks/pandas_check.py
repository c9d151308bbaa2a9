"""The same rules as a plain pandas script: the road most people would take first. A baseline, used only here."""

from __future__ import annotations

import sqlite3
import sys

import pandas as pd


def main(items: str, database: str) -> None:
    rows = pd.read_csv(items, dtype=str, keep_default_na=False)
    rows = rows.apply(lambda column: column.str.strip())
    wrong = 0
    with sqlite3.connect(database) as state:
        existing = pd.read_sql("SELECT code, barcode FROM item", state)
        lists = {
            name: set(pd.read_sql(f"SELECT code FROM {name}", state)["code"])
            for name in ("unit", "category", "brand", "vendor", "tax_class")
        }
    new = ~rows["code"].isin(existing["code"])
    for name in ("description", "unit", "category"):
        wrong += int((new & (rows[name] == "")).sum())
    wrong += int((rows["code"].str.len() > 20).sum() + (rows["description"].str.len() > 80).sum())
    wrong += int(rows["code"].duplicated(keep=False).sum())
    wrong += int(rows["barcode"].duplicated(keep=False).sum())
    for name, decimals in (("cost", 4), ("price", 2), ("recommended_price", 2), ("weight", 3)):
        wrong += int((~rows[name].str.fullmatch(r"-?\d+(\.\d+)?")).sum())
        wrong += int((rows[name].str.split(".").str[1].str.len() > decimals).sum())
        wrong += int((pd.to_numeric(rows[name]) < 0).sum())
    for name in lists:
        wrong += int((~rows[name].isin(lists[name])).sum())
    wrong += int((~rows["weight_unit"].isin(lists["unit"])).sum())
    for name in ("archived", "lot_tracked", "serial_tracked"):
        wrong += int((~rows[name].isin(["yes", "no"])).sum())
    wrong += int((~rows["kind"].isin(["stocked", "service", "kit", "material", "product"])).sum())
    number = rows["barcode"].astype("int64")
    total = sum((number // 10**place % 10) * (3 if place % 2 else 1) for place in range(14))
    wrong += int((total % 10 != 0).sum())
    joined = rows[["code", "barcode"]].merge(existing.dropna(), on="barcode", suffixes=("", "_held"))
    wrong += int((joined["code"] != joined["code_held"]).sum())
    print(f"{len(rows)} rows, {wrong} wrong")


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2])
