"""Documents of every kind, undone and asked about by day, against a plain ledger that is kept beside them.

What goes out goes at the average cost of that moment, four decimals; the last piece takes what value is left. A load
that takes another back takes out what that brought in, value included.
"""

from __future__ import annotations

import csv
import random
from dataclasses import dataclass, replace
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path

from tests.support import Program
from tests.walks.common import Wrong, said

ZERO = Decimal(0)
FOUR = Decimal("0.0001")
TODAY = date.today()


@dataclass(frozen=True)
class Movement:
    """One line of the ledger."""

    load: int
    day: date
    item: str
    warehouse: str
    bin: str
    quantity: Decimal
    value: Decimal


class Documents:
    """Thirty steps: a document, a question, an undo."""

    def __init__(self, home: Path, pick: random.Random, on: str = "sqlite") -> None:
        self.program = Program()
        self.program.folder = home
        (self.program.start_on_postgres if on == "postgres" else self.program.start_shop)()
        self.pick, self.log, self.loads, self.number = pick, list[str](), list[int](), 0
        held = said("stock", "--by", "item,warehouse,bin")["rows"]
        self.items = sorted({row["item"] for row in held if row["item"].startswith(("FST", "CHN"))})[:6]
        self.bins = {(row["warehouse"], row["bin"] or "") for row in held if row["item"] in self.items} | {
            ("LOFT", ""),
            ("SHED", ""),
        }
        self.ledger = [
            Movement(
                0, date(2000, 1, 1), row["item"], row["warehouse"], row["bin"] or "", Decimal(row["on_hand"]), ZERO
            )
            for row in held
            if row["item"] in self.items
        ]
        # The value that an item begins with stands at its first place: only its sum is compared.
        worth = dict.fromkeys(self.items, ZERO)
        said("export", "stock_movement", "-o", "moves.csv", "--where", "counts_as is 'on hand'")
        with Path("moves.csv").open(encoding="utf-8-sig", newline="") as file:
            for row in csv.DictReader(file):
                worth[row["Item"]] = worth.get(row["Item"], ZERO) + Decimal(row["Value"] or 0)
        for item in self.items:
            place = next(n for n, each in enumerate(self.ledger) if each.item == item)
            self.ledger[place] = replace(self.ledger[place], value=worth[item])

    def close(self) -> None:
        self.program.doCleanups()

    # the plain ledger

    def held(self, until: date | None = None) -> dict[tuple[str, str, str], Decimal]:
        """What each place holds, now or at the end of a day."""
        found: dict[tuple[str, str, str], Decimal] = {}
        for each in self.ledger:
            if until is None or each.day <= until:
                place = each.item, each.warehouse, each.bin
                found[place] = found.get(place, ZERO) + each.quantity
        return {place: quantity for place, quantity in found.items() if quantity}

    def worth(self, item: str) -> tuple[Decimal, Decimal]:
        """Quantity and value of an item now."""
        mine = [each for each in self.ledger if each.item == item]
        return sum((each.quantity for each in mine), ZERO), sum((each.value for each in mine), ZERO)

    def at_average(self, item: str, quantity: Decimal) -> Decimal:
        """The value of what goes out (below zero) or comes back at average cost."""
        on_hand, value = self.worth(item)
        if -quantity == on_hand:
            return -value
        average = (value / on_hand).quantize(FOUR, ROUND_HALF_UP)
        return (quantity * average).quantize(FOUR, ROUND_HALF_UP)

    # the steps

    def go(self) -> None:
        for _ in range(30):
            self.pick.choice((self.post, self.post, self.post, self.undo))()
            self.compare()
        self.ask()

    def post(self) -> None:
        kind = self.pick.choice(("goods_receipt", "goods_issue", "adjustment", "transfer"))
        item, day = self.pick.choice(self.items), TODAY - timedelta(days=self.pick.randint(0, 9))
        warehouse, bin_ = self.pick.choice(sorted(self.bins))
        quantity, cost = Decimal(self.pick.randint(1, 9)), Decimal(self.pick.randint(50, 999)) / 100
        self.number += 1
        heads, cells = (
            ["Document", "Date", "Warehouse", "Item", "Bin", "Quantity"],
            [f"W-{self.number}", day.isoformat(), warehouse, item, bin_],
        )
        sign = self.pick.choice((1, -1)) if kind == "adjustment" else 1
        cells.append(f"{quantity * sign}")
        to = ("", "")
        if kind == "goods_receipt" or (kind == "adjustment" and sign > 0):
            heads.append("Unit cost")
            cells.append(f"{cost}")
        if kind == "transfer":
            to = self.pick.choice(sorted(self.bins - {(warehouse, bin_)}))
            heads += ["To warehouse", "To bin"]
            cells += to
        Path("d.csv").write_text(",".join(heads) + "\n" + ",".join(cells) + "\n", "utf-8")
        answer = said("load", "d.csv", "--as", kind, "--yes")
        self.log.append(f"{kind} {','.join(cells)}: {answer.get('status')}")
        goes_out = kind in ("goods_issue", "transfer") or sign < 0
        # What goes out must be there on that day, and on every day after it.
        days = sorted({day, *(each.day for each in self.ledger if each.day >= day)})
        there = min(self.held(each).get((item, warehouse, bin_), ZERO) for each in days)
        may = not goes_out or there >= quantity
        if (answer.get("status") == "loaded") != may:
            raise Wrong(f"{answer.get('status')}, and {there} of {quantity} are there")
        if not may:
            return
        load = int(answer["load"][1:])
        self.loads.append(load)
        if not goes_out:
            self.ledger.append(
                Movement(load, day, item, warehouse, bin_, quantity, (quantity * cost).quantize(FOUR, ROUND_HALF_UP))
            )
            return
        on_hand, value = self.worth(item)
        average = (value / on_hand).quantize(FOUR, ROUND_HALF_UP)
        out = (
            -(quantity * average).quantize(FOUR, ROUND_HALF_UP)
            if kind == "transfer" and quantity != on_hand
            else self.at_average(item, -quantity)
        )
        self.ledger.append(Movement(load, day, item, warehouse, bin_, -quantity, out))
        if kind == "transfer":
            self.ledger.append(Movement(load, day, item, to[0], to[1], quantity, -out))

    def undo(self) -> None:
        if not self.loads:
            return
        load = self.pick.choice(self.loads)
        answer = said("undo", f"L{load:04d}", "--yes")
        self.log.append(f"undo L{load:04d}: {answer.get('status')}")
        if answer.get("status") != "undone":
            return
        self.loads.remove(load)
        number = int(answer["undo"][1:])
        for each in [one for one in self.ledger if one.load == load]:
            self.ledger.append(replace(each, load=number, day=TODAY, quantity=-each.quantity, value=-each.value))
        for item in {each.item for each in self.ledger if each.load == number}:
            on_hand, value = self.worth(item)
            if not on_hand and value:
                # Nothing is left of it, so its last value goes out with it.
                place = max(n for n, each in enumerate(self.ledger) if each.load == number and each.item == item)
                self.ledger[place] = replace(self.ledger[place], value=self.ledger[place].value - value)

    # the questions

    def compare(self) -> None:
        where = f"item is one of ({', '.join(map(repr, self.items))})"
        found = said("stock", "--by", "item,warehouse,bin", "--where", where)["rows"]
        got = {
            (row["item"], row["warehouse"], row["bin"] or ""): Decimal(row["on_hand"])
            for row in found
            if Decimal(row["on_hand"])
        }
        if got != self.held():
            raise Wrong(f"{got} is on hand, not {self.held()}")
        for row in said("stock", "--by", "item", "--where", where)["rows"]:
            self.same(f"the value of {row['item']}", row["value"], self.worth(row["item"])[1])

    def same(self, what: str, got: str, wanted: Decimal) -> None:
        if Decimal(got) != wanted.quantize(Decimal("0.01"), ROUND_HALF_UP):
            raise Wrong(f"{what}: {got}, not {wanted}")

    def ask(self) -> None:
        where = f"item is one of ({', '.join(map(repr, self.items))})"
        day, until = (TODAY - timedelta(days=n) for n in (self.pick.randint(4, 9), self.pick.randint(0, 3)))
        at = said("stock", "--by", "item,warehouse,bin", "--where", where, "--at", until.isoformat())["rows"]
        got = {
            (row["item"], row["warehouse"], row["bin"] or ""): Decimal(row["on_hand"])
            for row in at
            if Decimal(row["on_hand"])
        }
        if got != self.held(until):
            raise Wrong(f"on {until}: {got}, not {self.held(until)}")
        total = sum((each.value for each in self.ledger if each.day <= until), ZERO)
        whole = said("stock", "--by", "item", "--where", where, "--at", until.isoformat())
        self.near(f"the value on {until}", whole["totals"]["value"], total, len(self.items))
        period = said(
            "stock", "--by", "warehouse", "--where", where, "--from", day.isoformat(), "--to", until.isoformat()
        )["rows"]
        for row in period:
            mine = [each for each in self.ledger if each.warehouse == row["warehouse"] and day <= each.day <= until]
            self.same(
                f"in {row['warehouse']}", row["in"], sum((each.quantity for each in mine if each.quantity > 0), ZERO)
            )
            self.same(
                f"out of {row['warehouse']}",
                row["out"],
                -sum((each.quantity for each in mine if each.quantity < 0), ZERO),
            )
            if Decimal(row["opening"]) + Decimal(row["in"]) - Decimal(row["out"]) != Decimal(row["closing"]):
                raise Wrong(f"{row} does not add up")
            revalued = Decimal(row.get("revalued", "0"))
            moved = Decimal(row["opening_value"]) + Decimal(row["in_value"]) - Decimal(row["out_value"]) + revalued
            self.near(f"the closing value of {row['warehouse']}", row["closing_value"], moved, 4)
        if self.loads:
            load = self.pick.choice(self.loads)
            for row in said("stock", "--by", "item,warehouse,bin", "--against", f"L{load:04d}", "--with-empty")["rows"]:
                place = row["item"], row["warehouse"], row["bin"] or ""
                until_then = [
                    each for each in self.ledger if each.load <= load and (each.item, each.warehouse, each.bin) == place
                ]
                self.same(
                    f"after L{load:04d} at {place}", row["after"], sum((each.quantity for each in until_then), ZERO)
                )

    def near(self, what: str, got: str, wanted: Decimal, cents: int) -> None:
        """As :meth:`same`, of a sum of values that are each shown to the cent."""
        if abs(Decimal(got) - wanted) > Decimal(cents) / 100:
            raise Wrong(f"{what}: {got}, not {wanted}")
