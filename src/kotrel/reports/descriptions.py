"""What the connected system takes: record types, and one record's fields."""

from __future__ import annotations

from typing import Any

from rich.table import Table
from rich.text import Text

from kotrel.core.codes import CODE_RULES
from kotrel.core.description import Description, Field, Record
from kotrel.reports.screen import Screen
from kotrel.reports.words import listed


def show_records(screen: Screen, description: Description) -> None:
    """Record types in load order."""
    screen.show(Text(description.title, style="bold").append(" takes, in the order of loading:", style=""))
    table = Table(box=None, padding=(0, 3, 0, 0), header_style="dim")
    for heading in ("", "record", "title", "key", "fields", "refers to"):
        table.add_column(heading, justify="right" if heading in ("", "fields") else "left")
    for place, record in enumerate(description.in_load_order(), start=1):
        targets = list(dict.fromkeys(str(field.to) for field in record.references))
        table.add_row(
            str(place),
            Text(record.name, style="bold"),
            record.title,
            ", ".join(record.key),
            str(len(record.fields)),
            listed(targets, 8),
        )
    screen.show(table, Text("Next: kotrel records item    shows the fields of one", style="dim"))


def show_record(screen: Screen, record: Record) -> None:
    """One record's fields."""
    screen.show(Text(record.title, style="bold").append(f" ({record.name}) · key {', '.join(record.key)}", style=""))
    if record.meaning:
        screen.show(Text(record.meaning, style="dim"))
    for group in record.also_known_by:
        screen.show(Text(f"also known by {' with '.join(group)}", style="dim"))
    for group in record.together:
        screen.show(Text(f"all or none of {', '.join(group)}", style="dim"))
    table = Table(box=None, padding=(0, 3, 0, 0), header_style="dim")
    for heading in ("field", "heading", "must", "what", "rules"):
        table.add_column(heading, overflow="fold")
    for field in record.fields.values():
        must = {"always": "always", "new": "for new", "may": ""}[field.must]
        if field.is_kept:
            must = "never"
        style = "bold" if field.must != "may" else "dim" if field.is_kept else ""
        table.add_row(Text(field.name, style=style), field.title, must, Text(what(field)), Text(rules(field)))
    screen.show(Text(""), table)


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
    if field.unique:
        told.append("on one row only")
    if field.meaning:
        told.append(field.meaning)
    return "; ".join(told)


def records_json(description: Description) -> dict[str, Any]:
    """All records as ``--json`` gives them."""
    return {
        "system": description.title,
        "records": [
            {
                "record": record.name,
                "title": record.title,
                "key": list(record.key),
                "refers_to": sorted({str(field.to) for field in record.references}),
                "fields": len(record.fields),
            }
            for record in description.in_load_order()
        ],
    }


def record_json(record: Record) -> dict[str, Any]:
    """One record's fields as ``--json`` gives them."""
    return {
        "record": record.name,
        "title": record.title,
        "key": list(record.key),
        "fields": [
            {
                "field": field.name,
                "title": field.title,
                "kind": field.kind,
                "must": field.must,
                "length": field.length,
                "decimals": field.decimals,
                "to": field.to,
                "choices": list(field.choices),
                "least": str(field.least) if field.least is not None else None,
                "most": str(field.most) if field.most is not None else None,
                "kept_by": field.kept_by,
                "meaning": field.meaning,
                "synonyms": list(field.synonyms),
            }
            for field in record.fields.values()
        ],
    }
