"""Balances that a database keeps of its ledger: how they are kept where Kotrel sets the database up itself.

Every movement that is posted goes into the balances by the database's own doing, in the same transaction, whoever posts
it. What is on hand can then be read without adding up the ledger. How each kind of database does it, its dialect says.
"""

from __future__ import annotations

from kotrel.core.description.model import Description, Record
from kotrel.core.stock.sums import SUMS
from kotrel.systems.sql.dialect import Dialect
from kotrel.systems.sql.store import store_of

_EVENTS = ("insert", "delete", "update", "truncate")


def balance_statements(description: Description, dialect: Dialect) -> list[str]:
    """The statements that let a database keep balances; none where the description has none."""
    balances, ledger = description.balances, description.ledger
    if balances is None or ledger is None:
        return []
    table, lines = (store_of(description, each, dialect).name for each in (balances, ledger))
    return dialect.balance_statements(balances, table, lines, SUMS)


def triggers(description: Description, record: Record) -> set[str]:
    """Names of the triggers by which a database keeps balances of a record: they leave its own rows as they are."""
    balances = description.balances
    return {f"{balances.name}_{event}" for event in _EVENTS} if balances and record.nature == "ledger" else set()


def drop_statements(description: Description, dialect: Dialect) -> list[str]:
    """The statements that remove what is left of them when the tables are gone."""
    balances = description.balances
    if balances is None:
        return []
    return dialect.drop_balance_statements(balances, store_of(description, balances, dialect).name)
