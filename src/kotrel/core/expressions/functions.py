"""The functions of the expression language."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import polars as pl
from lark import Token, Tree

from kotrel.core.expressions.kinds import NUMBER, Typed
from kotrel.core.expressions.parsing import Node

if TYPE_CHECKING:
    from kotrel.core.expressions.compiling import Compiler

_Function = Callable[["Compiler", list[Node], "Tree[Token]"], Typed]


def _on_text(change: Callable[[pl.Expr], pl.Expr]) -> _Function:
    return lambda compiler, given, node: ("text", change(compiler.need(given[0], "text")))


def _rounded(compiler: Compiler, given: list[Node], node: Tree[Token]) -> Typed:
    decimals = compiler.whole(given[1]) if len(given) > 1 else 0
    return "number", compiler.need(given[0], "number").round(decimals, mode="half_away_from_zero")


def _least_or_most(pick: Callable[..., pl.Expr]) -> _Function:
    return lambda compiler, given, node: ("number", pick(*(compiler.need(each, "number") for each in given)))


FUNCTIONS: dict[str, tuple[int, int, _Function]] = {
    "upper": (1, 1, _on_text(lambda text: text.str.to_uppercase())),
    "lower": (1, 1, _on_text(lambda text: text.str.to_lowercase())),
    "trim": (1, 1, _on_text(lambda text: text.str.strip_chars())),
    "pad": (2, 2, lambda c, g, n: ("text", c.need(g[0], "text").str.zfill(c.whole(g[1])))),
    "left": (2, 2, lambda c, g, n: ("text", c.need(g[0], "text").str.head(c.whole(g[1])))),
    "right": (2, 2, lambda c, g, n: ("text", c.need(g[0], "text").str.tail(c.whole(g[1])))),
    "middle": (3, 3, lambda c, g, n: ("text", c.need(g[0], "text").str.slice(max(c.whole(g[1]) - 1, 0), c.whole(g[2])))),
    "replace": (3, 3, lambda c, g, n: ("text", c.need(g[0], "text").str.replace_all(c.need(g[1], "text"), c.need(g[2], "text"), literal=True))),
    "length": (1, 1, lambda c, g, n: ("number", c.need(g[0], "text").str.len_chars().cast(NUMBER))),
    "text": (1, 1, lambda c, g, n: c.texts(g, n)),
    "number": (1, 1, lambda c, g, n: ("number", c.need(g[0], "text").cast(NUMBER, strict=False))),
    "round": (1, 2, _rounded),
    "least": (2, 9, _least_or_most(pl.min_horizontal)),
    "most": (2, 9, _least_or_most(pl.max_horizontal)),
    "next": (1, 1, lambda c, g, n: c.next_number(g, n)),
}  # fmt: skip
"""Name → least and most values, and how it is compiled."""
