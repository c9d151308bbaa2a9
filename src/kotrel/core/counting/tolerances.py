"""How far a counted line may be off before somebody has to look at it."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal

from msgspec import Struct, field

CLASSES = (("A", Decimal("0.80")), ("B", Decimal("0.95")))
"""Items by value, the most valuable first: A up to 80 % of the whole value, B up to 95 %, C the rest."""
CLASS_NAMES = (*(name for name, _ in CLASSES), "C")


class Tolerance(Struct, frozen=True):
    """How far a line may be off: by quantity, per cent of expected, or value; the standard is nothing.

    Attributes:
        by_class: class of items by value → its own tolerance, used in place of this one; ``class_of``: item → its
            class.
    """

    quantity: Decimal = Decimal(0)
    percent: Decimal = Decimal(0)
    value: Decimal = Decimal(0)
    by_class: Mapping[str, Tolerance] = field(default_factory=dict)
    class_of: Mapping[str, str] = field(default_factory=dict)

    def of(self, item: str) -> Tolerance:
        """The tolerance of an item: that of its class, if the class has one."""
        return self.by_class.get(self.class_of.get(item, ""), self) if self.by_class else self


EXACT = Tolerance()
