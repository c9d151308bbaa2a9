"""What must be right of documents: lines, units, lots and serial numbers, items, dates, amounts."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

import polars as pl

from kotrel.core.columns import ROW, decimal_type
from kotrel.core.documents.amounts_per_unit import check_order_prices, far_from_cost
from kotrel.core.documents.document_tables import PART, DocumentTables, plain_quantity
from kotrel.core.documents.stock_rules import NEVER_STOCKED, StockRules
from kotrel.core.expressions.kinds import exact
from kotrel.core.rows.findings import FindingGroup, Severity

Found = Iterator[tuple[int, FindingGroup]]


def check_document_tables(whole: DocumentTables, rules: StockRules, today: date) -> Found:
    """All findings on the documents of one family that need no look at the ledger."""
    yield from _tied(whole)
    yield from _check_closed(whole, rules)
    yield from _items(whole)
    yield from _units(whole)
    yield from _costs(whole)
    yield from check_order_prices(whole)
    yield from _amounts(whole)
    if whole.family.lots is not None:
        yield from _lots(whole, today)
    yield from _twice(whole)


def _tied(whole: DocumentTables) -> Found:
    """A header without lines posts nothing."""
    alone = whole.headers.join(whole.lines.select("document").drop_nulls(), on="document", how="anti")
    alone = alone.filter(pl.col("document").is_not_null())
    if alone.height:
        messages = [f"{number} has no lines" for number in alone["document"]]
        yield from whole.findings("error", "no-lines", "a document without lines", whole.family.number, alone, messages)


def _check_closed(whole: DocumentTables, rules: StockRules) -> Found:
    if rules.closed_until is None or "date" not in whole.headers.columns:
        return
    late = whole.headers.filter(pl.col("date") <= rules.closed_until.isoformat())
    if late.height:
        message = f"the period until {rules.closed_until.isoformat()} is closed (closed_until in kotrel.toml)"
        yield from whole.findings("error", "closed-period", "in a closed period", "date", late, [message] * late.height)


def _items(whole: DocumentTables) -> Found:
    if whole.family.header.effect == "none":
        return
    lines = whole.lines
    for word in NEVER_STOCKED:
        odd = lines.filter(pl.col("item kind") == word)
        if odd.height:
            message = f"it is a {word}: it has no stock"
            yield from whole.findings(
                "error", "not-stocked", "items without stock", "item", odd, [message] * odd.height
            )
    archived = lines.filter(pl.col("item archived") == "yes")
    if archived.height:
        message = "the item is archived: take it out of the archive first, or leave the line out"
        yield from whole.findings("error", "archived", "archived items", "item", archived, [message] * archived.height)


def _units(whole: DocumentTables) -> Found:
    """Quantities in the decimals of their unit, and of the base unit once converted; what was converted is shown."""
    if "quantity" not in whole.family.lines.fields:
        return
    for table in (whole.lines, whole.lots):
        if not table.height:
            continue
        number, decimals = pl.col("number"), pl.col("decimals")
        scaled = number.round(6, mode="half_away_from_zero")
        for size in range(6):
            odd = table.filter((decimals == size) & (scaled != number.round(size, mode="half_away_from_zero")))
            if odd.height:
                messages = [f"{unit} has {size or 'no'} decimals" for unit in odd["unit"]]
                yield from whole.findings(
                    "error", "unit-decimals", "too many decimals for the unit", "quantity", odd, messages
                )
    lines = whole.lines.filter(pl.col("unit") != pl.col("base unit"))
    lines = lines.filter(pl.col("in base").is_not_null() & ~pl.col("has error"))
    for size in range(6):
        fits = pl.col("in base") == pl.col("in base").round(size, mode="half_away_from_zero")
        odd = lines.filter((pl.col("base decimals") == size) & ~fits)
        if odd.height:
            messages = [
                f"{plain_quantity(number)} {unit} are {plain_quantity(base)} {base_unit}, and {base_unit} has {size or 'no'} decimals"
                for number, unit, base, base_unit in odd.select("number", "unit", "in base", "base unit").iter_rows()
            ]
            yield from whole.findings(
                "error", "unit-decimals", "too many decimals for the unit", "quantity", odd, messages
            )
    if lines.height:
        messages = [
            f"{plain_quantity(number)} {unit} = {plain_quantity(base)} {base_unit}"
            for number, unit, base, base_unit in lines.select("number", "unit", "in base", "base unit").iter_rows()
        ]
        yield from whole.findings("note", "converted", "converted to the base unit", "quantity", lines, messages)


def _costs(whole: DocumentTables) -> Found:
    """A cost far from the item's own: a box counted as a piece, or a decimal point moved."""
    if whole.family.header.effect != "in" or "cost" not in whole.family.lines.fields:
        return
    yield from far_from_cost(whole, whole.lines, "cost", "unit cost")
    table = whole.lines
    if whole.family.lines.fields["cost"].must != "may":
        nothing = table.filter((pl.col("unit cost") == exact(0)) & (pl.col("number") > exact(0)))
        if nothing.height:
            message = "a cost of 0 adds quantity without value"
            yield from whole.findings("warning", "zero", "a cost of 0", "cost", nothing, [message] * nothing.height)


def _amounts(whole: DocumentTables) -> Found:
    if not {"price", "amount"} <= set(whole.family.lines.fields):
        return
    decimals = whole.family.lines.fields["amount"].decimals or 0
    price, amount = (pl.col(name).cast(decimal_type(), strict=False) for name in ("price", "amount"))
    right = (pl.col("number") * price).round(decimals, mode="half_away_from_zero")
    table = whole.lines.with_columns(right.alias("right"))
    odd = table.filter(right != amount)
    if odd.height:
        messages = [
            f"{plain_quantity(number)} × {plain_value(price)} = {value:.{decimals}f}"
            for number, price, value in odd.select("number", "price", "right").iter_rows()
        ]
        yield from whole.findings("error", "amount-differs", "not quantity times price", "amount", odd, messages)


def plain_value(value: str | None) -> str:
    """A canonical number without trailing zeros beyond two decimals."""
    if value is None or "." not in value:
        return value or ""
    whole, _, part = value.partition(".")
    return f"{whole}.{part.rstrip('0').ljust(2, '0')}"


def _lots(whole: DocumentTables, today: date) -> Found:
    lines, lots = whole.lines, whole.lots
    keys = ["document", "line"]
    sums = lots.group_by(keys).agg(
        pl.col("number").sum().alias("in lots"), pl.col("number").null_count().alias("unread")
    )
    table = lines.join(sums, on=keys, how="left", maintain_order="left")
    differ = table.filter(
        pl.col("in lots").is_not_null() & (pl.col("unread") == 0) & (pl.col("in lots") != pl.col("number"))
    )
    if differ.height:
        messages = [f"its lots add up to {plain_quantity(total)}" for total in differ["in lots"]]
        yield from whole.findings(
            "error", "lots-differ", "lots that do not add up to their line", "quantity", differ, messages
        )
    for what, title in (("lot", "lot"), ("serial", "serial number")):
        tracked = pl.col(f"item {what}") == "yes"
        given = lots.filter(pl.col(what).is_not_null()).select(*keys, pl.lit(True).alias("given")).unique()
        marked = lines.join(given, on=keys, how="left", maintain_order="left")
        needs = pl.col("given").is_null() & tracked & (pl.col("number") != exact(0))
        missing = marked.filter(needs)
        if missing.height:
            message = f"the item is {what}-tracked: say which {title}s these are"
            yield from whole.findings(
                "error", f"{what}-needed", f"no {title}", "item", missing, [message] * missing.height
            )
        blank = lots.filter(tracked & pl.col(what).is_null()).join(given, on=keys, how="semi")
        if blank.height:
            message = f"this part of the line has no {title}"
            yield from whole.findings("error", f"{what}-needed", f"no {title}", what, blank, [message] * blank.height)
        # Of an item that nobody knows, nobody knows this either.
        untracked = ~tracked.fill_null(False) & pl.col("base unit").is_not_null()
        odd = lots.filter(pl.col(what).is_not_null() & untracked)
        if odd.height:
            message = f"the item is not {what}-tracked: clear the cell, or set {what}_tracked of the item"
            yield from whole.findings(
                "error", f"{what}-not-tracked", f"a {title} of an item without", what, odd, [message] * odd.height
            )
    yield from _serials(whole)
    if whole.family.header.effect == "in":
        past = lots.filter(pl.col("expires_on") < pl.coalesce("date", pl.lit(today.isoformat())))
        if past.height:
            yield from whole.findings(
                "warning", "expired", "expired already", "expires_on", past, ["it has expired already"] * past.height
            )
    bare = lots.filter(pl.col("expires_on").is_not_null() & pl.col("lot").is_null() & pl.col("serial").is_null())
    if bare.height:
        message = "an expiry belongs to a lot or a serial number"
        yield from whole.findings(
            "error", "expiry-alone", "an expiry without a lot", "expires_on", bare, [message] * bare.height
        )


_SEVERAL_SERIALS = r"[0-9]\s*[,;\n]\s*[^\s,;]*[0-9]"


def _serials(whole: DocumentTables) -> Found:
    """Serial numbers are one each, and in stock once: one that goes out may come in again,
    and one that moves may move on.
    """
    serials = whole.lots.filter(pl.col("serial").is_not_null())
    several = serials.filter((pl.col("number") * pl.col("factor")).abs() != exact(1))
    if several.height:
        message = "a serial number is one piece: write each in its own row, with quantity 1"
        yield from whole.findings(
            "error",
            "serial-not-one",
            "serial numbers with a quantity other than 1",
            "serial",
            several,
            [message] * several.height,
        )
    listed = serials.filter(
        ((pl.col("number") * pl.col("factor")).abs() == exact(1)) & pl.col("serial").str.contains(_SEVERAL_SERIALS)
    )
    if listed.height:
        message = "are these several serial numbers? Each is one piece: write each in its own row"
        yield from whole.findings(
            "warning",
            "serial-not-one",
            "perhaps several serial numbers in one cell",
            "serial",
            listed,
            [message] * listed.height,
        )
    # The item of a part without a line is not known: that part has its error already.
    serials = serials.filter(pl.col("item").is_not_null())
    effect = whole.family.header.effect
    if effect == "in":
        # What comes in, less what goes out in the same sheet.
        serials = serials.filter((pl.col("number").sign().sum().over("item", "serial") > 1) & (pl.col("number") > 0))
    elif effect == "move":
        # Whether it is there to move, the balance of its place says.
        ways = [name for name in ("warehouse", "bin", "to_warehouse", "to_bin") if name in serials.columns]
        serials = serials.filter(pl.len().over("item", "serial", *ways) > 1)
    first = serials.unique(["item", "serial"], keep="first", maintain_order=True)
    again = serials.join(
        first.select(PART, ROW, pl.lit(True).alias("is first")), on=[PART, ROW], how="left", maintain_order="left"
    )
    again = again.filter(pl.col("is first").is_null()).join(
        first.select("item", "serial", pl.col(PART).alias("first part"), pl.col(ROW).alias("first row")),
        on=["item", "serial"],
        how="left",
        maintain_order="left",
    )
    if again.height:
        messages = [
            f"also at {whole.parts[part].table.place(row, whole.parts[part].letters.get('serial'))}"
            for part, row in again.select("first part", "first row").iter_rows()
        ]
        yield from whole.findings("error", "serial-twice", "a serial number twice", "serial", again, messages)


def _twice(whole: DocumentTables) -> Found:
    """The same item, warehouse, bin and lot twice in a document adds twice: perhaps a row was copied.

    Two deliveries at two costs are two lines. At one cost they may be; of opening stock they are not. Of orders, issues
    and transfers only a line that is the same in all it says looks like a copied row.
    """
    names = ["document", "item", "warehouse", "bin", "unit", "cost"]
    if whole.family.header.effect != "in":
        names += ["to_warehouse", "to_bin", "number", "price", "amount"]
    fields = [name for name in names if name in whole.lines.columns]
    lots = (
        whole.lots.group_by("document", "line").agg(
            pl.concat_str([pl.col("lot"), pl.col("serial")], separator=" ", ignore_nulls=True)
            .sort()
            .str.join(";")
            .alias("lots")
        )
        if whole.lots.height
        else pl.DataFrame(schema=dict.fromkeys(("document", "line", "lots"), pl.String))
    )
    lines = whole.lines.filter(pl.col("item").is_not_null()).join(
        lots, on=["document", "line"], how="left", maintain_order="left"
    )
    first = lines.unique([*fields, "lots"], keep="first", maintain_order=True)
    again = lines.join(
        first.select(PART, ROW, pl.lit(True).alias("is first")), on=[PART, ROW], how="left", maintain_order="left"
    )
    again = again.filter(pl.col("is first").is_null()).join(
        first.select(*fields, "lots", pl.col(PART).alias("first part"), pl.col(ROW).alias("first row")),
        on=[*fields, "lots"],
        how="left",
        maintain_order="left",
        nulls_equal=True,
    )
    if again.height:
        opening = any("opening balance" in allowed for allowed in whole.family.header.needs.values())
        advice = "put them into one row" if opening else "was a row copied?"
        messages = [
            f"also at {whole.parts[part].table.place(row, whole.parts[part].letters.get('item'))}: both are added; {advice}"
            for part, row in again.select("first part", "first row").iter_rows()
        ]
        severity: Severity = "error" if opening else "warning"
        is_receipt = whole.family.header.effect == "in"
        title = "the same item, warehouse, bin and lot twice" if is_receipt else "the same line twice"
        yield from whole.findings(severity, "place-twice", title, "item", again, messages)
