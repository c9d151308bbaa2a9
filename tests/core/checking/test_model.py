"""All checks of a record against a plain model of them: row by row, in a few lines of Python, on random sheets and
systems.

The model looks at the state after the load, cell by cell; the checks look at whole columns. Both must find the same.
"""

from __future__ import annotations

import unittest
from collections import Counter
from decimal import Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.checking.all_checks import check_rows
from kotrel.core.columns import ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.code_formats import gtin_check_digit
from tests.builders import rows_in_sheet, system_of

MODEL = read_description("""
[record.house]
key = ["code"]
[record.house.field]
code = { kind = "code", must = "always" }
[record.thing]
key = ["code"]
together = [["length", "width"]]
exactly_one = [["amount", "percent"]]
in_order = [["low", "high"]]
unique_together = [["family", "size"]]
no_circle = [["code", "parent"]]
needs = { "model.tracked" = "yes" }
[record.thing.field]
code = { kind = "code", must = "always", length = 3 }
name = { kind = "text", must = "new", length = 4 }
house = { kind = "reference", to = "house" }
barcode = { kind = "code", check = "gtin", unique = "barcode" }
more = { kind = "list", check = "gtin", unique = "barcode" }
cost = { kind = "money", decimals = 2, least = 0, most = 50, zero_means = "ask" }
amount = { kind = "quantity", decimals = 0 }
percent = { kind = "number", decimals = 0 }
length = { kind = "number", decimals = 0 }
width = { kind = "number", decimals = 0 }
low = { kind = "number", decimals = 0 }
high = { kind = "number", decimals = 0 }
family = { kind = "code" }
size = { kind = "code" }
parent = { kind = "reference", to = "thing" }
model = { kind = "reference", to = "thing" }
tracked = { kind = "yes_no" }
other = { kind = "code", differs_from = "family" }
base = { kind = "code", same_as = "model.family" }
stock = { kind = "quantity", decimals = 0, kept_by = "system" }
""")
THING = MODEL.records["thing"]
NAMES = list(THING.fields)
GOOD = [
    body + gtin_check_digit(body) for body in ("2012345", "2099999", "000012345678", "201234567890", "0201234567890")
]
BAD = [GOOD[0][:-1] + str((int(GOOD[0][-1]) + 1) % 10), "123", "20123A51"]
HOUSES = ["Q", "L"]


def some(*values: str) -> st.SearchStrategy[str | None]:
    return st.one_of(st.none(), st.sampled_from(values))


CELLS = {
    "code": st.one_of(st.sampled_from("ABCDEF"), st.sampled_from(["A", "TOOLONG"]), st.none()),
    "name": some("rope", "a long name", "li\nne"), "house": some("Q", "L", "X"), 
    "barcode": some(*GOOD[:3], *BAD), "more": some(GOOD[0], f"{GOOD[1]}; {GOOD[3]}", f"{GOOD[4]}; {BAD[0]}"),
    "cost": some("0.00", "50.00", "50.01", "-0.01", "1.255", "12.50"), "amount": some("1"), "percent": some("5"),
    "length": some("1"), "width": some("2"), "low": some("1", "5", "20"), "high": some("1", "3", "10"),
    "family": some("F", "G"), "size": some("S", "M"), "parent": some(*"ABCDEX"), "model": some(*"ABCX"),
    "tracked": some("yes", "no"), "other": some("F", "G"), "base": some("F", "G"), "stock": some("0", "5", "7"),
}  # fmt: skip
SYSTEM_CELLS = {
    **CELLS, "name": st.just("rope"), "house": some(*HOUSES), "barcode": st.none(), "more": st.none(),
    "cost": some("1.00"), "parent": st.none(), "model": st.none(), "other": st.none(), "base": st.none(), "stock": some("5"),
}  # fmt: skip
carried = st.lists(st.sampled_from([n for n in NAMES if n != "code"]), unique=True, max_size=9).map(
    lambda names: ["code", *names]
)
clears = st.sets(st.tuples(st.integers(0, 5), st.sampled_from(NAMES[1:-1])), max_size=2)


@st.composite
def cases(draw: Any) -> tuple[list[dict[str, Any]], dict[str, dict[str, Any]], list[str], set[tuple[int, str]]]:
    """A sheet, a system (code → fields) whose own values are right, the fields the sheet carries,
    and cells to clear.
    """
    names = draw(carried)
    sheet = [{name: draw(CELLS[name]) for name in names} for _ in range(draw(st.integers(1, 6)))]
    system = {
        code: {name: draw(SYSTEM_CELLS[name]) for name in NAMES[1:]} for code in draw(st.sets(st.sampled_from("ABC")))
    }
    barcodes, pairs = iter(GOOD), iter([("F", "S"), ("F", "M"), ("G", "S")])
    for row in system.values():
        row["barcode"] = next(barcodes, None) if draw(st.booleans()) else None
        row["more"] = next(barcodes, None) if draw(st.booleans()) else None
        row["family"], row["size"] = next(pairs, (None, None)) if draw(st.booleans()) else (None, None)
    return sheet, system, names, {(n, name) for n, name in draw(clears) if n < len(sheet) and name in names}


def as_rows(sheet: list[dict[str, Any]], names: list[str], cleared: set[tuple[int, str]]) -> Rows:
    """The sheet as rows, from row 2 on; a cleared cell is blank."""
    columns = {name: [None if (n, name) in cleared else row[name] for n, row in enumerate(sheet)] for name in names}
    marks = {
        name: [(n, name) in cleared for n in range(len(sheet))] for name in dict.fromkeys(name for _, name in cleared)
    }
    return rows_in_sheet(THING, columns, marks)


def state_of(system: dict[str, dict[str, Any]]) -> SystemState:
    held = {
        "house": {"code": HOUSES}, 
        "thing": {"code": list(system), **{name: [row[name] for row in system.values()] for name in NAMES[1:]}},
    }  # fmt: skip

    return system_of(MODEL, held)


def expected(
    sheet: list[dict[str, Any]], system: dict[str, dict[str, Any]], names: list[str], cleared: set[tuple[int, str]]
) -> set[tuple[Any, ...]]:
    """(kind, field, row) of every error that there is."""
    found: set[tuple[Any, ...]] = set()
    cell = [{name: None if (n, name) in cleared else row[name] for name in names} for n, row in enumerate(sheet)]
    keys = Counter(row["code"] for row in cell)

    def after(n: int, name: str) -> Any:
        """The value after the load: the sheet's, else the system's, unless it is cleared."""
        stood = system.get(cell[n]["code"] or "", {}).get(name)
        if name == "code":
            return cell[n]["code"]
        return None if (n, name) in cleared else cell[n].get(name) or stood

    def parts(row: dict[str, Any]) -> list[tuple[str, str]]:
        return [(name, part) for name in ("barcode", "more") for part in (row.get(name) or "").split("; ") if part]

    all_new = all(row["code"] not in system for row in cell)
    if "name" not in names and all_new and any(row["code"] is not None for row in cell):
        found.add(("column-missing", "name", 0))
    for n, row in enumerate(cell):
        at, code = n + 2, row["code"]
        new = code not in system

        def say(kind: str, field: str, wrong: Any, at: int = at) -> None:
            if wrong:
                found.add((kind, field, at))

        say("missing", "code", code is None)
        say("twice-in-sheet", "code", code is not None and keys[code] > 1)
        say("missing", "name", "name" in names and ((new and row["name"] is None) or (n, "name") in cleared))
        say("not-there-yet", "code", "name" not in names and new and code is not None and not all_new)
        say("too-long", "code", code == "TOOLONG")
        say("too-long", "name", row.get("name") == "a long name" or row.get("name") == "li\nne")
        say("not-on-list", "house", row.get("house") == "X")
        for name, part in parts(row):
            say("barcode-with-letters", name, part == "20123A51")
            say("barcode-length", name, part == "123")
            say("check-digit", name, part == BAD[0])
            others = [
                m
                for m, theirs in enumerate(cell)
                if m != n and part.zfill(14) in [p.zfill(14) for _, p in parts(theirs)]
            ]
            say("shared-in-sheet", name, others)
            for holder, held in system.items():
                # A field that the sheet gives its holder, or clears there, no longer has the value (or is named
                # already).
                mine = [m for m, theirs in enumerate(cell) if theirs["code"] == holder]
                keeps = [
                    field for field, held_part in parts(held) if held_part.zfill(14) == part.zfill(14)
                    and not any(cell[m].get(field) or (m, field) in cleared for m in mine)
                ]  # fmt: skip
                say("taken", name, holder != code and keeps)
        if (cost := row.get("cost")) is not None:
            say("too-many-decimals", "cost", cost == "1.255")
            say("too-small", "cost", Decimal(cost) < 0)
            say("too-big", "cost", Decimal(cost) > 50)
        together = [name for name in ("length", "width") if name in names]
        touched = any(row[name] is not None or (n, name) in cleared for name in together)
        filled = [after(n, name) is not None for name in ("length", "width")]
        say("not-together", together[0] if together else "", touched and any(filled) and not all(filled))
        one = sum(after(n, name) is not None for name in ("amount", "percent"))
        shown = next((name for name in ("amount", "percent") if name in names), "code")
        say("not-exactly-one", shown, one != 1)
        low, high = after(n, "low"), after(n, "high")
        shown = next((name for name in ("high", "low") if name in names), None)
        say("wrong-order", shown or "", shown and low and high and Decimal(low) > Decimal(high))
        pair = (after(n, "family"), after(n, "size"))
        shown = next((name for name in ("size", "family") if name in names), None)
        if shown and None not in pair:
            say(
                "shared-in-sheet",
                shown,
                any((after(m, "family"), after(m, "size")) == pair for m in range(len(cell)) if m != n),
            )
            say(
                "taken",
                shown,
                any((held["family"], held["size"]) == pair for holder, held in system.items() if holder not in keys),
            )
        for name in ("parent", "model"):
            say("not-on-list", name, row.get(name) and row[name] not in {*system, *keys})
        model = system.get((row["model"] if "model" in names else after(n, "model")) or "")
        say("not-as-needed", "model", row.get("model") and model is not None and model["tracked"] != "yes")
        say("must-match", "base", row.get("base") and model and model["family"] and model["family"] != row["base"])
        say("must-differ", "other", "family" in names and row.get("other") and row["other"] == row["family"])
        stands = (system.get(code or "", {}).get("stock")) or "0"
        say("kept-by-system", "stock", row.get("stock") is not None and row["stock"] != stands)
        if row.get("parent") and code:
            say("circle", "parent", leads_back(code, row["parent"], cell, system))
    return found


def leads_back(code: str, parent: str, cell: list[dict[str, Any]], system: dict[str, dict[str, Any]]) -> bool:
    """True where the parents after the load lead from a parent back to the code."""
    links = {(row["code"], row["parent"]) for row in cell if row["code"] and row["parent"]}
    links |= {
        (holder, held["parent"])
        for holder, held in system.items()
        if holder not in {row["code"] for row in cell} and held["parent"]
    }
    seen, line = {parent}, [parent]
    while line:
        here = line.pop()
        for child, above in links:
            if child == here and above not in seen:
                seen.add(above)
                line.append(above)
    return code in seen


class Model(unittest.TestCase):
    @settings(max_examples=80)
    @given(cases())
    def test_the_checks_find_what_the_model_finds(self, case):
        sheet, system, names, cleared = case
        checked = check_rows(as_rows(sheet, names, cleared), state_of(system))
        found = {
            (group.kind, group.field, row) for group in checked.findings if group.severity == "error"
            for row in group.cells[ROW]
        }  # fmt: skip
        self.assertEqual(found, expected(sheet, system, names, cleared))
        # A cleared cell has no value that another row could share.
        sheet = [
            {name: None if (n, name) in cleared else value for name, value in row.items()}
            for n, row in enumerate(sheet)
        ]
        for group in checked.findings:
            for row, value, message in group.cells.select(ROW, "value", "message").iter_rows():
                if group.kind in ("twice-in-sheet", "shared-in-sheet") and group.field in ("code", "barcode"):
                    # Both rows are named: the message points at every other row with the value.
                    others = {
                        n + 2 for n, other in enumerate(sheet) if n + 2 != row and value in _values(other, group.field)
                    }
                    self.assertTrue(
                        all(f"{checked.letters[group.field]}{other}" in message for other in sorted(others)[:3]),
                        message,
                    )


def _values(row: dict[str, Any], field: str) -> list[str]:
    if field == "code":
        return [row["code"] or ""]
    return [part for name in ("barcode", "more") for part in (row.get(name) or "").split("; ")]
