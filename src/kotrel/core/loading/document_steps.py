"""The steps of the pipeline that see a load's documents as a whole."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.documents.families import Family, families, family_of, is_flat
from kotrel.core.errors import WrongUse
from kotrel.core.loading.load_model import Business, Checked, SheetRows, SystemReader, in_load
from kotrel.core.rows.cells import at_their_cells
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import PendingRows


def shape_parts(parts: Sequence[SheetRows], business: Business, look: SystemReader) -> list[SheetRows]:
    """The parts with flat sheets of documents as headers, lines and lots; in load order.

    Raises:
        WrongUse: something is said of documents, and there are none.
    """
    if not any(_is_of_document(part.rows.record) for part in parts):
        said = business.options.documents
        for option, value in (
            ("number", said.number),
            ("date", said.date),
            ("warehouse", said.warehouse),
            ("account", said.account),
            ("as-target", said.as_target),
        ):
            if value:
                raise WrongUse(
                    f"--{option} is for documents, such as opening stock, and there are none here",
                    "Leave it out. Values of a row have their own columns: kotrel records RECORD lists them.",
                    "wrong-command-line",
                )
        return list(parts)
    # Only for documents: a check of a small list would wait for it.
    from kotrel.core.documents.flat_sheets import Circumstances, shaped

    description = business.description

    def standing(header: Record) -> pl.DataFrame:
        names = [header.key[0], *(["reverses"] if "reverses" in header.fields else [])]
        held = look.read(header.name, names).rename({header.key[0]: "number"})
        return held if "reverses" in held.columns else held.with_columns(pl.lit(None, pl.String).alias("reverses"))

    about = Circumstances(
        description,
        business.state(look, {}),
        business.options.documents,
        business.now.date(),
        look.ledger_sums,
        standing,
        business.conventions,
    )
    done: list[SheetRows] = []
    for part in parts:
        pieces = shaped(part.rows, about)
        # A flat sheet is shown as its lines: they report what was left out of it, not the header.
        told = 1 if len(pieces) > 1 else 0
        remarks = [(*(part.remarks if place == told else ()), *piece.remarks) for place, piece in enumerate(pieces)]
        done.append(replace(part, rows=pieces[0].rows, remarks=remarks[0]))
        done += [SheetRows(piece.rows, said) for piece, said in zip(pieces[1:], remarks[1:], strict=True)]
    order = {name: place for place, name in enumerate(description.order)}
    return sorted(done, key=lambda each: order[each.rows.record.name])


def with_documents(checked: list[Checked], business: Business, look: SystemReader) -> list[Checked]:
    """Checked rows with what is wrong with their documents as a whole, and with the movements that these post."""
    if not any(_is_of_document(each.rows.record) for each in checked):
        return checked
    from kotrel.core.documents.load_documents import Ledger, check_documents

    ledger = Ledger(look.read, look.ledger_sums, look.loads_of)
    only_new = any(
        business.options.of(each.rows.record.name).only == "new"
        for each in checked
        if each.rows.record.nature == "document"
    )
    state = business.state(look, _pending_of(checked))
    done = check_documents(
        [each.rows for each in checked],
        state,
        ledger,
        business.stock,
        business.now,
        only_new,
        business.options.new_codes,
        # What stock is to be is posted as the difference: there is nothing to be posted twice.
        None if business.options.documents.as_target else business.options.documents.number is None,
    )
    again = [
        replace(
            part,
            rows=rows,
            remarks=(*part.remarks, *done.remarks.get(place, ())),
            totals=done.totals if not place else None,
        )
        for place, (part, rows) in enumerate(zip(checked, done.parts, strict=True))
    ]
    again = [replace(each, rows=at_their_cells(each.rows)) if each.consequence is None else each for each in again]
    again = [_said_of_lines_already(each, again) for each in again]
    return [*again, *(Checked(rows, consequence="posted") for rows in done.movements if rows.values.height)]


def _said_of_lines_already(header: Checked, others: Sequence[Checked]) -> Checked:
    """The header of a flat sheet without the errors that its lines have at the same cell: one cause is one finding."""
    rows = header.rows
    if not rows.once or not rows.flat_of:
        return header
    said = {
        (group.kind, group.field, row)
        for part in others
        if part.rows.table is rows.table and not part.rows.once and part.rows.flat_of
        for group in part.rows.findings
        for row in group.cells[ROW]
    }
    kept = []
    for group in rows.findings:
        again = [row for row in group.cells[ROW] if row and (group.kind, group.field, row) in said]
        left = group.cells.filter(~pl.col(ROW).is_in(again)) if again else group.cells
        if left.height:
            kept.append(replace(group, cells=left))
    return replace(header, rows=replace(rows, findings=tuple(kept)))


def _is_of_document(record: Record) -> bool:
    return record.is_posted


def _pending_of(checked: Sequence[Checked]) -> dict[str, PendingRows]:
    """What the load brings of each record, as later rows see it."""
    pending: dict[str, PendingRows] = {}
    for each in checked:
        if each.rows.has_key:
            name = each.rows.record.name
            pending[name] = in_load(each.rows, pending.get(name))
    return pending


def _refused_anew(rows: Rows, new: Rows) -> list[FindingGroup]:
    """What ``new`` says of refused rows and ``rows`` does not say yet."""
    # By identity: two findings are never compared by their tables.
    known = set(map(id, rows.findings))
    return [group for group in new.findings if group.kind == "row-refused" and id(group) not in known]


def whole_documents(
    parts: Sequence[SheetRows], checked: Sequence[Checked], business: Business, look: SystemReader
) -> list[SheetRows] | None:
    """The parts with an error on every row of a document that has one; None where there is no more to refuse.

    Args:
        parts: shaped already, in the order of ``checked`` without consequences.
    """
    from kotrel.core.documents.load_documents import refuse_whole

    own = [each for each in checked if each.consequence is None]
    state = business.state(look, _pending_of(checked))
    rows, changed = [each.rows for each in own], False
    for family in families(business.description):
        names = {record.name for record in family.records}
        places = [place for place, each in enumerate(rows) if each.record.name in names]
        if places and (refused := refuse_whole(family, rows, places, state)) is not None:
            rows, changed = refused, True
    if not changed:
        return None
    return [
        replace(part, rows=part.rows.with_findings(_refused_anew(part.rows, new)))
        for part, new in zip(parts, rows, strict=True)
    ]


def documents_of_good_rows(
    parts: Sequence[SheetRows], checked: Sequence[Checked], business: Business
) -> list[SheetRows] | None:
    """The parts with the bad rows of flat sheets in documents of their own, where Kotrel makes the numbers; None where
    there are none.

    A document with a number of the user's own stays whole.

    Args:
        parts: as they were read, before they were shaped.
        checked: the same, shaped and checked.
    """
    if business.options.documents.number is not None:
        return None
    done: list[SheetRows] = []
    changed = False
    for part in parts:
        rows = part.rows
        family = family_of(business.description, rows.record.name)
        apart = None
        if family is not None and is_flat(rows.record) and family.number not in rows.letters:
            apart = _bad_rows_of(rows, family, [each.rows for each in checked])
        if apart is not None:
            part, changed = replace(part, rows=apart), True
        done.append(part)
    return done if changed else None


def _bad_rows_of(rows: Rows, family: Family, checked: Sequence[Rows]) -> Rows | None:
    """A flat sheet with its bad rows in documents of their own; None where it has none, or no lines were made of it."""
    from kotrel.core.documents.flat_sheets import bad_rows_apart

    same = [each for each in checked if each.table.origin == rows.table.origin]
    bad = {row for each in same if not each.once for row in each.refused}
    document = family.document_of(family.lines)
    made = [
        each.values.select(ROW, pl.col(document).alias("number"))
        for each in same
        if each.record.name == family.lines.name and each.flat_of
    ]
    return bad_rows_apart(rows, family, bad, pl.concat(made)) if made and bad else None
