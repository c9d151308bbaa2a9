"""The documents of one load put together: headers, lines and lots from all sheets,
with what the lists say of their items.
"""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

import polars as pl
from msgspec import Struct

from kotrel.core.columns import ROW, decimal_type
from kotrel.core.documents.families import Family
from kotrel.core.expressions.kinds import exact
from kotrel.core.normalizing.date_columns import is_day
from kotrel.core.phrases import plain_number
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState

PART = "part of load"
"""Which rows of the load a line comes from: its place in the list given."""
WRONG = "has error"
ITEM = ("unit", "kind", "archived", "lot_tracked", "serial_tracked", "cost", "price", "description")
"""What is asked of items."""


class DocumentTables(Struct, frozen=True):
    """The rows of one family in a load, each table with :data:`PART`, ``ROW``, :data:`WRONG` and the fields, blank
    where not carried.

    Attributes:
        lines: besides, ``document`` and ``line``; ``base unit``, ``factor`` (base units in one of the unit),
            ``decimals`` of the unit, ``base decimals``; ``in base`` and, of documents with costs, ``line value``
            (Decimals); the header's ``date``; and of the item ``item kind``, ``item archived``, ``item lot``, ``item
            serial``, ``item cost``, ``item price``.
        lots: besides, ``document`` and ``line``; of their line ``item``, ``warehouse``, ``bin``, ``factor``, ``date``
            and so on.
    """

    family: Family
    parts: Sequence[Rows]
    headers: pl.DataFrame
    lines: pl.DataFrame
    lots: pl.DataFrame

    def findings(
        self, severity: Severity, kind: str, title: str, field: str | None, bad: pl.DataFrame, messages: Sequence[str]
    ) -> list[tuple[int, FindingGroup]]:
        """Findings on rows, each with the place of the rows it belongs to.

        Args:
            bad: rows of one of the tables.
            messages: one for each.
        """
        placed: list[tuple[int, FindingGroup]] = []
        marked = bad.select(PART, ROW).with_columns(pl.Series("message", messages, dtype=pl.String))
        for (part,), group in marked.group_by(PART, maintain_order=True):
            index = int(str(part))
            rows = self.parts[index]
            value: pl.Series | None = None
            if field is not None:
                stands = rows.values.select(ROW).hstack([rows.as_it_stands(field)])
                joined = group.select(ROW).join(stands.unique(ROW), on=ROW, how="left", maintain_order="left")
                value = joined["as it stands"]
            cells = cells_of(group[ROW], value, group["message"])
            placed.append((index, rows.group(severity, kind, title, field, cells)))
        return placed


def document_tables_of(
    family: Family, parts: Sequence[Rows], places: Sequence[int], state: SystemState
) -> DocumentTables:
    """The rows of a family with what is known of their items and units.

    Args:
        parts: all rows of the load; ``places`` says which of them are the family's.
    """

    def table(record_name: str, names: Sequence[str], document: str) -> pl.DataFrame:
        frames = []
        for place in places:
            rows = parts[place]
            if rows.record.name != record_name or not rows.has_key:
                continue
            wrong = rows.values[ROW].is_in(rows.refused.implode())
            frames.append(
                _with_sound_days(rows)
                .select(
                    pl.lit(place).alias(PART),
                    ROW,
                    wrong.alias(WRONG),
                    *(
                        pl.col(name) if name in rows.values.columns else pl.lit(None, pl.String).alias(name)
                        for name in names
                    ),
                )
                .with_columns(pl.col(document).alias("document"))
            )
        schema = {PART: pl.Int32, ROW: pl.UInt32, WRONG: pl.Boolean, **dict.fromkeys((*names, "document"), pl.String)}
        return pl.concat(frames) if frames else pl.DataFrame(schema=schema)

    lines_record, lots_record = family.lines, family.lots
    headers = table(family.header.name, list(family.header.fields), family.number)
    lines = table(lines_record.name, list(lines_record.fields), family.document_of(lines_record))
    lines = lines.with_columns(pl.col(family.line).alias("line"))
    lots = pl.DataFrame()
    if lots_record is not None:
        lots = table(lots_record.name, list(lots_record.fields), family.document_of(lots_record))
        lots = lots.with_columns(pl.col(family.line_of_lot).alias("line"))
    lines = _with_items(lines, headers, family, state)
    if lots_record is not None:
        about = [
            "document",
            "line",
            "item",
            "warehouse",
            "bin",
            "unit",
            "factor",
            "decimals",
            "base decimals",
            "date",
            "base unit",
            "item lot",
            "item serial",
        ]
        known = lines.select(name for name in about if name in lines.columns).unique(["document", "line"], keep="first")
        lots = lots.drop([name for name in known.columns if name not in ("document", "line") and name in lots.columns])
        lots = lots.join(known, on=["document", "line"], how="left", maintain_order="left")
        lots = lots.with_columns(pl.col("quantity").cast(decimal_type(), strict=False).alias("number"))
    return DocumentTables(family, parts, headers, lines, lots)


def _with_sound_days(rows: Rows) -> pl.DataFrame:
    """The values, with a blank for a day that could not be read: it has an error, and nothing is reckoned with it."""
    named = [name for name, field in rows.record.fields.items() if field.kind == "date" and name in rows.values.columns]
    odd = {name: ~is_day(rows.values[name]) & rows.values[name].is_not_null() for name in named}
    return rows.values.with_columns(rows.values[name].set(wrong, None) for name, wrong in odd.items() if wrong.any())


def _with_items(lines: pl.DataFrame, headers: pl.DataFrame, family: Family, state: SystemState) -> pl.DataFrame:
    item_record = state.description.records[str(family.lines.fields["item"].to)]
    wanted = [name for name in ITEM if name in item_record.fields]
    items = state.behind(item_record, lines["item"], wanted)
    key = item_record.key[0]
    renamed = {
        "unit": "base unit",
        "kind": "item kind",
        "archived": "item archived",
        "lot_tracked": "item lot",
        "serial_tracked": "item serial",
        "cost": "item cost",
        "price": "item price",
        "description": "item name",
    }
    about = items.select(pl.col(key).alias("item"), *(pl.col(name).alias(renamed[name]) for name in wanted))
    missing = [name for name in renamed.values() if name not in about.columns]
    about = about.with_columns(pl.lit(None, pl.String).alias(name) for name in missing)
    lines = _with_own_cost(lines.join(about, on="item", how="left", maintain_order="left"), state)
    if "date" not in lines.columns:
        dates = headers.select("document", "date").unique("document", keep="first")
        lines = lines.join(dates, on="document", how="left", maintain_order="left")
    if "unit" not in family.lines.fields:
        lines = lines.with_columns(pl.col("base unit").alias("unit"))
    lines = with_factors(lines, state)
    number = (pl.col("quantity") if "quantity" in lines.columns else pl.lit(None, pl.String)).cast(
        decimal_type(), strict=False
    )
    lines = lines.with_columns(number.alias("number"), (number * pl.col("factor")).alias("in base"))
    cost = (pl.col("cost") if "cost" in lines.columns else pl.lit(None, pl.String)).cast(decimal_type(), strict=False)
    return lines.with_columns(cost.alias("unit cost"))


def _with_own_cost(lines: pl.DataFrame, state: SystemState) -> pl.DataFrame:
    """The lines with the item's cost in their warehouse as ``item cost``, where it has one of its own there."""
    item_places = state.description.records.get("item_warehouse")
    where = ["item", "warehouse"]
    if (
        item_places is None
        or not {*where, "cost"} <= set(item_places.fields)
        or "warehouse" not in lines.columns
        or not lines.height
    ):
        return lines
    held = state.having(item_places, ["cost"], "item", lines["item"].drop_nulls().unique()).select(*where, "cost")
    costs = pl.concat([state.coming(item_places, [*where, "cost"]).select(*where, "cost"), held]).drop_nulls()
    costs = costs.unique(where, keep="first", maintain_order=True).rename({"cost": "own cost"})
    joined = lines.join(costs, on=where, how="left", maintain_order="left")
    return joined.with_columns(pl.coalesce("own cost", "item cost").alias("item cost")).drop("own cost")


def with_factors(lines: pl.DataFrame, state: SystemState) -> pl.DataFrame:
    """Lines with ``factor`` and the decimals of their unit and of the base unit."""
    records = state.description.records
    factors = pl.DataFrame(schema=dict.fromkeys(("item", "unit", "factor"), pl.String))
    conversion = state.description.conversions
    other = lines.filter(pl.col("unit") != pl.col("base unit"))["item"].unique().drop_nulls()
    if conversion is not None and len(other):
        held = state.having(conversion, ["factor"], "item", other).select("item", "unit", "factor")
        factors = pl.concat([held, state.coming(conversion, ["item", "unit", "factor"])]).unique(
            ["item", "unit"], keep="last"
        )
    lines = lines.join(
        factors.with_columns(pl.col("factor").cast(decimal_type(), strict=False)),
        on=["item", "unit"],
        how="left",
        maintain_order="left",
    )
    is_base = (pl.col("unit") == pl.col("base unit")).fill_null(False)
    lines = lines.with_columns(pl.when(is_base).then(exact(1)).otherwise("factor").alias("factor"))
    unit = records.get("unit")
    decimals = pl.DataFrame(schema={"unit": pl.String, "decimals": pl.String})
    if unit is not None and "decimals" in unit.fields:
        every = pl.concat([lines["unit"], lines["base unit"]]).unique().drop_nulls()
        decimals = state.behind(unit, every, ["decimals"]).select(pl.col(unit.key[0]).alias("unit"), "decimals")
    number = pl.col("decimals").cast(pl.Int32, strict=False)
    lines = lines.join(decimals.with_columns(number), on="unit", how="left", maintain_order="left")
    base = decimals.select(pl.col("unit").alias("base unit"), number.alias("base decimals"))
    return lines.join(base, on="base unit", how="left", maintain_order="left")


def plain_quantity(value: object) -> str:
    """A decimal in words: no trailing zeros, no exponent."""
    return "" if value is None else plain_number(Decimal(str(value)))
