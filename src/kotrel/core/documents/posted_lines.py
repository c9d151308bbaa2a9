"""Lines that a document posted already under another number: the same sheet, loaded on another day, counts twice."""

from __future__ import annotations

from collections.abc import Collection

import polars as pl

from kotrel.core.columns import ROW, decimal_type
from kotrel.core.documents.document_checks import Found
from kotrel.core.documents.document_reversal import reversals
from kotrel.core.documents.document_tables import PART, DocumentTables
from kotrel.core.documents.families import Family
from kotrel.core.rows.findings import Severity
from kotrel.core.rows.system_state import Reader

_PLACE = ("item", "warehouse", "bin", "to_warehouse", "to_bin", "unit")
"""What two lines have in common that are the same, besides their quantity and their lots."""


def check_posted_lines(whole: DocumentTables, known: Collection[str], made: bool, read: Reader) -> Found:
    """Lines that another document has posted, with the same quantity at the same place.

    Half the lines of an opening stock are enough to doubt all of it: it is entered once. Other documents may well say the
    same again, and are doubted only as a whole; where somebody gave them a number, only if that can hardly be by chance.

    Args:
        known: the numbers that the system holds: another check speaks of these documents.
        made: Kotrel made the numbers, of the day among others: the same sheet has another one tomorrow.
    """
    family = whole.family
    opens = any("opening balance" in allowed for allowed in family.header.needs.values())
    lines = whole.lines.filter(
        ~pl.col("document").is_in(list(known)) & pl.col("item").is_not_null() & pl.col("number").is_not_null()
    )
    if not lines.height:
        return
    again = _again(whole, lines, read)
    again = _of_same_partners(whole, again, read) if again.height else again
    if not again.height:
        return
    bad = again.join(_doubtful(lines, again, opens, made), on=["document", "other"], how="semi")
    bad = bad.unique([PART, ROW], keep="first").sort(PART, ROW)
    if not bad.height:
        return
    sure = opens and made
    severity: Severity = "error" if sure else "warning"
    advice = (
        "leave it out; or, if it is more of the same, give this document a number"
        if sure
        else "is it more of the same?"
    )
    messages = [f"{other} has the same line, and posted again it counts twice: {advice}" for other in bad["other"]]
    title = "the same lines are posted already"
    yield from whole.findings(severity, "lines-posted", title, "quantity", bad, messages)


def _of_same_partners(whole: DocumentTables, again: pl.DataFrame, read: Reader) -> pl.DataFrame:
    """What is again in a document for the same vendor, customer or warehouse: two customers may order the same."""
    header, number = whole.family.header, whole.family.number
    partners = [name for name, field in header.fields.items() if field.to is not None and not field.is_kept]
    partners = [name for name in partners if name != "account"]
    held = read(header.name, [number, *partners], (number, again["other"].unique()))
    mine = whole.headers.select("document", *partners).unique("document", keep="first")
    same = again.join(mine, on="document", how="inner").join(
        held.rename({number: "other"}), on=["other", *partners], how="semi", nulls_equal=True
    )
    return same.select(again.columns)


HARDLY_BY_CHANCE = 3
"""Lines that two documents do not have in common by chance."""


def _doubtful(lines: pl.DataFrame, again: pl.DataFrame, opens: bool, made: bool) -> pl.DataFrame:
    """Each document with the other one that has most of its lines, where these are enough to doubt it."""
    total = lines.group_by("document").agg(pl.len().alias("lines"))
    found = again.group_by("document", "other").agg(pl.struct(PART, ROW).n_unique().alias("found"))
    found = found.join(total, on="document").sort("found", "other", descending=[True, False])
    enough = 2 * pl.col("found") >= pl.col("lines") if opens else pl.col("found") == pl.col("lines")
    if not (opens or made):
        enough = enough & (pl.col("lines") >= HARDLY_BY_CHANCE)
    return found.filter(enough).unique("document", keep="first", maintain_order=True)


def _again(whole: DocumentTables, lines: pl.DataFrame, read: Reader) -> pl.DataFrame:
    """``document``, ``other``, :data:`PART` and ``ROW`` of each line and each document in force that has the same."""
    family = whole.family
    document, line = family.document_of(family.lines), family.line
    same = [name for name in _PLACE if name in family.lines.fields and name in lines.columns]
    items = lines["item"].unique()
    held = read(family.lines.name, [document, line, *same, "quantity"], ("item", items))
    reverses = reversals(family, read)
    gone = [*reverses, *reverses.values()]
    held = held.filter(pl.col("item").is_in(items.implode()) & ~pl.col(document).is_in(gone))
    if not held.height:
        return pl.DataFrame(schema={"document": pl.String, "other": pl.String, PART: pl.Int32, ROW: pl.UInt32})
    number = pl.col("quantity").cast(decimal_type(), strict=False).alias("number")
    held = held.select(pl.col(document).alias("document"), pl.col(line).alias("line"), *same, number)
    held = _with_lots(held, family, read).rename({"document": "other"}).drop("line")
    mine = lines.select("document", "line", PART, ROW, *same, "number")
    mine = mine.join(_signatures(whole.lots), on=["document", "line"], how="left", maintain_order="left")
    return mine.join(held.unique(), on=[*same, "number", "lots"], how="inner", nulls_equal=True).select(
        "document", "other", PART, ROW
    )


def _with_lots(held: pl.DataFrame, family: Family, read: Reader) -> pl.DataFrame:
    """The system's lines with their lots as :func:`_signatures` gives them."""
    if family.lots is None:
        return held.with_columns(pl.lit(None, pl.String).alias("lots"))
    document = family.document_of(family.lots)
    wanted = [
        document,
        family.line_of_lot,
        *(name for name in ("lot", "serial", "quantity") if name in family.lots.fields),
    ]
    lots = read(family.lots.name, wanted, (document, held["document"].unique()))
    lots = lots.rename({document: "document", family.line_of_lot: "line"})
    lots = lots.with_columns(pl.col("quantity").cast(decimal_type(), strict=False).alias("number"))
    return held.join(_signatures(lots), on=["document", "line"], how="left", maintain_order="left")


def _signatures(lots: pl.DataFrame) -> pl.DataFrame:
    """``document``, ``line``, and all lots of the line as one text, in order."""
    if not lots.width:
        return pl.DataFrame(schema=dict.fromkeys(("document", "line", "lots"), pl.String))
    names = [name for name in ("lot", "serial") if name in lots.columns]
    each = pl.concat_str(
        [*(pl.col(name).fill_null("") for name in names), pl.col("number").cast(pl.String)], separator="\x1f"
    )
    return lots.group_by("document", "line").agg(each.sort().str.join("\x1e").alias("lots"))
