"""Balances that a database keeps of its ledger: how they are kept where Kotrel sets the database up itself.

Every movement that is posted goes into the balances by the database's own doing, in the same transaction, whoever posts it.
What is on hand can then be read without adding up the ledger.

SQLite has one writer at a time, so each place has one row, which is added to. In PostgreSQL several may post to one place at
once; so that nobody waits for anybody, or is turned away, movements are added as rows of their own, one for each place and
statement, and settled into one row now and then. The balance of a place is the sum of its rows.
"""

from __future__ import annotations

from kotrel.core.description.model import Description, Record
from kotrel.systems.sql.database import quoted
from kotrel.systems.sql.store import store_of

_EVENTS = ("insert", "delete", "update", "truncate")
AMOUNTS = ("quantity", "value")
_SETTLED_EVERY = 100
"""One statement in so many settles the rows, on average."""


def balance_statements(description: Description, dialect: str) -> list[str]:
    """The statements that let a database keep balances; none where the description has none."""
    balances, ledger = description.balances, description.ledger
    if balances is None or ledger is None:
        return []
    table, lines = (store_of(description, each, dialect).name for each in (balances, ledger))
    return _postgresql(balances, table, lines) if dialect == "postgresql" else _sqlite(balances, table, lines)


def triggers(description: Description, record: Record) -> set[str]:
    """Names of the triggers by which a database keeps balances of a record: they leave its own rows as they are."""
    balances = description.balances
    return {f"{balances.name}_{event}" for event in _EVENTS} if balances and record.nature == "ledger" else set()


def drop_statements(description: Description, dialect: str) -> list[str]:
    """The statements that remove what is left of them when the tables are gone."""
    balances = description.balances
    if balances is None or dialect != "postgresql":
        return []
    table = store_of(description, balances, dialect).name
    return [f"DROP FUNCTION IF EXISTS {_function(balances, table, event)}" for event in _EVENTS]


def _function(record: Record, table: str, event: str) -> str:
    schema = table.rpartition(".")[0]
    return (schema + "." if schema else "") + quoted(f"{record.name}_{event}")


def _sqlite(record: Record, table: str, lines: str) -> list[str]:
    places = [name for name in record.fields if name not in AMOUNTS]
    amounts = [name for name in record.fields if name in AMOUNTS]
    place = ", ".join(f"ifnull({quoted(name)}, '')" for name in places)
    name = quoted(f"{record.name}_place")
    columns = ", ".join(map(quoted, (*places, *amounts)))

    def added(row: str, sign: str) -> str:
        values = ", ".join((*(f"{row}.{quoted(n)}" for n in places), *(f"{sign}{row}.{quoted(n)}" for n in amounts)))
        sets = ", ".join(f"{quoted(n)} = {quoted(n)} + excluded.{quoted(n)}" for n in amounts)
        return f"INSERT INTO {table} ({columns}) VALUES ({values}) ON CONFLICT ({place}) DO UPDATE SET {sets};"

    when = {
        "insert": added("NEW", ""),
        "delete": added("OLD", "-"),
        "update": added("OLD", "-") + " " + added("NEW", ""),
    }
    return [
        f"CREATE UNIQUE INDEX {name} ON {table} ({place})",
        *(
            f"CREATE TRIGGER {quoted(f'{record.name}_{event}')} AFTER {event.upper()} ON {lines} BEGIN {what} END"
            for event, what in when.items()
        ),
    ]


def _postgresql(record: Record, table: str, lines: str) -> list[str]:
    places = [quoted(name) for name in record.fields if name not in AMOUNTS]
    amounts = [quoted(name) for name in record.fields if name in AMOUNTS]
    # A value that no place has stands for none: two nulls are never the same in an index.
    place = ", ".join(f"coalesce({name}, '')" for name in places)
    columns, by = ", ".join((*places, *amounts)), ", ".join(places)
    sums = ", ".join(f"sum({name})" for name in amounts)
    sets = ", ".join(f"{name} = b.{name} + excluded.{name}" for name in amounts)

    def added(rows: str, sign: str) -> str:
        signed = ", ".join(f"{sign}sum({name})" for name in amounts)
        return f"INSERT INTO {table} ({columns}) SELECT {by}, {signed} FROM {rows} GROUP BY {by};"

    settle = (
        f"WITH gone AS (DELETE FROM {table} WHERE NOT settled RETURNING {columns}) "
        f"INSERT INTO {table} AS b ({columns}, settled) SELECT {by}, {sums}, true FROM gone GROUP BY {by} "
        f"ON CONFLICT ({place}) WHERE settled DO UPDATE SET {sets};"
    )
    # A transaction that sees one moment only would fail on rows that another has settled since.
    may = (
        f"random() < {1 / _SETTLED_EVERY} AND current_setting('transaction_isolation') = 'read committed' "
        f"AND pg_catalog.pg_try_advisory_xact_lock(hashtext('{record.name}'))"
    )
    # Whoever may post may not for that write a balance: the functions do it by the right of who set them up.
    bodies = {
        "insert": (added("added", ""), "REFERENCING NEW TABLE AS added"),
        "delete": (added("gone", "-"), "REFERENCING OLD TABLE AS gone"),
        "update": (added("gone", "-") + added("added", ""), "REFERENCING OLD TABLE AS gone NEW TABLE AS added"),
        "truncate": (f"TRUNCATE {table};", ""),
    }
    statements = [
        f"ALTER TABLE {table} ADD COLUMN settled boolean NOT NULL DEFAULT false",
        f"CREATE UNIQUE INDEX {quoted(f'{record.name}_place')} ON {table} ({place}) WHERE settled",
        f"CREATE INDEX {quoted(f'{record.name}_by_item')} ON {table} ({quoted('item')})",
    ]
    for event, (body, tables) in bodies.items():
        after = f"IF {may} THEN {settle} END IF; " if event == "insert" else ""
        statements += [
            f"CREATE OR REPLACE FUNCTION {_function(record, table, event)}() RETURNS trigger LANGUAGE plpgsql "
            f"SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$ BEGIN {body} {after}RETURN NULL; END $$",
            f"CREATE TRIGGER {quoted(f'{record.name}_{event}')} AFTER {event.upper()} ON {lines} {tables} "
            f"FOR EACH STATEMENT EXECUTE FUNCTION {_function(record, table, event)}()",
        ]
    return statements
