"""What a field takes, in words for people."""

from __future__ import annotations

from kotrel.core.description.model import Field
from kotrel.core.values.code_formats import CODE_RULES


def what(field: Field) -> str:
    """What kind of value a field takes, in words."""
    if field.to:
        return f"a code of {field.to}"
    if field.kind == "yes_no":
        return "yes or no"
    if field.kind == "choice":
        return f"one of: {', '.join(field.choices)}"
    if field.is_decimal:
        name = {"money": "an amount", "quantity": "a quantity", "number": "a number"}[field.kind]
        return f"{name}, {field.decimals} decimals" if field.decimals else "a whole number"
    return {"code": "a code", "text": "text", "date": "a date", "list": "a list, divided by ;", "file": "a file name"}[
        field.kind
    ]


def rules(field: Field) -> str:
    """The rules of a field, in words."""
    told = []
    if field.is_kept:
        told.append("kept by the system, never loaded")
    if field.length and field.kind in ("code", "text", "list", "file"):
        told.append(f"at most {field.length} characters")
    if field.least is not None:
        told.append("never below zero" if field.least == 0 else f"at least {field.least}")
    if field.most is not None:
        told.append(f"at most {field.most}")
    if field.check:
        told.append(CODE_RULES[field.check])
    if field.within:
        told.append(f"one of its {' and '.join(field.within)}")
    if field.same_as:
        told.append(f"as the {field.same_as[0]} has it")
    if field.default is not None:
        told.append(f"{field.default} where a new row leaves it blank")
    if field.zero_means:
        told.append(f"0 means: {field.zero_means}")
    if field.unique:
        told.append("on one row only")
    if field.meaning:
        told.append(field.meaning)
    return "; ".join(told)
