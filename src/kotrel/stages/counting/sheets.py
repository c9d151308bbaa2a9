"""Writes the sheets of a count, for first counts and recounts."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from kotrel.core.counting.variance import Place
from kotrel.core.errors import WrongData
from kotrel.core.phrases import count as counted
from kotrel.sheets.count_sheets import CountSheet, write_count_sheet, write_count_text
from kotrel.sheets.safe_writing import free_name
from kotrel.stages.counting.standing import state_of
from kotrel.workspace.counts import open_count
from kotrel.workspace.settings import Workspace


@dataclass(frozen=True)
class Wish:
    """How sheets are made.

    Attributes:
        per: ``warehouse``, ``bin`` or ``category``: one sheet for each.
        split: each of them in so many parts.
        counters: those who count: a part for each of them, in place of ``split``.
        blind: without what is expected.
        text: text files instead of workbooks.
        recount: only what is to be counted again.
    """

    per: str = "warehouse"
    split: int = 1
    blind: bool = False
    text: bool = False
    recount: bool = False
    counters: tuple[str, ...] = ()


def make_sheets(name: str, wish: Wish, folder: Path, workspace: Workspace) -> list[tuple[Path, int]]:
    """Writes the sheets; returns each file with its number of lines.

    Raises:
        WrongUse: there is no such count.
        WrongData: there is nothing to count (again).
    """
    state = state_of(name, workspace)
    rounds = int(state.counted["round"].max() or 0)  # type: ignore[arg-type]
    wanted = [line.place for line in state.open_lines if not wish.recount or line.recount]
    if not wanted:
        raise WrongData(
            f"nothing of {name} is to be counted{' again' if wish.recount else ''}",
            "kotrel count variance shows where it stands.",
            "nothing-to-count",
        )
    written: list[tuple[Path, int]] = []
    with open_count(workspace.hidden, name) as count:
        number = int(count.about().get("sheets", "0"))
        folder.mkdir(parents=True, exist_ok=True)
        round_ = rounds + 1 if wish.recount else 0
        for key, places in _groups(wanted, wish.per):
            parts = _split(places, len(wish.counters) or wish.split)
            for part, mine in enumerate(parts, start=1):
                number += 1
                what = f"{' recount' if round_ else ''}{f' {round_}' if round_ > 1 else ''}"
                title = f"Count {name}: {key}{what}" + (f", part {part} of {len(parts)}" if len(parts) > 1 else "")
                counter = wish.counters[part - 1] if wish.counters else ""
                title += f", {counter}" if counter else ""
                sheet = CountSheet(title, f"{counted(len(mine), 'line')} · sheet {number} · {_bins(mine)}", f"{name}/{number}/{round_}",
                                   mine[0].warehouse or "", tuple(mine), wish.blind, counter)  # fmt: skip
                stem = "-".join(
                    filter(
                        None,
                        (
                            name,
                            _plain(key),
                            "recount" if round_ else "",
                            _plain(counter) or (str(part) if len(parts) > 1 else ""),
                        ),
                    )
                )
                path = free_name(folder / f"{stem}.{'csv' if wish.text else 'xlsx'}")
                (write_count_text if wish.text else write_count_sheet)(sheet, path)
                written.append((path, len(mine)))
        count.note("sheets", str(number))
    return written


def _groups(places: Sequence[Place], per: str) -> list[tuple[str, list[Place]]]:
    """The places of each sheet: always of one warehouse."""
    found: dict[tuple[str, str], list[Place]] = {}
    for place in places:
        key = {"bin": place.bin, "category": place.category}.get(per) or ""
        found.setdefault((place.warehouse or "", key), []).append(place)
    return [(" ".join(filter(None, key)), mine) for key, mine in found.items()]


def _split(places: list[Place], parts: int) -> list[list[Place]]:
    """About equal parts, each of neighbouring places."""
    size, rest = divmod(len(places), parts)
    found, at = [], 0
    for part in range(parts):
        end = at + size + (part < rest)
        if end > at:
            found.append(places[at:end])
        at = end
    return found


def _bins(places: Sequence[Place]) -> str:
    bins = [place.bin for place in places if place.bin]
    return f"bins {bins[0]} to {bins[-1]}" if bins and bins[0] != bins[-1] else f"bin {bins[0]}" if bins else "no bins"


def _plain(text: str) -> str:
    return re.sub(r"[^\w.-]+", "-", text).strip("-.")
