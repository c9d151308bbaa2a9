"""Tree → Polars expressions: kinds are checked first, numbers are exact decimals.

All numbers have :data:`kotrel.core.expressions.kinds.SCALE` decimals; factors have far fewer, so products are exact.
Only division rounds, at the last decimal. What an expression does with a number that is written out in it goes by
:mod:`kotrel.core.expressions.exact`, which is quicker.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal
from fractions import Fraction

import polars as pl

from kotrel.core.columns import SCALE, decimal_type, number_column, sheet_column
from kotrel.core.description.model import Field
from kotrel.core.expressions.compiled import Compiled
from kotrel.core.expressions.exact import times
from kotrel.core.expressions.functions import FUNCTIONS
from kotrel.core.expressions.kinds import SAID, WHOLE_DIGITS, Kind, Typed, exact, how_to_turn
from kotrel.core.expressions.literals import NotOfField, meant_by
from kotrel.core.expressions.numbering import calls_of_next
from kotrel.core.expressions.parsing import (
    ExpressionError,
    Node,
    TreeNode,
    bare,
    is_tree,
    parse,
    place,
    written_number,
    written_text,
)
from kotrel.core.expressions.scope import Scope
from kotrel.core.similarity import did_you_mean
from kotrel.core.values.numbers import numbers_in


def zero_as_blank(numbers: pl.Expr) -> pl.Expr:
    """The numbers, blank where they are zero."""
    return numbers.replace(Decimal(0), None)


def is_any_of(value: pl.Expr, others: Sequence[pl.Expr]) -> pl.Expr:
    """True where the value is the same as one of the others; blank is the same as blank."""
    if value.meta.is_column() or value.meta.is_literal():
        return pl.any_horizontal(value.eq_missing(other) for other in others)
    return pl.map_batches([value, *others], _is_any, return_dtype=pl.Boolean, is_elementwise=True)


def _is_any(columns: Sequence[pl.Series]) -> pl.Series:
    value, *others = (
        pl.lit(column) if len(column) != 1 else pl.lit(column.first(), column.dtype) for column in columns
    )
    return pl.select(pl.any_horizontal(value.eq_missing(other) for other in others)).to_series()


def compile_expression(text: str, scope: Scope, wanted: Kind | None = None, may_number: bool = False) -> Compiled:
    """Compiles an expression.

    Args:
        wanted: the kind its result must have, or None for any.
        may_number: it makes codes, and may continue their numbers with ``next``.

    Raises:
        ExpressionError: at a place in the text.
    """
    tree = parse(text)
    compiler = Compiler(text, scope, set(map(id, calls_of_next(text, tree))) if may_number else None)
    kind, expr = compiler.value(tree)
    if wanted is not None and kind != wanted:
        raise ExpressionError(text, 0, f"this gives {SAID[kind]}, but {SAID[wanted]} is needed")
    return Compiled(
        text, kind, expr, tuple(compiler.fields), compiler.numbered, compiler.meant, tuple(compiler.read_texts)
    )


class Compiler:
    def __init__(self, text: str, scope: Scope, numbers_at: set[int] | None = None) -> None:
        self.text = text
        self.scope = scope
        self.fields: dict[str, None] = {}
        self.numbered = False
        self.meant: dict[tuple[str, str], str] = {}
        self.read_texts: list[tuple[pl.Expr, pl.Expr]] = []
        self._numbers_at = numbers_at

    def wrong(self, node: Node, trouble: str, hint: str = "") -> ExpressionError:
        return ExpressionError(self.text, place(node), trouble, hint)

    def number_at(self, node: Node) -> None:
        if self._numbers_at is None:
            raise self.wrong(node, "next(…) makes new codes, and none are made here")
        if id(node) not in self._numbers_at:
            hint = "Join it with +, like 'R-' + next(5)."
            raise self.wrong(node, "next(…) cannot be used within a function or a condition", hint)
        self.numbered = True

    def value(self, node: Node) -> Typed:
        assert is_tree(node)
        method: Callable[[list[Node], TreeNode], Typed] = getattr(self, f"_{node.data}")
        return method(list(node.children), node)

    def need(self, node: Node, kind: Kind) -> pl.Expr:
        """The value of a node that must have a certain kind."""
        return self._as_kind(node, self.value(node), kind)

    def _as_kind(self, node: Node, typed: Typed, kind: Kind) -> pl.Expr:
        """A node's value, where it has the kind. Each node is compiled once:
        twice at each step would never come to an end.
        """
        got, expr = typed
        if got != kind and is_tree(node) and node.data == "blank":
            return pl.lit(None, pl.Boolean if kind == "yes_no" else pl.String)
        if got != kind:
            raise self.wrong(node, f"this is {SAID[got]}, but {SAID[kind]} is needed here", how_to_turn(got, kind))
        return expr

    def read_number(self, node: Node) -> pl.Expr:
        """A text read as a number, as a cell is: the cells of a column by all of them, any other text by itself."""
        text = self.need(node, "text")
        name = text.meta.output_name() if text.meta.is_column() else ""
        if name.startswith(sheet_column("")):
            return pl.col(number_column(name.removeprefix(sheet_column("")))).cast(decimal_type(), strict=False)
        number = text.map_batches(numbers_in, return_dtype=decimal_type(), is_elementwise=True)
        self.read_texts.append((text, number))
        return number

    # --- literals, fields, columns ---

    def _number(self, parts: list[Node], node: TreeNode) -> Typed:
        text = str(parts[0])
        whole, _, part = text.partition(".")
        if len(whole.lstrip("0")) > WHOLE_DIGITS or len(part) > SCALE:
            trouble = f"a number has at most {WHOLE_DIGITS} digits before the point and {SCALE} after it"
            raise self.wrong(node, trouble)
        return "number", pl.lit(text).cast(decimal_type())

    def _text(self, parts: list[Node], node: TreeNode) -> Typed:
        return "text", pl.lit(str(parts[0])[1:-1])

    def _field(self, parts: list[Node], node: TreeNode) -> Typed:
        name = str(parts[0])
        if name in self.scope.prices:
            return self._price(name)
        about = self.scope.fields.get(name) or self.scope.fields.get(name.casefold())
        if about is None:
            raise self.wrong(
                node, f"there is no field “{name}”", did_you_mean(name, [*self.scope.fields, *self.scope.prices])
            )
        self.fields[about.name] = None
        column = pl.col(about.name)
        if about.is_decimal:
            return "number", column.cast(decimal_type(), strict=False)
        if about.kind == "yes_no":
            return "yes_no", column == "yes"
        return ("date" if about.kind in ("date", "moment") else "text"), column

    def _price(self, name: str) -> Typed:
        self.fields[name] = None
        return "number", pl.col(name).cast(decimal_type(), strict=False)

    def _old_price(self, parts: list[Node], node: TreeNode) -> Typed:
        name = str(parts[-1])
        if name not in self.scope.prices:
            raise self.wrong(node, f"there is no price list “{name}”", did_you_mean(name, self.scope.prices))
        return self._price(f"old {name}")

    def _blank(self, parts: list[Node], node: TreeNode) -> Typed:
        return "number", pl.lit(None, decimal_type())

    def _column(self, parts: list[Node], node: TreeNode) -> Typed:
        heading = str(parts[0])[1:-1]
        if heading in self.scope.figures or heading in self.scope.prices:
            return self._price(heading)
        letters = self.scope.letters_of(heading)
        if len(letters) != 1:
            raise self.wrong(node, *self.scope.not_one_column(heading, letters))
        return "text", pl.col(sheet_column(letters[0]))

    def _name_of(self, parts: list[Node], node: TreeNode) -> Typed:
        name = str(parts[-1])
        about = self.scope.fields.get(name)
        if about is None or about.to is None or self.scope.names is None:
            raise self.wrong(
                node, f"“{name}” is not a field that refers to a list", "“name of” needs a field that refers to a list."
            )
        self.fields[name] = None
        return "text", pl.col(name).replace(dict(self.scope.names(about.to)))

    # --- logic ---

    def _either(self, parts: list[Node], node: TreeNode) -> Typed:
        return "yes_no", pl.any_horizontal(*(self.need(part, "yes_no").fill_null(False) for part in parts))

    def _both(self, parts: list[Node], node: TreeNode) -> Typed:
        return "yes_no", pl.all_horizontal(*(self.need(part, "yes_no").fill_null(False) for part in parts))

    def _negation(self, parts: list[Node], node: TreeNode) -> Typed:
        return "yes_no", ~self.need(parts[0], "yes_no").fill_null(False)

    def _choice(self, parts: list[Node], node: TreeNode) -> Typed:
        condition = self.need(parts[0], "yes_no").fill_null(False)
        is_blank = is_tree(parts[1]) and parts[1].data == "blank"
        yes, no = (self.value(part) for part in parts[1:])
        kind = (no if is_blank else yes)[0]
        then, other = self._as_kind(parts[1], yes, kind), self._as_kind(parts[2], no, kind)
        return kind, pl.when(condition).then(then).otherwise(other)

    # --- comparing ---

    def _pair(self, left: Node, right: Node, same: bool = True) -> tuple[pl.Expr, pl.Expr]:
        kind, first = self.value(left)
        return first, self._like(kind, right, left, same)

    def _like(self, kind: Kind, node: Node, beside: Node, same: bool = True) -> pl.Expr:
        """The value of a node that is compared with one of a certain kind;
        a text beside a field is read as a cell of it.

        Args:
            same: it is asked whether they are the same: a code must be one that exists, where its list is known.
        """
        written, about = written_text(node), self._field_at(beside)
        if written is not None and about is not None:
            try:
                value = meant_by(about, written, *((self.scope.names, self.scope.found) if same else (None, None)))
                self.meant[about.name, written] = value
                return pl.lit(value)
            except NotOfField as error:
                raise self.wrong(node, error.trouble, error.hint) from None
        other, expr = self.value(node)
        if kind != other and (kind, other) != ("date", "text"):
            raise self.wrong(node, f"{SAID[kind]} cannot be compared with {SAID[other]}", how_to_turn(other, kind))
        return expr

    def _field_at(self, node: Node) -> Field | None:
        """The field that a node is, by its name, where texts are compared with it."""
        node = bare(node)
        if not is_tree(node) or node.data != "field":
            return None
        name = str(node.children[0])
        about = self.scope.fields.get(name) or self.scope.fields.get(name.casefold())
        return None if about is None or about.is_decimal or about.kind == "yes_no" else about

    def _compare(self, parts: list[Node], node: TreeNode) -> Typed:
        sign = str(parts[1])
        first, second = self._pair(parts[0], parts[2], sign in ("=", "!="))
        result = {
            "=": first.eq_missing(second),
            "!=": first.ne_missing(second),
            "<": first < second,
            "<=": first <= second,
            ">": first > second,
            ">=": first >= second,
        }[sign]
        return "yes_no", result.fill_null(False)

    def _is_same(self, parts: list[Node], node: TreeNode) -> Typed:
        first, second = self._pair(parts[0], parts[1])
        return "yes_no", first.eq_missing(second)

    def _is_other(self, parts: list[Node], node: TreeNode) -> Typed:
        return "yes_no", ~self._is_same(parts, node)[1]

    def _is_blank(self, parts: list[Node], node: TreeNode) -> Typed:
        return "yes_no", self.value(parts[0])[1].is_null()

    def _is_filled(self, parts: list[Node], node: TreeNode) -> Typed:
        return "yes_no", self.value(parts[0])[1].is_not_null()

    def _is_one_of(self, parts: list[Node], node: TreeNode) -> Typed:
        kind, first = self.value(parts[0])
        return "yes_no", is_any_of(first, [self._like(kind, part, parts[0]) for part in parts[1:]])

    def _is_not_one_of(self, parts: list[Node], node: TreeNode) -> Typed:
        return "yes_no", ~self._is_one_of(parts, node)[1]

    def _begins_with(self, parts: list[Node], node: TreeNode) -> Typed:
        return "yes_no", self.need(parts[0], "text").str.starts_with(self.need(parts[1], "text")).fill_null(False)

    def _ends_with(self, parts: list[Node], node: TreeNode) -> Typed:
        return "yes_no", self.need(parts[0], "text").str.ends_with(self.need(parts[1], "text")).fill_null(False)

    def _contains(self, parts: list[Node], node: TreeNode) -> Typed:
        found = self.need(parts[0], "text").str.contains(self.need(parts[1], "text"), literal=True)
        return "yes_no", found.fill_null(False)

    # --- arithmetic ---

    def _plus(self, parts: list[Node], node: TreeNode) -> Typed:
        kind, first = self.value(parts[0])
        other, second = self.value(parts[1])
        if kind == other == "number":
            return "number", first + second
        if "text" in (kind, other) and {kind, other} <= {"text", "date"}:
            # A blank part is left out; it does not make the whole text blank.
            return "text", pl.concat_str(first, second, ignore_nulls=True)
        bad = parts[1] if kind in ("text", "number") else parts[0]
        raise self.wrong(
            bad, f"{SAID[kind]} and {SAID[other]} cannot be joined with +", "text(…) turns a number into a text."
        )

    def _numbers(self, parts: list[Node]) -> tuple[pl.Expr, pl.Expr]:
        return self.need(parts[0], "number"), self.need(parts[1], "number")

    def _minus(self, parts: list[Node], node: TreeNode) -> Typed:
        first, second = self._numbers(parts)
        return "number", first - second

    def _times(self, parts: list[Node], node: TreeNode) -> Typed:
        first, second = self._numbers(parts)
        for one, other in ((first, parts[1]), (second, parts[0])):
            if (known := written_number(other)) is not None:
                return "number", times(one, known)
        return "number", first * second

    def _divided(self, parts: list[Node], node: TreeNode) -> Typed:
        first, second = self._numbers(parts)
        if known := written_number(parts[1]):
            return "number", times(first, 1 / known)
        # The divisor itself becomes blank: both branches of a condition are computed.
        return "number", first / zero_as_blank(second)

    def _minus_sign(self, parts: list[Node], node: TreeNode) -> Typed:
        return "number", exact(0) - self.need(parts[0], "number")

    def _share(self, percent: pl.Expr) -> pl.Expr:
        return times(percent, Fraction(1, 100))

    def _plus_percent(self, parts: list[Node], node: TreeNode) -> Typed:
        first, second = self._numbers(parts)
        known = written_number(parts[1])
        return "number", first * (exact(1) + self._share(second)) if known is None else times(first, 1 + known / 100)

    def _minus_percent(self, parts: list[Node], node: TreeNode) -> Typed:
        first, second = self._numbers(parts)
        known = written_number(parts[1])
        return "number", first * (exact(1) - self._share(second)) if known is None else times(first, 1 - known / 100)

    def _times_percent(self, parts: list[Node], node: TreeNode) -> Typed:
        first, second = self._numbers(parts)
        known = written_number(parts[1])
        return "number", first * self._share(second) if known is None else times(first, known / 100)

    _at_markup = _plus_percent

    def _at_margin(self, parts: list[Node], node: TreeNode) -> Typed:
        first, second = self._numbers(parts)
        known = written_number(parts[1])
        if known is not None and known >= 100:
            raise self.wrong(parts[1], "no price has a margin of 100 % or more", "A markup can be as high as you like.")
        if known is not None:
            return "number", times(first, 1 / (1 - known / 100))
        kept = pl.max_horizontal(exact(1) - self._share(second), exact(0))
        return "number", first / zero_as_blank(kept)

    # --- functions ---

    def _call(self, parts: list[Node], node: TreeNode) -> Typed:
        name, given = str(parts[0]).casefold(), parts[1:]
        if name not in FUNCTIONS:
            hint = did_you_mean(name, FUNCTIONS, f"The functions are: {', '.join(sorted(FUNCTIONS))}.")
            raise self.wrong(node, f"there is no function “{name}(…)”", hint)
        least, most, how = FUNCTIONS[name]
        if not least <= len(given) <= most:
            raise self.wrong(
                node, f"{name}(…) takes {least if least == most else f'{least} to {most}'} values, not {len(given)}"
            )
        return how(self, given, node)


def compile_at(where: str, text: str, scope: Scope, wanted: Kind | None = None, may_number: bool = False) -> Compiled:
    """Compiles an expression of a settings file; what is wrong with it says where it stands there."""
    try:
        return compile_expression(text, scope, wanted, may_number)
    except ExpressionError as error:
        raise ExpressionError(text, error.at, f"{where}: {error.trouble}", error.hint or "") from None
