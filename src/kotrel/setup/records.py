"""``kotrel records``: what the connected system accepts: record types, and one record's fields."""

from __future__ import annotations

import argparse
from collections.abc import Iterator, Sequence
from typing import Any

from rich.text import Text

from kotrel.core.description.in_words import rules, what
from kotrel.core.description.model import Description, Record
from kotrel.core.phrases import listed
from kotrel.loading.file_options import record_named
from kotrel.loading.opening import workspace_of
from kotrel.screen.listing import listing
from kotrel.screen.screen import Screen


def show_records(screen: Screen, description: Description) -> None:
    """Record types in load order."""
    screen.show(Text(description.title, style="bold").append(" accepts these records, in load order:", style=""))
    table = listing(("", "record", "title", "key", "fields", "refers to"), right=("", "fields"))
    for index, record in enumerate(description.in_load_order(), start=1):
        targets = list(dict.fromkeys(str(field.to) for field in record.references))
        table.add_row(
            str(index),
            Text(record.name, style="bold"),
            record.title,
            ", ".join(record.key),
            str(len(record.fields)),
            listed(targets, 8),
        )
    richest = max(description.records.values(), key=lambda record: len(record.fields))
    screen.show(table, Text(f"Next: {screen.program} records {richest.name}    shows its fields", style="dim"))


def show_record(screen: Screen, record: Record) -> None:
    """One record's fields."""
    screen.show(Text(record.title, style="bold").append(f" ({record.name}) · key {', '.join(record.key)}", style=""))
    if record.meaning:
        screen.show(Text(record.meaning, style="dim"))
    for group in record.also_known_by:
        screen.show(Text(f"also found by {' with '.join(group)}", style="dim"))
    for group in record.together:
        screen.show(Text(f"all or none: {', '.join(group)}", style="dim"))
    for rule in _rules(record):
        screen.show(Text(rule, style="dim"))
    table = listing(("field", "heading", "must", "kind", "rules"))
    for field in record.fields.values():
        must = {"always": "always", "new": "if new", "may": ""}[field.must]
        if field.is_kept:
            must = "never"
        style = "bold" if field.must != "may" else "dim" if field.is_kept else ""
        table.add_row(Text(field.name, style=style), field.title, must, Text(what(field)), Text(rules(field)))
    screen.show(Text(""), table)


def _rules(record: Record) -> Iterator[str]:
    """The rules that look at several fields, in words."""
    for group in record.exactly_one:
        yield f"exactly one of {', '.join(group)}"
    for low, high in record.in_order:
        yield f"{low} never {'after' if record.fields[low].kind == 'date' else 'above'} {high}"
    for group in record.unique_together:
        yield f"unique together: {', '.join(group)}"
    for first, second in record.circles:
        yield f"no circles from {first} through {second}"
    for (reference, name), allowed in record.needs.items():
        yield f"{name} of the {reference} must be {' or '.join(allowed)}"


def records_json(description: Description, records: Sequence[Record]) -> dict[str, Any]:
    """Records with their fields as ``--json`` gives them: all of them, or the one that is asked for."""
    return {
        "system": description.title,
        "records": [
            {
                "record": record.name,
                "title": record.title,
                "key": list(record.key),
                "refers_to": sorted({str(field.to) for field in record.references}),
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
            for record in records
        ],
    }


EXAMPLE = """\
kotrel records
    the record types, in load order
kotrel records item
    the fields of an item: which are required, and what each may hold"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("record", nargs="?", metavar="RECORD", help="a record, to see its fields")


def run(args: argparse.Namespace, screen: Screen) -> int:
    description = workspace_of(args, screen).description
    record = record_named(description, args.record) if args.record else None
    if screen.as_json:
        screen.json(records_json(description, description.in_load_order() if record is None else [record]))
    elif record is None:
        show_records(screen, description)
    else:
        show_record(screen, record)
    return 0
