"""PostgreSQL: schemas, exact decimals, sequences, users; many may write at once."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, Literal

from kotrel.core.description.model import Field, Record
from kotrel.systems.sql.dialect import WHOLE_DIGITS, Dialect, literal, quoted, sequence_name

_SETTLED_EVERY = 100
"""One statement in this number settles the rows of the balances, on average."""

if TYPE_CHECKING:
    import sqlalchemy as sa


class PostgresDialect(Dialect):
    """Our sessions look for names in no schema of the users: every table is named with its own."""

    name = "postgresql"
    driver = "postgresql+psycopg"
    schema = "public"
    temporary = "pg_temp"
    grants = True
    staged = "table"
    decimals = "exact"
    removes_by_list = False
    yes_no_as_number = False

    def compiled(self, statement: Any) -> str:
        from sqlalchemy.dialects import postgresql

        return str(statement.compile(dialect=postgresql.dialect())).strip()  # type: ignore[no-untyped-call]

    def type_of(self, field: Field) -> sa.types.TypeEngine[Any]:
        import sqlalchemy as sa

        if field.is_decimal:
            return sa.Numeric(WHOLE_DIGITS, field.decimals)
        if field.kind == "yes_no":
            return sa.Boolean()
        if field.kind == "date":
            return sa.Date()
        return sa.DateTime(timezone=field.zoned) if field.kind == "moment" else sa.Text()

    def bound(self, kind: Literal["date", "moment"]) -> str:
        return f"CAST(? AS {'date' if kind == 'date' else 'timestamp'})"

    def now(self) -> str:
        return "pg_catalog.now()"

    def uuid(self, how: Literal["uuid", "uuid7", "uuid hex"]) -> str:
        if how == "uuid7":
            # The milliseconds take the first 48 bits, and 7 stands for 4 as the version: 0100 and 0011.
            moment = "pg_catalog.substring(pg_catalog.int8send((extract(epoch FROM pg_catalog.clock_timestamp()) * 1000)::bigint) FROM 3)"
            mixed = (
                f"pg_catalog.overlay(pg_catalog.uuid_send(pg_catalog.gen_random_uuid()) PLACING {moment} FROM 1 FOR 6)"
            )
            return f"encode(pg_catalog.set_bit(pg_catalog.set_bit({mixed}, 52, 1), 53, 1), 'hex')::uuid"
        random = "pg_catalog.gen_random_uuid()"
        return random if how == "uuid" else f"pg_catalog.replace({random}::text, '-', '')"

    def next_number(self, schema: str, sequence: str, of: str) -> str:
        return f"pg_catalog.nextval({literal(sequence_name(schema, sequence))})"

    def balance_statements(self, record: Record, table: str, lines: str, amounts: Sequence[str]) -> list[str]:
        # Several may post to one place at once; so that nobody waits for anybody, movements are added as rows of
        # their own, one for each place and statement, and settled into one row now and then.
        places = [quoted(name) for name in record.fields if name not in amounts]
        added_up = [quoted(name) for name in record.fields if name in amounts]
        # A value that no place has stands for none: two nulls are never the same in an index.
        place_columns = ", ".join(f"coalesce({name}, '')" for name in places)
        columns, by = ", ".join((*places, *added_up)), ", ".join(places)
        sums = ", ".join(f"sum({name})" for name in added_up)
        sets = ", ".join(f"{name} = b.{name} + excluded.{name}" for name in added_up)

        def added(rows: str, sign: str) -> str:
            signed = ", ".join(f"{sign}sum({name})" for name in added_up)
            return f"INSERT INTO {table} ({columns}) SELECT {by}, {signed} FROM {rows} GROUP BY {by};"

        settle = (
            f"WITH gone AS (DELETE FROM {table} WHERE NOT settled RETURNING {columns}) "
            f"INSERT INTO {table} AS b ({columns}, settled) SELECT {by}, {sums}, true FROM gone GROUP BY {by} "
            f"ON CONFLICT ({place_columns}) WHERE settled DO UPDATE SET {sets};"
        )
        # A transaction that sees one moment only would fail on rows that another has settled since.
        may = (
            f"random() < {1 / _SETTLED_EVERY} AND current_setting('transaction_isolation') = 'read committed' "
            f"AND pg_catalog.pg_try_advisory_xact_lock(hashtext('{record.name}'))"
        )
        # Whoever may post need not have the right to write a balance: the functions do it by the right of who set them
        # up.
        bodies = {
            "insert": (added("added", ""), "REFERENCING NEW TABLE AS added"),
            "delete": (added("gone", "-"), "REFERENCING OLD TABLE AS gone"),
            "update": (added("gone", "-") + added("added", ""), "REFERENCING OLD TABLE AS gone NEW TABLE AS added"),
            "truncate": (f"TRUNCATE {table};", ""),
        }
        statements = [
            f"ALTER TABLE {table} ADD COLUMN settled boolean NOT NULL DEFAULT false",
            f"CREATE UNIQUE INDEX {quoted(f'{record.name}_place')} ON {table} ({place_columns}) WHERE settled",
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

    def drop_balance_statements(self, record: Record, table: str) -> list[str]:
        return [
            f"DROP FUNCTION IF EXISTS {_function(record, table, event)}"
            for event in ("insert", "delete", "update", "truncate")
        ]


def _function(record: Record, table: str, event: str) -> str:
    schema = table.rpartition(".")[0]
    return (schema + "." if schema else "") + quoted(f"{record.name}_{event}")


POSTGRESQL = PostgresDialect()
