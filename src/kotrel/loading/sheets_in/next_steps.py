"""What to do next about errors: what settles many at once comes first."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from kotrel.core.loading.load_model import Checked, Preview
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.screen.command_lines import quoted
from kotrel.screen.screen import Screen

if TYPE_CHECKING:
    from kotrel.sheets.marking import Marked


_MAPPED = {
    "heading-twice": "says which of two columns counts",
    "no-key-column": "says which column identifies the rows",
    "column-missing": "says which column has what is missing",
    "unread-limit": "says which field has this",
    "heading-says": "asks what its heading says",
    "labels-of-groups": "asks whether they are to be filled down",
}
"""Kinds of errors that a mapping settles → what ``kotrel map`` does about them; the first that is there is shown."""
_SETTLED_BY_OPTIONS = (
    ("ambiguous-number", ("--decimal", "comma"), "if these numbers have a decimal comma; if not: point"),
    ("ambiguous-date", ("--dates", "day"), "if the day comes first in these dates; if not: month"),
    ("already-posted", ("--only", "new"), "leaves out what is posted already"),
    ("column-moved", ("--since", "none"), "only if these values are meant: compares with the system alone"),
    ("nothing-follows", ("--resume",), "starts what was open before again after the end"),
    ("nothing-follows", ("--no-resume",), "leaves those days without a price"),
    ("not-on-list", ("--ask",), "asks what the unknown values mean"),
)
"""Kinds of errors that an option settles, the option, and what it does."""
_ASKED_ONCE = {"already-posted": "only", "not-on-list": "ask"}
"""Options that are not told again to those who gave them."""


def show_steps(screen: Screen, steps: Sequence[str]) -> None:
    """Shows what to do next, a line for each step."""
    for number, words in enumerate(steps):
        screen.show(f"{'      ' if number else 'Next: '}{words}")


def errors_in(sheets: Sequence[Rows]) -> dict[str, Rows]:
    """The kinds of errors that there are, each with the first sheet that has it."""
    return {group.kind: rows for rows in reversed(sheets) for group in rows.findings if group.severity == "error"}


def next_steps(
    checked: Sequence[Checked], marked: Sequence[Marked], args: argparse.Namespace, screen: Screen
) -> list[str]:
    """What helps with the errors that are there: first what settles many at once, then the cells."""
    sheets = [each.rows for each in checked]
    errors = errors_in(sheets)
    # Rows that are found by another code lack nothing that only new ones need.
    steps = _other_codes_steps(checked, args, screen)
    if options := _document_options(checked, args):
        for_all = f"{screen.again(args, 'check', *options)}    for all rows; or add the column to the sheet"
        others = _other_columns_missing(checked)
        said = {"missing"} if others else {"missing", "column-missing"}
        errors = {kind: rows for kind, rows in errors.items() if kind not in said}
        # Where more is missing, a mapping may find all of it: a column for each warehouse has the quantities, too.
        steps += (
            [*mapping_step(errors, sheets, screen), for_all]
            if others
            else [for_all, *mapping_step(errors, sheets, screen)]
        )
    else:
        steps += mapping_step(errors, sheets, screen)
    steps += [
        f"{screen.again(args, 'check', *option)}    {said}"
        for kind, option, said in _SETTLED_BY_OPTIONS
        if kind in errors and not getattr(args, _ASKED_ONCE.get(kind, ""), None)
    ]
    settled = {*_MAPPED, *(kind for kind, *_ in _SETTLED_BY_OPTIONS)} - {"not-on-list"}
    if marked:
        steps.append(
            f"fix the coloured cells there, save it, then: {screen.program} check {quoted(copy.path for copy in marked)}"
        )
    elif not steps or set(errors) - settled:
        steps.append(f"fix these cells in the spreadsheet, save it, then: {screen.again(args, 'check')}")
        steps.append(f"{screen.again(args, 'check', '--marked')}    marks them in a copy of the workbook")
    return steps


def _other_codes_steps(checked: Sequence[Checked], args: argparse.Namespace, screen: Screen) -> list[str]:
    """How rows are found whose key column holds other codes, such as the vendor's."""
    if getattr(args, "match_on", None):
        return []
    settling = {group.option: group for each in checked for group in each.rows.findings if group.option}
    return [
        f"{screen.again(args, 'check', *option)}    {_what_is_found(option, group)}"
        for option, group in settling.items()
    ]


def _what_is_found(option: Sequence[str], group: FindingGroup) -> str:
    if group.field == option[-1]:
        return "reads such codes as the existing ones"
    if group.kind == "repeats":
        return "finds existing rows by it, and makes codes for the others"
    return f"if the column {group.heading} holds such codes"


def mapping_step(errors: Mapping[str, Rows], sheets: Sequence[Rows], screen: Screen) -> list[str]:
    """The step to a mapping, where one settles the first of the errors.

    Args:
        errors: kinds of errors, each with a sheet that has it.
        sheets: all that was read: where a file has several, the one that is meant is named.
    """
    kind = next((kind for kind in _MAPPED if kind in errors), None)
    if kind is None:
        return []
    rows = errors[kind]
    # A flat sheet is one of whole documents, whichever part of them has the error.
    begun = f"{screen.program} map {quoted([rows.table.file])}"
    beside = {each.table.sheet for each in sheets if each.table.file == rows.table.file}
    where = f" --sheet {quoted([rows.table.sheet])}" if len(beside) > 1 else ""
    steps = [f"{begun} {rows.flat_of or rows.record.name}{where}    {_MAPPED[kind]}"]
    if kind == "no-key-column" and not rows.flat_of and rows.record.part_of is not None:
        what = "reads such rows as whole documents, which Kotrel numbers"
        steps.insert(0, f"{begun} {rows.record.part_of}{where}    {what}")
    return steps


def good_rows_step(preview: Preview, args: argparse.Namespace, screen: Screen) -> list[str]:
    """How the rows without errors are loaded alone, where there are any, and that was not asked for already."""
    if not preview.has_good_rows or getattr(args, "good_rows", False):
        return []
    return [f"{screen.again(args, 'load', '--good-rows')}    loads the good rows and writes the others to a file"]


_OPTIONS = {"warehouse": "CODE", "date": "DATE", "account": "CODE"}
"""Fields of a document that an option may say for all rows of its sheet."""


def _other_columns_missing(checked: Sequence[Checked]) -> bool:
    """Whether a column is missing that no option says."""
    groups = (group for part in checked for group in part.rows.findings)
    return any(group.kind == "column-missing" and group.field not in _OPTIONS for group in groups)


def _document_options(checked: Sequence[Checked], args: argparse.Namespace) -> list[str]:
    """The options that say what no column of a document has."""
    missing = [
        group.field
        for part in checked
        if part.rows.record.nature == "document" or part.rows.record.part_of is not None
        for group in part.rows.findings
        if group.kind == "column-missing" and group.field in _OPTIONS and getattr(args, group.field, None) is None
    ]
    return [word for name in dict.fromkeys(missing) for word in (f"--{name}", _OPTIONS[str(name)])]
