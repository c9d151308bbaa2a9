"""The page about new prices that rules calculated: what a manager approves."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import polars as pl

from kotrel.core.phrases import count, plain_number
from kotrel.core.stock.sums import half_away
from kotrel.pricing.repricing import Repriced, summary, with_remarks
from kotrel.reporting.page import MOST_ROWS, Bar, Cell, Chart, Page, PageTable, Row, Section, number_cell
from kotrel.screen.amounts_shown import money_text

BARS = 30


def prices_page(repriced: Repriced) -> Page:
    """The page of new prices: rules in words, effect, what the guards say, and every price from → to."""
    rows = with_remarks(repriced)
    errors, warnings = (int((rows["severity"] == severity).sum()) for severity in ("error", "warning"))
    made = int(rows["old"].is_null().sum())
    lead = f"{count(rows.height - made, 'price')} changed, {made:,} new, from {repriced.from_date.isoformat()}"
    lead += (
        f"; {errors:,} against the guards, {warnings:,} to look at."
        if errors or warnings
        else "; all within the guards."
    )
    return Page(
        kind="Price report",
        title=repriced.rules.title,
        lead=lead,
        tone="bad" if errors else "warn" if warnings else "good",
        facts=[
            ("From", repriced.from_date.isoformat()),
            ("Rules", f"prices/{repriced.rules.name}.toml"),
            (
                "Unchanged",
                f"{count(repriced.same, 'price')} unchanged by the rules, {repriced.worked.untouched:,} that no step applies to",
            ),
        ],
        sections=[_rules(repriced), _effect(repriced), _guards(rows), _prices(rows)],
        signed=True,
    )


def _rules(repriced: Repriced) -> Section:
    """The steps and guards in words."""
    notes = []
    for step in repriced.rules.steps:
        sets = ", ".join(f"{target} = {expression}" for target, expression in step.targets.items())
        where = f" where {step.where}" if step.where else " for all items"
        rounded = (
            f"; rounded {', '.join(f'{target} {rule}' for target, rule in step.roundings.items())}"
            if step.roundings
            else ""
        )
        notes.append(f"{step.name}: {sets}{where}{rounded}.")
    guards = repriced.rules.guards
    notes += [
        f"Guard: the margin{f' on {code}' if code else ''} is at least {plain_number(share)} %."
        for code, share in guards.least_margin.items()
    ]
    notes += (
        [f"Guard: no price rises by more than {plain_number(guards.most_up)} %."] if guards.most_up is not None else []
    )
    notes += (
        [f"Guard: no price falls by more than {plain_number(guards.most_down)} %."]
        if guards.most_down is not None
        else []
    )
    notes += [f"Guard: a price on {low} is never above that on {high}." for low, high in guards.not_above]
    notes += [f"{name} had no effect: {why}." for name, why in repriced.worked.idle.items()]
    notes += [
        f"{target}: {count(number, 'item')} without a new price, because an input of the formula is blank."
        for target, number in repriced.worked.blank.items()
    ]
    return Section("Rules", notes=notes)


def _effect(repriced: Repriced) -> Section:
    rows: list[Row] = []
    bars = []
    for row in summary(repriced).iter_rows(named=True):
        currency = repriced.currencies.get(row["target"]) or repriced.rules.rates.home
        mean, largest = (
            Cell("new" if row[name] is None else f"{row[name]:+.1f} %", True) for name in ("mean", "largest")
        )
        stake = f"{money_text(row['stake'])} {currency}".rstrip() if row["stake"] else ""
        rows.append(
            [
                row["target"],
                row["group"] or "",
                number_cell(row["prices"]),
                mean,
                largest,
                row["item"],
                Cell(stake, True),
            ]
        )
        if row["mean"] is not None:
            bars.append(
                Bar(f"{row['target']} {row['group'] or ''}".strip(), float(row["mean"]), f"{row['mean']:+.1f} %")
            )
    heads = [
        "List",
        repriced.rules.outliers.by.capitalize(),
        "Prices",
        "Mean change",
        "Largest",
        "Item of the largest",
        "Value at stake",
    ]
    return Section(
        "Effect",
        words=["The value at stake is what the stock on hand now is worth more or less at the new prices."],
        tables=[PageTable("Changes by list and group", heads, rows)],
        charts=[Chart("Mean change", bars[:BARS])],
    )


def _guards(rows: pl.DataFrame) -> Section:
    told = rows.filter(pl.col("severity").is_not_null()).sort("severity")
    shown: list[Row] = [
        [
            Cell(row["severity"], tone="bad" if row["severity"] == "error" else "warn"),
            row["target"],
            row["item"],
            row["description"] or "",
            row["remark"] or "",
        ]
        for row in told.head(MOST_ROWS).iter_rows(named=True)
    ]
    table = PageTable(
        "Prices against the guards or unlike the others",
        ["", "List", "Item", "Description", "Why"],
        shown,
        total=told.height,
    )
    return (
        Section("To look at", tables=[table])
        if shown
        else Section("To look at", notes=["Every price is within the guards."])
    )


def _prices(rows: pl.DataFrame) -> Section:
    """Every price from → to, with its margin before and after."""
    shown: list[Row] = []
    for row in rows.head(MOST_ROWS).iter_rows(named=True):
        shown.append(
            [
                row["target"],
                row["item"],
                row["description"] or "",
                row["unit"] or "",
                _money(row["old"]),
                _money(row["new"]),
                _change(row["old"], row["new"]),
                _margin(row["old"], row["cost"], row["target"]),
                _margin(row["new"], row["cost"], row["target"]),
                row["step"] or "",
            ]
        )
    heads = [
        "List",
        "Item",
        "Description",
        "Unit",
        "Old price",
        "New price",
        "Change",
        "Margin before",
        "Margin after",
        "Step",
    ]
    return Section(
        "Every price", tables=[PageTable(count(rows.height, "price"), heads, shown, total=rows.height, searched=True)]
    )


def _money(value: Decimal | None) -> Cell:
    if value is None:
        return Cell("", True)
    text = plain_number(value)
    whole, _, part = text.partition(".")
    return Cell(f"{int(whole):,}.{part:0<2}" if whole not in ("-0",) else text, True)


def _change(old: Decimal | None, new: Decimal) -> Cell:
    return Cell(f"{half_away((new - old) * 100 / old, 1):+f} %" if old else "", True)


def _margin(price: Any, cost: Any, target: str) -> Cell:
    """(price - cost) / price in per cent; of a cost there is none."""
    if target == "cost" or not price or cost is None:
        return Cell("", True)
    return Cell(f"{half_away((price - cost) * 100 / price, 1)} %", True)
