"""Where a row's currency comes from: amounts on a price list are in the list's own."""

from __future__ import annotations

from kotrel.core.description.model import Record

CURRENCY_FIELD = "currency"
PRICE_LIST = "price_list"


def currency_source(record: Record) -> str | None:
    """The field that says the currency of a record's amounts: the price list of its key, or its own field.

    Returns:
        None where its amounts are in the workspace's currency.
    """
    of_list = next((name for name in record.key if record.fields[name].to == PRICE_LIST), None)
    return of_list or (CURRENCY_FIELD if CURRENCY_FIELD in record.fields else None)
