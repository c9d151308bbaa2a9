"""Made codes: ``next(5)`` continues after the highest number in use, without gaps, the same every time."""

from __future__ import annotations

import re
from collections.abc import Iterable

import polars as pl

from kotrel.core.expressions.parsing import ExpressionError, Node, is_tree, parse, place

MARK = "\x1d"
"""Marks the place of a number, and its digits, until the number is known."""

_MARKED = re.compile(f"^(.*){MARK}(\\d+){MARK}(.*)$", re.DOTALL)


def counts_up(text: str) -> bool:
    """Whether an expression calls ``next``; a heading or a text with that word does not, nor does what is no expression."""

    def calls(node: Node) -> bool:
        if not is_tree(node):
            return False
        return (node.data == "call" and str(node.children[0]).casefold() == "next") or any(map(calls, node.children))

    try:
        return calls(parse(text))
    except ExpressionError:
        return False


def calls_of_next(text: str, node: Node) -> list[Node]:
    """The calls of ``next`` whose number ends up in the code as it is: not within a function or a condition.

    Raises:
        ExpressionError: a code has two.
    """
    if not is_tree(node):
        return []
    if node.data == "call":
        return [node] if str(node.children[0]).casefold() == "next" else []
    if node.data not in ("plus", "choice"):
        return []
    first, second = (calls_of_next(text, part) for part in node.children[-2:])
    if first and second and node.data == "plus":
        raise ExpressionError(text, place(second[0]), "next(…) can be used only once in a code")
    return [*first, *second]


def _number_in(code: str, before: str, after: str) -> int:
    """The number that a code has between two texts; 0 where it has none."""
    middle = code[len(before) : len(code) - len(after)]
    fits = code.startswith(before) and code.endswith(after) and middle.isdecimal() and middle.isascii()
    return int(middle) if fits else 0


def number_codes(codes: pl.Series, taken: Iterable[str | None]) -> pl.Series:
    """Puts numbers in the places that ``next`` marked.

    For each text around the mark, numbers continue after the highest in use, in the order of the rows; a code
    without a mark stays as it is.

    Args:
        codes: String; blank stays blank.
        taken: codes in use, in the system and in the sheet.
    """
    rows = codes.to_list()
    parsed = [_MARKED.match(code) if code is not None else None for code in rows]
    shapes = {(found[1], found[3]) for found in parsed if found}
    last = dict.fromkeys(shapes, 0)
    if not shapes:
        return codes
    for code in filter(None, taken):
        for before, after in shapes:
            last[before, after] = max(last[before, after], _number_in(code, before, after))
    made: list[str | None] = []
    for code, code_parts in zip(rows, parsed, strict=True):
        if not code_parts:
            made.append(code)
            continue
        shape = (code_parts[1], code_parts[3])
        last[shape] += 1
        made.append(f"{shape[0]}{last[shape]:0{int(code_parts[2])}d}{shape[1]}")
    return pl.Series(codes.name, made, dtype=pl.String)
