"""Makes every picture in docs/screenshots from the demo data: runs the real commands and draws what they print.

    python scripts/screenshots.py            all pictures
    python scripts/screenshots.py check      only those whose name has this word

Needs the extra packages of ``pip install -e '.[pictures]'``.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from matplotlib import font_manager
from PIL import Image, ImageDraw, ImageFont
from rich.console import Console
from rich.text import Text

from kotrel.practice import counters, story, supplier_prices
from kotrel.practice import loft_opening as loft
from kotrel.practice.scenes import write_for_till
from kotrel.reporting.pdf import browser

OUT = Path(__file__).parent.parent / "docs" / "screenshots"
COLUMNS, SIZE, LINE, MARGIN = 120, 17, 22, 24
PAPER, INK = "#14191f", "#d7dde4"
COLOURS = {1: "#ff7b72", 2: "#7ee787", 3: "#e3b341", 4: "#79c0ff", 5: "#d2a8ff", 6: "#76d9e6"}
"""A terminal's colours, by number."""

PICTURES = {
    "records": "records",
    "inspect": "inspect keldrift-range-27.xlsx",
    "map": "map vellamar-colours.xlsx item --name vellamar --yes",
    "compare": "compare keldrift-range-27.xlsx keldrift-range-27-fixed.xlsx --key vendor_code",
    "check": "check keldrift-range-27.xlsx",
    "preview": "preview changes.csv",
    "load": "load keldrift-range-27-fixed.xlsx --yes",
    "outcome": "outcome L0001",
    "undo": "undo L0001 --yes",
    "levels": "export item_warehouse -o levels.xlsx --fields reorder_point,order_up_to",
    "colleague": "load colleague.csv --yes --who marit",
    "clash": "preview levels-edited.xlsx",
    "good rows": "load levels-edited.xlsx --good-rows --yes",
    "report": "reprice keldrift --report prices.html",
    "reprice": "reprice keldrift",
    "reprice-picture": "reprice keldrift -o new-prices.xlsx",
    "price": "price ROP-00010 --customer C-1002 --quantity 200",
    "opening-check": "check loft.xlsx --warehouse LOFT --date 2026-11-30",
    "opening": "load loft.xlsx --warehouse LOFT --date 2026-11-30 --yes",
    "stock": "stock --where warehouse␣is␣'LOFT' --by item,warehouse,bin,lot",
    "freeze": "count freeze shed --where warehouse␣is␣'SHED'␣and␣category␣begins␣with␣'RESIN' --stopped",
    "count sheets": "count sheets shed -o sheets",
    "collect": "count collect shed sheets/shed-SHED.xlsx",
    "count": "count variance shed",
    "reorder": "reorder --with-orders --where code␣begins␣with␣'CHN-000'",
    "history": "history",
    "till desk": "init till-desk --system folder:till --practice",
    "till load": "load for-the-till.csv -w till-desk --yes",
    "till reads": "practice till till --once --slow 0",
    "till": "outcome L0001 -w till-desk",
    "settings": "settings",
}
"""Name of the picture → the command; they run one after the other in one workspace."""

STEPS = (
    "levels",
    "colleague",
    "good rows",
    "opening",
    "opening-check",
    "freeze",
    "count sheets",
    "collect",
    "clash",
    "till desk",
    "till load",
    "till reads",
)
"""What has to be done between pictures, and is not drawn."""

CONSOLE = Console(width=COLUMNS, color_system="standard")


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        run("init .", folder)
        story.write_new_range(folder / "keldrift-range-27.xlsx")
        story.write_new_range_fixed(folder / "keldrift-range-27-fixed.xlsx", slip=False)
        story.write_new_colours(folder / "vellamar-colours.xlsx")
        story.write_changes(folder / "changes.csv")
        supplier_prices.write_price_list(folder / "keldrift-spring.xlsx", slip=True)
        supplier_prices.write_rules(folder)
        loft.write_loft(folder / "loft.xlsx", slips=True)
        write_for_till(folder / "for-the-till.csv", slips=False)
        for picture, command in PICTURES.items():
            if picture == "report":
                supplier_prices.write_price_list(folder / "keldrift-spring.xlsx", slip=False)
            printed = run(command, folder)
            if picture == "levels":
                story.edit_levels(folder / "levels.xlsx", folder / "levels-edited.xlsx")
                story.write_colleague(folder / "colleague.csv")
            if picture == "opening-check":
                loft.write_loft(folder / "loft.xlsx", slips=False)
            if picture == "count sheets":
                odd = {
                    2: lambda there: there - 3,
                    5: lambda there: there + 2,
                    13: lambda there: there * 100,
                    16: lambda there: None,
                }
                counters.fill(folder, "shed-SHED.xlsx", "ola", odd, ("RES-00020", "S-05-C", "VM-2799", 4))
            if picture == "reprice":
                supplier_prices.write_price_list(folder / "keldrift-spring.xlsx", slip=False)
            if picture == "report":
                supplier_prices.write_price_list(folder / "keldrift-spring.xlsx", slip=True)
                page = folder / "prices.html"
                words = [
                    str(browser()),
                    "--headless",
                    "--no-sandbox",
                    "--disable-gpu",
                    "--hide-scrollbars",
                    "--window-size=1280,900",
                ]
                subprocess.run(
                    [*words, f"--screenshot={OUT / 'report.png'}", page.as_uri()], capture_output=True, check=True
                )
                continue
            if picture == "reprice-picture":
                shutil.copyfile(folder / "new-prices.png", OUT / f"{picture}.png")
                continue
            if picture in STEPS:
                continue
            if len(sys.argv) < 2 or any(word in picture for word in sys.argv[1:]):
                draw(command, printed, OUT / f"{picture}.png")


def run(command: str, folder: Path) -> str:
    environment = {
        **os.environ,
        "FORCE_COLOR": "1",
        "TERM": "xterm-256color",
        "COLUMNS": str(COLUMNS),
        "PYTHONUTF8": "1",
    }
    words = [sys.executable, "-m", "kotrel", *(word.replace("␣", " ") for word in command.split())]
    return subprocess.run(words, cwd=folder, env=environment, capture_output=True, encoding="utf-8", check=False).stdout


def typed(command: str) -> str:
    """A command as a person types it; ``␣`` stands for a space within a word."""
    words = [word.replace("␣", " ") for word in command.split()]
    return " ".join(f'"{word}"' if " " in word else word for word in words)


def fonts() -> tuple[ImageFont.FreeTypeFont, ImageFont.FreeTypeFont]:
    def found(weight: str) -> ImageFont.FreeTypeFont:
        path = font_manager.findfont(font_manager.FontProperties(family="DejaVu Sans Mono", weight=weight))
        return ImageFont.truetype(path, SIZE)

    return found("normal"), found("bold")


def draw(command: str, printed: str, path: Path) -> None:
    """Draws a command and its output as a terminal shows them."""
    plain, bold = fonts()
    lines = [
        Text(f"$ kotrel {typed(command)}", style="bold"),
        *(Text.from_ansi(line) for line in printed.rstrip("\n").split("\n")),
    ]
    step = plain.getlength("M")
    image = Image.new("RGB", (int(COLUMNS * step) + 2 * MARGIN, len(lines) * LINE + 2 * MARGIN), PAPER)
    pen = ImageDraw.Draw(image)
    for row, line in enumerate(lines):
        column = 0
        for segment in line.render(CONSOLE):
            style = segment.style
            number = style.color.number if style and style.color else None
            colour = INK if number is None else COLOURS.get(number % 8, INK)
            if style and style.dim:
                colour = "#8b96a3"
            pen.text(
                (MARGIN + column * step, MARGIN + row * LINE),
                segment.text.rstrip("\n"),
                fill=colour,
                font=bold if style and style.bold else plain,
            )
            column += len(segment.text)
    image.save(path, optimize=True)


if __name__ == "__main__":
    main()
