"""The expression language, for filters, prices, made codes and made values. See docs/reference/expressions.md.

An expression is parsed by a grammar, gets its kinds from the fields it names, and is compiled to Polars expressions on
exact decimals. It cannot run Python.
"""

from kotrel.core.expressions.compiled import Compiled
from kotrel.core.expressions.compiling import compile_at, compile_expression
from kotrel.core.expressions.numbering import number_codes
from kotrel.core.expressions.scope import Scope

__all__ = ["Compiled", "Scope", "compile_at", "compile_expression", "number_codes"]
