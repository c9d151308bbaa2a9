"""What a person sees first of a load's outcome: how many rows came out how, and those that matter most."""

from __future__ import annotations

import polars as pl
from msgspec import Struct


class OutcomePage(Struct, frozen=True):
    """The beginning of an outcome.

    Attributes:
        rows: refused rows, then those with a warning, then those that were changed, then (where all are wanted)
            unchanged ones: the columns of :meth:`kotrel.systems.interface.System.outcome`.
        total: rows of the load.
        warned, refused, sent: how many came out so.
        same: rows that were the same before, without a warning.
        more: rows like those shown that are not among them.
    """

    rows: pl.DataFrame
    total: int
    warned: int
    refused: int
    sent: int
    same: int
    more: int

    @property
    def done(self) -> int:
        """Rows without a warning that are done."""
        return self.total - self.warned - self.refused - self.sent


def page_of(rows: pl.DataFrame, most: int | None) -> OutcomePage:
    """The page of a whole outcome.

    Args:
        rows: the columns of :meth:`kotrel.systems.interface.System.outcome`.
        most: rows at most; None for all, unchanged ones too.
    """
    refused = rows.filter(pl.col("outcome") == "refused")
    warned = rows.filter(pl.col("outcome") == "warning")
    same = rows.filter((pl.col("action") == "same") & (pl.col("outcome") == "done"))
    done = rows.filter((pl.col("action") != "same") & ~pl.col("outcome").is_in(["warning", "refused"]))
    ordered = pl.concat([refused, warned, done, *([same] if most is None else [])])
    shown = ordered if most is None else ordered.head(most)
    sent = int((rows["outcome"] == "sent").sum())
    return OutcomePage(
        shown, rows.height, warned.height, refused.height, sent, same.height, ordered.height - shown.height
    )
