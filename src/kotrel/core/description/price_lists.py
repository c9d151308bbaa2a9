"""What depends on a row's price list: its currency and its decimals."""

from __future__ import annotations

from kotrel.core.description.model import Record

CURRENCY_FIELD = "currency"
DECIMALS_FIELD = "decimals"
PRICE_LIST = "price_list"


def currency_source(record: Record) -> str | None:
    """The field that says the currency of a record's amounts: the price list of its key, or its own field.

    Returns:
        None where its amounts are in the workspace's currency.
    """
    return list_field(record) or (CURRENCY_FIELD if CURRENCY_FIELD in record.fields else None)


def list_field(record: Record) -> str | None:
    """The field of the key that names the price list of a record's rows; None where they are on none."""
    return next((name for name in record.key if record.fields[name].to == PRICE_LIST), None)
