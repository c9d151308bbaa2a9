"""``kotrel demo``: plays the worked example; every command shown, then its real output."""

from __future__ import annotations

import argparse
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.practice import story
from kotrel.reports.screen import Screen

EXAMPLE = """\
kotrel demo
    plays the example in the folder kotrel-demo, which stays there to go on with"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "folder", nargs="?", default="kotrel-demo", metavar="DIR", help="a new folder (else kotrel-demo)"
    )


@dataclass(frozen=True)
class _Scene:
    """What is told, the command, and the exit status it has to end with."""

    tell: str
    command: str
    status: int = 0


def run(args: argparse.Namespace, screen: Screen) -> int:
    folder = Path(args.folder)
    if folder.exists() and any(folder.iterdir() if folder.is_dir() else [folder]):
        raise WrongUse(
            f"{folder} is there already", "Take another folder, or remove it: kotrel demo DIR", "folder-taken"
        )
    if screen.as_json:
        raise WrongUse("the example is played for people and has no JSON", "Leave out --json.")
    folder.mkdir(parents=True, exist_ok=True)
    for scene in _scenes(folder):
        _play(scene, folder, screen)
    screen.show("")
    screen.show(f"That was the example. Everything is still in {folder}: go there and try for yourself.")
    return 0


def _play(scene: _Scene, folder: Path, screen: Screen) -> None:
    """Shows one command and runs it for real."""
    from rich.text import Text

    screen.show(Text(f"\n── {scene.tell}", style="bold cyan"))
    screen.show(Text(f"$ kotrel {_shown(scene.command)}", style="bold"))
    sys.stdout.flush()
    done = subprocess.run([sys.executable, "-m", "kotrel", *_words(scene.command)], cwd=folder, check=False)
    if done.returncode != scene.status:
        raise OutOfReach(
            f"the example stopped: kotrel {scene.command} ended with {done.returncode} instead of {scene.status}",
            f"Look at what it said above; the files are in {folder}.",
            "demo-stopped",
        )


def _words(command: str) -> list[str]:
    """The words of a command; ``␣`` is a blank inside a word."""
    return [word.replace("␣", " ") for word in command.split(" ")]


def _shown(command: str) -> str:
    """The command as a person would type it: a word with blanks in quotes."""
    return " ".join(f'"{word}"' if " " in word else word for word in _words(command))


def _scenes(folder: Path) -> Iterator[_Scene]:
    """The story. Files are made between the scenes, as people would."""
    yield _Scene("Skerrow Chandlery gets a workspace, with a practice system to try things on", "init .")
    yield _Scene("What does the system take?", "records")
    story.write_new_range(folder / "keldrift-range-27.xlsx")
    yield _Scene("Keldrift sends its new range. What is in it?", "inspect keldrift-range-27.xlsx")
    yield _Scene(
        "What is wrong with it? And a copy with the bad cells coloured", "check keldrift-range-27.xlsx --marked", 1
    )
    story.write_new_range_mended(folder / "keldrift-range-27-mended.xlsx", slip=True)
    yield _Scene("Somebody mends those cells and saves it under a new name", "check keldrift-range-27-mended.xlsx")
    yield _Scene("What would a load do?", "preview keldrift-range-27-mended.xlsx")
    yield _Scene("Load it", "load keldrift-range-27-mended.xlsx --yes --remark range-27")
    yield _Scene("What became of each row?", "outcome L0001")
    yield _Scene("A price was a hundred times too high. Take the load back", "undo L0001 --yes")
    story.write_new_range_mended(folder / "keldrift-range-27-mended.xlsx", slip=False)
    yield _Scene(
        "With the price mended, load it again",
        "load keldrift-range-27-mended.xlsx --yes --remark range-27,price-mended",
    )
    yield _Scene("And once more, by mistake", "load keldrift-range-27-mended.xlsx --yes")
    story.write_new_colours(folder / "vellamar-colours.xlsx")
    yield _Scene(
        "Vellamar sends new colours, in its own words. Which column is what?",
        "map vellamar-colours.xlsx item --name vellamar",
    )
    story.edit_match(folder / "maps" / "vellamar.toml")
    yield _Scene(
        "The match is edited: what is missing gets a fixed value, codes and prices are made",
        "check vellamar-colours.xlsx --repairs",
    )
    yield _Scene("Load the new colours", "load vellamar-colours.xlsx --yes --remark new-colours")
    yield _Scene(
        "Take out what was loaded, to look at it",
        "export item -o colours.xlsx --fields description,cost,price --where vendor_code␣begins␣with␣'V-'",
    )
    yield _Scene(
        "A mass update: the reorder points of the shop go out",
        "export item_warehouse -o levels.xlsx --fields reorder_point,order_up_to",
    )
    story.edit_levels(folder / "levels.xlsx", folder / "levels-edited.xlsx")
    story.write_colleague(folder / "colleague.csv")
    yield _Scene(
        "Six are raised in the workbook. Meanwhile a colleague changes one of the same",
        "load colleague.csv --yes --who marit --remark more␣rope␣for␣the␣ferry",
    )
    yield _Scene("What would loading the workbook do?", "preview levels-edited.xlsx", 1)
    yield _Scene(
        "Marit's figure counts; the other five are loaded",
        "load levels-edited.xlsx --clash system --yes --remark reorder␣points",
    )
    yield _Scene("Read the load back", "verify L0006")
    yield _Scene("Everything is in the history", "history")
