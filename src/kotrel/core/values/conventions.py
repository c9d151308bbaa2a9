"""How a business writes numbers, dates and names in its sheets."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal


@dataclass(frozen=True)
class Conventions:
    """What the workspace says about its sheets.

    Attributes:
        decimal_mark: ``auto`` decides for each column from all its values; else the mark before the decimals.
        dates: ``auto`` likewise; else which comes first in a date like 3/4/2026.
        spellings: record → other spelling, folded → the code it stands for.
    """

    decimal_mark: Literal["auto", ".", ","] = "auto"
    dates: Literal["auto", "day", "month"] = "auto"
    spellings: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
