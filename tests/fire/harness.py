"""One load to strike at, and what has to hold afterwards."""

from __future__ import annotations

import os
import shutil
import sqlite3
import subprocess
import sys
import time
from abc import ABC, abstractmethod
from contextlib import closing
from pathlib import Path

import psycopg

from kotrel.loading.loads import in_progress
from tests import mariadb_server, ready_program
from tests.support import fresh_shop, run_kotrel

SHEETS = ("items.csv", "vendors.csv")
LOAD = ("load", *SHEETS, "--yes")
ITEMS = "code, description, vendor, price, note"


def write_sheets(folder: Path, items: list[tuple[str, str, str, str]]) -> None:
    """A vendor that is new, items that are new, and a change to every item that is there."""
    lines = ["Item code,Description,Unit,Category,Vendor,Price,Note"]
    lines += [f"NEW-{place:05d},New {place},EA,ROPE,FIREBRAND,{place}.50," for place in range(1, 400)]
    lines += [f"{code},,,,FIREBRAND,9.99,struck" for code, *_ in items]
    (folder / "items.csv").write_text("\n".join([*lines, ""]), "utf-8")
    (folder / "vendors.csv").write_text("Vendor code,Vendor name\nFIREBRAND,Firebrand\n", "utf-8")


class Target(ABC):
    """A workspace with a practice system that a load is let loose on."""

    folder: Path

    @abstractmethod
    def query(self, statement: str) -> list[tuple]:
        """Rows of the system's own tables; ``{item}``, ``{vendor}``, ``{load}`` and ``{row}`` stand for their names."""

    def state(self) -> tuple[list[tuple], list[tuple], int, int]:
        """All that a load touches: items, the vendor, loads and their rows."""
        return (
            self.query(f"SELECT {ITEMS} FROM {{item}} ORDER BY code"),
            self.query("SELECT code FROM {vendor} WHERE code = 'FIREBRAND'"),
            self.query("SELECT count(*) FROM {load}")[0][0],
            self.query("SELECT count(*) FROM {row}")[0][0],
        )

    def strike(self, point: int, how: str, words: tuple[str, ...] = LOAD) -> subprocess.CompletedProcess[str]:
        """Runs the load, or another command, with a strike at its n-th statement."""
        asked = (str(point), how, "-w", str(self.folder), *words)
        environment = {**os.environ, "PYTHONUTF8": "1"}
        return ready_program.run(self.folder, asked, environment, "tests.fire.child")

    def statements(self) -> int:
        """How many statements the load sends; the load is taken back."""
        done = self.strike(0, "count")
        if done.returncode:
            raise AssertionError(done.stdout + done.stderr)
        self.take_back()
        return int(done.stdout.splitlines()[-1])

    def take_back(self) -> None:
        """Undoes the last load, and forgets both, so that the next strike meets the same system."""
        number = self.query("SELECT max(number) FROM {load} WHERE kind = 'load'")[0][0]
        done = run_kotrel(self.folder, "undo", str(number), "--yes")
        if done.returncode:
            raise AssertionError(done.stdout + done.stderr)
        self.forget()

    @abstractmethod
    def forget(self) -> None:
        """Empties the journal."""


class Sqlite(Target):
    def __init__(self, folder: Path) -> None:
        self.folder = folder
        shutil.copytree(fresh_shop(), folder, dirs_exist_ok=True)
        write_sheets(folder, self.query(f"SELECT {ITEMS} FROM {{item}}"))

    def query(self, statement: str) -> list[tuple]:
        names = {"item": "item", "vendor": "vendor", "load": "kotrel_load", "row": "kotrel_load_row"}
        with sqlite3.connect(self.folder / "practice.db") as database:
            return database.execute(statement.format(**names)).fetchall()

    def forget(self) -> None:
        self.query("DELETE FROM {row}")
        self.query("DELETE FROM {load}")
        # Room that an earlier load left inside the file would hide a full disk.
        with closing(sqlite3.connect(self.folder / "practice.db", isolation_level=None)) as database:
            database.execute("VACUUM")


class Postgres(Target):
    def __init__(self, folder: Path, url: str) -> None:
        self.folder, self.url = folder, url
        done = run_kotrel(folder, "init", ".", "--system", url, "--practice")
        if done.returncode:
            raise AssertionError(done.stdout + done.stderr)
        write_sheets(folder, self.query(f"SELECT {ITEMS} FROM {{item}}"))

    def query(self, statement: str) -> list[tuple]:
        names = {"item": "practice.item", "vendor": "practice.vendor", "load": "kotrel.load", "row": "kotrel.load_row"}
        with psycopg.connect(self.url, autocommit=True) as connection:
            cursor = connection.execute(statement.format(**names).encode())
            return cursor.fetchall() if cursor.description else []

    def state(self) -> tuple[list[tuple], list[tuple], int, int]:
        # What a process sent before it was killed, the server may still be committing.
        others = "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() AND xact_start IS NOT NULL AND backend_type = 'client backend'"
        for _ in range(1200):
            if not self.query(others)[0][0]:
                break
            time.sleep(0.05)
        return super().state()

    def forget(self) -> None:
        self.query("TRUNCATE {row}, {load}")


class Maria(Target):
    def __init__(self, folder: Path) -> None:
        self.folder, self.name = folder, mariadb_server.new_database()
        done = run_kotrel(folder, "init", ".", "--system", mariadb_server.url(self.name), "--practice")
        if done.returncode:
            raise AssertionError(done.stdout + done.stderr)
        write_sheets(folder, self.query(f"SELECT {ITEMS} FROM {{item}}"))

    def query(self, statement: str) -> list[tuple]:
        names = {"item": "item", "vendor": "vendor", "load": "kotrel_load", "row": "kotrel_load_row"}
        with mariadb_server.connect(database=self.name) as connection, connection.cursor() as cursor:
            cursor.execute(statement.format(**names))
            return [tuple(row) for row in cursor.fetchall()]

    def state(self) -> tuple[list[tuple], list[tuple], int, int]:
        # What a process sent before it was killed, the server may still be committing, or rolling back.
        for _ in range(1200):
            if not self.query("SELECT count(*) FROM information_schema.innodb_trx")[0][0]:
                break
            time.sleep(0.05)
        return super().state()

    def forget(self) -> None:
        self.query("DELETE FROM {row}")
        self.query("DELETE FROM {load}")


class PostgresWithRules(Postgres):
    """The same with a trigger that alters what is sent, references that are checked last, and others who hold locks."""

    def __init__(self, folder: Path, url: str) -> None:
        super().__init__(folder, url)
        self.query(
            "CREATE OR REPLACE FUNCTION practice.louder() RETURNS trigger LANGUAGE plpgsql AS "
            "$$ BEGIN IF NEW.note = 'struck' THEN NEW.note := 'STRUCK'; END IF; RETURN NEW; END $$"
        )
        self.query(
            "CREATE TRIGGER louder BEFORE INSERT OR UPDATE ON {item} FOR EACH ROW EXECUTE FUNCTION practice.louder()"
        )
        references = "contype = 'f' AND conrelid = 'practice.item'::regclass"
        for (name,) in self.query(f"SELECT conname FROM pg_constraint WHERE {references}"):
            self.query(f'ALTER TABLE {{item}} ALTER CONSTRAINT "{name}" DEFERRABLE INITIALLY DEFERRED')

    def under_a_lock(self, seconds: int) -> subprocess.CompletedProcess[str]:
        """Runs the load while somebody else holds a row for some seconds."""
        with psycopg.connect(self.url) as other:
            other.execute("SELECT 1 FROM practice.item WHERE code = 'ROP-00010' FOR UPDATE")
            waiting = subprocess.Popen(
                [sys.executable, "-m", "kotrel.cli", "-w", str(self.folder), *LOAD], cwd=self.folder, stdout=subprocess.PIPE,
                stderr=subprocess.PIPE, encoding="utf-8", stdin=subprocess.DEVNULL, env={**os.environ, "PYTHONUTF8": "1"},
            )  # fmt: skip
            time.sleep(seconds)
            other.rollback()
        said, wrong = waiting.communicate(timeout=120)
        return subprocess.CompletedProcess(waiting.args, waiting.returncode, said, wrong)


def judge(target: Target, before: tuple, done: subprocess.CompletedProcess[str]) -> str:
    """``all`` or ``none``: what the system holds after a strike; anything between is an error. The system is as before
    then.

    Raises:
        AssertionError: part of a load is there, or the next command does not say which it is.
    """
    after = target.state()
    # Without a note the load had not begun, or was already done and answered: there is nothing to tell.
    begun = any((target.folder / ".kotrel" / in_progress.FOLDER).glob("*.json"))
    told = run_kotrel(target.folder, "history").stderr
    killed = begun and (done.returncode == -9 or "the connection to" in done.stderr)
    if after == before:
        if killed and "none of it is in the system" not in told:
            raise AssertionError(f"the next command does not say that nothing is loaded: {told!r}")
        return "none"
    items, vendor, loads, rows = after
    struck = sum(1 for item in items if (item[4] or "").casefold() == "struck")
    whole = (len(items), struck, vendor, loads, rows) == (
        len(before[0]) + 399, len(before[0]), [("FIREBRAND",)], before[2] + 1, before[3] + len(before[0]) + 400,
    )  # fmt: skip
    if not whole:
        raise AssertionError(
            f"part of a load is there: {len(items)} items, {struck} changed, {vendor}, {loads} loads, {rows} rows"
        )
    if killed and "all of it is in the system, as L0001" not in told:
        raise AssertionError(f"the next command does not say that all is loaded: {told!r}")
    target.take_back()
    if target.state()[:2] != before[:2]:
        raise AssertionError("the undo of a load that was struck did not bring everything back")
    return "all"


def judge_undo(target: Target, before: tuple, point: int, how: str) -> str:
    """Loads, strikes at the undo, and tells whether ``all`` or ``none`` of it was done. The system is as before then.

    Raises:
        AssertionError: part of the undo is done, or the next command does not say which it is.
    """
    loaded = run_kotrel(target.folder, *LOAD)
    if loaded.returncode:
        raise AssertionError(loaded.stdout + loaded.stderr)
    there = target.state()
    done = target.strike(point, how, ("undo", "L0001", "--yes"))
    after = target.state()
    # Struck while it was still looking the load up, an undo has not begun, and there is nothing to tell.
    begun = any((target.folder / ".kotrel" / in_progress.FOLDER).glob("*.json"))
    told = run_kotrel(target.folder, "history").stderr
    if after == there:
        end, words = "none", "none of it is in the system"
        target.take_back()
    elif after[:2] == before[:2] and after[2] == there[2] + 1:
        end, words = "all", "all of it is in the system, as L0002"
        target.forget()
    else:
        raise AssertionError(
            f"part of an undo is done: {len(after[0])} items, {after[1]}, {after[2]} loads, {after[3]} rows"
        )
    if begun and done.returncode == -9 and words not in told:
        raise AssertionError(f"the next command does not say {words!r}: {told!r}")
    return end
