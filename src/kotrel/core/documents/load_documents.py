"""The documents of one load: checked as a whole, and what they post to the ledger."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.changes.journal import WHOLE
from kotrel.core.columns import ROW, decimal_type
from kotrel.core.description.model import Description
from kotrel.core.documents.document_checks import Found, check_document_tables
from kotrel.core.documents.document_tables import PART, DocumentTables, document_tables_of, plain_quantity
from kotrel.core.documents.families import Family, families
from kotrel.core.documents.fulfilment import fulfil
from kotrel.core.documents.ledger_posting import MOVEMENT, Posted, places_before, post
from kotrel.core.documents.posted_already import LoadsOf, Standing, check_standing, document_rows_of, standing_numbers
from kotrel.core.documents.posted_lines import check_posted_lines
from kotrel.core.documents.stock_rules import StockRules
from kotrel.core.documents.written_lots import check_written_lots
from kotrel.core.phrases import count
from kotrel.core.rows.findings import cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import Reader, SystemState
from kotrel.core.stock.sums import LedgerQuery, Sums
from kotrel.core.tables.table import Table
from kotrel.core.values.dates import moment_text


class Ledger(Struct, frozen=True):
    """What documents ask the system: ``sums`` and ``loads_of`` are the questions of the same name
    of a look at the system.
    """

    read: Reader
    sums: Sums
    loads_of: LoadsOf


class InDocuments(Struct, frozen=True):
    """The rows of a load with the findings on their documents.

    Attributes:
        parts: as they were given, with the findings added.
        remarks: place in ``parts`` → what is said of them.
        movements: what the documents post, as rows of the ledger.
        totals: kind, warehouse, account, the first and the last day, documents, lines, quantity, value of what is
            posted on hand.
    """

    parts: list[Rows]
    remarks: dict[int, list[str]]
    movements: list[Rows]
    totals: pl.DataFrame


def _totals_kinds() -> dict[str, pl.DataType | type[pl.DataType]]:
    texts = ("kind", "warehouse", "account", "first_day", "last_day")
    counts = ("documents", "lines")
    sums = ("quantity", "value")
    return {
        **dict.fromkeys(texts, pl.String),
        **dict.fromkeys(counts, pl.UInt32),
        **dict.fromkeys(sums, decimal_type()),
    }


def check_documents(
    parts: Sequence[Rows],
    state: SystemState,
    ledger: Ledger,
    rules: StockRules,
    now: datetime,
    only_new: bool,
    new_codes: Collection[str] = (),
    numbers_made: bool | None = None,
) -> InDocuments:
    """Checks the documents of a load and works out their movements.

    Args:
        parts: all rows of the load, checked one by one, in load order.
        now: when it is posted, by the clock of the place.
        only_new: documents that the system holds with the same content are left out instead of refused.
        new_codes: lots and serial numbers that are new, whatever they look like.
        numbers_made: documents without a number got one of Kotrel's; None where what they post is not compared with what
            others posted.
    """
    description = state.description
    done = InDocuments(list(parts), {}, [], pl.DataFrame(schema=_totals_kinds()))
    later: pl.DataFrame | None = None
    # Orders first: goods may come in for an order of the same load.
    for family in sorted(families(description), key=lambda each: each.header.counts_as is None):
        names = {record.name for record in family.records}
        places = [place for place, rows in enumerate(done.parts) if rows.record.name in names]
        if not places:
            continue
        whole = document_tables_of(family, done.parts, places, state)
        known = standing_numbers(whole, ledger.read)
        if only_new and known:
            _leave_out(done, whole, [number for number, how in known.items() if how == "same"])
            known = {number: how for number, how in known.items() if how != "same"}
            whole = document_tables_of(family, done.parts, places, state)
        _add(done, _found_in(whole, known, numbers_made, ledger))
        _add(done, check_document_tables(whole, rules, now.date()))
        whole = _mark_wrong(whole, done.parts)
        if description.ledger is None:
            if whole.family.header.effect != "none":
                done.remarks.setdefault(places[0], []).append(
                    "the system has no ledger that Kotrel knows of: stock is not followed"
                )
            continue
        _add(done, check_written_lots(whole, ledger.sums, new_codes))
        movements = _posted(done, whole, known, description, ledger, rules, later)
        later = movements if later is None else pl.concat([later, movements])
        done = replace(
            done,
            movements=[*done.movements, *_ledger_rows(description, movements, done.parts, now)],
            totals=pl.concat([done.totals, _totals(whole, _without_taken_off_orders(whole, movements))]),
        )
    return done


def _posted(
    done: InDocuments,
    whole: DocumentTables,
    known: dict[str, Standing],
    description: Description,
    ledger: Ledger,
    rules: StockRules,
    later: pl.DataFrame | None,
) -> pl.DataFrame:
    """The movements of the documents of a family, and of what they fulfil; what is wrong with them is added.

    Args:
        later: the movements of the families before, which the system does not have yet.
    """
    posted = post(whole, ledger.sums, rules.below_zero, later)
    _add(done, iter(posted.findings))
    _add(done, _already_there(whole, posted, ledger.sums))
    # A document of which one row is refused posts nothing.
    spoilt = _spoilt(_mark_wrong(whole, done.parts), known)
    movements = posted.movements.filter(~pl.col("document").is_in(spoilt.implode()))
    off = fulfil(whole, description, movements, ledger.sums, later)
    _add(done, iter(off.findings))
    return pl.concat([movements, off.movements])


def _found_in(whole: DocumentTables, known: dict[str, Standing], numbers_made: bool | None, ledger: Ledger) -> Found:
    """What is wrong with documents beside those that the system has."""
    yield from check_standing(whole, known, ledger.loads_of, ledger.read)
    if numbers_made is not None:
        yield from check_posted_lines(whole, known, numbers_made and not _is_numbered(whole), ledger.read)


def _is_numbered(whole: DocumentTables) -> bool:
    """Whether a sheet gives the numbers of its documents."""
    number, header = whole.family.number, whole.family.header.name
    return any(number in rows.letters or number in rows.sources for rows in whole.parts if rows.record.name == header)


def _add(done: InDocuments, found: Found) -> None:
    for place, group in found:
        done.parts[place] = done.parts[place].with_findings([group])


def _leave_out(done: InDocuments, whole: DocumentTables, numbers: Sequence[str]) -> None:
    """Leaves out the documents with these numbers, and counts them."""
    if not numbers:
        return
    for index, rows in document_rows_of(whole, numbers).items():
        part = done.parts[index]
        done.parts[index] = part.only(~part.values[ROW].is_in(rows.implode()))
        if part.record.name == whole.family.header.name:
            words = (
                f"left out, because they are posted already with the same content: {count(len(numbers), 'document')}"
            )
            done.remarks.setdefault(index, []).append(words)


def _mark_wrong(whole: DocumentTables, parts: Sequence[Rows]) -> DocumentTables:
    """The documents with the rows marked that have an error by now."""

    def marked(table: pl.DataFrame) -> pl.DataFrame:
        if not table.height:
            return table
        wrong = [
            pl.DataFrame({PART: [place], ROW: [parts[place].refused]}).explode(ROW) for place in table[PART].unique()
        ]
        bad = pl.concat(wrong).drop_nulls().with_columns(pl.lit(True).alias("now wrong"), pl.col(PART).cast(pl.Int32))
        bad = bad.with_columns(pl.col(ROW).cast(pl.UInt32))
        joined = table.join(bad, on=[PART, ROW], how="left", maintain_order="left")
        return joined.with_columns(pl.col("now wrong").fill_null(False).alias("has error")).drop("now wrong")

    return replace(whole, headers=marked(whole.headers), lines=marked(whole.lines), lots=marked(whole.lots))


def _spoilt(whole: DocumentTables, known: Mapping[str, object]) -> pl.Series:
    """The documents that post nothing: one of their rows has an error, they are posted already,
    or have no header here.
    """
    tables = [whole.headers, whole.lines, *([whole.lots] if whole.lots.height else [])]
    refused = pl.concat([table.filter("has error").select("document") for table in tables]).drop_nulls()["document"]
    no_header = whole.lines["document"].filter(
        ~whole.lines["document"].is_in(whole.headers["document"].drop_nulls().implode())
    )
    return pl.concat([refused, pl.Series("document", list(known), dtype=pl.String), no_header]).unique()


def _already_there(whole: DocumentTables, posted: Posted, sums: Sums) -> Found:
    """Serial numbers that are in stock already; and opening stock that adds to what is there."""
    family, moves = whole.family, posted.movements
    if family.header.effect != "in" or not moves.height:
        return
    serials = moves.filter(pl.col("serial").is_not_null() & (pl.col("quantity") > 0))
    if serials.height:
        balances = sums(LedgerQuery(["item", "serial", "warehouse"], [("item", serials["item"].unique())]))
        balances = balances.filter(pl.col("serial").is_not_null() & (pl.col("quantity").cast(decimal_type(6)) > 0))
        # One that goes out in the same sheet may come in again.
        net = moves.filter(pl.col("serial").is_not_null()).group_by("item", "serial").agg(pl.col("quantity").sum())
        serials = serials.join(
            net.filter(pl.col("quantity") > 0), on=["item", "serial"], how="semi", maintain_order="left"
        )
        on_hand = serials.join(
            balances.select("item", "serial", pl.col("warehouse").alias("there")),
            on=["item", "serial"],
            maintain_order="left",
        ).unique([PART, ROW], keep="first", maintain_order=True)
        if on_hand.height:
            messages = [f"it is in stock already, in {place}" for place in on_hand["there"]]
            yield from _on_lots(
                whole, "error", "serial-in-stock", "serial numbers that are in stock", on_hand, messages
            )
    if not any("opening balance" in allowed for allowed in family.header.needs.values()):
        return
    where = ["item", "warehouse"]
    before = places_before(moves, sums).group_by(where).agg(pl.col("on hand").sum()).filter(pl.col("on hand") != 0)
    added = moves.group_by(where).agg(pl.col("quantity").sum().alias("added"))
    adds = moves.unique([PART, ROW], keep="first", maintain_order=True)
    adds = adds.join(before, on=where, how="inner", nulls_equal=True, maintain_order="left")
    adds = adds.join(added, on=where, how="left", nulls_equal=True, maintain_order="left")
    if adds.height:
        messages = [
            f"{row['item']} in {row['warehouse']}: {plain_quantity(row['on hand'])} on hand now, {plain_quantity(row['added'])} added, "
            f"{plain_quantity(row['on hand'] + row['added'])} afterwards"
            for row in adds.iter_rows(named=True)
        ]
        yield from whole.findings("warning", "adds-to-stock", "adds to what is on hand", "quantity", adds, messages)


def _on_lots(
    whole: DocumentTables, severity: str, kind: str, title: str, bad: pl.DataFrame, messages: list[str]
) -> Found:
    """Findings on the lots of lines; where a flat sheet has both in one row, that is the same row."""
    lots = whole.lots.select(pl.col(PART).alias("lot part"), pl.col(ROW).alias("lot row"), "document", "line", "serial")
    joined = bad.join(lots, on=["document", "line", "serial"], how="left", maintain_order="left")
    at = joined.select(pl.coalesce("lot part", PART).alias(PART), pl.coalesce("lot row", ROW).alias(ROW))
    yield from whole.findings(severity, kind, title, "serial", at, messages)  # type: ignore[arg-type]


def _ledger_rows(description: Description, movements: pl.DataFrame, parts: Sequence[Rows], now: datetime) -> list[Rows]:
    """Movements as rows of the ledger, for each sheet that causes them."""
    ledger = description.ledger
    assert ledger is not None
    ledger_parts: list[Rows] = []
    movements = movements.with_columns(pl.lit(moment_text(now)).alias("posted_at"))
    for (place,), group in movements.group_by(PART, maintain_order=True):
        table = parts[int(str(place))].table
        names = [name for name in (*MOVEMENT, "posted_at") if name in ledger.fields]
        texts = [
            pl.col(name)
            .round(ledger.fields[name].decimals or 0, mode="half_away_from_zero")
            .cast(decimal_type(ledger.fields[name].decimals or 0))
            .cast(pl.String)
            .alias(name)
            if name in ("quantity", "value")
            else pl.col(name)
            for name in names
        ]
        values = group.select(ROW, *texts)
        ledger_parts.append(Rows(Table(*table.origin, 0, (), values.select(ROW), {}), ledger, {}, values))
    return ledger_parts


def _without_taken_off_orders(whole: DocumentTables, movements: pl.DataFrame) -> pl.DataFrame:
    """Movements without what lines take off the orders of other documents."""
    return movements.filter(pl.col("counts_as") == (whole.family.header.counts_as or "on hand"))


def _totals(whole: DocumentTables, movements: pl.DataFrame) -> pl.DataFrame:
    if "amount" in whole.lines.columns:
        # Orders move no stock; their value is what they amount to.
        amount = (
            pl.col("amount")
            .cast(decimal_type(), strict=False)
            .fill_null(pl.col("number") * pl.col("price").cast(decimal_type(), strict=False))
        )
        amounts = whole.lines.select(PART, ROW, amount.alias("value"))
        movements = movements.drop("value").join(amounts, on=[PART, ROW], how="left", maintain_order="left")
    said = (
        pl.col(name) if name in whole.headers.columns else pl.lit(None, pl.String).alias(name)
        for name in ("account", "date")
    )
    headers = whole.headers.select("document", *said).unique("document", keep="first").rename({"date": "posted on"})
    rows = movements.join(headers, on="document", how="left", maintain_order="left")
    grouped = rows.group_by("kind", "warehouse", "account", maintain_order=True).agg(
        pl.col("posted on").min().alias("first_day"),
        pl.col("posted on").max().alias("last_day"),
        pl.col("document").n_unique().alias("documents"),
        pl.struct("document", "line").n_unique().alias("lines"),
        pl.col("quantity").sum(),
        pl.col("value").sum(),
    )
    return grouped.select(pl.col(name).cast(kind) for name, kind in _totals_kinds().items())


def refuse_whole(family: Family, parts: Sequence[Rows], places: Sequence[int], state: SystemState) -> list[Rows] | None:
    """The parts with an error on every row of a document that has one: a document is posted whole or not at all.

    Returns:
        None where nothing is to be refused besides.
    """
    whole = document_tables_of(family, parts, places, state)
    tables = [whole.headers, whole.lines, *([whole.lots] if whole.lots.height else [])]
    spoilt = set(pl.concat([table.filter("has error").select("document") for table in tables]).drop_nulls()["document"])
    done = list(parts)
    changed = False
    for index, rows in document_rows_of(whole, sorted(spoilt)).items():
        part = done[index]
        lost = rows.filter(~rows.is_in(part.refused.implode()))
        if len(lost):
            changed = True
            message = f"another row of this document is refused: a document is posted {WHOLE}"
            group = part.group("error", "row-refused", "refused with its document", None, cells_of(lost, None, message))
            done[index] = part.with_findings([group])
    return done if changed else None
