"""A practice system to ask, and sheets with ordinary damage in every form that people save them in."""

from __future__ import annotations

import json
import random
import shutil
import sqlite3
import tempfile
import zipfile
from collections.abc import Callable, Iterator, Sequence
from html import escape
from pathlib import Path
from typing import Any, Literal

import openpyxl

from tests.support import Program, fresh_shop, run_kotrel

Row = dict[str, str]
HEADINGS = {
    "code": ("Item code", "code", "Article"),
    "description": ("Description", "description"),
    "unit": ("Base unit", "unit", "UoM"),
    "category": ("Category", "category"),
    "vendor": ("Vendor", "vendor", "Supplier"),
    "cost": ("Cost", "cost"),
    "price": ("Standard price", "price"),
    "barcode": ("Barcode", "barcode"),
}
"""Field → its heading as a title, a name, and a usual word."""


class World:
    """A new workspace, with the practice system in a ``file``, on a database ``server``, or behind a ``service``."""

    def __init__(self, kind: Literal["file", "server", "service"] = "file") -> None:
        self._temporary = tempfile.TemporaryDirectory(prefix="same-")
        self.folder = Path(self._temporary.name) / "shop"
        self._program = Program()
        self._program.folder = self.folder
        if kind == "file":
            shutil.copytree(fresh_shop(), self.folder)
        elif kind == "server":
            self._program.start_on_postgres()
        else:
            self.folder.mkdir()
            self._program.start_on_service()

    def close(self) -> None:
        self._program.doCleanups()
        self._temporary.cleanup()

    def kotrel(self, *words: str, cwd: Path | None = None) -> tuple[int, str]:
        done = run_kotrel(cwd or self.folder, *words)
        if "unexpected" in done.stderr:
            raise AssertionError(f"{words}: {done.stderr}")
        return done.returncode, done.stdout

    def json(self, *words: str, cwd: Path | None = None) -> dict[str, Any]:
        value: dict[str, Any] = json.loads(self.kotrel("--json", *words, cwd=cwd)[1])
        return value

    def tables(self) -> dict[str, list[tuple[Any, ...]]]:
        """All that the business system holds, without Kotrel's journal and what changes by the clock."""
        with sqlite3.connect(self.folder / "practice.db") as database:
            names = [name for (name,) in database.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
            kept = [name for name in names if not name.startswith(("kotrel", "sqlite"))]
            return {name: sorted(database.execute(f'SELECT * FROM "{name}"'), key=repr) for name in kept}


def told(what: str, one: Any, other: Any) -> Iterator[str]:
    if one != other:
        yield f"{what}: {str(one)[:300]} ≠ {str(other)[:300]}"


def items(pick: random.Random, count: int, damage: bool = True) -> list[Row]:
    """Rows of items: some exist, some are new; some cells are as people type them, some are wrong."""
    rows: list[Row] = []
    used: set[str] = set()
    while len(rows) < count:
        exists = pick.random() < 0.5
        code = f"ROP-{pick.randrange(1, 18) * 10:05d}" if exists else f"NEW-{pick.randrange(50_000, 59_999)}"
        if code in used:
            continue
        used.add(code)
        row = {
            "code": code,
            "description": pick.choice(("Braided rope 5 mm", "Tau, blå", 'Hose 1/2"', "Größe 4; rot")),
            "unit": pick.choice(("M", "EA", "KG")) if not exists else "M",
            "category": pick.choice(("ROPE-BRAID", "ROPE-TWIST")),
            "vendor": pick.choice(("KELDRIFT", "BRANNOCH", "")),
            "cost": f"{pick.randrange(1, 900)}.{pick.randrange(10, 99)}",
            "price": f"{pick.randrange(900, 1900)}.{pick.randrange(10, 99)}",
            "barcode": "",
        }
        if damage and pick.random() < 0.4:
            _damage(row, pick)
        rows.append(row)
    return rows


def _damage(row: Row, pick: random.Random) -> None:
    changes: list[Callable[[], None]] = [
        lambda: row.update(description=f"  {row['description']} "),
        lambda: row.update(vendor=pick.choice(("Keldrift Cordage", "brannoch", "NOBODY"))),
        lambda: row.update(category="ROPE-NONE"),
        lambda: row.update(cost=f"€ {row['cost']}"),
        lambda: row.update(price="POA"),
        lambda: row.update(cost="-1.50"),
        lambda: row.update(unit=pick.choice(("metre", "Each", "Stück"))),
        lambda: row.update(barcode="2000000000001"),
        lambda: row.update(code=row["code"].lower()),
        lambda: row.update(price=f"{row['price']}345"),
        lambda: row.update(description=""),
    ]
    pick.choice(changes)()


def table_of(rows: Sequence[Row], fields: Sequence[str], spelling: int = 0) -> list[list[str]]:
    """Headings and lines."""
    headings = [HEADINGS[name][spelling % len(HEADINGS[name])] for name in fields]
    return [headings, *([row[name] for name in fields] for row in rows)]


def write(path: Path, lines: Sequence[Sequence[str]], separator: str = ",", encoding: str = "utf-8") -> str:
    """Writes lines as text, by the path's ending as a workbook; returns the file's name."""
    if path.suffix == ".xlsx":
        book(path, {"Sheet": lines})
        return path.name
    if path.suffix == ".ods":
        open_document(path, lines)
        return path.name
    quoted = [
        separator.join(
            '"' + cell.replace('"', '""') + '"' if any(c in cell for c in f'{separator}"\n') else cell for cell in line
        )
        for line in lines
    ]
    path.write_bytes(("\r\n".join([*quoted, ""])).encode(encoding))
    return path.name


def book(path: Path, sheets: dict[str, Sequence[Sequence[str]]]) -> None:
    """A workbook in which every cell is a text."""
    out = openpyxl.Workbook()
    out.remove(out.active)
    for title, lines in sheets.items():
        page = out.create_sheet(title)
        for row, line in enumerate(lines, start=1):
            for column, cell in enumerate(line, start=1):
                if cell:
                    page.cell(row, column).value = cell
                    page.cell(row, column).data_type = "s"
                page.cell(row, column).number_format = "@"
    out.save(path)


def open_document(path: Path, lines: Sequence[Sequence[str]]) -> None:
    """A workbook in the open format in which every cell is a text."""
    spaces = "".join(
        f' xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
    )
    cells = "".join(
        "<table:table-row>"
        + "".join(
            f'<table:table-cell office:value-type="string"><text:p>{escape(cell).replace("  ", "<text:s/> ")}</text:p></table:table-cell>'
            if cell
            else "<table:table-cell/>"
            for cell in line
        )
        + "</table:table-row>"
        for line in lines
    )
    content = (
        f'<office:document-content{spaces}><office:body><office:spreadsheet><table:table table:name="Sheet">{cells}'
        "</table:table></office:spreadsheet></office:body></office:document-content>"
    )
    with zipfile.ZipFile(path, "w") as out:
        out.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        out.writestr(
            "META-INF/manifest.xml",
            '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>',
        )
        out.writestr("content.xml", content)


OF_THE_MOMENT = ("at", "when", "job", "reference", "export", "on", "who", "by", "system")
"""What may differ between systems: times and names."""


def lasting(answer: Any) -> Any:
    """A command's answer without what differs from one moment, or one system, to the next."""
    if isinstance(answer, dict):
        return {name: lasting(value) for name, value in answer.items() if name not in OF_THE_MOMENT}
    return [lasting(each) for each in answer] if isinstance(answer, list) else answer


def findings(answer: dict[str, Any], keys: Sequence[str], first: int = 2) -> set[tuple[str, ...]]:
    """What is found, at which row of the content: without cells, which are elsewhere in every form.

    Args:
        keys: the code in each row, in the order of the sheet.
        first: the row of the first.
    """
    found = set()
    if "error" in answer:
        return {("error", answer["error"]["kind"], "", "")}
    for each in answer["findings"]:
        if each["severity"] == "note" or each["kind"] in ("unknown-heading", "sheet-not-read"):
            continue
        at = each["row"] - first
        found.add((keys[at] if 0 <= at < len(keys) else "sheet", each["kind"], str(each["field"]), each["severity"]))
    return found


def changes(answer: dict[str, Any]) -> list[tuple[str, ...]]:
    """What a preview would change, in order."""
    if "error" in answer:
        return [("error", answer["error"]["kind"], answer["error"]["message"])]
    return sorted(tuple(map(str, each.values())) for each in answer["changes"])
