"""The functions of the expression language, and what they need from the compiler."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import polars as pl

from kotrel.core.columns import SCALE, decimal_type
from kotrel.core.expressions.exact import to_decimals
from kotrel.core.expressions.kinds import Kind, Typed
from kotrel.core.expressions.numbering import MARK
from kotrel.core.expressions.parsing import ExpressionError, Node, TreeNode, is_tree


class Caller(Protocol):
    """The compiler, as far as a function needs it."""

    def value(self, node: Node) -> Typed:
        """The value of a node, of any kind."""

    def need(self, node: Node, kind: Kind) -> pl.Expr:
        """The value of a node that must have a certain kind."""

    def wrong(self, node: Node, trouble: str, hint: str = "") -> ExpressionError:
        """The error at a node."""

    def read_number(self, node: Node) -> pl.Expr:
        """A text read as a number, as a cell is."""

    def number_at(self, node: Node) -> None:
        """Notes that a code is numbered there; raises ExpressionError where that cannot be."""


_Function = Callable[[Caller, list[Node], "TreeNode"], Typed]


MOST_CHARACTERS, MOST_DIGITS = 1_000, 18
"""Characters that a function may count or fill up to, and digits of a made number."""


def _on_text(change: Callable[[pl.Expr], pl.Expr]) -> _Function:
    return lambda compiler, given, node: ("text", change(compiler.need(given[0], "text")))


def _literal_whole_number(compiler: Caller, node: Node) -> int:
    """A whole number that is written out, for a count of characters."""
    if not is_tree(node) or node.data != "number" or "." in str(node.children[0]):
        raise compiler.wrong(node, "write a whole number here")
    number = int(str(node.children[0])[:20])
    if number > MOST_CHARACTERS:
        raise compiler.wrong(node, f"at most {MOST_CHARACTERS:,} here")
    return number


def _as_text(compiler: Caller, given: list[Node], node: TreeNode) -> Typed:
    kind, expr = compiler.value(given[0])
    if kind == "number":
        return "text", expr.cast(pl.String).str.strip_chars_end("0").str.strip_suffix(".")
    if kind == "yes_no":
        return "text", expr.cast(pl.String).replace({"true": "yes", "false": "no"})
    return "text", expr


def _next_number(compiler: Caller, given: list[Node], node: TreeNode) -> Typed:
    compiler.number_at(node)
    digits = _literal_whole_number(compiler, given[0])
    if digits > MOST_DIGITS:
        raise compiler.wrong(given[0], f"at most {MOST_DIGITS} digits")
    return "text", pl.lit(f"{MARK}{digits}{MARK}")


def _rounded(compiler: Caller, given: list[Node], node: TreeNode) -> Typed:
    decimals = min(_literal_whole_number(compiler, given[1]), SCALE) if len(given) > 1 else 0
    return "number", to_decimals(compiler.need(given[0], "number"), decimals)


def _least_or_most(pick: Callable[..., pl.Expr]) -> _Function:
    return lambda compiler, given, node: ("number", pick(*(compiler.need(each, "number") for each in given)))


FUNCTIONS: dict[str, tuple[int, int, _Function]] = {
    "upper": (1, 1, _on_text(lambda text: text.str.to_uppercase())),
    "lower": (1, 1, _on_text(lambda text: text.str.to_lowercase())),
    "trim": (1, 1, _on_text(lambda text: text.str.strip_chars())),
    "pad": (2, 2, lambda c, g, n: ("text", c.need(g[0], "text").str.zfill(_literal_whole_number(c, g[1])))),
    "left": (2, 2, lambda c, g, n: ("text", c.need(g[0], "text").str.head(_literal_whole_number(c, g[1])))),
    "right": (2, 2, lambda c, g, n: ("text", c.need(g[0], "text").str.tail(_literal_whole_number(c, g[1])))),
    "mid": (3, 3, lambda c, g, n: ("text", c.need(g[0], "text").str.slice(max(_literal_whole_number(c, g[1]) - 1, 0), _literal_whole_number(c, g[2])))),
    "replace": (3, 3, lambda c, g, n: ("text", c.need(g[0], "text").str.replace_all(c.need(g[1], "text"), c.need(g[2], "text"), literal=True))),
    "length": (1, 1, lambda c, g, n: ("number", c.need(g[0], "text").str.len_chars().cast(decimal_type()))),
    "text": (1, 1, _as_text),
    "number": (1, 1, lambda c, g, n: ("number", c.read_number(g[0]))),
    "round": (1, 2, _rounded),
    "least": (2, 9, _least_or_most(pl.min_horizontal)),
    "most": (2, 9, _least_or_most(pl.max_horizontal)),
    "next": (1, 1, _next_number),
}  # fmt: skip
"""Name → the least and most values it takes, and how it is compiled."""
