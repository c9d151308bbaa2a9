"""Price rules, the system's items and prices, and other sheets → new prices with what the guards say of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from pathlib import Path

import polars as pl
from msgspec import Struct, field
from msgspec.structs import replace

from kotrel.core.changes.journal import Entry
from kotrel.core.columns import decimal_type
from kotrel.core.description.model import CURRENCY_FIELD, Description
from kotrel.core.errors import WrongUse
from kotrel.core.expressions.kinds import exact
from kotrel.core.pricing.guards import GuardFinding, guarded, percent
from kotrel.core.pricing.list_prices import read_known
from kotrel.core.pricing.new_prices import Goods, Worked, fields_of, work_out
from kotrel.core.pricing.price_rules import OWN_PRICES, Outliers, PriceRules
from kotrel.core.pricing.price_workbook_columns import calculated_by
from kotrel.core.pricing.prices_in_force import BREAK, PRICE, in_force
from kotrel.core.pricing.rates import exchanged
from kotrel.core.similarity import did_you_mean
from kotrel.core.stock.sums import LedgerQuery
from kotrel.loading.list_reading import called_in, found_in, names_of
from kotrel.pricing.new_prices_workbook import ITEMS_SHEET, PriceSheet, write_price_book
from kotrel.pricing.price_lookup import factors_of, require_prices, with_discounted
from kotrel.pricing.rule_figures import figures_of
from kotrel.systems.interface import Step
from kotrel.workspace.price_rules_reading import rules_named
from kotrel.workspace.settings import Workspace
from kotrel.workspace.used_settings import remember_used


class Repriced(Struct, frozen=True):
    """New prices, to be read before anybody loads them.

    Attributes:
        from_date: the first day of the new prices.
        prices: as :attr:`kotrel.core.pricing.new_prices.Worked.prices`, with ``description``, ``group``, ``cost`` (for
            the same unit and in the list's currency), ``old from`` (the first day of the price in force) and ``at
            stake`` (what the stock on hand is worth more or less, at the price for one base unit; blank where that is
            not known).
        told: what the guards say; ``place`` is a row of ``prices``.
        same: prices that came out as they were, and are left out.
        decimals: of each price list.
        unknown: for each sheet that the rules name, its rows that are no item of the system, and are left out.
        not_read: what else of those sheets gives no figures, in words.
        not_compared: what could not be held against each other because there is no rate of a currency, in words.
        currencies: price list → its currency.
        loaded: the loads in force of prices by these rules, with the same first day: what is calculated comes on top of
            them.
    """

    rules: PriceRules
    from_date: date
    prices: pl.DataFrame
    told: tuple[GuardFinding, ...]
    worked: Worked
    same: int
    decimals: Mapping[str, int]
    unknown: Mapping[str, int]
    not_read: tuple[str, ...] = ()
    not_compared: tuple[str, ...] = ()
    currencies: Mapping[str, str] = field(default_factory=dict)
    loaded: tuple[Entry, ...] = ()

    @property
    def begun(self) -> int:
        """How many of the old prices begin on the first day of the new ones: somebody has set them for that day."""
        return int((self.prices["old from"] == self.from_date.isoformat()).sum())


def reprice(name: str, workspace: Workspace, today: date, step: Step) -> Repriced:
    """Works out new prices by the rules of that name. Nothing is loaded.

    Raises:
        WrongUse: the rules are wrong, or the system has no price lists.
        NoRate: the rules bring two currencies together, and there is no rate.
        WrongData: a sheet that the rules name has errors.
    """
    description = workspace.description
    require_prices(description)
    with workspace.system().reading() as reading:
        step("reading price lists")
        lists = reading.read("price_list", ["code", "currency", "decimals"])
        rules = rules_named(workspace.folder, name, tuple(lists["code"]), workspace.rates)
        remember_used(workspace.hidden, f"prices/{rules.name}.toml", Path(name))
        figures = figures_of(rules, workspace, today, step)
        fields = description.records["item"].fields
        codes, columns = frozenset(lists["code"]), frozenset(figures.values.columns) - {"item"}
        used = fields_of(rules, fields, codes, columns)
        own_prices = [each for each in OWN_PRICES if each in fields]
        group = rules.outliers.by
        if group not in fields and group != Outliers().by:
            raise WrongUse(
                f"prices/{rules.name}.toml: [outliers] by = “{group}”, and the item has no field {group}",
                did_you_mean(group, fields, f"Its fields are: {', '.join(fields)}."),
                "wrong-price-rules",
            )
        step("reading items and prices")
        wanted = dict.fromkeys(["code", "unit", "description", "cost", CURRENCY_FIELD, group, *own_prices, *used])
        items = read_known(reading.read, description.records["item"], list(wanted)).sort("code")
        loaded = _loads_of(rules, reading.history())
        first = rules.from_date or today
        prices = in_force(reading.read("price", PRICE), first.isoformat())
        prices, unknown_rates = with_discounted(prices, replace(workspace, rates=rules.rates), reading, first)
        factors = factors_of(reading, description)
        on_hand = reading.ledger_sums(LedgerQuery(["item"], [("item", items["code"])])).select("item", "quantity")
        goods = Goods(items, fields, prices, factors, lists, figures.values)
        step("calculating prices")
        names = names_of(workspace, reading)
        worked = work_out(rules, goods, called_in(names), found_in(workspace, reading, description.records["item"]))
    whole, lacking = _described(worked, goods, group, rules)
    whole = _at_stake(whole, on_hand)
    changed = (pl.col("new").ne_missing(pl.col("old"))) | pl.col("remark").is_not_null()
    kept = whole.filter(changed)
    return Repriced(
        rules,
        first,
        kept,
        tuple(guarded(kept, prices, rules.guards, rules.outliers, goods.currencies, rules.rates)),
        worked,
        whole.height - kept.height,
        {code: int(places or 2) for code, places in lists.select("code", "decimals").iter_rows()},
        figures.unknown,
        figures.not_read,
        (*unknown_rates, *lacking),
        goods.currencies,
        loaded,
    )


def _loads_of(rules: PriceRules, history: Sequence[Entry]) -> tuple[Entry, ...]:
    """The loads in force of prices that these rules made."""
    note = calculated_by(rules.name, rules.from_date)
    return tuple(each for each in history if note in each.notes and each.status in ("loaded", "sent"))


def _described(worked: Worked, goods: Goods, group: str, rules: PriceRules) -> tuple[pl.DataFrame, list[str]]:
    """The prices with what people and guards need to know about their items;
    and the lists whose cost has no rate, in words.
    """
    items, prices, rates = goods.items, goods.prices, rules.rates
    about = items.select(
        pl.col("code").alias("item"),
        "description",
        pl.col(group).alias("group"),
        pl.col("cost").cast(decimal_type(), strict=False).alias("old cost"),
        pl.col(CURRENCY_FIELD).alias("its currency"),
    )
    new_costs = worked.prices.filter(pl.col("target") == "cost").select("item", pl.col("new").alias("new cost"))
    began = prices.select(*BREAK, pl.col("from_date").alias("old from"))
    joined = (
        worked.prices.join(about, on="item", how="left", maintain_order="left")
        .join(new_costs, on="item", how="left", maintain_order="left")
        .join(began, on=BREAK, how="left", maintain_order="left")
    )
    cost = pl.coalesce("new cost", "old cost") * pl.col("factor")
    # An item's own cost is not held against itself.
    own = pl.when(pl.col("target") != "cost").then(cost)
    of_item = pl.coalesce("its currency", pl.lit(rates.home))
    of_list = {code: currency or rates.home for code, currency in goods.currencies.items()}
    of_target = pl.col("target").replace_strict(of_list, default=None, return_dtype=pl.String)
    joined = joined.with_columns(own.alias("own cost"), of_item.alias("its currency"))
    joined = joined.with_columns(pl.coalesce(of_target, "its currency").alias("currency"))
    held = exchanged(joined, pl.col("own cost"), pl.col("its currency"), pl.col("currency"), rates, None)
    joined = joined.with_columns(held.alias("cost"))
    lacking = joined.filter(pl.col("cost").is_null() & pl.col("own cost").is_not_null())
    said = [
        f"{target}: its prices are in {currency} and costs in {theirs}, and there is no rate: they are not compared"
        for target, currency, theirs in lacking.select("target", "currency", "its currency")
        .unique()
        .sort("target")
        .iter_rows()
    ]
    dropped = ("old cost", "new cost", "own cost", "its currency", "currency")
    return joined.drop(dropped).sort("target", "item", "unit", "from_quantity"), said


def _at_stake(prices: pl.DataFrame, held: pl.DataFrame) -> pl.DataFrame:
    """The prices with what the stock on hand is worth more or less,
    as :func:`kotrel.core.pricing.price_impact.price_stakes` has it.
    """
    on_hand = held.select("item", pl.col("quantity").cast(decimal_type()).alias("on hand"))
    first = (pl.col("factor") == exact(1)) & (pl.col("from_quantity") <= exact(1))
    change = pl.col("new") - pl.col("old")
    joined = prices.join(on_hand, on="item", how="left", maintain_order="left")
    return joined.with_columns(pl.when(first).then(change * pl.col("on hand")).alias("at stake")).drop("on hand")


def targets_of(repriced: Repriced) -> Sequence[str]:
    """Lists and own prices that came out with new prices, in the rules' order."""
    order = list(dict.fromkeys(target for each in repriced.rules.steps for target in each.targets))
    there = set(repriced.prices["target"])
    return [target for target in order if target in there]


def write_prices(repriced: Repriced, description: Description, path: Path) -> None:
    """Writes the prices as a workbook to read, change by hand, check and load.

    Raises:
        WrongUse: there is a file of that name already.
        OutOfReach: it cannot be written.
    """
    rows = with_remarks(repriced)
    fields = description.records["item"].fields
    sheets: list[PriceSheet] = []
    item_frames: list[pl.DataFrame] = []
    for target in targets_of(repriced):
        mine = rows.filter(pl.col("target") == target)
        if target in OWN_PRICES:
            about = fields[target]
            item_frames.append(
                mine.with_columns(pl.lit(about.title).alias("title"), pl.lit(about.decimals or 0).alias("decimals"))
            )
        else:
            sheets.append(PriceSheet(target[:31], repriced.decimals.get(target, 2), mine))
    items = PriceSheet(ITEMS_SHEET, 2, pl.concat(item_frames)) if item_frames else None
    write_price_book(sheets, items, repriced.from_date, repriced.rules.name, path)


def with_remarks(repriced: Repriced) -> pl.DataFrame:
    """The prices with what is said of each, worst first, as ``remark`` and its ``severity``."""
    said: dict[int, list[tuple[str, str]]] = {}
    for told in repriced.told:
        for index, message in told.rows.iter_rows():
            said.setdefault(index, []).append((told.severity, message))
    words: list[str | None] = []
    worst: list[str | None] = []
    for index, own in enumerate(repriced.prices["remark"]):
        mine = sorted(said.get(index, []))
        words.append("; ".join([message for _, message in mine] + ([own] if own else [])) or None)
        worst.append(mine[0][0] if mine else "warning" if own else None)
    return repriced.prices.with_columns(
        pl.Series("remark", words, dtype=pl.String), pl.Series("severity", worst, dtype=pl.String)
    )


def summary(repriced: Repriced) -> pl.DataFrame:
    """For each target and group: how many prices, how many new, the mean and the largest change in per cent, one
    decimal.

    Columns ``item``, ``old`` and ``new`` are those of the largest; ``stake`` is the sum of what is at stake.
    """
    change = percent(pl.col("new") - pl.col("old"), pl.col("old"))
    frame = repriced.prices.with_columns(change.alias("change"))
    # Not a single division by zero: Decimals do not forgive one, even where its result is not used.
    count = pl.col("change").count()
    mean = pl.col("change").sum() / pl.when(count > 0).then(count.cast(decimal_type()))
    farthest = pl.col("change").abs().fill_null(exact(-1)).arg_max()
    largest = pl.col("change").gather(farthest).first()
    grouped = frame.group_by("target", "group", maintain_order=True).agg(
        pl.len().alias("prices"),
        pl.col("old").is_null().sum().alias("first"),
        mean.round(1, mode="half_away_from_zero").alias("mean"),
        largest.round(1, mode="half_away_from_zero").alias("largest"),
        *(pl.col(name).gather(farthest).first() for name in ("item", "old", "new")),
        pl.col("at stake").sum().alias("stake"),
    )
    return grouped.sort("target", "group")
