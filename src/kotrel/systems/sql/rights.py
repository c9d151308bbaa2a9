"""The rights that a user of the database needs, as statements for its administrator."""

from __future__ import annotations

from collections.abc import Iterable

from kotrel.core.description.model import Description
from kotrel.systems.sql.database_journal import load_table, row_table
from kotrel.systems.sql.dialect import Dialect, sequence_name
from kotrel.systems.sql.store import store_of


def grants(description: Description, user: str, dialect: Dialect) -> dict[str, list[str]]:
    """What for → the statements: to read and check, and to load too.

    Args:
        dialect: of a database with users of its own.
        user: the role that gets the rights.
    """
    stores = [store_of(description, record, dialect) for record in description.records.values()]
    whom = dialect.grantee(user)
    tables = dict.fromkeys(store.name for store in stores)
    journal = (load_table(dialect), row_table(dialect))
    sequences = [
        sequence_name(store.schema, sequence) for store in stores for sequence in store.record.storage.made.values()
    ]

    def grant(rights: str, names: Iterable[str]) -> list[str]:
        return [f"GRANT {rights} ON {name} TO {whom};" for name in names]

    read = [
        grant
        for schema in dict.fromkeys(each.schema for each in stores)
        for grant in dialect.schema_grants(schema, whom)
    ]
    read += grant("SELECT", tables)
    read += [*dialect.schema_grants(dialect.schema_of_journal() or "", whom), *grant("SELECT", journal)]
    load = grant("INSERT, UPDATE, DELETE", tables)
    load += [f"GRANT USAGE ON SEQUENCE {name} TO {whom};" for name in sequences]
    load += grant("INSERT, UPDATE", journal)
    lines = {"to read and check": read, "to load and undo too": load}
    return {what: [dialect.for_people(line) for line in dict.fromkeys(some)] for what, some in lines.items()}
