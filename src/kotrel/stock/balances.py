"""Are the balances that a system keeps what its ledger comes to?"""

from __future__ import annotations

from typing import Any

import polars as pl
from msgspec import Struct
from rich.table import Table
from rich.text import Text

from kotrel.core.columns import decimal_type
from kotrel.core.errors import WrongUse
from kotrel.core.phrases import count
from kotrel.core.stock.sums import SUMS, LedgerQuery
from kotrel.screen.amounts_shown import money_text, quantity_text
from kotrel.screen.listing import show_more
from kotrel.screen.narrow import give_way
from kotrel.screen.screen import Screen
from kotrel.stock.on_hand import require_stock
from kotrel.workspace.settings import Workspace

KINDS = ("on hand", "on order", "reserved")
_EVER = "9999-12-31"
"""A question with a day is answered by the ledger, never by balances."""


class BalanceProof(Struct, frozen=True):
    """What was compared.

    Attributes:
        by: the fields by which balances are kept.
        places: how many balances there are, or sums of the ledger without one.
        differing: those that are not equal: ``counts as``, the fields, ``kept`` and ``sum``, ``kept value`` and ``sum
            value`` as Decimals, blank where there is none.
    """

    by: tuple[str, ...]
    places: int
    differing: pl.DataFrame


def prove_balances(workspace: Workspace) -> BalanceProof:
    """Compares every balance with the sum of its ledger.

    Raises:
        WrongUse: the system keeps no balances that Kotrel knows of.
    """
    require_stock(workspace.description)
    balances = workspace.description.balances
    if balances is None:
        raise WrongUse(
            "this system keeps no balances that Kotrel knows of: its stock is calculated from its ledger or its list",
            'If one of its tables has them, say so in system.toml: nature = "balance".',
            "no-balances",
        )
    by = [name for name in balances.fields if name not in (*SUMS, "counts_as")]
    frames: list[pl.DataFrame] = []
    with workspace.system().reading() as reading:
        for kind in KINDS:
            kept, summed = (
                reading.ledger_sums(LedgerQuery(by, counts_as=kind, until=until)).select(
                    *by, *(pl.col(name).cast(decimal_type(6)).alias(f"{what} {name}") for name in SUMS)
                )
                for what, until in (("kept", None), ("sum", _EVER))
            )
            both = kept.join(summed, on=by, how="full", coalesce=True, nulls_equal=True)
            frames.append(both.with_columns(pl.lit(kind).alias("counts as")))
    whole = pl.concat(frames)
    # A place that the ledger never named and whose balance is nothing is the same as none.
    unlike = pl.any_horizontal(
        pl.col(f"kept {name}").fill_null(0) != pl.col(f"sum {name}").fill_null(0) for name in SUMS
    )
    named = {"kept quantity": "kept", "sum quantity": "sum"}
    differing = whole.filter(unlike).rename(named).sort("counts as", *by)
    return BalanceProof(
        tuple(by), whole.height, differing.select("counts as", *by, "kept", "sum", "kept value", "sum value")
    )


SHOWN = 40
AMOUNTS = ("kept", "sum", "kept value", "sum value")


def show_balance_proof(screen: Screen, proof: BalanceProof, every: bool) -> None:
    """Whether they are equal; otherwise each balance that is not."""
    wrong = proof.differing.height
    if not wrong:
        screen.show(f"{count(proof.places, 'balance')}: each equals the ledger.")
        return
    screen.show(Text(f"{count(wrong, 'balance')} of {proof.places:,} differ from the ledger", style="bold red"))
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for name in ("counts as", *proof.by):
        table.add_column(name.replace("_", " "))
    for name in ("balance", "ledger", "value of balance", "value of ledger"):
        table.add_column(name, justify="right")
    for row in (proof.differing if every else proof.differing.head(SHOWN)).iter_rows(named=True):
        words = [Text(row[name] or "") for name in ("counts as", *proof.by)]
        quantities = [quantity_text(row[name]) if row[name] is not None else "none" for name in ("kept", "sum")]
        values = [money_text(row[name]) if row[name] is not None else "none" for name in ("kept value", "sum value")]
        table.add_row(*words, *quantities, *values)
    screen.show(give_way(table, screen.console.width))
    show_more(screen, 0 if every else wrong - SHOWN)
    screen.show("")
    screen.show("Kotrel changes no balance. Next: have whoever looks after the database set these balances right.")


def proof_json(proof: BalanceProof) -> dict[str, Any]:
    rows = [
        {
            name.replace(" ", "_"): f"{value:f}" if name in AMOUNTS and value is not None else value
            for name, value in row.items()
        }
        for row in proof.differing.iter_rows(named=True)
    ]
    return {"equal": not rows, "balances": proof.places, "differing": rows}
