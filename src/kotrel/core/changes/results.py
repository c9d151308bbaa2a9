"""A program's result file → what it says of each row that was sent to it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import polars as pl
from msgspec import Struct, field

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field, Record
from kotrel.core.phrases import listed_and
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.similarity import folded
from kotrel.core.values.same_writing import form_of

NAME = "result"
"""What a saved mapping calls the record of a result file."""
WORDS = {
    "done": ("done", "ok", "okay", "yes", "accepted", "success", "successful", "created", "updated", "changed", "new", "imported",
             "loaded", "withdrawn", "archived", "unchanged", "0", "1", "true"),
    "warning": ("warning", "warn", "accepted with warning", "done with a warning", "ok with warning", "notice"),
    "not yet": ("not yet", "pending", "queued", "waiting", "open", "in progress", "processing", "running", "received", "in work"),
    "refused": ("refused", "error", "err", "rejected", "failed", "failure", "not accepted", "no", "invalid", "skipped", "false"),
}  # fmt: skip
"""Outcome → the words that programs have for it; a saved mapping translates others."""
_OUTCOME = {folded(word): outcome for outcome, words in WORDS.items() for word in words if word not in ("0", "1")}
_WORST = ("done", "warning", "refused")


def result_record(of: Sequence[Record], headings: Sequence[str]) -> Record:
    """The record of a result file.

    Args:
        of: the records that were sent: a result names their rows by their keys.
        headings: what the layouts call those keys.
    """
    called = [
        name for record in of for name in (record.fields[record.code].title, *record.fields[record.code].synonyms)
    ]
    synonyms = tuple(dict.fromkeys(name.lower() for name in ("code", "item", *headings, *called)))
    fields = [
        Field("key", "Key", "text", length=200, synonyms=synonyms),
        Field("outcome", "Outcome", "text", length=60, synonyms=("result", "status", "state")),
        Field("message", "Message", "text", synonyms=("reason", "error", "text", "remark", "message text", "reasons")),
        Field("advice", "Advice", "text", synonyms=("what to do", "hint")),
        Field(
            "number",
            "Number",
            "text",
            length=60,
            synonyms=("id", "new number", "given number", "number given", "internal number"),
        ),
        Field("reference", "Reference", "text", length=80, synonyms=("ref", "batch", "upload", "file")),
    ]
    return Record(NAME, "Result", ("key",), {each.name: each for each in fields})


class RowAnswer(Struct, frozen=True):
    """What the program says of one row of a load: ``done``, ``warning`` or ``refused``, why,
    and the number that it gave.
    """

    line: int
    outcome: str
    message: str | None = None
    number: str | None = None


class Answers(Struct):
    """What a result file says.

    Attributes:
        unmentioned: rows of the load that it says nothing of.
        pending: rows of which it says that the program has not come to them yet.
        findings: what in it cannot be understood, at its cell.
        sheets: its sheets, each with its findings.
    """

    rows: list[RowAnswer] = field(default_factory=list)
    unmentioned: int = 0
    pending: int = 0
    findings: list[FindingGroup] = field(default_factory=list)
    sheets: list[Rows] = field(default_factory=list)


class Answering(Struct, frozen=True):
    """One sheet of a result file.

    Attributes:
        records: what the upload file held that it answers for; None where that is not known.
        whole: with the others, it answers for all upload files that held these: a line without a key may speak of all
            their rows.
    """

    rows: Rows
    records: frozenset[str] | None = None
    whole: bool = True


class _Sent:
    """The rows that were sent, by their keys as a program may write them."""

    def __init__(self, lines: pl.DataFrame, numbers: pl.DataFrame) -> None:
        self.by_number: dict[str, list[int]] = {}
        shared = [name for name in ("record", "key") if name in lines.columns and name in numbers.columns]
        if "key" in shared:
            known = (
                numbers.join(lines, on=shared, how="inner").select("given", "line").drop_nulls().unique().sort("line")
            )
            for given, line in known.iter_rows():
                self.by_number.setdefault(str(given), []).append(line)
        self.by_key: dict[str, list[int]] = {}
        self._alike: dict[str, set[str]] = {}
        for line, key in lines.select("line", "key").iter_rows():
            self.by_key.setdefault(str(key), []).append(line)
            # Of a key of several parts, a program may name one.
            for part in {str(key), *str(key).split(" / ")}:
                self._alike.setdefault(form_of(part), set()).add(str(key))

    def of(self, key: str) -> tuple[list[int], list[str]]:
        """The rows of that key; or none, and the keys that it could be:
        where two of the load could be meant, neither is.
        """
        if key in self.by_key:
            return self.by_key[key], []
        near = sorted(self._alike.get(form_of(key), ()))
        return (self.by_key[near[0]], []) if len(near) == 1 else ([], near)

    @property
    def every(self) -> list[int]:
        return [line for found in self.by_key.values() for line in found]


def no_numbers() -> pl.DataFrame:
    """The numbers that a program has given rows, where it has given none: ``record``, ``key`` and ``given``."""
    return pl.DataFrame(schema=dict.fromkeys(("record", "key", "given"), pl.String))


def answers_in(
    sheets: Sequence[Answering],
    lines: pl.DataFrame,
    references: Sequence[str],
    only_refused: bool,
    numbers: pl.DataFrame | None = None,
) -> Answers:
    """Matches the sheets of result files to the rows of a load, by their keys or by the program's own numbers.

    A line without either speaks of the whole file only where it names the load's reference, or is the only line.
    Where several lines speak of one row, the worst outcome counts, and all reasons stay.

    Args:
        lines: ``line``, ``record`` and ``key`` of the rows that were sent.
        references: what names the load in the program's files.
        only_refused: the files list only what was refused: everything else was taken.
        numbers: ``record``, ``key`` and ``given``: the numbers that the program has given rows until now.
    """
    done, said = Answers(), dict[int, RowAnswer]()
    pending: set[int] = set()
    for sheet in sheets:
        mine = lines if sheet.records is None else lines.filter(pl.col("record").is_in(list(sheet.records)))
        found = _read(
            sheet, _Sent(mine, no_numbers() if numbers is None else numbers), references, only_refused, said, pending
        )
        done.findings += found
        done.sheets.append(sheet.rows.with_findings(found))
    # What it says later of a row that it had not come to is the answer.
    pending -= set(said)
    left = [line for line in lines["line"].to_list() if line not in said and line not in pending]
    if only_refused:
        said |= {line: RowAnswer(line, "done") for line in left}
        left = []
    done.rows, done.unmentioned, done.pending = [said[line] for line in sorted(said)], len(left), len(pending)
    return done


def _read(
    sheet: Answering,
    sent: _Sent,
    references: Sequence[str],
    only_refused: bool,
    said: dict[int, RowAnswer],
    pending: set[int],
) -> list[FindingGroup]:
    """Adds what one sheet says to ``said``, and rows that wait to ``pending``;
    returns what in it cannot be understood.
    """
    rows = sheet.rows
    if "outcome" not in rows.values.columns and not only_refused:
        return [_no_outcome(rows)]
    told: dict[tuple[str, str, str], list[tuple[int, str | None, str]]] = {}
    names = ("key", "outcome", "message", "advice", "number", "reference")
    blank = [pl.lit(None, pl.String).alias(name) for name in names if name not in rows.values.columns]
    answers = rows.values.with_columns(blank).select(ROW, *names)
    for row, key, word, message, advice, number, reference in answers.iter_rows():
        if reference is not None and not any(mine in reference for mine in references):
            told.setdefault(("other-reference", "an answer to something else", "reference"), []).append(
                (row, reference, f"this load went out as {' and '.join(references)}")
            )
            continue
        outcome = _outcome_of(word, only_refused)
        if outcome is None:
            unknown = 'say in the mapping what it means: translate = { … = "done" }, "warning", "refused" or "not yet"'
            told.setdefault(("not-an-outcome", "no outcome", "outcome"), []).append((row, word, unknown))
            continue
        says_so = sheet.whole and (reference is not None or rows.values.height == 1)
        meant = _meant(sent, key, number, says_so, sheet.whole)
        if isinstance(meant, NotMeant):
            told.setdefault(meant[:3], []).append((row, number if meant.name == "number" else key, meant.message))
            continue
        if outcome == "not yet":
            pending.update(meant)
            continue
        why = ". ".join(part.strip().removesuffix(".") for part in filter(None, (message, advice))) or None
        for line in meant:
            said[line] = _worse(said.get(line), RowAnswer(line, outcome, why, number))
    return [
        rows.group("error", kind, title, _own_field(name, rows), cells_of(*zip(*found, strict=True)))
        for (kind, title, name), found in told.items()
    ]


def _no_outcome(rows: Rows) -> FindingGroup:
    words = "no column has the outcome of each row. Name it in a mapping (kotrel map FILE result); or, if the file lists only refused rows, add --only-refused"
    return rows.sheet_finding("error", "no-outcome", "no column for the outcome", words)


def _outcome_of(word: str | None, only_refused: bool) -> str | None:
    if word is None:
        return "refused" if only_refused else None
    return _OUTCOME.get(folded(word))


def _own_field(name: str, rows: Rows) -> str | None:
    return name if name in rows.values.columns else None


class NotMeant(NamedTuple):
    """Why a line of a result speaks of no row: the kind of the finding, its title, the field and the message."""

    kind: str
    title: str
    name: str
    message: str


def _meant(sent: _Sent, key: str | None, number: str | None, says_so: bool, whole: bool) -> list[int] | NotMeant:
    """The lines of the load that a line of a result speaks of.

    Args:
        number: the program's own.
        says_so: without a key, the line speaks of all that was sent.
        whole: the result is of all files that were sent.
    """
    if key is not None:
        lines, near = sent.of(key)
        # What a program calls the key may be its own number.
        lines = lines or (sent.by_number.get(key, []) if not near else [])
        if lines:
            return lines
        words = f"it could be {listed_and(near[:5], 'or')}" if near else "the load sent no such row"
        return NotMeant("not-in-load", "not a row of this load", "key", words)
    if number is not None:
        words = "this is the program's own number, and no earlier result or list connects it with a row. Name the key's column in a mapping, or have the program write the key"
        return sent.by_number.get(number) or NotMeant("not-in-load", "not a row of this load", "number", words)
    if not says_so:
        words = (
            "which row is this? Name the key's column in a mapping, or delete the line if it is not a row"
            if whole
            else "the load went out in several files: which of its rows are meant?"
        )
        return NotMeant("missing", "no key", "key", words)
    return sent.every or NotMeant("not-in-load", "not a row of this load", "key", "the load sent no such row")


def _worse(first: RowAnswer | None, second: RowAnswer) -> RowAnswer:
    if first is None:
        return second
    outcome = max(first.outcome, second.outcome, key=_WORST.index)
    words = list(dict.fromkeys(filter(None, (first.message, second.message))))
    return RowAnswer(first.line, outcome, "; ".join(words) or None, second.number or first.number)
