"""Flat sheets → headers, lines and lots: one document for each number, else one for each warehouse and date."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from datetime import date
from typing import Any

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.model import Description, Record
from kotrel.core.documents.document_reversal import taken_back
from kotrel.core.documents.families import Family, family_of, is_flat
from kotrel.core.documents.targets import to_differences
from kotrel.core.matching.row_choice import choose_rows
from kotrel.core.phrases import count, listed
from kotrel.core.resolving.filling import calculated_in_sheet
from kotrel.core.resolving.repairing import repair
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.load_options import DocumentOptions
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.similarity import folded
from kotrel.core.stock.sums import Sums
from kotrel.core.values.conventions import Conventions


class Shaped(Struct, frozen=True):
    """The rows of one record, and what is said of how they came about."""

    rows: Rows
    remarks: tuple[str, ...] = ()


class Circumstances(Struct, frozen=True):
    """What shaping has to know besides the rows.

    Attributes:
        sums: the system's ledger sums.
        standing: the documents of a header record that the system holds: number and the number it reverses (String).
        conventions: how the sheets are written.
    """

    description: Description
    state: SystemState
    options: DocumentOptions
    today: date
    sums: Sums
    standing: Callable[[Record], pl.DataFrame]
    conventions: Conventions = Conventions()

    @property
    def spellings(self) -> Mapping[str, Mapping[str, str]]:
        return self.conventions.spellings


def shaped(rows: Rows, about: Circumstances) -> list[Shaped]:
    """Rows of a flat sheet as rows of the document's records; other rows as they are, their parts numbered."""
    family = family_of(about.description, rows.record.name)
    if family is None:
        return [Shaped(rows)]
    if not is_flat(rows.record):
        return [_number_lines(rows, family)]
    rows = calculated_in_sheet(rows, about.state.names_of, about.conventions)
    rows, about = _one_document(_with_counted(rows, family, about.options), family, about)
    rows = _with_options(rows, family, about.options)
    parts = [*family.lines.fields, *(family.lots.fields if family.lots else ())]
    of_lines = [name for name in parts if name not in family.header.fields and name != family.line]
    if not any(name in rows.fields for name in of_lines):
        if any(_stated_header(family, about.options).values()):
            rows = _about_options(repair(rows, about.state, about.spellings), family, about.options)
        return [Shaped(_only_fields(rows, family.header, rows.values, alone=True))]
    rows = _about_options(repair(_without_quantity(rows), about.state, about.spellings), family, about.options)
    said: list[str] = []
    if about.options.as_target and "item" in rows.fields:
        rows, said = to_differences(rows, family, about.state, about.sums)
    rows, remarks = _with_numbers(rows, family, about)
    return _split(rows, family, [*said, *remarks])


_COUNTED = frozenset((
    "counted", "count", "counted quantity", "quantity counted", "expected", "expected quantity", "book quantity", "system quantity", "on hand",
    "gezählt", "soll", "ist", "buchbestand", "bestand", "compté", "théorique", "stock théorique", "contado", "esperado", "teórico", "contato",
    "atteso", "teorico", "geteld", "verwacht",
))  # fmt: skip
"""Headings of count sheets: quantities beside them are what is there, not what comes in."""


def _with_counted(rows: Rows, family: Family, options: DocumentOptions) -> Rows:
    """A warning where the sheet of a document that adds to stock looks like a count."""
    if family.header.effect != "in" or options.as_target or "quantity" not in rows.fields:
        return rows
    used = {letter for source in rows.sources.values() for letter in source.columns} | set(rows.letters.values())
    odd = [column for column in rows.table.columns if column.letter not in used and folded(column.heading) in _COUNTED]
    if not odd:
        return rows
    said = listed([f"“{column.heading}”" for column in odd], 3)
    message = (
        f"the sheet also has {said}, as a count has, and this {family.header.title.lower()} adds its quantities to what is on hand. "
        "If they are what was counted: --as-target posts the difference, or kotrel count freeze begins a count"
    )
    found = rows.sheet_finding(
        "warning", "counted-quantities", "perhaps counted quantities", message, odd[0].letter, odd[0].heading
    )
    return rows.with_findings([found])


def _one_document(rows: Rows, family: Family, about: Circumstances) -> tuple[Rows, Circumstances]:
    """An error where one number is given for a sheet with several warehouses: a document has one of them."""
    number, warehouse = about.options.number, "warehouse"
    if (
        number is None
        or family.number in rows.letters
        or warehouse not in family.header.fields
        or warehouse not in rows.letters
    ):
        return rows, about
    named = (
        repair(rows, about.state, about.spellings, [warehouse])
        .values[warehouse]
        .drop_nulls()
        .unique(maintain_order=True)
    )
    if len(named) < 2:
        return rows, about
    message = (
        f"--number {number} is for one document, and the sheet has {count(len(named), 'warehouse')}: "
        f"{listed(named.to_list(), 3)}. Leave it out: each warehouse then gets its own document"
    )
    finding = rows.sheet_finding(
        "error",
        "one-document",
        "one number for several documents",
        message,
        rows.letters[warehouse],
        rows.heading(warehouse),
    )
    return rows.with_findings([finding]), replace(about, options=replace(about.options, number=None))


def _without_quantity(rows: Rows) -> Rows:
    """The rows without those that have no quantity: nothing is counted there, which is not zero. That is a warning."""
    if "quantity" not in rows.fields:
        return rows
    other = [name for name in ("lot", "serial") if name in rows.fields]
    blank = rows.values.select(
        pl.col("quantity").is_null() & pl.all_horizontal(pl.lit(True), *(pl.col(name).is_null() for name in other))
    ).to_series()
    if not blank.any():
        return rows
    cells = cells_of(rows.values[ROW].filter(blank), None, "it has no quantity, which is not zero: the row is left out")
    left = rows.group("warning", "no-quantity", "rows without a quantity, left out", "quantity", cells)
    return rows.only(~blank).with_findings([left])


def _stated_header(family: Family, options: DocumentOptions) -> dict[str, str | None]:
    """Field → what the user said of it."""
    return {
        family.number: options.number,
        "date": options.date,
        "warehouse": options.warehouse,
        "account": options.account,
    }


def _about_options(rows: Rows, family: Family, options: DocumentOptions) -> Rows:
    """Rows, repaired, with a warning for each option that says otherwise than they: what a sheet says counts."""
    findings: list[FindingGroup] = []
    for name, value in _stated_header(family, options).items():
        if value is None or name not in rows.values.columns or name not in rows.letters:
            continue
        own = rows.as_it_stands(name)
        others = own.filter(own.is_not_null() & (rows.values[name] != value))
        if others.len():
            option = "number" if name == family.number else name
            theirs = listed(others.unique(maintain_order=True).to_list(), 3)
            verb = "says" if others.len() == 1 else "say"
            message = f"--{option} {value} applies only to rows without a value, and {count(others.len(), 'row')} of the sheet {verb} {theirs}"
            title = "the sheet's own value is used"
            findings.append(
                rows.sheet_finding("warning", "option-not-used", title, message, rows.letters[name], rows.heading(name))
            )
    return rows.with_findings(findings) if findings else rows


def _with_options(rows: Rows, family: Family, options: DocumentOptions) -> Rows:
    """Blank header fields filled with what the user said on the command line."""
    for name, value in _stated_header(family, options).items():
        if value is None or name not in rows.record.fields:
            continue
        filled = pl.col(name).fill_null(pl.lit(value)) if name in rows.values.columns else pl.lit(value)
        rows = replace(rows, values=rows.values.with_columns(filled.alias(name)))
    return rows


def _with_numbers(rows: Rows, family: Family, about: Circumstances) -> tuple[Rows, list[str]]:
    """Each row with its document's number and date; where the sheet has none, the number is made of warehouse, date and
    whom or where the document is for.
    """
    remarks: list[str] = []
    values = rows.values
    if "date" in family.header.fields and _is_blank(values, "date"):
        day = about.today.isoformat()
        values = values.with_columns(pl.lit(day).alias("date"))
        remarks.append(f"the sheet has no date: posted on {day}, today (--date gives another)")
    if _is_blank(values, family.number):
        made = _made_numbers(values, family)
        every = about.options.as_target  # what is right already is not posted again: any free number will do
        standing = about.standing(family.header)
        others = _with_other_items(values, made, family, about, standing)
        free = _free_numbers(made.unique().drop_nulls().to_list(), standing, every, others)
        values = values.with_columns(made.replace(free).alias(family.number))
    return replace(rows, values=values), remarks


def _made_numbers(values: pl.DataFrame, family: Family) -> pl.Series:
    """A number for each row, which nothing but the row itself decides: the same sheet makes the same ones again."""
    header = family.header
    if "warehouse" in header.fields and "warehouse" not in values.columns:
        # The check says that there is no warehouse; lines and header still belong together.
        return values["date"]
    parts = [name for name in ("warehouse", "date") if name in values.columns]
    number = pl.concat_str([pl.col(name) for name in parts], separator="-")
    partners = [
        name
        for name, field in header.fields.items()
        if field.to is not None
        and field.must == "new"
        and name not in ("warehouse", "account")
        and name in values.columns
    ]
    if partners:
        whole = pl.concat_str([number, *partners], separator="-", ignore_nulls=True)
        fits = whole.str.len_chars() <= (header.fields[family.number].length or 0)
        number = pl.when(number.is_not_null() & fits).then(whole).otherwise(number)
    return values.select(number.alias("made number")).to_series()


def _is_blank(values: pl.DataFrame, name: str) -> bool:
    return name not in values.columns or values[name].null_count() == values.height


def _with_other_items(
    values: pl.DataFrame, made: pl.Series, family: Family, about: Circumstances, standing: pl.DataFrame
) -> set[str]:
    """Posted documents with a number as it is made, or the next ones, that have no item of the sheet: the sheet is
    another one.

    One that shares an item may be the sheet itself, posted before; it keeps its number, so that nothing is posted
    twice.
    """
    if "item" not in values.columns or not standing.height:
        return set()
    numbers = [
        number
        for number in standing["number"]
        if any(number == one or number.startswith(f"{one}-") for one in made.drop_nulls().unique())
    ]
    if not numbers:
        return set()
    document = family.document_of(family.lines)
    there = about.state.having(family.lines, ["item"], document, pl.Series(document, numbers, dtype=pl.String))
    shared = there.filter(pl.col("item").is_in(values["item"].drop_nulls().implode()))[document]
    return (set(numbers) & set(there[document])) - set(shared)


def _free_numbers(
    made: Sequence[str], standing: pl.DataFrame, every: bool = False, others: Collection[str] = ()
) -> dict[str, str]:
    """Number made → the number to use: the next one where all documents of that number are taken back, or simply the
    next.

    Args:
        every: any number that is free will do.
        others: posted documents that are surely not this one.
    """
    taken = set(standing["number"])
    back = taken_back(
        list(taken), dict(standing.filter(pl.col("reverses").is_not_null()).select("number", "reverses").iter_rows())
    )
    numbers: dict[str, str] = {}
    for number in made:
        free, at = number, 1
        while free in taken and (every or free in back or free in others):
            at += 1
            free = f"{number}-{at}"
        numbers[number] = free
    return numbers


LEFT = " (left out)"
"""Behind the number of a document that holds the rows with errors, apart from the good ones."""


def bad_rows_apart(rows: Rows, family: Family, bad: Collection[int], made: pl.DataFrame) -> Rows | None:
    """A flat sheet whose rows with errors are in documents of their own, so that the others can be posted.

    Args:
        bad: the rows with errors.
        made: ``ROW`` and the ``number`` that was made for each row.

    Returns:
        None where no row has to go: a document of which all rows are bad is refused as it is.
    """
    joined = rows.values.select(ROW).join(made.unique(ROW), on=ROW, how="left", maintain_order="left")
    numbers = joined.with_columns(pl.col(ROW).is_in(list(bad)).alias("is bad"))
    mixed = (
        numbers.filter(~pl.col("number").str.ends_with(LEFT))
        .group_by("number")
        .agg(pl.col("is bad").any(), (~pl.col("is bad")).any().alias("some good"))
    )
    apart = mixed.filter(pl.col("is bad") & pl.col("some good"))["number"]
    if not len(apart):
        return None
    leaves = pl.col("is bad") & pl.col("number").is_in(apart.implode())
    numbered = numbers.select(pl.when(leaves).then(pl.col("number") + LEFT).otherwise("number").alias(family.number))
    return replace(rows, values=rows.values.with_columns(numbered.to_series()))


def _split(rows: Rows, family: Family, remarks: list[str]) -> list[Shaped]:
    number, document, line = family.number, family.document_of(family.lines), family.line
    values = rows.values
    counted = (pl.col(ROW).cum_count().over(number)).cast(pl.String)
    own = pl.col(line).fill_null(counted) if line in values.columns else counted
    values = values.with_columns(own.alias(line))
    header = choose_rows(_only_fields(rows, family.header, values), None, [number])
    lines = _only_fields(rows, family.lines, values.with_columns(pl.col(number).alias(document)), rest=True)
    lines = replace(
        lines, letters={**lines.letters, **({document: rows.letters[number]} if number in rows.letters else {})}
    )
    sizes = values.group_by(number, maintain_order=True).len().drop_nulls()
    named = [f"{one} ({count(size, 'line')})" for one, size in sizes.head(3).iter_rows()]
    remarks = [*remarks, f"{count(sizes.height, 'document')}: {listed(named, 3, sizes.height)}"]
    shaped = [Shaped(header), Shaped(lines, tuple(remarks))]
    about_lots = [
        name for name in (family.lots.fields if family.lots else ()) if name in ("lot", "serial", "expires_on")
    ]
    lot_columns = [name for name in about_lots if name in values.columns]
    if family.lots is not None and lot_columns:
        filled = values.select(pl.any_horizontal(pl.col(lot_columns).is_not_null())).to_series()
        if filled.any():
            keys = {
                family.document_of(family.lots): pl.col(number),
                family.line_of_lot: pl.col(line),
                family.lots.key[-1]: pl.lit("1"),
            }
            wide = values.with_columns(expr.alias(name) for name, expr in keys.items())
            shaped.append(Shaped(_only_fields(rows, family.lots, wide, own_fields=lot_columns).only(filled)))
    return shaped


def _of(names: Sequence[str], values: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in values.items() if name in names}


def _only_fields(
    rows: Rows,
    record: Record,
    values: pl.DataFrame,
    rest: bool = False,
    own_fields: Sequence[str] = (),
    alone: bool = False,
) -> Rows:
    """Rows of one record of the document, with its fields, and the findings and repairs on those that are its own.

    Args:
        alone: they are all that the sheet has: headers whose lines are in another sheet.
        rest: take the findings of the header's and the lines' common fields, and those on the whole sheet.
        own_fields: take only the findings of these fields.
    """
    names = [name for name in record.fields if name in values.columns and not record.fields[name].is_kept]
    shared = ("date", "account") if rest else ("warehouse", "to_warehouse", "item", "quantity", "unit", "remark")
    takes: set[str | None] = {*own_fields} if own_fields else {name for name in names if name not in shared}
    if rest and not own_fields:
        # What concerns the whole sheet.
        takes.add(None)
    if alone:
        # A finding in a column that headers do not have concerns the column.
        own = (each if each.field in (None, *record.fields) else replace(each, field=None) for each in rows.findings)
        rows = replace(rows, findings=tuple(own))
    else:
        rows = replace(
            rows,
            findings=tuple(each for each in rows.findings if each.field in takes),
            repairs=tuple(each for each in rows.repairs if each.field in takes),
        )
    return replace(
        rows,
        flat_of="" if alone else rows.record.name,
        record=record,
        values=values.select(ROW, *names),
        letters=_of(names, rows.letters),
        sources=_of(names, rows.sources),
    )


def _number_lines(rows: Rows, family: Family) -> Shaped:
    """Lines and lots with the numbers that Kotrel counts up, where the sheet has no column for them."""
    missing = [
        name for name in rows.record.key if rows.record.fields[name].numbered and name not in rows.values.columns
    ]
    within = [name for name in rows.record.key if name in rows.values.columns]
    if rows.record.name == family.lines.name:
        rows = _without_quantity(rows)
    if rows.record.nature == "document" or not missing or not within:
        return Shaped(rows)
    counted = pl.col(ROW).cum_count().over(within).cast(pl.String)
    return Shaped(replace(rows, values=rows.values.with_columns(counted.alias(missing[0]))))
