"""``kotrel records``: shows what the connected system takes."""

from __future__ import annotations

import argparse

from kotrel.commands._shared import workspace_of
from kotrel.reports.descriptions import record_json, records_json, show_record, show_records
from kotrel.reports.screen import Screen
from kotrel.stages.file_options import record_named

EXAMPLE = """\
kotrel records
    the record types, in load order
kotrel records item
    the fields of an item: which must be filled, and what each may hold"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("record", nargs="?", metavar="RECORD", help="a record, to see its fields")


def run(args: argparse.Namespace, screen: Screen) -> int:
    description = workspace_of(args).description
    if args.record is None:
        screen.json(records_json(description)) if screen.as_json else show_records(screen, description)
    else:
        record = record_named(description, args.record)
        screen.json(record_json(record)) if screen.as_json else show_record(screen, record)
    return 0
