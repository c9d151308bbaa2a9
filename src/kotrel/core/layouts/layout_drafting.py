"""Drafts a layout from another program's own file: what was seen in it, and what is only supposed, told apart."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Record
from kotrel.core.layouts.column_proposals import draft_column
from kotrel.core.layouts.draft_model import Draft, Drafted
from kotrel.core.layouts.sample import Sample, SampleCell
from kotrel.core.layouts.sample_parts import Parts
from kotrel.core.layouts.sample_values import with_dates, with_numbers, with_yes_no
from kotrel.core.matching.proposing import Proposal
from kotrel.core.phrases import listed
from kotrel.core.tables.table import index_of


def draft(
    sample: Sample,
    parts: Parts,
    record: Record,
    proposals: Sequence[Proposal],
    names: Callable[[str], ListNames],
    template: str = "",
    book: str = "",
) -> Draft:
    """Drafts a layout.

    Args:
        proposals: which column has which field.
        names: record → its codes and names.
        template: where the workbook lies, from the workspace.
        book: what all sheets of the workbook are written as.
    """
    by_place = {index_of(each.column.letter): each for each in proposals}
    rows = [line for line in sample.lines[parts.rows :] if any(cell.text for cell in line)]
    columns = [
        draft_column(sample, parts, rows, place, by_place.get(place), record, names) for place in range(sample.width)
    ]
    settings = _draft_form(sample, parts, template, book)
    columns, dates = with_dates(sample, columns, rows, record, settings)
    columns = with_numbers(sample, columns, rows, record, settings)
    columns = with_yes_no(columns, rows, record, settings)
    questions = [
        f"Column {each.heading.strip() or each.place + 1!s}: {each.why}" for each in columns if each.how == "open"
    ]
    questions += [
        f"Column {each.heading.strip() or each.place + 1!s}: not among ours: {listed(each.unknown)}"
        for each in columns
        if each.unknown and each.how != "open"
    ]
    return Draft(record, sample, parts, settings, tuple(columns), tuple(dates), tuple(questions))


def _draft_form(sample: Sample, parts: Parts, template: str, book: str) -> dict[str, Drafted]:
    """How the file is written, apart from its values."""
    said: dict[str, Drafted] = {}
    if sample.kind == "workbook":
        said["format"] = Drafted("workbook", "seen", "")
        said["sheet"] = Drafted(sample.sheet, "seen", "")
        said["template"] = Drafted(template, "seen", "a copy of it is filled")
        if book:
            said["book"] = Drafted(book, "supposed", "layouts of its other sheets go into the same file")
    else:
        words = {"\t": "tab", ",": "comma", ";": "semicolon", "|": "bar"}
        ends = {"\r\n": "windows", "\n": "unix", "\r": "mac"}
        ending = sample.path.suffix.lstrip(".").lower()
        said["separator"] = Drafted(words.get(sample.separator, sample.separator), "seen", "")
        said["encoding"] = _seen_or_supposed(sample, "encoding", sample.encoding, "no letter shows which")
        said["line_end"] = Drafted(ends[sample.line_end], "seen", "")
        said["quotes"] = _seen_or_supposed(sample, "quotes", sample.quotes, "no value has quotes")
        if ending and re.fullmatch(r"\w{1,10}", ending) and ending != "csv":
            said["ending"] = Drafted(ending, "seen", "")
    if parts.headings is None:
        said["headings"] = Drafted(False, "supposed", "the first line has numbers or days")
        return said
    if parts.headings:
        above = [
            [cell.text for cell in line[: sample.counts[at]]] if sample.counts else _texts(line)
            for at, line in enumerate(sample.lines[: parts.headings])
        ]
        said["lines_above"] = Drafted(above, "seen", "")
    if parts.rows > parts.headings + 1:
        below = [_texts(line) for line in sample.lines[parts.headings + 1 : parts.rows]]
        said["heading_lines"] = Drafted(below, "supposed", "; ".join(dict.fromkeys(parts.why.values())))
    return said


def _seen_or_supposed(sample: Sample, name: str, value: str, otherwise: str) -> Drafted:
    return Drafted(value, "seen", "") if name in sample.seen else Drafted(value, "supposed", otherwise)


def _texts(line: Sequence[SampleCell]) -> list[str]:
    texts = [cell.text for cell in line]
    while texts and not texts[-1]:
        texts.pop()
    return texts
