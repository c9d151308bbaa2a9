"""The rights that a user of the database needs, as statements for its administrator."""

from __future__ import annotations

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
    loads, rows = load_table(dialect), row_table(dialect)
    read = [
        *(
            grant
            for schema in dict.fromkeys(store.schema for store in stores)
            for grant in dialect.schema_grants(schema, whom)
        ),
        *(f"GRANT SELECT ON {name} TO {whom};" for name in dict.fromkeys(store.name for store in stores)),
        *dialect.schema_grants(dialect.schema_of_journal() or "", whom),
        *(f"GRANT SELECT ON {name} TO {whom};" for name in (loads, rows)),
    ]
    load = [
        f"GRANT INSERT, UPDATE, DELETE ON {name} TO {whom};" for name in dict.fromkeys(store.name for store in stores)
    ]
    for store in stores:
        for sequence in store.record.storage.made.values():
            load.append(f"GRANT USAGE ON SEQUENCE {sequence_name(store.schema, sequence)} TO {whom};")
    load += [f"GRANT INSERT, UPDATE ON {name} TO {whom};" for name in (loads, rows)]
    lines = {"to read and check": read, "to load and undo too": load}
    return {what: [dialect.for_people(line) for line in dict.fromkeys(some)] for what, some in lines.items()}
