"""Balances against the sum of their ledger, on the terminal and as JSON."""

from __future__ import annotations

from typing import Any

from rich.table import Table
from rich.text import Text

from kotrel.reports.documents import money_text, quantity_text
from kotrel.reports.phrases import count
from kotrel.reports.screen import Screen
from kotrel.stages.balances import Proof

SHOWN = 40
AMOUNTS = ("kept", "sum", "kept value", "sum value")


def show_proof(screen: Screen, proof: Proof, every: bool) -> None:
    """Whether they are equal; otherwise each balance that is not."""
    wrong = proof.differing.height
    if not wrong:
        screen.show(f"{count(proof.places, 'balance')}: each is what the ledger comes to.")
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
    screen.show(table)
    if not every and wrong > SHOWN:
        screen.show(Text(f"  … {wrong - SHOWN:,} more (--all lists them)", style="dim"))
    screen.show("")
    screen.show("Kotrel changes no balance. Next: have whoever looks after the database set these balances right.")


def proof_json(proof: Proof) -> dict[str, Any]:
    rows = [
        {
            name.replace(" ", "_"): f"{value:f}" if name in AMOUNTS and value is not None else value
            for name, value in row.items()
        }
        for row in proof.differing.iter_rows(named=True)
    ]
    return {"equal": not rows, "balances": proof.places, "differing": rows}
