"""Text → tree, with errors that point at the character."""

from __future__ import annotations

import re
from collections.abc import Collection
from fractions import Fraction
from functools import cache, lru_cache
from importlib import resources
from typing import TYPE_CHECKING, TypeAlias, TypeGuard

from kotrel.core.errors import WrongUse

if TYPE_CHECKING:
    # Only an expression needs it, and every command would wait for it.
    from lark import Lark, Token, Tree

Node: TypeAlias = "Tree[Token] | Token"
TreeNode: TypeAlias = "Tree[Token]"
LONGEST, DEEPEST = 4_000, 100
"""Characters of an expression, and steps from its whole to its smallest part."""

_WORDS = {
    "COMPARE": "a comparison", "NUMBER": "a number", "TEXT": "a text in quotes", "NAME": "a field", "COLUMN": "a [column]",
    "LPAR": "an opening bracket", "RPAR": "a closing bracket", "COMMA": "a comma", "MARGIN": "margin", "MARKUP": "markup", "PLUS": "+", "MINUS": "-", "STAR": "*", "SLASH": "/", "PERCENT": "%", "IS": "is",
    "AND": "and", "OR": "or", "THEN": "then", "ELSE": "else", "OF": "of", "WITH": "with",
}  # fmt: skip


class ExpressionError(WrongUse):
    """An expression is wrong at one place; the message shows it with a mark under that character."""

    def __init__(self, text: str, at: int, trouble: str, hint: str = "") -> None:
        line = text.replace("\n", " ").replace("\t", " ")
        super().__init__(f"{trouble}\n        {line}\n        {' ' * at}^", hint, "wrong-expression")
        self.at = at
        self.trouble = trouble
        self.text_there = line[at : at + 20].strip()


@cache
def _parser() -> Lark:
    from lark import Lark

    grammar = resources.files("kotrel.core.expressions").joinpath("grammar.lark").read_text("utf-8")
    return Lark(grammar, parser="lalr", propagate_positions=True, maybe_placeholders=False)


@lru_cache(maxsize=256)
def parse(text: str) -> Node:
    """The tree of an expression; nobody changes it, so that one of many sheets is understood once.

    Raises:
        ExpressionError: the text is not an expression.
    """
    from lark.exceptions import UnexpectedCharacters, UnexpectedToken

    if not text.strip():
        raise ExpressionError(text, 0, "the expression is empty")
    if len(text) > LONGEST:
        raise ExpressionError(text[:60], 0, f"the expression is too long: at most {LONGEST:,} characters")
    try:
        tree = _parser().parse(text).children[0]
    except RecursionError:
        raise _too_deep(text) from None
    except UnexpectedToken as error:
        if error.token.type == "$END":
            raise ExpressionError(text, len(text), "the expression ends too early", _expected(error.accepts)) from None
        at = error.token.start_pos or 0
        hint = _decimals_hint(text, at) or _expected(error.accepts)
        raise ExpressionError(text, at, "this cannot be understood here", hint) from None
    except UnexpectedCharacters as error:
        at = error.pos_in_stream or 0
        quote = text[at : at + 1]
        if quote in ("'", '"') and text.count(quote) % 2:
            raise ExpressionError(text, at, "this quote is never closed") from None
        # The words that belong to a bracket or an “if” are possible only after it.
        needed = {"RPAR": "(", "COMMA": "(", "THEN": "if", "ELSE": "if"}
        allowed = {name for name in error.allowed or () if needed.get(name, "") in text[:at].casefold()}
        raise ExpressionError(text, at, "this cannot be understood here", _expected(allowed)) from None
    _require_shallow(tree, text)
    return tree


def _require_shallow(tree: Node, text: str) -> None:
    """Makes sure that a tree is not deeper than :data:`DEEPEST`."""
    level, depth = [tree], 0
    while level:
        depth += 1
        if depth > DEEPEST:
            raise _too_deep(text)
        level = [child for node in level if is_tree(node) for child in node.children]


def _too_deep(text: str) -> ExpressionError:
    return ExpressionError(
        text[:60],
        0,
        f"the expression is too deeply nested: at most {DEEPEST} steps",
        "Split it into several fields or steps.",
    )


def _decimals_hint(text: str, at: int) -> str:
    """What to do where a comma stands between digits."""
    found = re.search(r"([0-9]+)$", text[:at]), re.match(r",([0-9]+)", text[at:])
    return f"Write decimals with a point: {found[0][1]}.{found[1][1]}" if found[0] and found[1] else ""


def _expected(names: Collection[str]) -> str:
    words = sorted({_WORDS[name] for name in names if name in _WORDS})
    return f"Possible here: {', '.join(words)}." if words else ""


def is_tree(node: Node) -> TypeGuard[Tree[Token]]:
    """True for a part that has parts of its own, False for a word."""
    return not isinstance(node, str)


def bare(node: Node) -> Node:
    """The node without the brackets around it."""
    while is_tree(node) and node.data == "_value" and len(node.children) == 1:
        node = node.children[0]
    return node


def written_text(node: Node) -> str | None:
    """The text that a node is, written out; None for any other node."""
    node = bare(node)
    return str(node.children[0])[1:-1] if is_tree(node) and node.data == "text" else None


def written_number(node: Node) -> Fraction | None:
    """A number that is written out in the expression, so that it is the same for all rows; or None."""
    return Fraction(str(node.children[0])) if is_tree(node) and node.data == "number" else None


def place(node: Node) -> int:
    """Where in the text a node begins."""
    if is_tree(node):
        return node.meta.start_pos if not node.meta.empty else 0
    return getattr(node, "start_pos", 0) or 0
