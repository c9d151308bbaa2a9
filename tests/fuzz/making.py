"""Cases: sound files, settings and expressions with damage, the same for the same number."""

from __future__ import annotations

import json
import random
import shutil
import zipfile
from dataclasses import dataclass, field
from io import BytesIO
from pathlib import Path

from tests.fuzz import meant
from tests.sheets.test_rare_workbooks import OLD, binary_workbook, small_sheet
from tests.support import fresh_shop, run_kotrel


@dataclass(frozen=True)
class Case:
    """Files to put into a workspace, and the command to run there."""

    kind: str
    name: str
    words: tuple[str, ...]
    files: dict[str, bytes] = field(default_factory=dict)


def seeds(folder: Path) -> dict[str, bytes]:
    """Sound files to start from, by their names; a workspace that has been worked in is made in ``folder/shop``."""
    shop = folder / "shop"
    shutil.copytree(fresh_shop(), shop)
    for name in SHEETS:
        run_kotrel(shop, "export", "item", "-o", name, "--where", "category is 'CHAIN-LINK'")
    found = {name: (shop / name).read_bytes() for name in SHEETS}
    for name in SHEETS:
        (shop / name).unlink()
    found["a.xls"] = OLD.read_bytes()
    binary_workbook(shop / "a.xlsb", small_sheet())
    found["a.xlsb"] = (shop / "a.xlsb").read_bytes()
    (shop / "a.xlsb").unlink()
    for name, content in SETTINGS.items():
        (shop / name).parent.mkdir(exist_ok=True)
        (shop / name).write_text(content, "utf-8")
    (shop / "new.csv").write_text("Item code,Cost\nCHN-00010,3.10\nCHN-00020,4.20\n", "utf-8")
    for words in (
        ("load", "new.csv", "--yes"),
        ("count", "freeze", "shed", "--where", "warehouse is 'SHED'", "--stopped"),
        ("export", "item", "-o", "saved.csv", "--save", "mine"),
    ):
        done = run_kotrel(shop, *words)
        assert done.returncode == 0, done.stderr
    kept = [
        path
        for path in shop.rglob("*")
        if path.is_file() and (".kotrel" in path.parts or path.suffix in (".db", ".toml"))
    ]
    return found | {path.relative_to(shop).as_posix(): path.read_bytes() for path in kept}


SHEETS = ("a.xlsx", "a.ods", "a.csv", "a.tsv")
BOOKS = ("a.xlsx", "a.ods", "a.xlsx", "a.xls", "a.xlsb")
SETTINGS = {
    "layouts/up.toml": """record = "item"
separator = "semicolon"
decimals = 2
yes = "Y"
[[column]]
heading = "Action"
action = { new = "N", changed = "U", withdrawn = "W" }
[[column]]
heading = "Code"
field = "code"
must = true
length = 40
[[column]]
heading = "Least"
make = "least(cost, 5)"
""",
    "prices/up.toml": """title = "Rope"
from_date = 2027-02-01
[[step]]
name = "rope"
where = "code begins with 'ROP-0001'"
set = { SHOP = "SHOP + 4%" }
round = "up to 0.01"
[guards]
most_up = "12%"
""",
    "maps/n.toml": """record = "item"
[field.code]
column = "Item code"
[field.cost]
column = "Cost"
rounding = 2
[field.price]
make = "cost + 1"
for = "all"
""",
}
KEPT = (
    ("history",), ("outcome", "L0001"), ("undo", "L0001", "--yes"), ("verify", "L0001"), ("check", "a.csv", "--as", "item"), ("count", "variance", "shed"), ("count", "list"),
    ("export", "--saved", "mine"), ("stock",), ("load", "a.csv", "--as", "item", "--yes", "--since", "none"), ("records",), ("count", "sheets", "shed", "-o", "sheets"),
)  # fmt: skip
USING = {
    "layouts/up.toml": (("write", "a.csv", "--layout", "up", "-o", "u.csv"),),
    "prices/up.toml": (("reprice", "up", "-o", "p.xlsx"),),
    "maps/n.toml": (("check", "a.csv", "--map", "n"), ("preview", "a.csv", "--map", "n"), ("load", "a.csv", "--map", "n", "--yes", "--since", "none"),
                    ("prepare", "a.csv", "--map", "n", "-o", "p.xlsx")),
}  # fmt: skip
OF_SETTINGS = (
    ("check", "a.csv", "--as", "item"), ("records", "item"), ("history",), ("preview", "a.csv"), ("write", "a.csv", "--layout", "up", "-o", "u.csv"), ("reprice", "up", "-o", "p.xlsx"),
)  # fmt: skip
OF_DESCRIPTION = (
    *OF_SETTINGS, ("template", "item", "-o", "t.xlsx"), ("template", "opening_stock", "-o", "t.xlsx"), ("export", "item", "price", "-o", "x.xlsx", "--with-names"),
    ("export", "item", "-o", "x.csv", "--where", "name of category is 'Rope'"), ("map", "a.csv", "item", "--name", "m"), ("stock",), ("reorder",), ("price", "CHN-00010"),
    ("count", "freeze", "all", "--stopped"), ("count", "variance", "shed"), ("prepare", "a.csv", "--as", "item", "-o", "p.xlsx"), ("undo", "L0001", "--yes"), ("verify", "L0001"),
    ("load", "a.csv", "--as", "item", "--yes", "--since", "none"), ("stock", "--by", "category", "--from", "2026-01-01"), ("init", "--review"),
)  # fmt: skip
COMMANDS = (
    ("check", "FILE", "--as", "item"), ("inspect", "FILE"), ("preview", "FILE", "--as", "item", "--since", "none"), ("prepare", "FILE", "--as", "item", "-o", "out.xlsx"),
    ("prepare", "FILE", "--as", "item", "-o", "out.ods"), ("prepare", "FILE", "--as", "item", "-o", "out.csv"), ("check", "FILE", "--as", "item", "--marked", "m.xlsx"),
    ("map", "FILE", "item", "--name", "n"), ("compare", "FILE", "FILE", "-o", "c.xlsx"), ("load", "FILE", "--as", "item", "--yes", "--good-rows", "--since", "none"),
    ("check", "FILE", "--json"), ("check", "FILE", "--heading-row", "0", "--as", "item"),
)  # fmt: skip
WORDS = (
    "code", "cost", "price", "category", "description", "1", "0", "99999999999999999999", "0.000000000001", "'x'", "''", "(", ")", "+", "-", "*", "/", "%", "and",
    "or", "not", "is", "is not", "is blank", "if", "then", "else", "at margin", "at markup", "round(", "left(", "pad(", "next(", "text(", "number(", "least(", ",", "[Words]",
    "name of unit", "begins with", "contains", "=", "<", "is one of (", "\u0000", "\u202e", "é", "“",
)  # fmt: skip
VALUES = (
    b"", b"\x00", b"\xff\xfe", b'"', b'""', b"=1+1", b"\t=2", b"\r@x", b"1e999", b"-1e-999", b"99999999999999999999999999999999999999", b"\xe2\x80\xae", b"\x1b[31m",
    b"ca. 15", b"#N/A", b"(clear)", b"2026-13-45", b"A" * 40_000, b"\x0b", b"3-Jan", b"1E5", b"'", b"\xc3\xa9", b"0" * 400, b"\x1c\x1d\x1e\x1f", b"nan", b"inf", b"-0",
)  # fmt: skip


def case(sound: dict[str, bytes], number: int) -> Case:
    """The case of that number."""
    pick = random.Random(number)
    kind = pick.choice(("archive", "xml", "text", "values", "settings", "expression", "kept", "meant"))
    made = {
        "archive": _archive,
        "xml": _xml,
        "text": _text,
        "values": _values,
        "settings": _settings,
        "expression": _expression,
        "kept": _kept,
        "meant": _meant,
    }[kind]
    return made(sound, pick)


def _on(kind: str, name: str, content: bytes, pick: random.Random) -> Case:
    words = tuple(name if word == "FILE" else word for word in pick.choice(COMMANDS))
    return Case(kind, name, words, {name: content})


def _flipped(content: bytes, pick: random.Random) -> bytes:
    raw = bytearray(content)
    for _ in range(pick.choice((1, 1, 3, 20))):
        how, at = pick.randrange(4), pick.randrange(max(len(raw), 1))
        if how == 0 and raw:
            raw[at] = pick.randrange(256)
        elif how == 1:
            raw = raw[:at]
        elif how == 2:
            raw[at:at] = pick.choice(VALUES)[:50]
        else:
            raw[at : at + pick.randrange(40)] = b""
    return bytes(raw)


def _archive(sound: dict[str, bytes], pick: random.Random) -> Case:
    name = pick.choice(BOOKS)
    return _on("archive", name, _flipped(sound[name], pick), pick)


def _xml(sound: dict[str, bytes], pick: random.Random) -> Case:
    """A part of a workbook damaged inside a sound archive."""
    name = pick.choice(("a.xlsx", "a.ods", "a.xlsb"))
    out = BytesIO()
    with zipfile.ZipFile(BytesIO(sound[name])) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        parts = [each for each in old.namelist() if each.endswith((".xml", ".rels", ".bin"))]
        struck = pick.choice(parts)
        for part in old.namelist():
            content = old.read(part)
            if part == struck:
                content = _flipped(content, pick) if pick.random() < 0.6 else content.replace(*_swap(pick))
            new.writestr(part, content)
    return _on("xml", name, out.getvalue(), pick)


def _swap(pick: random.Random) -> tuple[bytes, bytes]:
    return pick.choice(
        ((b'r="', b'r = "'), (b'r="B', b'r="XFD'), (b't="s"', b't="x"'), (b"<v>", b"<v>9999999"), (b"<c ", b"<x:c "), (b"string", b"float"), (b"</", b"<!-- x --></"),
         (b'"1"', b'"-1"'), (b'"0"', b'"99999999999"'), (b"table-cell", b"covered-table-cell"), (b"<row", b'<row hidden="1"'))
    )  # fmt: skip


def _text(sound: dict[str, bytes], pick: random.Random) -> Case:
    name = pick.choice(("a.csv", "a.tsv"))
    content = _flipped(sound[name], pick)
    if pick.random() < 0.2:
        content = bytes(pick.randrange(256) for _ in range(pick.randrange(300)))
    return _on("text", pick.choice((name, "a.txt", "b.xlsx", "b")), content, pick)


def _values(sound: dict[str, bytes], pick: random.Random) -> Case:
    """Odd values in the cells of a sound text file."""
    lines = [line.split(b",") for line in sound["a.csv"].split(b"\n")]
    for _ in range(pick.choice((1, 4, 30))):
        line = pick.choice(lines)
        line[pick.randrange(len(line))] = pick.choice(VALUES)
    return _on("values", "a.csv", b"\n".join(b",".join(line) for line in lines), pick)


def _settings(sound: dict[str, bytes], pick: random.Random) -> Case:
    name = pick.choice(("kotrel.toml", "system.toml", *SETTINGS))
    content = sound[name]
    if pick.random() < 0.5:
        lines = content.split(b"\n")
        at = pick.randrange(len(lines))
        key = lines[at].partition(b"=")[0]
        odd = (
            b"1e400",
            b"[[[[]]]]",
            b"{}",
            b"true",
            b"-99999999999999999999",
            b"nan",
            b'"\\u0000"',
            b"1979-05-27",
            b'""',
            b"[" * 300 + b"]" * 300,
            b'"' + b"x" * 5000 + b'"',
        )
        lines[at] = key + b"= " + pick.choice(odd)
        content = b"\n".join(lines)
    else:
        content = _flipped(content, pick)
    words = pick.choice(OF_SETTINGS)
    return Case("settings", name, words, {name: content, "a.csv": sound["a.csv"]})


def _kept(sound: dict[str, bytes], pick: random.Random) -> Case:
    """Damage in what Kotrel itself keeps, and in the database."""
    name = pick.choice([name for name in sound if name.startswith(".kotrel") or name.endswith(".db")])
    return Case("kept", name, pick.choice(KEPT), {name: _flipped(sound[name], pick), "a.csv": sound["a.csv"]})


def _meant(sound: dict[str, bytes], pick: random.Random) -> Case:
    """Settings and expressions that hold together, or nearly."""
    files, how = {"a.csv": sound["a.csv"]}, pick.randrange(5)
    if how < 2:
        text = meant.deep_expression(pick) if how else meant.expression(pick)
        if pick.random() < 0.5:
            return Case("meant", text[:200], ("export", "item", "-o", "e.csv", "--where", text))
        files["maps/n.toml"] = (
            f'record = "item"\n[field.code]\ncolumn = "Item code"\n[field.note]\nmake = {json.dumps(text)}\nfor = "all"\n'.encode()
        )
        return Case("meant", text[:200], ("preview", "a.csv", "--map", "n"), files)
    if how == 2:
        files["layouts/up.toml"] = meant.layout(pick).encode()
        return Case(
            "meant",
            "layouts/up.toml",
            ("write", "a.csv", "--layout", "up", "-o", "u.csv", *pick.choice(((), ("--blanks", "clear")))),
            files,
        )
    name = pick.choice(("kotrel.toml", "system.toml", "system.toml", *SETTINGS))
    changed = meant.description if name == "system.toml" and pick.random() < 0.8 else meant.settings
    files[name] = changed(sound[name].decode(), pick).encode()
    return Case("meant", name, pick.choice(USING.get(name, OF_DESCRIPTION)), files)


def _expression(sound: dict[str, bytes], pick: random.Random) -> Case:
    text = " ".join(pick.choice(WORDS) for _ in range(pick.choice((2, 5, 12, 60))))
    if pick.random() < 0.1:
        text = pick.choice(("(", "not ", "cost + ", "if cost > 1 then 1 else ")) * pick.randrange(300) + text
    if pick.random() < 0.5:
        return Case("expression", text, ("export", "item", "-o", "e.csv", "--where", text.replace("\0", "")))
    content = f'record = "item"\n[field.code]\ncolumn = "Item code"\n[field.cost]\ncolumn = "Cost"\n[field.note]\nmake = {text!r}\nfor = "all"\n'
    return Case(
        "expression", text, ("check", "a.csv", "--map", "n"), {"maps/n.toml": content.encode(), "a.csv": sound["a.csv"]}
    )
