"""Expressions that stand in a settings file."""

from __future__ import annotations

from kotrel.core.expressions.compiled import Compiled
from kotrel.core.expressions.compiling import compile_expression
from kotrel.core.expressions.kinds import Kind
from kotrel.core.expressions.parsing import ExpressionError
from kotrel.core.expressions.scope import Scope


def compile_at(place: str, text: str, scope: Scope, wanted: Kind | None = None, may_number: bool = False) -> Compiled:
    """Compiles an expression of a settings file; what is wrong with it says where it stands there."""
    try:
        return compile_expression(text, scope, wanted, may_number)
    except ExpressionError as error:
        raise ExpressionError(text, error.at, f"{place}: {error.trouble}", error.hint or "") from None
