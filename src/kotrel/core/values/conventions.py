"""How a business writes numbers, dates and names in its sheets."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal


@dataclass(frozen=True)
class Conventions:
    """How the sheets of a workspace are written.

    Attributes:
        decimal_mark: the mark before the decimals; ``auto`` decides for each column from all its values.
        dates: which comes first in a date like 3/4/2026; ``auto`` likewise.
        currency: the currency of all amounts, or an empty text where any may stand.
        spellings: record → other spelling, folded → the code it stands for.
    """

    decimal_mark: Literal["auto", ".", ","] = "auto"
    dates: Literal["auto", "day", "month"] = "auto"
    currency: str = ""
    spellings: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
