"""Freezes what the system holds, in one consistent look, and remembers it as a count."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from datetime import datetime
from decimal import Decimal
from pathlib import Path

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type
from kotrel.core.counting.frames import NUMBER
from kotrel.core.counting.selection import classes, frozen, sample
from kotrel.core.description.model import Record
from kotrel.core.errors import WrongData, WrongUse
from kotrel.core.expressions.compiled import Compiled
from kotrel.core.expressions.compiling import compile_expression
from kotrel.core.expressions.narrowing import only_values
from kotrel.core.expressions.scope import Scope
from kotrel.core.phrases import count
from kotrel.core.stock.sums import PLACE, LedgerQuery, summed
from kotrel.core.values.dates import moment_text
from kotrel.counting.count_files import DamagedCount, count_names, create_count, open_count, require_new_count
from kotrel.counting.count_state import standing_posts
from kotrel.loading.list_reading import called_in, found_in, names_of
from kotrel.stock.on_hand import require_stock
from kotrel.systems.interface import Reading
from kotrel.workspace.settings import Workspace


class CountScope(Struct, frozen=True):
    """What is counted.

    Attributes:
        classes: ``A``, ``B``, ``C``; none for all.
        sample: so many items at random, with a seed; None for all.
        with_empty: places that hold nothing, too.
        not_since: only items that no count has posted on or after that day, ISO date.
    """

    where: str | None = None
    classes: tuple[str, ...] = ()
    sample: int | None = None
    seed: int = 1
    with_empty: bool = False
    not_since: str | None = None


class Frozen(Struct, frozen=True):
    """A new count: its places, what they are worth, and what to know before counting."""

    name: str
    places: int
    items: int
    warehouses: tuple[str, ...]
    value: Decimal
    frozen_at: str
    remarks: tuple[str, ...]


def _require_times(ledger: Record) -> None:
    if "posted_at" not in ledger.fields:
        raise WrongUse(
            "this system does not say when goods moved, so they cannot be counted while it trades",
            "Stop trading and use --stopped.",
            "no-time-of-posting",
        )


def freeze(name: str, choice: CountScope, trading: bool, workspace: Workspace, who: str, now: datetime) -> Frozen:
    """Freezes the places chosen.

    Raises:
        WrongUse: the choice is wrong, there is such a count, or trading cannot go on with this system.
        WrongData: nothing is chosen.
    """
    require_new_count(workspace.hidden, name)
    ledger = require_stock(workspace.description)
    item = workspace.description.records[str(ledger.fields["item"].to)]
    if trading:
        _require_times(ledger)
    places_in = [place for place in PLACE if place in ledger.fields]
    with workspace.system().reading() as reading:
        at = moment_text(now.replace(tzinfo=None))
        condition = _condition(choice, item, ledger, workspace, reading)
        among = _filters_of(choice, places_in, condition.meant if condition is not None else {})
        sums = reading.ledger_sums(LedgerQuery(places_in, among))
        of_items = [each for each in among if each[0] == "item"]
        items = (
            summed(sums, ["item"])
            if len(of_items) == len(among)
            else reading.ledger_sums(LedgerQuery(["item"], of_items))
        )
        about = _about(item, sums["item"], reading)
        chosen = _chosen(sums, items, about, choice, condition, workspace, reading)
        due = {
            what: reading.ledger_sums(LedgerQuery(["item"], [("item", chosen["item"].unique())], what))
            for what in ("reserved", "on order")
        }
    if not chosen.height:
        raise WrongData(
            "nothing to count: no location fits",
            "kotrel stock shows what is where; --with-empty includes empty locations.",
            "nothing-chosen",
        )
    rows = frozen(
        chosen,
        items,
        about.select("item", *(n for n in ("unit", "description", "category", "cost") if n in about.columns)),
    )
    remarks = [*_elsewhere(rows, workspace.hidden), *_say_due(due)]
    chosen_by = {
        "where": choice.where,
        "classes": choice.classes,
        "sample": choice.sample,
        "seed": choice.seed,
        "empty_too": choice.with_empty,
    }
    facts = {
        "choice": json.dumps(chosen_by),
        "trading": "yes" if trading else "no",
        "frozen_at": at,
        "who": who,
        "where": choice.where or "",
        "sheets": "0",
    }
    create_count(workspace.hidden, name, facts, rows)
    exact = pl.col("expected", "cost").cast(decimal_type()).fill_null(0)
    value = rows.select(exact).select((pl.col("expected") * pl.col("cost")).sum()).item() or Decimal(0)
    warehouses = tuple(rows["warehouse"].drop_nulls().unique().sort().to_list())
    return Frozen(name, rows.height, rows["item"].n_unique(), warehouses, value, at, tuple(remarks))


def choice_of(name: str, workspace: Workspace) -> CountScope:
    """What an earlier count chose, to be chosen again.

    Raises:
        WrongUse: there is no such count.
    """
    with open_count(workspace.hidden, name) as earlier:
        said = json.loads(earlier.about().get("choice", "{}"))
    return CountScope(
        said.get("where"),
        tuple(said.get("classes", ())),
        said.get("sample"),
        said.get("seed", 1),
        said.get("empty_too", False),
    )


def lately_counted(since: str, workspace: Workspace, reading: Reading) -> set[str]:
    """Items of which a count posted a place on or after a day; what was undone does not count."""
    items: set[str] = set()
    undone = {entry.number for entry in reading.history() if entry.undone_by}
    for name in count_names(workspace.hidden):
        with open_count(workspace.hidden, name) as earlier:
            places = dict(earlier.place_frame().select(NUMBER, "item").iter_rows())
            for post in standing_posts(earlier, undone):
                if post.at[:10] >= since:
                    items |= {places[place] for place, *_ in earlier.posted(post.number)}
    return items


def _filters_of(
    choice: CountScope, places: Sequence[str], meant: Mapping[tuple[str, str], str]
) -> list[tuple[str, pl.Series]]:
    found = []
    for name in places if choice.where else ():
        if (values := only_values(str(choice.where), name, meant)) is not None:
            found.append((name, pl.Series(name, values, dtype=pl.String)))
    return found


def _about(item: Record, codes: pl.Series, reading: Reading) -> pl.DataFrame:
    fields = [name for name, field in item.fields.items() if not field.from_ledger]
    held = reading.read(item.name, fields, (item.key[0], codes)).unique(item.key[0], keep="any")
    held = held.with_columns(pl.col(item.key[0]).alias("item"))
    if item.called and item.called != "description":
        held = held.with_columns(pl.col(item.called).alias("description"))
    return held


def _condition(
    choice: CountScope, item: Record, ledger: Record, workspace: Workspace, reading: Reading
) -> Compiled | None:
    """The condition that places are chosen by."""
    if choice.where is None:
        return None
    names = names_of(workspace, reading)
    fields = {name: field for name, field in item.fields.items() if not field.from_ledger}
    fields |= {name: ledger.fields[name] for name in PLACE if name in ledger.fields}
    return compile_expression(
        choice.where, Scope(fields, names=called_in(names), found=found_in(workspace, reading, item)), "yes_no"
    )


def _chosen(
    sums: pl.DataFrame,
    items: pl.DataFrame,
    about: pl.DataFrame,
    choice: CountScope,
    condition: Compiled | None,
    workspace: Workspace,
    reading: Reading,
) -> pl.DataFrame:
    """The places that the choice takes."""
    if not choice.with_empty:
        sums = sums.filter(pl.col("quantity").cast(decimal_type(6)) != 0)
    if condition is not None:
        both = sums.join(
            about.drop([n for n in about.columns if n in sums.columns and n != "item"]),
            on="item",
            how="left",
            maintain_order="left",
        )
        sums = sums.filter(condition.column(both).fill_null(False))
    if choice.classes:
        of = classes(items)
        sums = sums.filter(pl.col("item").replace_strict(of, default="C").is_in(list(choice.classes)))
    if choice.not_since is not None:
        sums = sums.filter(~pl.col("item").is_in(sorted(lately_counted(choice.not_since, workspace, reading))))
    if choice.sample is not None:
        sums = sums.filter(pl.col("item").is_in(sorted(sample(sums["item"].to_list(), choice.sample, choice.seed))))
    return sums


def _elsewhere(rows: pl.DataFrame, hidden: Path) -> list[str]:
    """Places that another open count has too."""
    names = count_names(hidden)
    elsewhere = []
    for name in names:
        try:
            with open_count(hidden, name) as other:
                done = {place for post in other.posts() for place, *_ in other.posted(post.number)}
                places = other.place_frame().filter(~pl.col(NUMBER).is_in(list(done)))
        except DamagedCount:
            elsewhere.append(f"the count {name} is damaged: whether it has the same places, nobody can tell")
            continue
        both = places.join(rows, on=list(PLACE), how="semi", nulls_equal=True, maintain_order="left")
        if both.height:
            item, bin_ = both.select("item", "bin").row(0)
            elsewhere.append(
                f"{count(both.height, 'place')} in the open count {name} too, such as {item} {bin_ or ''}".rstrip()
            )
    return elsewhere


def _say_due(due: dict[str, pl.DataFrame]) -> list[str]:
    said = []
    for what, words in (("reserved", "reserved for orders and not yet out"), ("on order", "on order and not yet in")):
        some = due[what].filter(pl.col("quantity").cast(decimal_type(6)) != 0)
        if some.height:
            said.append(f"{words}: {count(some.height, 'item')}, such as {some['item'][0]}")
    return said
