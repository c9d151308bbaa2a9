"""Counts and lists, as they read in a sentence."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal


def listed_and(words: Sequence[str], last: str = "and") -> str:
    """``a, b and c``."""
    return f"{', '.join(words[:-1])} {last} {words[-1]}" if len(words) > 1 else "".join(words)


def listed(words: Sequence[str], most: int = 4, count: int | None = None) -> str:
    """``a, b, c and 5 more``.

    Args:
        count: how many there are; None where ``words`` has all of them.
    """
    rest = (len(words) if count is None else count) - most
    return ", ".join(words[:most]) + (f" and {rest:,} more" if rest > 0 else "")


def count(number: int, one: str, many: str | None = None) -> str:
    """``1 row``, ``1,204 rows``."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def those_there(plural: str, names: Sequence[str], how: str = "") -> str:
    """``The layouts are: till, web.``, or ``There are no layouts yet.``

    Args:
        how: how to make the first one, as a sentence.
    """
    if names:
        return f"The {plural} are: {', '.join(names)}."
    return f"There are no {plural} yet.{f' {how}' if how else ''}"


def short(text: str | None, most: int = 28) -> str:
    """A value on one line, shortened if it is long; a blank is shown as such."""
    if text is None:
        return "(blank)"
    line = text.replace("\r", "").replace("\n", "⏎").replace("\t", "⇥")
    return line if len(line) <= most else line[: most - 1] + "…"


def plain_number(number: Decimal, least: int = 0) -> str:
    """A number with its decimals, no fewer than ``least``, without further zeros."""
    whole, _, part = f"{number:f}".partition(".")
    part = part.rstrip("0").ljust(least, "0")
    return f"{whole}.{part}" if part else whole
