"""The practice system played with: a busy shop floor, and back to its start."""

from __future__ import annotations

import random
from collections.abc import Iterator, Sequence
from datetime import datetime

from kotrel.practice.installing import set_up
from kotrel.practice.trade import TradeMovement, require_practice, trade_once
from kotrel.systems.opening_systems import database_at
from kotrel.systems.sql import database_journal as journal
from kotrel.systems.sql.dialect import quoted
from kotrel.systems.sql.kept_balances import drop_statements
from kotrel.systems.sql.store import store_of
from kotrel.workspace.settings import Workspace


def trade(workspace: Workspace, chance: random.Random, warehouses: Sequence[str]) -> Iterator[TradeMovement | None]:
    """One sale or receipt after the other, for as long as it is asked for more.

    Raises:
        WrongUse: it is no practice system.
    """
    require_practice(workspace.description)
    connect = database_at(workspace.url, workspace.folder)
    while True:
        database = connect()
        try:
            yield trade_once(database, workspace.description, chance, warehouses, datetime.now())
        finally:
            database.close()


def reset(workspace: Workspace) -> None:
    """The practice system as it was at the start; its journal is emptied.

    Raises:
        WrongUse: it is no practice system.
    """
    require_practice(workspace.description)
    database = database_at(workspace.url, workspace.folder)()
    try:
        with database.changing():
            for record in reversed(workspace.description.in_load_order()):
                database.run(f"DROP TABLE IF EXISTS {store_of(workspace.description, record, database.dialect).name}")
            for statement in drop_statements(workspace.description, database.dialect):
                database.run(statement)
            if schema := database.dialect.own_schema(workspace.description.schema):
                database.run(f"DROP SCHEMA IF EXISTS {quoted(schema)}")
            for table in (journal.row_table(database.dialect), journal.load_table(database.dialect)):
                database.run(f"DELETE FROM {table}")
        set_up(database)
    finally:
        database.close()
