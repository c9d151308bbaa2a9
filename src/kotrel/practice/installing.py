"""Puts a practice system into a database: tables with real constraints, the journal, and the data;
and a new practice till.
"""

from __future__ import annotations

from collections.abc import Sequence
from importlib import resources
from pathlib import Path

import polars as pl

from kotrel.core.description.description_reading import read_description
from kotrel.core.description.model import Description
from kotrel.core.errors import WrongUse
from kotrel.practice import base_lists as lists
from kotrel.practice.details import details, kit_items
from kotrel.practice.items import ITEMS, items
from kotrel.practice.stock_at_start import starting_stock
from kotrel.practice.till import set_up_till
from kotrel.systems.sql import database_journal as journal
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.store import store_of


def description_text() -> str:
    """The practice system's description, as a file that people may read and edit."""
    return resources.files("kotrel.practice").joinpath("system.toml").read_text("utf-8")


def base_lists() -> dict[str, pl.DataFrame]:
    """Record → its rows in canonical text."""
    bins = [
        (warehouse, f"{warehouse[0]}-{shelf:02d}-{place}", None)
        for warehouse, (shelves, places) in lists.BINS_EACH.items()
        for shelf in range(1, shelves + 1)
        for place in places
    ]

    def table(rows: Sequence[Sequence[str | None]], *columns: str) -> pl.DataFrame:
        return pl.DataFrame(rows, schema=dict.fromkeys(columns, pl.String), orient="row")

    address = ("street", "post_code", "city", "country", "email", "phone")
    return {
        "unit": table(lists.UNITS, "code", "name", "measure", "decimals", "common_code"),
        "warehouse": table(lists.WAREHOUSES, "code", "name"),
        "bin": table(bins, "warehouse", "code", "name"),
        "category": table(lists.CATEGORIES, "code", "name", "parent"),
        "brand": table(lists.BRANDS, "code", "name"),
        "tax_class": table(lists.TAX_CLASSES, "code", "name", "rate"),
        "account": table(lists.ACCOUNTS, "code", "name", "used_for"),
        "price_list": table(lists.PRICE_LISTS, "code", "name", "currency", "decimals", "off", "for_sale"),
        "vendor": table(lists.VENDORS, "code", "name", *address, "currency"),
        "customer": table(lists.CUSTOMERS, "code", "name", *address, "price_list", "terms_days"),
    }


def practice_data() -> dict[str, pl.DataFrame]:
    """Record → its rows in canonical text."""
    master = pl.concat([items(ITEMS - kit_items().height), kit_items()], how="diagonal")
    return {**base_lists(), "item": master, **details(master), **starting_stock(master)}


def has_practice(database: Database) -> bool:
    """True where a practice system is there, with its journal."""
    description = read_description(description_text())
    item = store_of(description, description.records["item"], database.dialect)
    return database.has_table(item.schema, item.table) and journal.has_journal(database)


def set_up(database: Database, with_data: bool = True) -> tuple[Description, bool]:
    """Sets up a practice system if there is none; an existing one is left as it is.

    Returns:
        Its description, and whether it was created now.

    Raises:
        WrongUse: the database has tables with the same names that are not a practice system.
    """
    from kotrel.systems.sql import journal_tables
    from kotrel.systems.sql.tables import create_statements

    description = read_description(description_text())
    stores = [store_of(description, record, database.dialect) for record in description.in_load_order()]
    there = [store for store in stores if database.has_table(store.schema, store.table)]
    if len(there) == len(stores) and journal.has_journal(database):
        return description, False
    if there:
        names = ", ".join(store.table for store in there[:3])
        raise WrongUse(
            f"the database already has tables such as {names}, but not a complete practice system",
            "Use an empty database, or connect to this one without --practice.",
            "place-taken",
        )
    # The journal may already exist, with the loads of another system in the same database.
    journal_statements = [] if journal.has_journal(database) else journal_tables.journal_statements(database.dialect)
    data = practice_data() if with_data else {}
    with database.changing():
        for statement in [*create_statements(description, database.dialect), *journal_statements]:
            database.run(statement)
        for store in stores:
            if store.record.name in data:
                rows = data[store.record.name]
                forms = [database.as_stored("?", store.record.fields[name]) for name in rows.columns]
                database.insert(store.name, rows.columns, rows, forms)
    return description, True


HELD = 240
"""Items that the till knows at first: every fifth of the business."""


def make_till(folder: Path) -> None:
    """Makes the till's folder, and lets it give out its lists."""
    chosen = items(ITEMS)[::5].head(HELD)
    rows = [
        {
            "ArtNo": code,
            "Text": str(text)[:40].strip(),
            "Unit": unit,
            "Group": category,
            "Price": f"{float(price or 0):.2f}".replace(".", ","),
            "Active": "N" if archived == "yes" else "J",
        }
        for code, text, unit, category, price, archived in chosen.select(
            "code", "description", "unit", "category", "price", "archived"
        ).iter_rows()
    ]
    units = [(str(unit[0]), str(unit[1])) for unit in lists.UNITS]
    groups = [(str(code), str(name), str(parent or "")) for code, name, parent in lists.CATEGORIES]
    set_up_till(folder, rows, units, groups)


def till_file(name: str) -> str:
    """One of the files that a workspace for the till has."""
    return resources.files("kotrel.practice").joinpath(name).read_text("utf-8")
