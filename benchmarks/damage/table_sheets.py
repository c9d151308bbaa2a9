"""Sheets as people lay them out: what stands above, between, beside and below the rows.
Each maker says which lines are items.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

HEADINGS = ["Item code", "Description", "Base unit", "Category", "Cost", "Standard price"]
Line = list[Any]


@dataclass
class Layout:
    """A sheet and the truth.

    Attributes:
        lines: the cells of every row.
        items: row number → the code, description, unit, category, cost and price of the item there.
        merged: ranges of cells that are one.
    """

    lines: list[Line] = field(default_factory=list)
    items: dict[int, tuple[str, ...]] = field(default_factory=dict)
    merged: list[str] = field(default_factory=list)

    def add(self, *lines: Line) -> None:
        self.lines += [list(line) for line in lines]

    def add_items(self, items: Sequence[tuple[str, ...]], shift: int = 0, tail: Line | None = None) -> None:
        for item in items:
            self.lines.append([*[None] * shift, *_cells(item), *(tail or [])])
            self.items[len(self.lines)] = item


def headed(items: Sequence[tuple[str, ...]], *lines: Line, merged: Sequence[str] = ()) -> Layout:
    """A table of items below these lines."""
    done = Layout(merged=list(merged))
    done.add(*lines)
    done.add_items(items)
    return done


def _cells(item: tuple[str, ...]) -> Line:
    return [*item[:4], float(item[4]), float(item[5])]


def items_of(pick: random.Random, count: int) -> list[tuple[str, ...]]:
    """New items: code, description, unit, category, cost, price."""
    words = ("Braided rope", "Shackle", "Snap hook", "Deck cleat", "Turnbuckle", "Anchor chain")
    return [
        (
            f"NV-{pick.randrange(10**5):05d}",
            f"{pick.choice(words)} {pick.randrange(2, 40)} mm",
            pick.choice(("EA", "M", "KG")),
            pick.choice(("ROPE-BRAID", "ROPE-TWIST", "CHAIN-LINK")),
            f"{pick.randrange(1, 90)}.{pick.randrange(10, 99)}",
            f"{pick.randrange(90, 190)}.{pick.randrange(10, 99)}",
        )
        for _ in range(count)
    ]


def titles_above(pick: random.Random) -> Layout:
    return headed(
        items_of(pick, 12),
        ["Keldrift Cordage"],
        ["Price list 2027", None, None, "valid from 1 March 2027"],
        [],
        HEADINGS,
    )


def scattered_notes_above(pick: random.Random) -> Layout:
    return headed(
        items_of(pick, 10),
        ["Supplier", "Keldrift Cordage", None, "Contact", "Ms Vane"],
        [None, "Quay 4", None, "Phone", "+00 555 0100"],
        ["Currency", "EUR", None, "Terms", "30 days"],
        [],
        HEADINGS,
    )


def address_block_above(pick: random.Random) -> Layout:
    return headed(
        items_of(pick, 15),
        ["Keldrift Cordage Ltd", None, None, None, "Date:", "26.11.2026"],
        ["Quay 4, Harbour", None, None, None, "Page:", 1],
        ["Orders: orders@keldrift.example"],
        ["All prices in euros, without tax, ex works."],
        [],
        HEADINGS,
    )


def headings_far_down(pick: random.Random) -> Layout:
    conditions = [[f"Condition {n}: goods stay ours until they are paid."] for n in range(1, pick.randrange(8, 18))]
    return headed(items_of(pick, 20), *conditions, [], HEADINGS)


def headings_in_two_languages(pick: random.Random) -> Layout:
    return headed(
        items_of(pick, 12),
        HEADINGS,
        ["Artikelnummer", "Bezeichnung", "Einheit", "Warengruppe", "Einkaufspreis", "Verkaufspreis"],
    )


def two_languages_with_one_merged(pick: random.Random) -> Layout:
    return headed(
        items_of(pick, 12),
        ["Item code", "Description", "Base unit", "Category", "Cost", "Standard price"],
        [None, "Bezeichnung", "Einheit", "Warengruppe", "Einkaufspreis", "Verkaufspreis"],
        merged=["A1:A2"],
    )


def three_line_headings(pick: random.Random) -> Layout:
    return headed(
        items_of(pick, 12),
        ["Item", None, None, None, "Prices", None],
        HEADINGS,
        [None, None, None, None, "EUR", "EUR"],
        merged=["A1:D1", "E1:F1"],
    )


def must_and_may_below_headings(pick: random.Random) -> Layout:
    return headed(
        items_of(pick, 12), HEADINGS, ["mandatory", "mandatory", "mandatory", "optional", "optional", "optional"]
    )


def numbered_columns(pick: random.Random) -> Layout:
    return headed(items_of(pick, 12), HEADINGS, [1, 2, 3, 4, 5, 6])


def group_rows_merged(pick: random.Random) -> Layout:
    done = Layout()
    done.add(HEADINGS)
    for group in ("Ropes", "Chains", "Fittings"):
        done.add([f"Group: {group}"])
        done.merged.append(f"A{len(done.lines)}:F{len(done.lines)}")
        done.add_items(items_of(pick, pick.randrange(3, 7)))
    return done


def group_rows_in_one_cell(pick: random.Random) -> Layout:
    done = Layout()
    done.add(HEADINGS)
    for group in ("ROPES AND LINES", "CHAINS", "DECK FITTINGS"):
        done.add([None, group] if pick.random() < 0.5 else [group])
        done.add_items(items_of(pick, pick.randrange(3, 7)))
    return done


def subtotals(pick: random.Random) -> Layout:
    done = Layout()
    done.add(HEADINGS)
    for group in ("rope", "chain"):
        items = items_of(pick, pick.randrange(3, 7))
        done.add_items(items)
        done.add(
            [
                f"Subtotal {group}",
                None,
                None,
                None,
                sum(float(it[4]) for it in items),
                sum(float(it[5]) for it in items),
            ]
        )
    return done


def total_and_notes_below(pick: random.Random) -> Layout:
    done = Layout()
    done.add(HEADINGS)
    items = items_of(pick, 12)
    done.add_items(items)
    done.add(
        ["Total", None, None, None, sum(float(it[4]) for it in items), sum(float(it[5]) for it in items)],
        [],
        [],
        ["Notes"],
        ["Prices hold until the end of May 2027."],
        ["Minimum order 50 EUR."],
        ["Subject to change."],
    )
    return done


def notes_right_below(pick: random.Random) -> Layout:
    done = Layout()
    done.add(HEADINGS)
    done.add_items(items_of(pick, 12))
    done.add([], ["All prices without tax, ex works Quay 4."], ["Goods stay ours until they are paid."])
    return done


def signature_below(pick: random.Random) -> Layout:
    done = Layout()
    done.add(HEADINGS)
    done.add_items(items_of(pick, 12))
    done.add(
        [], [None, "Prepared by", "M. Vane", None, "Date", "26.11.2026"], [None, "Checked by", "", None, "Date", ""]
    )
    return done


def headings_again_on_each_page(pick: random.Random) -> Layout:
    done = Layout()
    for _ in range(3):
        done.add(HEADINGS)
        done.add_items(items_of(pick, 8))
    return done


def blank_rows_and_columns(pick: random.Random) -> Layout:
    done = Layout()
    done.add([*HEADINGS[:3], None, *HEADINGS[3:]])
    for item in items_of(pick, 10):
        cells = _cells(item)
        done.add([*cells[:3], None, *cells[3:]])
        done.items[len(done.lines)] = item
        if pick.random() < 0.3:
            done.add([])
    return done


def totals_first(pick: random.Random) -> Layout:
    done = Layout()
    items = items_of(pick, 12)
    done.add(
        HEADINGS, ["Total", None, None, None, sum(float(it[4]) for it in items), sum(float(it[5]) for it in items)]
    )
    done.add_items(items)
    return done


def example_first(pick: random.Random) -> Layout:
    return headed(
        items_of(pick, 12), HEADINGS, ["Example: NV-12345", "Rope, braided, 8 mm", "M", "ROPE-BRAID", 1.5, 2.9]
    )


def another_table_below(pick: random.Random) -> Layout:
    done = Layout()
    done.add(HEADINGS)
    done.add_items(items_of(pick, 10))
    done.add([], [], ["Freight", "Weight to", "Price"], ["Parcel", 30, 9.5], ["Pallet", 500, 89.0])
    return done


def another_table_beside(pick: random.Random) -> Layout:
    done = Layout()
    done.add([*HEADINGS, None, "Discount group", "Per cent"])
    rates = [["A", 10], ["B", 20], ["C", 35]]
    for place, item in enumerate(items_of(pick, 10)):
        done.add_items([item], tail=[None, *rates[place]] if place < len(rates) else None)
    return done


def begins_in_column_b(pick: random.Random) -> Layout:
    done = Layout()
    done.add([], [None, "Keldrift Cordage, range 2027"], [], [None, *HEADINGS])
    done.add_items(items_of(pick, 10), shift=1)
    return done


def continued_lines(pick: random.Random) -> Layout:
    done = Layout()
    done.add(HEADINGS)
    for item in items_of(pick, 10):
        done.add_items([item])
        if pick.random() < 0.3:
            done.add([None, "with thimble, boxed"])
    return done


LAYOUTS: tuple[Callable[[random.Random], Layout], ...] = (
    titles_above, scattered_notes_above, address_block_above, headings_far_down, headings_in_two_languages, two_languages_with_one_merged,
    three_line_headings, must_and_may_below_headings, numbered_columns, group_rows_merged, group_rows_in_one_cell, subtotals,
    total_and_notes_below, notes_right_below, signature_below, headings_again_on_each_page, blank_rows_and_columns, totals_first,
    example_first, another_table_below, another_table_beside, begins_in_column_b, continued_lines,
)  # fmt: skip
