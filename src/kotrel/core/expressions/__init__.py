"""The expression language, for filters, prices, made codes and made values. See docs/reference/expressions.md.

An expression is parsed by a grammar, gets its kinds from the fields it names, and is compiled to Polars expressions on
exact decimals. It cannot run Python.
"""
