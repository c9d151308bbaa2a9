"""What a count sheet is, as a record: it is read, tidied and repaired like any other sheet."""

from __future__ import annotations

from kotrel.core.description.model import Description, Field, Record

NAME = "count"


def count_record(description: Description) -> Record:
    """The record of a count sheet, its references those of the system's ledger or list of stock."""
    ledger = description.stock_places
    assert ledger is not None
    to = {name: ledger.fields[name].to for name in ("item", "warehouse", "bin") if name in ledger.fields}
    unit = description.records[str(to["item"])].fields.get("unit")
    fields = [
        Field(
            "item",
            "Item",
            "reference" if to.get("item") else "code",
            to=to.get("item"),
            length=40,
            synonyms=("item code", "code", "part no", "article", "sku", "barcode"),
        ),
        Field("description", "Description", "text"),
        Field(
            "warehouse", "Warehouse", "reference" if to.get("warehouse") else "code", to=to.get("warehouse"), length=40
        ),
        Field("bin", "Bin", "code", length=40, synonyms=("location", "shelf", "bin code")),
        Field("lot", "Lot", "code", length=40, synonyms=("lot number", "lot no", "batch")),
        Field("serial", "Serial", "code", length=40, synonyms=("serial number", "serial no", "s/n")),
        Field(
            "unit",
            "Unit",
            "reference" if unit is not None and unit.to else "code",
            to=unit.to if unit is not None else None,
            length=20,
            synonyms=("uom", "unit of measure"),
        ),
        Field("expected", "Expected", "quantity", decimals=6, kept_by="system", synonyms=("on hand", "book")),
        Field(
            "counted",
            "Counted",
            "quantity",
            decimals=6,
            synonyms=("count", "counted quantity", "qty", "quantity", "actual"),
        ),
        Field("counter", "Counter", "text", length=80, synonyms=("counted by", "who")),
        Field("date", "Date", "text", length=40, synonyms=("counted on", "date counted", "day")),
        Field("time", "Time", "text", length=40, synonyms=("counted at", "time counted")),
        Field("remark", "Remark", "text", length=400, synonyms=("remarks", "note", "notes")),
    ]
    return Record(NAME, "Count sheet", ("item",), {field.name: field for field in fields})
