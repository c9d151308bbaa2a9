"""``kotrel demo``: plays the worked example: shows each command, then its real output."""

from __future__ import annotations

import argparse
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.practice import counters, letter, loft, story
from kotrel.reports.screen import Screen

EXAMPLE = """\
kotrel demo
    plays the example in the folder kotrel-demo; the folder stays, so that you can carry on in it"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "folder", nargs="?", default="kotrel-demo", metavar="DIR", help="a new folder (default: kotrel-demo)"
    )


@dataclass(frozen=True)
class _Scene:
    """The narration, the command, and the exit status it must end with."""

    narration: str
    command: str
    status: int = 0


def run(args: argparse.Namespace, screen: Screen) -> int:
    folder = Path(args.folder)
    if folder.exists() and any(folder.iterdir() if folder.is_dir() else [folder]):
        raise WrongUse(f"{folder} already exists", "Delete it, or name another folder: kotrel demo DIR", "folder-taken")
    if screen.as_json:
        raise WrongUse("the worked example is for people and has no JSON output", "Run it without --json.")
    folder.mkdir(parents=True, exist_ok=True)
    for scene in _scenes(folder):
        _play(scene, folder, screen)
    screen.show("")
    screen.show(f"That was the worked example. Everything is still in {folder}: go there and try things for yourself.")
    return 0


def _play(scene: _Scene, folder: Path, screen: Screen) -> None:
    """Shows one command, then runs it."""
    from rich.text import Text

    screen.show(Text(f"\n── {scene.narration}", style="bold cyan"))
    screen.show(Text(f"$ kotrel {_shown(scene.command)}", style="bold"))
    sys.stdout.flush()
    done = subprocess.run([sys.executable, "-m", "kotrel", *_words(scene.command)], cwd=folder, check=False)
    if done.returncode != scene.status:
        raise OutOfReach(
            f"the worked example stopped: kotrel {scene.command} ended with exit status {done.returncode} instead of {scene.status}",
            f"Its output above says why; the files are in {folder}.",
            "demo-stopped",
        )


def _words(command: str) -> list[str]:
    """The words of a command; ``␣`` stands for a space inside a word."""
    return [word.replace("␣", " ") for word in command.split(" ")]


def _shown(command: str) -> str:
    """The command as a person would type it: a word with spaces is quoted."""
    return " ".join(f'"{word}"' if " " in word else word for word in _words(command))


def _scenes(folder: Path) -> Iterator[_Scene]:
    """The story, scene by scene. Between the scenes, files change as people would change them."""
    yield _Scene("Skerrow Chandlery gets a workspace, with a practice system to try things out on", "init .")
    yield _Scene("What does the system take?", "records")
    story.write_new_range(folder / "keldrift-range-27.xlsx")
    yield _Scene("Keldrift sends its new range. What is in it?", "inspect keldrift-range-27.xlsx")
    yield _Scene(
        "What is wrong with it? Also make a copy with the bad cells coloured",
        "check keldrift-range-27.xlsx --marked",
        1,
    )
    story.write_new_range_fixed(folder / "keldrift-range-27-fixed.xlsx", slip=True)
    yield _Scene(
        "Somebody fixes those cells and saves the workbook under a new name", "check keldrift-range-27-fixed.xlsx"
    )
    yield _Scene("What would a load do?", "preview keldrift-range-27-fixed.xlsx")
    yield _Scene("Load the sheet", "load keldrift-range-27-fixed.xlsx --yes --remark range-27")
    yield _Scene("What happened to each row?", "outcome L0001")
    yield _Scene("One price was a hundred times too high. Undo the load", "undo L0001 --yes")
    story.write_new_range_fixed(folder / "keldrift-range-27-fixed.xlsx", slip=False)
    yield _Scene(
        "With that price fixed, load the sheet again",
        "load keldrift-range-27-fixed.xlsx --yes --remark range-27,price-fixed",
    )
    yield _Scene(
        "And once more, by mistake: a second load of the same content does nothing",
        "load keldrift-range-27-fixed.xlsx --yes",
    )
    story.write_new_colours(folder / "vellamar-colours.xlsx")
    yield _Scene(
        "Vellamar sends new colours under headings of its own. Which column is which field?",
        "map vellamar-colours.xlsx item --name vellamar",
    )
    story.edit_match(folder / "maps" / "vellamar.toml")
    yield _Scene(
        "The saved match is edited: missing fields get fixed values, and codes and prices are made",
        "check vellamar-colours.xlsx --repairs",
    )
    yield _Scene("Load the new colours", "load vellamar-colours.xlsx --yes --remark new-colours")
    yield _Scene(
        "Export what was loaded, to look at it",
        "export item -o colours.xlsx --fields description,cost,price --where vendor_code␣begins␣with␣'V-'",
    )
    yield _Scene(
        "A mass update: export the reorder points",
        "export item_warehouse -o levels.xlsx --fields reorder_point,order_up_to",
    )
    story.edit_levels(folder / "levels.xlsx", folder / "levels-edited.xlsx")
    story.write_colleague(folder / "colleague.csv")
    yield _Scene(
        "Six are raised in the workbook. Meanwhile a colleague, Marit, changes one of the same six",
        "load colleague.csv --yes --who marit --remark more␣rope␣for␣the␣ferry",
    )
    yield _Scene("What would a load of the workbook do?", "preview levels-edited.xlsx", 1)
    yield _Scene(
        "Marit's figure stays; the other five are loaded",
        "load levels-edited.xlsx --clash system --yes --remark reorder␣points",
    )
    yield _Scene("Read the load back", "verify L0006")
    letter.write_letter(folder / "keldrift-spring.xlsx", slip=True)
    letter.write_rules(folder)
    yield _Scene("Keldrift raises its prices. By our rules, what would ours be?", "reprice keldrift", 1)
    letter.write_letter(folder / "keldrift-spring.xlsx", slip=False)
    yield _Scene(
        "In one cost a decimal point had moved; Keldrift sends the letter again. Now as a workbook to read",
        "reprice keldrift -o keldrift-prices.xlsx",
    )
    yield _Scene("Read and agreed: load the new prices", "load keldrift-prices.xlsx --yes --remark Keldrift,␣spring")
    yield _Scene(
        "What do the ferries, whose contract is a percentage off SHOP, pay for 200 M from February?",
        "price ROP-00010 --customer C-1002 --quantity 200 --on 2027-02-01",
    )
    loft.write_loft(folder / "loft.xlsx", slips=True)
    where = "--warehouse LOFT --date 2026-11-30"
    yield _Scene(
        "The rigging loft opens. What is in it was counted, and typed into a sheet", f"check loft.xlsx {where}", 1
    )
    loft.write_loft(folder / "loft.xlsx", slips=False)
    yield _Scene("Those cells are fixed. Quantity and value, before anything is posted", f"preview loft.xlsx {where}")
    yield _Scene("Post it: all of it or nothing", f"load loft.xlsx {where} --yes --remark the␣LOFT␣opens")
    yield _Scene("Before, change and after, to the bin", "stock --by item,warehouse,bin,lot --against L0008")
    yield _Scene("And all that Skerrow Chandlery has", "stock --by warehouse")
    yield _Scene("What chain is to be ordered?", "reorder --with-orders --where code␣begins␣with␣'CHN-000'")
    shed = "warehouse␣is␣'SHED'␣and␣category␣begins␣with␣'RESIN'"
    yield _Scene(
        "The resins in the paint shed are counted, and the shop goes on selling",
        f"count freeze shed --where {shed} --trading",
    )
    yield _Scene("Sheets for two people", "count sheets shed --split 2 -o sheets")
    counters.fill(folder, "shed-SHED-1.xlsx", "ola", {2: lambda there: there - 3, 5: lambda there: there + 2})
    yield _Scene(
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
    yield _Scene(
        "Kari has counted the rest. Both sheets come back",
        "count collect shed sheets/shed-SHED-1.xlsx sheets/shed-SHED-2.xlsx",
    )
    yield _Scene("What differs? What was sold meanwhile is allowed for", "count variance shed")
    yield _Scene("What is out of tolerance is counted again", "count sheets shed --recount -o sheets")
    counters.fill(folder, "shed-SHED-recount.xlsx", "marit", {0: lambda there: there - 3} | {4: lambda there: 4.0})
    yield _Scene(
        "Marit's recount replaces those lines; the first counts stay on record",
        "count collect shed sheets/shed-SHED-recount.xlsx",
    )
    yield _Scene("What is left", "count variance shed")
    yield _Scene(
        "Post it: one adjustment, and the record for the auditor",
        "count post shed --account ADJUST --yes -o shed-record.xlsx",
    )
    yield _Scene("Before, change and after", "stock --against L0009 --by item,bin,lot")
    yield _Scene("The history has everything", "history")
