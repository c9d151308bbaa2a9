"""Are the balances that a system keeps what its ledger comes to?"""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from kotrel.core.errors import WrongUse
from kotrel.core.stock.sums import SUMS
from kotrel.stages.stock import require_stock
from kotrel.workspace.settings import Workspace

KINDS = ("on hand", "on order", "reserved")
_EVER = "9999-12-31"
"""A question with a day is answered by the ledger, never by balances."""
_EXACT = pl.Decimal(38, 6)


@dataclass(frozen=True)
class Proof:
    """What was compared.

    Attributes:
        by: the fields by which balances are kept.
        places: how many balances there are, or sums of the ledger without one.
        differing: those that are not equal: ``counts as``, the fields, ``kept`` and ``sum``, ``kept value`` and ``sum value``
            as Decimals, blank where there is none.
    """

    by: tuple[str, ...]
    places: int
    differing: pl.DataFrame


def prove_balances(workspace: Workspace) -> Proof:
    """Compares every balance with the sum of its ledger.

    Raises:
        WrongUse: the system keeps no balances that Kotrel knows of.
    """
    require_stock(workspace.description)
    balances = workspace.description.balances
    if balances is None:
        raise WrongUse(
            "this system keeps no balances that Kotrel knows of: its stock is worked out from its ledger or its list",
            'If one of its tables has them, say so in system.toml: nature = "balance".',
            "no-balances",
        )
    by = [name for name in balances.fields if name not in (*SUMS, "counts_as")]
    found: list[pl.DataFrame] = []
    with workspace.system().reading() as reading:
        for kind in KINDS:
            kept, summed = (
                reading.ledger_sums(by, counts_as=kind, until=until).select(
                    *by, *(pl.col(name).cast(_EXACT).alias(f"{what} {name}") for name in SUMS)
                )
                for what, until in (("kept", None), ("sum", _EVER))
            )
            both = kept.join(summed, on=by, how="full", coalesce=True, nulls_equal=True)
            found.append(both.with_columns(pl.lit(kind).alias("counts as")))
    whole = pl.concat(found)
    # A place that the ledger never named and whose balance is nothing is the same as none.
    unlike = pl.any_horizontal(
        pl.col(f"kept {name}").fill_null(0) != pl.col(f"sum {name}").fill_null(0) for name in SUMS
    )
    named = {"kept quantity": "kept", "sum quantity": "sum"}
    differing = whole.filter(unlike).rename(named).sort("counts as", *by)
    return Proof(tuple(by), whole.height, differing.select("counts as", *by, "kept", "sum", "kept value", "sum value"))
