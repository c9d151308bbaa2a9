"""The one expression language: filters, prices, made codes and values. See docs/expressions.md.

An expression is text; it is parsed by a grammar, given kinds by the fields it names, and compiled to Polars expressions on
exact decimals. There is no way from it to Python.
"""

from kotrel.core.expressions.compiling import Compiled, Scope, compile_expression
from kotrel.core.expressions.numbering import number_codes

__all__ = ["Compiled", "Scope", "compile_expression", "number_codes"]
