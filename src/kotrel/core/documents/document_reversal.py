"""Takes documents back: a posted document never changes, so another one posts the reverse of what it posted.

The reverse takes out what the document brought in, value included: 10 @ 8.00 and 5 @ 9.50 are 15 @ 8.50; after 6 have
gone out (51.00), reversing the 5 leaves 4 worth 29.00.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import date, datetime
from functools import cache

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.reversal import UndoConflict
from kotrel.core.columns import ACTION, MESSAGE, ROW, before, decimal_type
from kotrel.core.description.model import Description, Record
from kotrel.core.documents.document_tables import plain_quantity
from kotrel.core.documents.families import Family, families
from kotrel.core.documents.fulfilment import fulfilled_by
from kotrel.core.documents.ledger_posting import place_name, places_before
from kotrel.core.documents.stock_rules import StockRules
from kotrel.core.rows.system_state import Reader
from kotrel.core.stock.sums import PLACE, VALUE_DECIMALS, LedgerQuery, Sums
from kotrel.core.values.dates import moment_text


class Taking(Struct, frozen=True):
    """How documents are to be taken back.

    Attributes:
        day: the date of the reversing documents.
        now: when they are posted, by the clock of the place.
        remark: what their remark says.
        partial: reverse every document that can be reversed, and leave the rest.
    """

    day: date
    now: datetime
    remark: str
    rules: StockRules
    partial: bool = False


class TakenBack(Struct, frozen=True):
    """The reversing documents, what blocks it of others, and what is said of values that had to be put right.

    Attributes:
        numbers: document → the document that takes it back.
    """

    changes: list[RecordChanges]
    blocked_by: list[UndoConflict]
    numbers: Mapping[str, str]
    remarks: list[str]


def taken_back(numbers: Sequence[str], reverses: Mapping[str, str]) -> set[str]:
    """Of documents, those that another one takes back that is itself in force.

    Args:
        reverses: document → the one it takes back.
    """
    by: dict[str, list[str]] = {}
    for number, of in reverses.items():
        by.setdefault(of, []).append(number)

    @cache
    def gone(number: str) -> bool:
        return any(not gone(other) for other in by.get(number, ()))

    return {number for number in numbers if gone(number)}


def is_of_documents(changes: RecordChanges) -> bool:
    """True for what a load did to a document, its lines, its lots or the ledger."""
    return changes.record.is_posted


def reverse_documents(
    done: Sequence[RecordChanges], description: Description, read: Reader, sums: Sums, how: Taking
) -> TakenBack:
    """The reversing documents of all documents that a load posted.

    Args:
        done: what the load did, of documents and the ledger, in its order.
    """
    ledger = description.ledger
    moved = [each for each in done if ledger is not None and each.record.name == ledger.name]
    taken_back = TakenBack([], [], {}, [])
    plans = list(_posted(done, moved, description, read))
    # What one document brings back, another may take out again: only the sum counts.
    every = [movements for _, _, _, movements in plans if movements.height]
    whole = pl.concat(every, how="diagonal") if every else pl.DataFrame()
    for family, mine, numbers, movements in plans:
        blocked = _blocked_by(family, numbers, movements, whole, sums, how)
        # In part, documents that cannot be taken back stay, and what they moved is not to be counted on.
        left = {way.key for way in blocked} if how.partial else set()
        if left and whole.width:
            whole = whole.filter((pl.col("kind") != family.header.name) | ~pl.col("document").is_in(list(left)))
        go = [number for number in numbers if number not in left]
        new = _new_numbers(family, go, set(read(family.header.name, [family.number])[family.number]))
        changes, remarks = _changes(family, mine, moved, new, movements, sums, how)
        taken_back = TakenBack(
            [*taken_back.changes, *changes],
            [*taken_back.blocked_by, *blocked],
            {**taken_back.numbers, **new},
            [*taken_back.remarks, *remarks],
        )
    # Lines before headers would refer to nothing: the order of the load is kept, the ledger last.
    order = list(description.order)
    ordered = sorted(
        taken_back.changes, key=lambda each: (each.record.nature == "ledger", order.index(each.record.name))
    )
    return replace(taken_back, changes=ordered)


def _posted(
    done: Sequence[RecordChanges], moved: Sequence[RecordChanges], description: Description, read: Reader
) -> Iterator[tuple[Family, list[RecordChanges], list[str], pl.DataFrame]]:
    """Of each family: what the load did, the numbers of its documents that still stand, and their movements."""
    for family in families(description):
        names = {record.name for record in family.records}
        mine = [each for each in done if each.record.name in names]
        headers = [each for each in mine if each.record.name == family.header.name]
        if headers:
            numbers = [number for each in headers for number in each.rows_of("new")[family.number]]
            back = taken_back(numbers, reversals(family, read))
            numbers = [number for number in numbers if number not in back]
            yield family, mine, numbers, _movements(moved, family, numbers)


def reversals(family: Family, read: Reader) -> dict[str, str]:
    """Document → the one it takes back, of those that the system holds."""
    if "reverses" not in family.header.fields:
        return {}
    frame = read(family.header.name, [family.number, "reverses"], None, "reverses")
    return dict(frame.iter_rows())


def _new_numbers(family: Family, numbers: Sequence[str], taken_numbers: set[str]) -> dict[str, str]:
    """Document → the number of the one that takes it back: ``ADJ-1`` → ``ADJ-1-R``."""
    length = family.header.fields[family.number].length or 40
    new_numbers: dict[str, str] = {}
    for number in numbers:
        at, free = 1, ""
        while not free or free in taken_numbers:
            end = "-R" if at == 1 else f"-R{at}"
            free = number[: length - len(end)] + end
            at += 1
        taken_numbers.add(free)
        new_numbers[number] = free
    return new_numbers


def _movements(moved: Sequence[RecordChanges], family: Family, numbers: Sequence[str]) -> pl.DataFrame:
    """What the documents posted: the ledger's fields, ``quantity`` and ``value`` as Decimals."""
    wanted = (
        (pl.col(ACTION) == "new") & (pl.col("kind") == family.header.name) & pl.col("document").is_in(list(numbers))
    )
    frames = [
        part.frame.filter(wanted).select(
            ROW,
            *(
                pl.col(name).cast(decimal_type()) if name in ("quantity", "value") else pl.col(name)
                for name in part.fields
            ),
        )
        for part in moved
    ]
    frames = [frame for frame in frames if frame.height]
    if not frames:
        return pl.DataFrame()
    whole = pl.concat(frames, how="diagonal")
    return whole.with_columns(pl.lit(None, pl.String).alias(name) for name in PLACE if name not in whole.columns)


def _blocked_by(
    family: Family, numbers: Sequence[str], movements: pl.DataFrame, whole: pl.DataFrame, sums: Sums, how: Taking
) -> list[UndoConflict]:
    """What keeps documents from being taken back, each with the document it concerns.

    Args:
        movements: of these documents; ``whole`` has those of all documents that are taken back.
    """
    name = family.header.name
    closed = how.rules.closed_until
    if closed is not None and how.day <= closed:
        return [
            UndoConflict(
                name, number, "date", f"{how.day.isoformat()} lies in the closed period until {closed.isoformat()}"
            )
            for number in numbers
        ]
    if not movements.height:
        return []
    if family.header.effect == "none":
        words = "come in for" if family.header.counts_as == "on order" else "gone out for"
        return [
            UndoConflict(
                name,
                number,
                None,
                f"{plain_quantity(gone)} of {item} {'has' if gone == 1 else 'have'} {words} it since: take that back first",
            )
            for number, item, gone in fulfilled_by(movements, whole, sums)
        ]
    on_hand = movements.filter(pl.col("counts_as") == "on hand")
    whole = whole.filter(pl.col("counts_as") == "on hand")
    held = places_before(whole, sums)
    back = whole.group_by(PLACE).agg(-pl.col("quantity").sum().alias("change"))
    back = back.join(held, on=list(PLACE), how="left", nulls_equal=True).with_columns(pl.col("on hand").fill_null(0))
    tracked = pl.col("lot").is_not_null() | pl.col("serial").is_not_null()
    allowed = pl.lit(how.rules.below_zero) & ~tracked
    short = back.filter((pl.col("change") < 0) & (pl.col("on hand") + pl.col("change") < 0) & ~allowed)
    taking = on_hand.filter(pl.col("quantity") > 0).join(short, on=list(PLACE), how="inner", nulls_equal=True)
    found = [
        UndoConflict(name, row["document"], None, _moved_on(row))
        for row in taking.unique(["document", *PLACE], maintain_order=True).iter_rows(named=True)
    ]
    return found or _worth_less(family, on_hand, whole, sums)


def _moved_on(row: dict[str, object]) -> str:
    if row["serial"] or row["lot"]:
        return f"{place_name(row)} has moved: {plain_quantity(row['on hand'])} left there of the {plain_quantity(row['quantity'])} that came in"
    return f"{place_name(row)} holds {plain_quantity(row['on hand'])}, and {plain_quantity(row['quantity'])} would be taken back"


def _worth_less(family: Family, on_hand: pl.DataFrame, whole: pl.DataFrame, sums: Sums) -> list[UndoConflict]:
    """Items whose stock would be left with a value below zero."""
    after = _after(whole, sums).filter((pl.col("quantity") > 0) & (pl.col("value") < 0))
    rows = on_hand.join(after.select("item", pl.col("value").alias("left")), on="item", how="inner")
    rows = rows.unique(["document", "item"], maintain_order=True)
    return [
        UndoConflict(
            family.header.name,
            row["document"],
            None,
            f"{row['item']} would be left with a value of {plain_quantity(row['left'])}: post an adjustment or a revaluation instead",
        )
        for row in rows.iter_rows(named=True)
    ]


def _after(on_hand: pl.DataFrame, sums: Sums) -> pl.DataFrame:
    """``item``, ``quantity`` and ``value`` of the items once all of it is taken back."""
    held = sums(LedgerQuery(["item"], [("item", on_hand["item"].unique())])).select(
        "item", pl.col("quantity").cast(decimal_type()), pl.col("value").cast(decimal_type())
    )
    back = on_hand.select("item", -pl.col("quantity"), -pl.col("value"))
    return pl.concat([held, back]).group_by("item").agg(pl.col("quantity").sum(), pl.col("value").sum())


def _changes(
    family: Family,
    mine: Sequence[RecordChanges],
    moved: Sequence[RecordChanges],
    new: Mapping[str, str],
    movements: pl.DataFrame,
    sums: Sums,
    how: Taking,
) -> tuple[list[RecordChanges], list[str]]:
    """The rows of the reversing documents and of the ledger."""
    changes: list[RecordChanges] = []
    for part in mine:
        record, document = part.record, family.document_of(part.record)
        rows = part.frame.filter((pl.col(ACTION) == "new") & pl.col(document).is_in(list(new)))
        fields = list(part.fields)
        if record.name == family.header.name:
            extra = {"date": pl.lit(how.day.isoformat()), "remark": pl.lit(how.remark), "reverses": pl.col(document)}
            extra = {name: expr for name, expr in extra.items() if name in record.fields}
            rows = rows.with_columns(expr.alias(name) for name, expr in extra.items())
            fields = [name for name in record.fields if name in fields or name in extra]
        rows = rows.with_columns(pl.col(document).replace(new).alias(document))
        if rows.height:
            changes.append(_new_rows(record, part, fields, rows))
    if not movements.height:
        return changes, []
    posted, remarks = _movements_back(family, moved, new, movements, sums, how)
    return [*changes, *posted], remarks


def _movements_back(
    family: Family,
    moved: Sequence[RecordChanges],
    new: Mapping[str, str],
    movements: pl.DataFrame,
    sums: Sums,
    how: Taking,
) -> tuple[list[RecordChanges], list[str]]:
    """The rows of the ledger by which documents are taken back, and where the last of a value goes out with them."""
    wanted = movements.filter(pl.col("document").is_in(list(new)))
    emptied = _after(wanted.filter(pl.col("counts_as") == "on hand"), sums)
    emptied = emptied.filter((pl.col("quantity") == 0) & (pl.col("value") != 0))
    remarks = [
        f"nothing is left of {item}, so its last value of {plain_quantity(round(value, VALUE_DECIMALS))} goes out with it"
        for item, value in emptied.select("item", "value").iter_rows()
    ]
    changes: list[RecordChanges] = []
    for part in moved:
        rows = part.frame.filter((pl.col(ACTION) == "new") & (pl.col("kind") == family.header.name))
        rows = rows.filter(pl.col("document").is_in(list(new)))
        if rows.height:
            stamps = {"date": how.day.isoformat(), "posted_at": moment_text(how.now)}
            rows = _turn_movements(rows, part, emptied).with_columns(
                pl.col("document").replace(new),
                *(pl.lit(text).alias(name) for name, text in stamps.items() if name in part.fields),
            )
            changes.append(_new_rows(part.record, part, list(part.fields), rows))
            emptied = emptied.filter(~pl.col("item").is_in(rows["item"].implode()))
    return changes, remarks


def _turn_movements(rows: pl.DataFrame, changes: RecordChanges, emptied: pl.DataFrame) -> pl.DataFrame:
    """Movements with the other sign; what nothing is left of takes its last value along, in its last row."""
    rest = rows.select("item").join(
        emptied.select("item", pl.col("value").alias("rest")), on="item", how="left", maintain_order="left"
    )
    here = pl.col("counts_as") == "on hand"
    last = rows.select(here & (here.cast(pl.UInt32).cum_sum(reverse=True).over("item") == 1)).to_series()
    more = pl.select(
        pl.when(last).then(rest["rest"].fill_null(0)).otherwise(pl.lit(0).cast(decimal_type()))
    ).to_series()
    quantity, value = (changes.record.fields[name].decimals or 0 for name in ("quantity", "value"))
    return rows.with_columns(
        (-pl.col("quantity").cast(decimal_type())).cast(decimal_type(quantity)).cast(pl.String).alias("quantity"),
        (-pl.col("value").cast(decimal_type()) - more).cast(decimal_type(value)).cast(pl.String).alias("value"),
    )


def _new_rows(record: Record, of: RecordChanges, fields: Sequence[str], rows: pl.DataFrame) -> RecordChanges:
    frame = rows.select(
        ROW,
        pl.lit("new").alias(ACTION),
        pl.lit(None, pl.String).alias(MESSAGE),
        *(pl.col(name) for name in fields),
        *(pl.lit(None, pl.String).alias(before(name)) for name in fields),
    )
    return RecordChanges(record, of.file, of.sheet, tuple(fields), frame)
