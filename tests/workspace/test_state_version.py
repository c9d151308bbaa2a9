"""What a workspace keeps for itself has a version: a newer one is refused,
and one of each kind from the first is read for ever.
"""

import sqlite3
import tempfile
import unittest
import zipfile
from contextlib import closing
from pathlib import Path

import polars as pl

from kotrel.core.description.description_reading import read_description
from kotrel.core.errors import WrongUse
from kotrel.counting.count_files import open_count
from kotrel.practice.installing import description_text
from kotrel.systems.sql.database_journal import require_journal
from kotrel.systems.sql.database_system import SqlSystem
from kotrel.systems.sql.sqlite import SqliteDatabase
from kotrel.workspace.exports import remembered_exports
from kotrel.workspace.state_version import VERSION, require_known_state


class FirstVersion(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        with zipfile.ZipFile(Path(__file__).parent / "state_1.zip") as kept:
            kept.extractall(self.folder)
        self.hidden = self.folder / ".kotrel"

    def test_a_count_and_an_export_from_the_first_version_are_read(self):
        require_known_state(self.hidden)
        with open_count(self.hidden, "shed") as count:
            self.assertEqual((len(count.entries()), len(count.files())), (1, 1))
            self.assertGreater(len(list(count.places())), 3)
        [export] = remembered_exports(self.hidden)
        rows = export.rows("item", pl.DataFrame())
        self.assertEqual((rows.height, rows.columns, export.file), (1, ["code", "description", "cost"], "few.xlsx"))

    def test_a_journal_from_the_first_version_is_whole(self):
        path = self.folder / "system.db"
        with closing(sqlite3.connect(path)) as database:
            database.executescript((self.folder / "journal.sql").read_text("utf-8"))
        system = SqlSystem(lambda: SqliteDatabase(path), read_description(description_text()), "system")
        self.assertEqual(
            [(entry.status, entry.trouble) for entry in system.audited_history()], [("undone", ""), ("loaded", "")]
        )
        with closing(SqliteDatabase(path)) as database:
            require_journal(database, "system")
            database.run("ALTER TABLE kotrel_load ADD COLUMN mood text")
            with self.assertRaises(WrongUse) as caught:
                require_journal(database, "system")
        self.assertEqual(caught.exception.kind, "other-journal")
        self.assertIn("it has mood", caught.exception.message)

    def test_a_newer_one_is_refused_and_one_without_a_version_is_the_first(self):
        version = self.hidden / "version"
        version.write_text(f"{VERSION + 1}\n")
        with self.assertRaises(WrongUse) as caught:
            require_known_state(self.hidden)
        self.assertEqual(caught.exception.kind, "newer-state")
        version.write_text("often")
        with self.assertRaises(WrongUse):
            require_known_state(self.hidden)
        version.unlink()
        require_known_state(self.hidden)
        self.assertEqual(version.read_text(), "1\n")
        require_known_state(self.folder / "nothing there")
