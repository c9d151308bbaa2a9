"""The practice till: a strict program that knows only files. It reads one exact layout and nothing else.

It lives in a folder: ``in`` and ``try`` (upload files), ``lists`` (what it gives out), ``results`` (row by row),
``done`` (what it has read). What it holds is in ``till.json``, written in one step, so that it can be stopped at any
moment.
"""

from __future__ import annotations

import csv
import io
import json
import re
from pathlib import Path
from typing import Any

from msgspec import Struct, field

from kotrel.core.errors import OutOfReach

STATE = "till.json"
FOLDERS = ("in", "try", "lists", "results", "done")
HEADING = "Action;ArtNo;Text;Unit;Group;Price;Active"
RESULT = ("Reference", "ArtNo", "Result", "Number", "Reason", "What to do")
FIRST_NUMBER = 70001


class TillResponse(Struct):
    """What the till made of one upload file."""

    file: str
    done: int = 0
    warned: int = 0
    refused: int = 0
    rows: list[list[str]] = field(default_factory=list)


def set_up_till(
    folder: Path, items: list[dict[str, str]], units: list[tuple[str, str]], groups: list[tuple[str, str, str]]
) -> None:
    """Makes the till's folder with what it holds at first, and lets it give out its lists."""
    for name in FOLDERS:
        (folder / name).mkdir(parents=True, exist_ok=True)
    numbered = {each["ArtNo"]: {**each, "Number": str(FIRST_NUMBER + place)} for place, each in enumerate(items)}
    state = {
        "items": numbered,
        "next": FIRST_NUMBER + len(items),
        "taken": {},
        "units": [list(each) for each in units],
        "groups": [list(each) for each in groups],
    }
    _save(folder, state)
    _give_out(folder, state)


def waiting_files(folder: Path) -> list[Path]:
    """The upload files that lie there, the oldest first.

    Raises:
        OutOfReach: there is no till in that folder.
    """
    if not (folder / STATE).is_file():
        raise OutOfReach(
            f"there is no practice till in {folder}",
            "kotrel init DIR --system folder:TILL/lists --practice makes one.",
            "no-till",
        )
    found = [
        path for name in ("in", "try") for path in (folder / name).iterdir() if path.suffix in (".csv", ".txt", ".xlsx")
    ]
    return sorted(found, key=lambda path: path.stat().st_mtime)


def read_upload(folder: Path, path: Path) -> TillResponse:
    """Reads one upload file: takes what it can, writes the result, gives out its lists again,
    and puts the file away.
    """
    state = json.loads((folder / STATE).read_text("utf-8"))
    trial = path.parent.name == "try"
    known = state["taken"].get(path.name)
    if known is None:
        answer = _judged(state, path)
        if not trial:
            state["taken"][path.name] = answer.rows
            _save(folder, state)
    else:
        answer = TillResponse(path.name, rows=known)
    _write(folder / "results" / f"{path.stem}-result.csv", [list(RESULT), *answer.rows])
    if not trial:
        _give_out(folder, state)
    path.replace(folder / "done" / path.name)
    return answer


def _judged(state: dict[str, Any], path: Path) -> TillResponse:
    answer = TillResponse(path.name)

    def say(code: str, result: str, number: str = "", reason: str = "", advice: str = "") -> None:
        answer.rows.append([path.stem, code, result, number, reason, advice])
        answer.done += result == "OK"
        answer.warned += result == "WARN"
        answer.refused += result == "ERR"

    try:
        text = path.read_bytes().decode("cp1252")
    except UnicodeDecodeError:
        say("", "ERR", "", "the file is not in code page 1252")
        return answer
    lines = text.split("\r\n")
    if lines[0] != HEADING:
        say("", "ERR", "", "the headings are not those of this till", f"They are exactly: {HEADING}")
        return answer
    if "\n" in text.replace("\r\n", ""):
        say("", "ERR", "", "a line break within a field")
        return answer
    units, groups = {each[0] for each in state["units"]}, {each[0] for each in state["groups"]}
    for line in lines[1:]:
        if not line:
            continue
        say(*_take_line(line, state, units, groups))
    return answer


def _take_line(line: str, state: dict[str, Any], units: set[str], groups: set[str]) -> tuple[str, str, str, str, str]:
    """Takes a line in, or refuses it: its code, the result, the till's number of a new item, a reason, and advice."""
    names, cells = HEADING.split(";"), line.split(";")
    if len(cells) != len(names):
        return "".join(cells[1:2]), "ERR", "", f"{len(cells)} fields instead of {len(names)}", ""
    row = dict(zip(names, cells, strict=True))
    code = row["ArtNo"]
    reason, advice = _wrong(row, state["items"], units, groups)
    if reason:
        return code, "ERR", "", reason, advice
    known = state["items"].get(code, {})
    number = known.get("Number") or str(state["next"])
    state["next"] += not known
    withdrawn = row["Action"] == "W"
    kept = {name: row[name] for name in ("ArtNo", "Text", "Unit", "Group", "Price", "Active")}
    state["items"][code] = {**known, **({"Active": "N"} if withdrawn else kept), "Number": number}
    told = "" if known else number
    if not withdrawn and row["Price"] in ("0,00", ""):
        return code, "WARN", told, "sold for nothing", "Give it a price before it is sold."
    return code, "OK", told, "", ""


def _wrong(row: dict[str, str], items: dict[str, Any], units: set[str], groups: set[str]) -> tuple[str, str]:
    """Why a row is refused, and what to do; empty texts where it is taken."""
    code = row["ArtNo"]
    if row["Action"] not in ("N", "U", "W"):
        return f"Action is {row['Action'] or 'blank'}", "N for new, U for update, W for withdrawn."
    if not re.fullmatch(r"[A-Z0-9-]{1,12}", code):
        return "ArtNo has more than 12 characters, or others than A-Z, 0-9 and -", "Shorten it."
    if row["Action"] == "N" and code in items:
        return "it is there already", "Send it as an update."
    if row["Action"] != "N" and code not in items:
        return "it is not there", "Send it as new."
    if row["Action"] == "W":
        return "", ""
    if not 1 <= len(row["Text"]) <= 40:
        return f"Text has {len(row['Text'])} characters; the till prints 1 to 40", "Shorten it."
    if row["Unit"] not in units:
        return f"there is no unit {row['Unit']}", ""
    if row["Group"] not in groups:
        return f"there is no group {row['Group']}", "Make the group in the till first."
    if row["Price"] and not re.fullmatch(r"\d{1,7},\d{2}", row["Price"]):
        return "Price is not a number with a comma and two decimals", ""
    return ("Active is neither J nor N", "") if row["Active"] not in ("J", "N") else ("", "")


def _give_out(folder: Path, state: dict[str, Any]) -> None:
    items = [
        [each[name] for name in ("ArtNo", "Text", "Unit", "Group", "Price", "Active", "Number")]
        for each in state["items"].values()
    ]
    _write(folder / "lists" / "articles.csv", [["ArtNo", "Text", "Unit", "Group", "Price", "Active", "Number"], *items])
    _write(folder / "lists" / "units.csv", [["Unit", "Name"], *state["units"]])
    _write(folder / "lists" / "groups.csv", [["Group", "Name", "Above"], *state["groups"]])


def _save(folder: Path, state: dict[str, Any]) -> None:
    soon = folder / f"{STATE}.soon"
    soon.write_text(json.dumps(state, ensure_ascii=False), "utf-8")
    soon.replace(folder / STATE)


def _write(path: Path, rows: list[list[str]]) -> None:
    text = io.StringIO()
    csv.writer(text, delimiter=";", lineterminator="\r\n").writerows(rows)
    encoded = text.getvalue().encode("cp1252", "replace")
    if path.is_file() and path.parent.name == "lists" and path.read_bytes() == encoded and "articles" not in path.name:
        return
    soon = path.with_name(f"{path.name}.part")
    soon.write_bytes(encoded)
    soon.replace(path)
