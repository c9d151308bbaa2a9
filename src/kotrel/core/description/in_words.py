"""What a field takes, in words."""

from __future__ import annotations

from kotrel.core.description.model import Field
from kotrel.core.values.code_formats import CODE_RULES


def what(field: Field) -> str:
    """What kind of value a field takes, in words."""
    if field.to:
        return f"a code from the {field.to.replace('_', ' ')} list"
    if field.kind == "yes_no":
        return "yes or no"
    if field.kind == "choice":
        return f"one of: {', '.join(field.choices)}"
    if field.is_decimal:
        name = {"money": "an amount", "quantity": "a quantity", "number": "a number"}[field.kind]
        return f"{name}, {field.decimals} decimals" if field.decimals else "a whole number"
    return {
        "code": "a code",
        "text": "text",
        "date": "a date",
        "moment": "a date and time with its zone" if field.zoned else "a date and time",
        "list": "a list, separated by ;",
        "file": "a file name",
    }[field.kind]


def rules(field: Field) -> str:
    """The rules of a field, in words."""
    parts = []
    if field.is_kept:
        parts.append("kept by the system, never loaded")
    if field.length and field.kind in ("code", "text", "list", "file"):
        parts.append(f"at most {field.length} characters")
    if field.least is not None:
        parts.append("never below zero" if field.least == 0 else f"at least {field.least}")
    if field.most is not None:
        parts.append(f"at most {field.most}")
    if field.check:
        parts.append(CODE_RULES[field.check])
    if field.within:
        parts.append(f"within its {' and '.join(field.within)}")
    if field.one_of:
        parts.append(f"one of those of the {field.one_of[0][0].replace('_', ' ')}")
    if field.same_as:
        parts.append(f"the same as on the {field.same_as[0].replace('_', ' ')}")
    if field.fulfils:
        parts.append("takes that much off the order")
    if field.default_from:
        parts.append(f"that of the {field.default_from[0].replace('_', ' ')} if blank")
    if field.default is not None:
        parts.append(f"default for new rows: {field.default}")
    if field.zero_means:
        parts.append(f"0 means: {field.zero_means}")
    if field.unique:
        parts.append("unique")
    if field.meaning:
        parts.append(field.meaning)
    return "; ".join(parts)
