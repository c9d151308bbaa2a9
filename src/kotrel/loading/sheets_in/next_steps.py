"""What to do next about errors: what settles many at once comes first."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import TYPE_CHECKING

from kotrel.core.loading.load_model import Checked
from kotrel.screen.command_lines import quoted
from kotrel.screen.screen import Screen

if TYPE_CHECKING:
    from kotrel.sheets.marking import Marked


def next_steps(
    checked: Sequence[Checked], marked: Sequence[Marked], args: argparse.Namespace, screen: Screen
) -> list[str]:
    """What helps with the errors that are there: first what settles many at once, then the cells."""
    errors = {
        group.kind: (group, each.rows)
        for each in reversed(checked)
        for group in each.rows.findings
        if group.severity == "error"
    }
    steps: list[str] = []
    if options := _document_options(checked, args):
        steps.append(f"{screen.again(args, 'check', *options)}    for all rows; or add the column to the sheet")
        errors = {kind: found for kind, found in errors.items() if kind not in ("column-missing", "missing")}
    for kind, said in (
        ("column-missing", "says which column has what is missing"),
        ("unread-limit", "says which field has this"),
        ("heading-says", "asks what its heading says"),
        ("labels-of-groups", "asks whether they are to be filled down"),
    ):
        if kind in errors:
            rows = errors[kind][1]
            steps.append(f"{screen.program} map {quoted([rows.table.file])} {rows.record.name}    {said}")
            break
    if "ambiguous-number" in errors:
        steps.append(
            f"{screen.again(args, 'check', '--decimal', 'comma')}    if these numbers have a decimal comma; if not: point"
        )
    if "ambiguous-date" in errors:
        steps.append(
            f"{screen.again(args, 'check', '--dates', 'day')}    if the day comes first in these dates; if not: month"
        )
    if "already-posted" in errors and getattr(args, "only", None) is None:
        steps.append(f"{screen.again(args, 'check', '--only', 'new')}    leaves out what is posted already")
    if "nothing-follows" in errors:
        steps.append(f"{screen.again(args, 'check', '--resume')}    starts what was open before again after the end")
        steps.append(f"{screen.again(args, 'check', '--no-resume')}    leaves those days without a price")
    if "not-on-list" in errors and not getattr(args, "ask", False):
        steps.append(f"{screen.again(args, 'check', '--ask')}    asks what the unknown values mean")
    settled = {
        "column-missing",
        "unread-limit",
        "heading-says",
        "labels-of-groups",
        "ambiguous-number",
        "ambiguous-date",
        "already-posted",
        "nothing-follows",
    }
    if marked:
        steps.append(
            f"fix the coloured cells there, save it, then: {screen.program} check {quoted(copy.path for copy in marked)}"
        )
    elif not steps or set(errors) - settled:
        steps.append(f"fix these cells in the spreadsheet, save it, then: {screen.again(args, 'check')}")
        steps.append(f"{screen.again(args, 'check', '--marked')}    marks them in a copy of the workbook")
    return steps


_OPTIONS = {"warehouse": "CODE", "date": "DATE", "account": "CODE"}
"""Fields of a document that an option may say for all rows of its sheet."""


def _document_options(checked: Sequence[Checked], args: argparse.Namespace) -> list[str]:
    """The options that say what no column of a document has."""
    missing = [
        group.field
        for each in checked
        if each.rows.record.nature == "document" or each.rows.record.part_of is not None
        for group in each.rows.findings
        if group.kind == "column-missing" and group.field in _OPTIONS and getattr(args, group.field, None) is None
    ]
    return [word for name in dict.fromkeys(missing) for word in (f"--{name}", _OPTIONS[str(name)])]
