"""The worked example, scene by scene: what happens, and the command that is played."""

from __future__ import annotations

import socket
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

from msgspec import Struct

from kotrel.practice import counters, story, supplier_prices
from kotrel.practice import fastenings_list as fastenings
from kotrel.practice import loft_opening as loft
from kotrel.practice.guide_files import write_guide_files


class Scene(Struct, frozen=True):
    """One scene.

    Attributes:
        command: its words; ``␣`` stands for a space inside a word.
        status: the exit status it must end with.
        background: True where the command goes on while the following ones run.
    """

    narration: str
    command: str
    status: int = 0
    background: bool = False


def short_scenes(folder: Path) -> Iterator[Scene]:
    """Five steps, and a workspace with every file that the first ten minutes of the guide name."""
    yield Scene("Skerrow Chandlery gets a workspace, with a practice system to try things out on", "init .")
    write_guide_files(folder)
    yield Scene("A supplier sends a new range. What is in it?", "inspect new-items.xlsx")
    yield Scene("What is wrong with it?", "check new-items.xlsx", 1)
    yield Scene("Those cells are fixed, under a new name. What would a load do?", "preview new-items-fixed.xlsx")
    yield Scene("Load it: all of it, or none", "load new-items-fixed.xlsx --yes")


def scenes(folder: Path) -> Iterator[Scene]:
    """The story, scene by scene. Between the scenes, files change as people would change them."""
    yield Scene("Skerrow Chandlery gets a workspace, with a practice system to try things out on", "init .")
    yield Scene("What does the system accept?", "records")
    story.write_new_range(folder / "keldrift-range-27.xlsx")
    yield Scene("Keldrift sends its new range. What is in it?", "inspect keldrift-range-27.xlsx")
    yield Scene(
        "What is wrong with it? Also make a copy with the bad cells coloured",
        "check keldrift-range-27.xlsx --marked",
        1,
    )
    story.write_new_range_fixed(folder / "keldrift-range-27-fixed.xlsx", slip=True)
    yield Scene(
        "Somebody fixes those cells and saves the workbook under a new name", "check keldrift-range-27-fixed.xlsx"
    )
    yield Scene("What would a load do?", "preview keldrift-range-27-fixed.xlsx")
    yield Scene("Load the sheet", "load keldrift-range-27-fixed.xlsx --yes --remark range-27")
    yield Scene("What happened to each row?", "outcome L0001")
    yield Scene("One price was a hundred times too high. Undo the load", "undo L0001 --yes")
    story.write_new_range_fixed(folder / "keldrift-range-27-fixed.xlsx", slip=False)
    yield Scene(
        "With that price fixed, load the sheet again",
        "load keldrift-range-27-fixed.xlsx --yes --remark range-27,price-fixed",
    )
    yield Scene(
        "And once more, by mistake: a second load of the same content does nothing",
        "load keldrift-range-27-fixed.xlsx --yes",
    )
    story.write_new_colours(folder / "vellamar-colours.xlsx")
    yield Scene(
        "Vellamar sends new colours, with other headings. Which column is which field?",
        "map vellamar-colours.xlsx item --name vellamar --yes",
    )
    story.edit_match(folder / "maps" / "vellamar.toml")
    yield Scene(
        "The saved mapping is edited: missing fields get fixed values, and codes and prices are made",
        "check vellamar-colours.xlsx --repairs",
    )
    yield Scene("Load the new colours", "load vellamar-colours.xlsx --yes --remark new-colours")
    yield Scene(
        "Export what was loaded, to look at it",
        "export item -o colours.xlsx --fields description,cost,price --where vendor_code␣begins␣with␣'V-'",
    )
    yield Scene(
        "A mass update: export the reorder points",
        "export item_warehouse -o levels.xlsx --fields reorder_point,order_up_to",
    )
    story.edit_levels(folder / "levels.xlsx", folder / "levels-edited.xlsx")
    story.write_colleague(folder / "colleague.csv")
    yield Scene(
        "Six are raised in the workbook. Meanwhile a colleague, Marit, changes one of the same six",
        "load colleague.csv --yes --who marit --remark more␣rope␣for␣the␣ferry",
    )
    yield Scene("What would a load of the workbook do?", "preview levels-edited.xlsx", 1)
    yield Scene(
        "Marit's figure stays; the other five are loaded",
        "load levels-edited.xlsx --clash system --yes --remark reorder␣points",
    )
    yield Scene("Read the load back", "verify L0006")
    supplier_prices.write_price_list(folder / "keldrift-spring.xlsx", slip=True)
    supplier_prices.write_rules(folder)
    yield Scene("Keldrift raises its prices. By our rules, what would ours be?", "reprice keldrift", 1)
    supplier_prices.write_price_list(folder / "keldrift-spring.xlsx", slip=False)
    yield Scene(
        "In one cost a decimal point had moved; Keldrift sends the list again. Now as a workbook to read",
        "reprice keldrift -o keldrift-prices.xlsx",
    )
    yield Scene("Read and agreed: load the new prices", "load keldrift-prices.xlsx --yes --remark Keldrift,␣spring")
    yield Scene(
        "What do the ferries, whose contract is a percentage off SHOP, pay for 200 M from February?",
        "price ROP-00010 --customer C-1002 --quantity 200 --on 2027-02-01",
    )
    fastenings.write_list(folder / "brannoch-27.xlsx")
    yield Scene(
        "Brannoch's price list: per hundred, with discounts by group on another sheet. How does Kotrel read it?",
        "map brannoch-27.xlsx item --name brannoch --yes",
    )
    fastenings.write_match(folder)
    yield Scene(
        "The saved mapping is finished: items are known by maker and type, and costs are list prices less discount",
        "check brannoch-27.xlsx",
        1,
    )
    loft.write_loft(folder / "loft.xlsx", slips=True)
    where = "--warehouse LOFT --date 2026-11-30"
    yield Scene(
        "The rigging loft opens. What is in it was counted, and typed into a sheet", f"check loft.xlsx {where}", 1
    )
    loft.write_loft(folder / "loft.xlsx", slips=False)
    yield Scene("Those cells are fixed. Quantity and value, before anything is posted", f"preview loft.xlsx {where}")
    yield Scene("Post it: all of it or nothing", f"load loft.xlsx {where} --yes --remark the␣LOFT␣opens")
    yield Scene("Before, change and after, to the bin", "stock --by item,warehouse,bin,lot --against L0008")
    yield Scene("And all that Skerrow Chandlery has", "stock --by warehouse")
    yield Scene("What chain is to be ordered?", "reorder --with-orders --where code␣begins␣with␣'CHN-000'")
    shed = "warehouse␣is␣'SHED'␣and␣category␣begins␣with␣'RESIN'"
    yield Scene(
        "The resins in the paint shed are counted, and the shop goes on selling",
        f"count freeze shed --where {shed} --trading",
    )
    yield Scene("Sheets for two people", "count sheets shed --split 2 -o sheets")
    counters.fill(folder, "shed-SHED-1.xlsx", "ola", {2: lambda there: there - 3, 5: lambda there: there + 2})
    yield Scene(
        "Ola has counted the first half. Meanwhile, goods come and go",
        "practice trade --warehouse SHED --most 12 --every 0.05",
    )
    counters.fill(
        folder,
        "shed-SHED-2.xlsx",
        "kari",
        {1: lambda there: there * 100, 4: lambda there: None},
        ("RES-00020", "S-05-C", "VM-2799", 4),
    )
    yield Scene(
        "Kari has counted the rest. Both sheets come back",
        "count collect shed sheets/shed-SHED-1.xlsx sheets/shed-SHED-2.xlsx",
    )
    yield Scene("What differs? What was sold meanwhile is allowed for", "count variance shed")
    yield Scene("What is out of tolerance is counted again", "count sheets shed --recount -o sheets")
    counters.fill(folder, "shed-SHED-recount.xlsx", "marit", {0: lambda there: there - 3} | {4: lambda there: 4.0})
    yield Scene(
        "Marit's recount replaces those lines; the first counts stay on record",
        "count collect shed sheets/shed-SHED-recount.xlsx",
    )
    yield Scene("What is left", "count variance shed")
    yield Scene(
        "Post it: one adjustment, and the record for the auditor",
        "count post shed --account ADJUST --yes -o shed-record.xlsx",
    )
    yield Scene("Before, change and after", "stock --against L0009 --by item,bin,lot")
    yield Scene("The history has everything", "history")


def free_port() -> int:
    """The usual port, or another where somebody has that already."""
    for port in (8765, 0):
        with socket.socket() as tried, suppress(OSError):
            tried.bind(("127.0.0.1", port))
            return int(tried.getsockname()[1])
    return 8765


def write_for_till(path: Path, slips: bool) -> None:
    """New articles for the till. With ``slips``, a letter that the till's code page lacks,
    and a code that it does not take.
    """
    lines = [
        "Item code;Description;Unit;Group;Price",
        f"ROP-41000;Braided rope 6 mm {'sea→green' if slips else 'sea-green'};M;ROPE-BRAID;1,45",
        "ROP-41010;Braided rope 8 mm sea-green;M;ROPE-BRAID;2,10",
        "CHT-41000;Chart of the Skerrow Sound, sample;EA;CHARTS;0,00",
        "FST-41000a;Bow shackle 7 mm;EA;FASTENING-SHACKLE;3,20",
        "ROP-00060;Braided rope 4 mm white;M;ROPE-BRAID;0,95",
    ]
    path.write_text("\n".join([*lines, ""]), "utf-8")


def other_ways(folder: Path) -> Iterator[Scene]:
    """Scene by scene. Between them, files change as people would change them."""
    yield Scene(
        "The till in the shop cannot be reached: it reads files in one exact layout, and exports lists. It gets a workspace too",
        "init till-desk --system folder:till --practice",
    )
    yield Scene("What it last exported", "lists -w till-desk")
    write_for_till(folder / "for-the-till.csv", slips=True)
    yield Scene(
        "New articles for it: what it could not read is found before it is sent",
        "load for-the-till.csv -w till-desk --yes",
        1,
    )
    write_for_till(folder / "for-the-till.csv", slips=False)
    yield Scene("Fixed, and sent", "load for-the-till.csv -w till-desk --yes --remark sea-green")
    yield Scene("The till reads its files", "practice till till --once --slow 0")
    yield Scene("What it says about each row, and the numbers that it gave", "outcome L0002 -w till-desk --wait")
    yield Scene(
        "Take it back: what was new is withdrawn, what was changed becomes as before", "undo L0002 -w till-desk --yes"
    )
    yield Scene("A file that was sent is not processed yet: the history shows which", "history -w till-desk")
    port = free_port()
    yield Scene("The same practice system as a service", f"practice serve --open --port {port}", background=True)
    yield Scene(
        "Another workspace reaches it over HTTP; it says itself what it accepts",
        f"init online --system http://127.0.0.1:{port}",
    )
    path = folder / "online.csv"
    path.write_text(
        "Item code,Description,Unit,Category,Cost\nCHT-41010,Chart of the North Skerry,EA,CHARTS,11.50\n", "utf-8"
    )
    yield Scene("Let the service check it by its own rules, and keep nothing", "load online.csv -w online --trial")
    yield Scene("Load it there", "load online.csv -w online --yes --remark over␣HTTP")
    yield Scene("One history, whichever way a load came", "history -w online")
