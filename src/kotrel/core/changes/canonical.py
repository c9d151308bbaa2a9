"""The last look before values are stored: each is in the one form that its kind has.

Storing relies on that form (an amount is kept as a whole number by leaving out its point), so a value in another form
would be stored as another value. Whatever brought it here, it stops here.
"""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.description.model import Field


def require_canonical(changes: Sequence[RecordChanges]) -> None:
    """Every value that is going to be stored is in canonical form.

    Raises:
        ValueError: one is not; what brought it here has not read it as its kind.
    """
    for part in changes:
        rows = part.rows_of("new", "changed")
        for name in part.fields:
            odd = rows[name].filter(out_of_form(rows[name], part.record.fields[name]))
            if odd.len():
                raise ValueError(
                    f"{part.record.name}: {name} “{odd[0]}” is not in the form of its kind; nothing is stored"
                )


def out_of_form(values: pl.Series, field: Field) -> pl.Series:
    """Boolean for each value (String): it is not in the canonical form of its field's kind; a blank is."""
    form = form_of(field)
    if form is None:
        return pl.Series([False], dtype=pl.Boolean).new_from_index(0, len(values))
    return ~values.str.contains(form).fill_null(True)


def form_of(field: Field) -> str | None:
    if field.is_decimal:
        return rf"^-?[0-9]+\.[0-9]{{{field.decimals}}}$" if field.decimals else r"^-?[0-9]+$"
    if field.kind == "yes_no":
        return "^(?:yes|no)$"
    if field.kind == "date":
        return r"^[0-9]{4}-[0-9]{2}-[0-9]{2}$"
    return None
