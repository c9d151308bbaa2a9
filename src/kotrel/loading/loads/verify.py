"""``kotrel verify``: reads back what a load sent, and reports where the system holds something else."""

from __future__ import annotations

import argparse
from collections.abc import Mapping
from typing import Any

import polars as pl
from msgspec import Struct, field
from rich.text import Text

from kotrel.core.changes.change_set import RecordChanges, key_text
from kotrel.core.changes.journal import Entry, load_number, standing
from kotrel.core.columns import ACTION, before
from kotrel.core.phrases import count, short
from kotrel.loading.loads.undoing import require_whole
from kotrel.loading.opening import now, workspace_of
from kotrel.screen.listing import listing, show_more
from kotrel.screen.screen import Screen
from kotrel.systems.interface import Reading, Step, System


class Verified(Struct, frozen=True):
    """The result of reading a load back.

    Attributes:
        rows: how many rows of the system were read back.
        values: how many values were compared.
        differences: record, key, field (null for the whole row), sent, now.
        too_old: records of which the system has given out nothing since the load, and when it last did: they prove
            nothing.
    """

    entry: Entry
    rows: int
    values: int
    differences: pl.DataFrame
    too_old: Mapping[str, str] = field(default_factory=dict)

    @property
    def ok(self) -> bool:
        return not self.differences.height and not self.too_old


_COLUMNS = ("record", "key", "field", "sent", "now")


def verify_load(system: System, number: int, step: Step) -> Verified:
    """Compares every value that a load sent with what the system holds now.

    Raises:
        WrongUse: there is no such load, it was refused, or it is undone.
    """
    with system.reading_back() as reading:
        entry = standing(
            reading.history(), number, "kotrel verify {undo} reads that back.", sent_too=system.can.answers == "later"
        )
        require_whole(reading, number)
        rows = values = 0
        differences = [pl.DataFrame(schema=dict.fromkeys(_COLUMNS, pl.String))]
        too_old: dict[str, str] = {}
        for changes in reading.changes_of(number):
            step(f"reading {changes.record.title.lower()} back")
            touched = changes.rows_of("new", "changed", "removed")
            if not touched.height:
                continue
            rows += touched.height
            at = reading.as_of(changes.record.name)
            if at is not None and at <= entry.at[:19].replace("T", " "):
                too_old[changes.record.name] = at
            values += int(touched[ACTION].is_in(["new", "changed"]).sum()) * len(changes.fields)
            differences.append(_differences(changes, touched, reading))
    return Verified(entry, rows, values, pl.concat(differences), too_old)


def _differences(changes: RecordChanges, touched: pl.DataFrame, reading: Reading) -> pl.DataFrame:
    record = changes.record
    key = list(record.key)
    others = [name for name in changes.fields if name not in key]
    sent = touched.with_columns(pl.coalesce(name, before(name)).alias(name) for name in key)
    first = record.key[0]
    now = reading.read(record.name, list(changes.fields), (first, sent[first])).unique(key, keep="any")
    now = now.select(*key, *(pl.col(name).alias(f"now {name}") for name in others), pl.lit(True).alias("is held"))
    joined = sent.join(now, on=key, how="left", maintain_order="left").with_columns(pl.col("is held").fill_null(False))

    def difference(part: pl.DataFrame, field: str | None, says: pl.Expr, stands: pl.Expr) -> pl.DataFrame:
        return part.select(
            pl.lit(record.name).alias("record"),
            key_text(record).alias("key"),
            pl.lit(field, pl.String).alias("field"),
            says.cast(pl.String).alias("sent"),
            stands.cast(pl.String).alias("now"),
        )

    stays = pl.col(ACTION) != "removed"
    differences = [
        difference(
            joined.filter(stays & ~pl.col("is held")),
            None,
            pl.lit("a row"),
            pl.lit("not there" if reading.as_of(record.name) is not None else "no longer there"),
        ),
        difference(joined.filter(~stays & pl.col("is held")), None, pl.lit("removed"), pl.lit("back again")),
    ]
    there = joined.filter(stays & pl.col("is held"))
    for name in others:
        # In a changed row, only what the load changed was sent.
        sent_here = (pl.col(ACTION) == "new") | pl.col(name).ne_missing(pl.col(before(name)))
        differs = there.filter(sent_here & pl.col(name).ne_missing(pl.col(f"now {name}")))
        differences.append(difference(differs, name, pl.col(name), pl.col(f"now {name}")))
    return pl.concat(differences)


SHOWN = 20


def show_verified(screen: Screen, verified: Verified, every: bool) -> None:
    """Whether everything is still as it was sent; if not, what differs."""
    entry = verified.entry
    read = f"{count(verified.rows, 'row')}, {count(verified.values, 'value')} read back"
    line = Text(entry.name, style="bold").append(f" · {read}: ", style="")
    if verified.ok:
        line.append(
            "each matches what was loaded" if verified.values != 1 else "it matches what was loaded", style="bold green"
        )
        screen.show(line)
        return
    if verified.too_old:
        screen.show(line.append("nothing is proved yet", style="bold yellow"))
        for record, at in verified.too_old.items():
            screen.show(
                f"  {record}: the program last exported its list on {at[:16] or 'no day'}, before this load. Have it export a new one."
            )
        if not verified.differences.height:
            return
    else:
        screen.show(line.append(f"{count(verified.differences.height, 'difference')}", style="bold red"))
    if verified.too_old:
        return
    table = listing(("  record", "key", "field", "sent", "now"))
    shown = verified.differences if every else verified.differences.head(SHOWN)
    for record, key, name, sent, held in shown.iter_rows():
        table.add_row(f"  {record}", Text(key or ""), name or "", Text(short(sent, 40)), Text(short(held, 40)))
    screen.show(table)
    show_more(screen, verified.differences.height - shown.height)
    if entry.waiting:
        screen.show(
            f"The program has not answered for these, or has refused them: kotrel outcome {entry.name} --result RESULT"
        )
        return
    screen.show("These were changed after the load: by a later load (kotrel history) or in the system itself.")


def verified_json(verified: Verified) -> dict[str, Any]:
    """A verification as ``--json`` gives it."""
    return {
        "load": verified.entry.name,
        "ok": verified.ok,
        "rows": verified.rows,
        "values": verified.values,
        "too_old": dict(verified.too_old),
        "differences": verified.differences.to_dicts(),
    }


EXAMPLE = """\
kotrel verify L0003
    reads every value of that load back and lists those that are no longer as they were sent"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("load", metavar="LOAD", help="the load, as kotrel history calls it: L0001")
    parser.add_argument("--all", action="store_true", help="list every difference")


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    system = workspace.system()
    with screen.progress(3) as step:
        verified = verify_load(system, load_number(args.load), step)
    if system.can.answers == "later" and workspace.url.startswith("folder:"):
        args.exchange().take_proof(verified, workspace, now())
    screen.json(verified_json(verified)) if screen.as_json else show_verified(screen, verified, args.all)
    return 0 if verified.ok else 1
