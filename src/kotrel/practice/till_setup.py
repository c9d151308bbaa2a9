"""A new practice till: what it holds at first, and what a workspace has to know of it."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from kotrel.practice import lists
from kotrel.practice.items import ITEMS, items
from kotrel.practice.till import set_up_till

HELD = 240
"""Items that the till knows at first: every fifth of the business."""


def make_till(folder: Path) -> None:
    """Makes the till's folder, and lets it give out its lists."""
    chosen = items(ITEMS)[::5].head(HELD)
    rows = [
        {"ArtNo": code, "Text": str(text)[:40].strip(), "Unit": unit, "Group": category,
         "Price": f"{float(price or 0):.2f}".replace(".", ","), "Active": "N" if archived == "yes" else "J"}
        for code, text, unit, category, price, archived in chosen.select(
            "code", "description", "unit", "category", "price", "archived").iter_rows()
    ]  # fmt: skip
    units = [(str(unit[0]), str(unit[1])) for unit in lists.UNITS]
    groups = [(str(code), str(name), str(parent or "")) for code, name, parent in lists.CATEGORIES]
    set_up_till(folder, rows, units, groups)


def till_file(name: str) -> str:
    """One of the files that a workspace for the till has."""
    return resources.files("kotrel.practice").joinpath(name).read_text("utf-8")
