"""Reads what a description says of documents and the ledger, and checks that their records fit together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, get_args

from kotrel.core.description.model import Effect, Field, FromLedger, Nature, Record
from kotrel.core.description.toml_reading import TomlReader

COUNTS_AS = ("reserved", "on order")
LEDGER = ("kind", "document", "line", "part", "counts_as", "date", "item", "warehouse", "quantity", "value")
"""Fields that a ledger must have; ``bin``, ``lot``, ``serial``,
``expires_on`` and ``order`` are filled where it has them.
"""

STOCK = ("item", "quantity")
"""Fields that a list of stock must have; ``warehouse``, ``bin``, ``lot``, ``serial``,
and ``value`` or ``cost`` are used where it has them.
"""

BALANCE = ("item", "counts_as", "quantity", "value")
"""Fields that balances must have; the others say by what they are kept:
``warehouse``, ``bin``, ``lot``, ``serial`` …
"""


def document_settings(reader: TomlReader, table: Mapping[str, Any], *path: str) -> dict[str, Any]:
    """The settings of a record that say whether it is a document, part of one, or the ledger."""
    settings: dict[str, Any] = {}
    for key, allowed in (("nature", get_args(Nature)), ("effect", get_args(Effect)), ("counts_as", COUNTS_AS)):
        if key in table:
            settings[key] = reader.one_of(reader.text_of(table, key, "", *path), allowed, key, *path, key)
    if "part_of" in table:
        settings["part_of"] = reader.text_of(table, "part_of", "", *path)
    for key in ("effect", "counts_as"):
        if key in settings and settings.get("nature") != "document":
            raise reader.wrong(f"“{key}” is only for documents", *path, key, hint='Add nature = "document".')
    if settings.get("counts_as") and settings.get("effect", "none") != "none":
        raise reader.wrong("“counts_as” is only for documents without an effect on stock", *path, "counts_as")
    return settings


def from_ledger(reader: TomlReader, table: Mapping[str, Any], kind: str, *path: str) -> FromLedger | None:
    """What of the ledger a field shows, or None."""
    if "from_ledger" not in table:
        return None
    word = reader.one_of(reader.text_of(table, "from_ledger", "", *path), get_args(FromLedger), "from_ledger", *path)
    if table.get("kept_by") != "system":
        raise reader.wrong("“from_ledger” is only for fields that the system keeps", *path, "from_ledger")
    if (word == "last moved") != (kind == "date"):
        raise reader.wrong("“from_ledger”: last moved is a date, the others are numbers", *path, "from_ledger")
    return word  # type: ignore[return-value]


def check_document_settings(reader: TomlReader, records: Mapping[str, Record]) -> None:
    """Parts name documents and lines that are described, and refer to them; there is at most one ledger, and it is
    complete.

    Raises:
        WrongUse: with the line and what is wrong there.
    """
    ledgers = [each for each in records.values() if each.nature == "ledger"]
    if len(ledgers) > 1:
        raise reader.wrong("there can be only one ledger", "record", ledgers[1].name, "nature")
    _check_stock_lists(reader, records, ledgers)
    _check_balances(reader, records, ledgers)
    for ledger in ledgers:
        _require_fields(reader, ledger, LEDGER, "ledger has")
    shown = {each.to for ledger in ledgers for each in ledger.fields.values()}
    for record in records.values():
        _check_parts(reader, record, records)
        for field in record.fields.values():
            if field.fulfils:
                _check_fulfils(reader, record, field, records, ledgers)
            if field.from_ledger and record.name not in shown:
                path = ("record", record.name, "field", field.name, "from_ledger")
                raise reader.wrong(f"“from_ledger”: no ledger refers to {record.name}", *path)


def _require_fields(reader: TomlReader, record: Record, required: Sequence[str], called: str) -> None:
    if missing := [name for name in required if name not in record.fields]:
        raise reader.wrong(f"the {called} no field {', '.join(missing)}", "record", record.name)


def _check_stock_lists(reader: TomlReader, records: Mapping[str, Record], ledgers: Sequence[Record]) -> None:
    stocks = [each for each in records.values() if each.nature == "stock"]
    if len(stocks) + len(ledgers) > 1 and stocks:
        raise reader.wrong(
            "there can be only one list of stock, and none beside a ledger", "record", stocks[-1].name, "nature"
        )
    for stock in stocks:
        _require_fields(reader, stock, STOCK, "list of stock has")
        if stock.fields["item"].to is None:
            raise reader.wrong("the item of a list of stock is a reference", "record", stock.name, "field", "item")


def _check_balances(reader: TomlReader, records: Mapping[str, Record], ledgers: Sequence[Record]) -> None:
    kept = [each for each in records.values() if each.nature == "balance"]
    if len(kept) > 1 or (kept and not ledgers):
        raise reader.wrong(
            "there is one record of balances at most, and a ledger beside it", "record", kept[-1].name, "nature"
        )
    for balances in kept:
        _require_fields(reader, balances, BALANCE, "balances have")
        for name in balances.fields:
            if name not in ledgers[0].fields:
                path = ("record", balances.name, "field", name)
                raise reader.wrong(f"the ledger has no field {name} of which this could be the balance", *path)


def _check_fulfils(
    reader: TomlReader, record: Record, field: Field, records: Mapping[str, Record], ledgers: Sequence[Record]
) -> None:
    path = ("record", record.name, "field", field.name, "fulfils")
    whole, order = records.get(record.part_of or ""), records.get(field.to or "")
    if whole is None or whole.nature != "document" or whole.effect not in ("in", "out"):
        raise reader.wrong("“fulfils” is only for lines of documents by which goods come in or go out", *path)
    if order is None or order.counts_as is None:
        raise reader.wrong(f"“fulfils”: {field.to} is no order", *path, hint="Give that record counts_as.")
    if ledgers and "order" not in ledgers[0].fields:
        raise reader.wrong("“fulfils”: the ledger has no field order to say which order a movement counts for", *path)


def _check_parts(reader: TomlReader, record: Record, records: Mapping[str, Record]) -> None:
    path = ("record", record.name)
    if record.nature == "document" and len(record.key) != 1:
        raise reader.wrong("a document is identified by one field, its number", *path, "key")
    if record.part_of is not None:
        _check_part(reader, record, record.part_of, records)


def _check_part(reader: TomlReader, record: Record, part_of: str, records: Mapping[str, Record]) -> None:
    path = ("record", record.name)
    whole = records.get(part_of)
    if whole is None:
        raise reader.wrong(f"“part_of” names a record “{record.part_of}” that is not described", *path, "part_of")
    if whole.nature != "document" and (whole.part_of is None or records[whole.part_of].nature != "document"):
        raise reader.wrong("“part_of” names a document, or the lines of one", *path, "part_of")
    if reference_to(record, whole) is None:
        raise reader.wrong(f"{record.name} has no reference to {whole.name}, of which it is a part", *path, "part_of")
    if whole.nature == "document" and not any(each.to != whole.name for each in record.references):
        raise reader.wrong(
            f"{record.name} does not say of what its lines are: it needs a reference, as to the item", *path
        )
    for name in record.key:
        if record.fields[name].to is None and not record.fields[name].numbered and record.fields[name].kind == "number":
            raise reader.wrong(f"the key “{name}” must be a code or numbered = true", *path, "field", name)


def reference_to(record: Record, whole: Record) -> Field | None:
    """The field of a part that names what it is part of."""
    return next((each for each in record.references if each.to == whole.name and each.name in record.key), None)
