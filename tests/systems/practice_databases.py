"""A practice system on SQLite and on a real PostgreSQL, for the tests of both."""

import shutil
import tempfile
from datetime import UTC, datetime
from pathlib import Path

from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.row_comparison import compare
from kotrel.practice.installing import set_up
from kotrel.systems.opening_systems import database_at, open_system
from tests.support import fresh_shop, postgres_shop_url

STAMP = Stamp(datetime(2026, 11, 23, 9, 0, tzinfo=UTC), "tester", ("test.xlsx",), "f" * 64, "why")


def quiet(step):
    pass


class PracticeDatabase:
    """A practice system of its own, as ``kotrel init`` makes it, on the kind of database that a test class names."""

    kind = "sqlite"

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.url = "sqlite:practice.db"
        if self.kind == "postgresql":
            self.url = postgres_shop_url()
        else:
            shutil.copyfile(fresh_shop() / "practice.db", self.folder / "practice.db")
        self.database = database_at(self.url, self.folder)()
        self.addCleanup(self.database.close)
        self.description, made = set_up(self.database)
        self.assertFalse(made)
        self.system = open_system(self.url, self.description, self.folder)

    def drop_everything(self):
        self.database.run("DROP SCHEMA IF EXISTS practice CASCADE")
        self.database.run("DROP SCHEMA IF EXISTS kotrel CASCADE")

    @property
    def item(self):
        return "practice.item" if self.database.dialect.schema else "item"

    def items(self):
        with self.system.reading() as reading:
            return reading.read("item", list(self.description.records["item"].fields)).sort("code")

    def change(
        self,
        *lines,
        heading=("Item code", "Description", "Unit", "Category", "Cost", "Standard price", "Archived", "Note"),
        writing=None,
    ):
        from kotrel.core.matching.by_headings import match_headings
        from kotrel.core.matching.row_reading import understand
        from kotrel.core.tables.detection import find_table
        from kotrel.core.values.conventions import Conventions
        from tests.support import TODAY, grid

        table = find_table(grid(heading, *lines), 1)
        sheet = understand(table, match_headings(table, self.description.records["item"]), Conventions(), TODAY)
        carried = [name for name in sheet.record.loadable if name in sheet.fields]
        return compare(sheet, writing.read("item", carried, ("code", sheet.values["code"])))

    def load(self, *lines, **more):
        with self.system.writing() as writing:
            return writing.take(Plan((self.change(*lines, writing=writing, **more),), STAMP), quiet).number

    LINES = (
        ("ROP-40001", 'Rope "new"; it\'s\t\\ =1+1', "M", "ROPE", "4.4", "7.90", "no", "two\nlines 🐟"),
        ("ROP-40002", "Rope, second", "M", "ROPE", "", "", "", ""),
        ("ROP-00010", "Other words", "", "", "0.0001", "123456789.01", "yes", ""),
    )
