"""Stock is counted while goods move, with a clock of its own, against a plain model of what was where and when.

The variance of a line is what was counted less what the place held at that time. A place that moved in the very minute
or second that a line names, or moved at all where the line names none, is to be counted again; so is one that was
counted twice.
"""

from __future__ import annotations

import importlib
import pkgutil
import random
import shutil
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any, NamedTuple

import kotrel
from tests.support import fresh_shop
from tests.walks.common import Wrong, rows, said

Place = tuple[str, str, "str | None", "str | None", "str | None"]
_REAL = datetime
_CLOCK = [datetime(2026, 11, 27, 9)]


class Clock(datetime):
    """The time as the walk has it."""

    @classmethod
    def now(cls, tz: Any = None) -> Any:
        at = cls(*_CLOCK[0].timetuple()[:6])
        return at.astimezone(tz) if tz else at


class Counted(NamedTuple):
    """One counted line; ``time`` as it stands in the sheet."""

    round: int
    quantity: Decimal
    time: str
    at: datetime

    @property
    def span(self) -> tuple[datetime, datetime]:
        """The minute or second that the line names."""
        if self.time.count(":") == 2 and not self.time.endswith(":00"):
            return self.at, self.at + timedelta(seconds=1)
        minute = self.at.replace(second=0)
        return minute, minute + timedelta(minutes=1)


class Counts:
    """One count from freeze to post, its undo, and its posting again."""

    def __init__(self, home: Path, pick: random.Random) -> None:
        for module in pkgutil.walk_packages(kotrel.__path__, "kotrel."):
            if not module.name.endswith("__main__"):
                loaded = importlib.import_module(module.name)
                if getattr(loaded, "datetime", None) is _REAL:
                    loaded.datetime = Clock  # type: ignore[attr-defined]
        shutil.copytree(fresh_shop(), home, dirs_exist_ok=True)
        _CLOCK[0] = datetime(2026, 11, 27, 9)
        self.database, self.pick, self.log = home / "practice.db", pick, list[str]()
        self.moves: list[tuple[datetime, Place, Decimal]] = []
        self.lines: dict[Place, list[Counted]] = {}

    def close(self) -> None:
        """Nothing is left open."""

    def held(self) -> dict[Place, Decimal]:
        query = "SELECT item, warehouse, bin, lot, serial, sum(quantity) FROM stock_movement WHERE counts_as = 'on hand' GROUP BY 1, 2, 3, 4, 5"
        return {tuple(place): Decimal(quantity) / 10**6 for *place, quantity in rows(self.database, query) if quantity}  # type: ignore[misc]

    def pass_time(self, least: int, most: int) -> None:
        _CLOCK[0] += timedelta(seconds=self.pick.randint(least, most))

    def go(self) -> None:
        warehouse = self.pick.choice(("QUAY", "SHED", "LOFT", "TENDER"))
        items = sorted({place[0] for place in self.held() if place[1] == warehouse and not place[4]})
        chosen = self.pick.sample(items, min(len(items), self.pick.randint(2, 5)))
        where = f"warehouse is '{warehouse}' and item is one of ({', '.join(map(repr, chosen))})"
        self.trading = self.pick.random() < 0.7
        said("count", "freeze", "c", "--where", where, "--trading" if self.trading else "--stopped")
        self.log.append(f"{where}, trading: {self.trading}")
        self.frozen = {
            place: held for place, held in self.held().items() if place[1] == warehouse and place[0] in chosen
        }
        self.now = dict(self.frozen)
        self.places = [place for place in self.frozen if not place[4]]
        self.pass_time(1, 240)
        for name, round_, chance in (("first.csv", 0, 1), ("second.csv", 0, 0.5), ("again.csv", 1, 0.5)):
            if self.places and self.pick.random() < chance:
                self.count(name, round_)
        if self.places:
            self.judge(self.pick.choice(("recount", "recount", "add")), self.pick.choice(("open", "leave", "zero")))

    def move(self) -> None:
        place, quantity = self.pick.choice(self.places), Decimal(self.pick.choice((1, 2, -1, -2, 5)))
        if not self.trading or self.now[place] + quantity < 0:
            return
        item, warehouse, bin_, lot, _ = place
        line = f"M-{len(self.moves)},2026-11-27,{warehouse},{item},{bin_ or ''},{lot or ''},{quantity}"
        Path("m.csv").write_text(f"Document,Date,Warehouse,Item,Bin,Lot,Quantity\n{line}\n", "utf-8")
        if said("load", "m.csv", "--as", "adjustment", "--yes").get("status") == "loaded":
            self.now[place] += quantity
            self.moves.append((_CLOCK[0], place, quantity))
            self.log.append(f"{_CLOCK[0]:%H:%M:%S} {place} {quantity}")

    def count(self, name: str, round_: int) -> None:
        lines = []
        for place in self.pick.sample(self.places, self.pick.randint(1, len(self.places))):
            self.pass_time(1, 240)
            if self.pick.random() < 0.25:
                self.move()
                self.pass_time(1, 90)
            quantity = max(Decimal(0), self.now[place] + self.pick.choice((0, 0, 0, 0, -3, -1, 1, 10)))
            at = _CLOCK[0]
            time = self.pick.choice(
                ("", f"{at:%Y-%m-%d %H:%M}", f"{at:%Y-%m-%d %H:%M}", f"{at:%H:%M}", f"{at:%Y-%m-%d %H:%M:%S}")
            )
            item, warehouse, bin_, lot, _ = place
            if self.pick.random() < 0.05:
                lines.append(f"{warehouse},{item},{bin_ or ''},{lot or ''},,,")
            else:
                lines.append(f"{warehouse},{item},{bin_ or ''},{lot or ''},{quantity},{name[:3]},{time}")
                self.lines.setdefault(place, []).append(Counted(round_, quantity, time, at))
            self.pass_time(0, 60)
            if self.pick.random() < 0.2:
                self.move()
        self.pass_time(1, 240)
        Path(name).write_text("\n".join(["Warehouse,Item,Bin,Lot,Counted,Counter,Time", *lines, ""]), "utf-8")
        got = said("count", "collect", "c", name, *(["--recount"] if round_ else []))
        self.log.append(f"{name} {lines}: {got.get('error', '')}")
        if [each["status"] for each in got.get("files", ())] != ["collected"]:
            raise Wrong("a sheet was not collected")

    def variance(self, place: Place, second: str) -> Decimal | str | None:
        """What should be posted; ``again`` where it is to be counted again, None where it was not counted."""
        lines = self.lines.get(place, [])
        lines = [line for line in lines if line.round == max(each.round for each in lines)]
        moved = [(at, quantity) for at, of, quantity in self.moves if of == place]
        if not lines:
            return None
        if len(lines) > 1 and second != "add":
            return "again"
        counted = sum((line.quantity for line in lines), Decimal(0))
        if not self.trading or not moved:
            return counted - self.frozen[place]
        if any(not line.time or any(line.span[0] <= at < line.span[1] for at, _ in moved) for line in lines):
            return "again"
        stood = {self.frozen[place] + sum((q for at, q in moved if at < line.span[0]), Decimal(0)) for line in lines}
        return counted - stood.pop() if len(stood) == 1 else "again"

    def judge(self, second: str, rest: str) -> None:
        wanted = {place: self.variance(place, second) for place in self.places}
        self._judge_variance(wanted, second)
        before = self.held()
        after = {**before}
        for place in self.frozen:
            variance = wanted.get(place)
            if isinstance(variance, Decimal):
                after[place] = before.get(place, Decimal(0)) + variance
            elif variance is None and rest == "zero":
                after[place] = Decimal(0)
        after = {place: quantity for place, quantity in after.items() if quantity}
        self.pass_time(1, 240)
        post = ("count", "post", "c", "--yes", "--second", second, "--not-counted", rest)
        got = said(*post)
        self.log.append(f"{post}: {got}")
        if self.held() != after:
            raise Wrong("posted otherwise")
        if not got.get("load"):
            return
        said("undo", got["load"], "--yes")
        if self.held() != before:
            raise Wrong("not taken back as it was")
        # What a line without a time counted cannot be told from what was posted and taken back since.
        if not self.trading or all(line.time for lines in self.lines.values() for line in lines):
            self._judge_variance(wanted, second)
            said(*post)
            if self.held() != after:
                raise Wrong("posted otherwise the second time")

    def _judge_variance(self, wanted: dict[Place, Decimal | str | None], second: str) -> None:
        lines = said("count", "variance", "c", "--second", second)["lines"]
        told = {tuple(line[part] for part in ("item", "warehouse", "bin", "lot", "serial")): line for line in lines}
        for place, variance in wanted.items():
            line = told[place]
            if variance is None:
                right = line["counted"] is None
            elif variance == "again":
                right = bool(line["recount"])
            else:
                right = line["variance"] is not None and Decimal(line["variance"]) == variance
            if not right:
                raise Wrong(f"{place}: {line}, and it should be {variance}")
