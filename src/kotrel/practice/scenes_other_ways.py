"""The last part of the worked example: a till that only takes files, and the system behind a service."""

from __future__ import annotations

import socket
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

from kotrel.practice.scenes import Scene


def free_port() -> int:
    """The usual port, or another where somebody has that already."""
    for port in (8765, 0):
        with socket.socket() as tried, suppress(OSError):
            tried.bind(("127.0.0.1", port))
            return int(tried.getsockname()[1])
    return 8765


def write_for_till(path: Path, slips: bool) -> None:
    """New articles for the till. With ``slips``, a letter that the till's code page lacks, and a code that it does not take."""
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
        "The till in the shop cannot be reached: it reads files in one exact layout, and gives out lists. It gets a workspace too",
        "init till-desk --system folder:till --practice",
    )
    yield Scene("What it last gave out", "lists -w till-desk")
    write_for_till(folder / "for-the-till.csv", slips=True)
    yield Scene(
        "New articles for it: what it could not read is found before it is sent",
        "load for-the-till.csv -w till-desk --yes",
        1,
    )
    write_for_till(folder / "for-the-till.csv", slips=False)
    yield Scene("Fixed, and sent", "load for-the-till.csv -w till-desk --yes --remark sea-green")
    yield Scene("The till reads its files", "practice till till --once --slow 0")
    yield Scene("What it says of each row, and the numbers that it gave", "outcome L0002 -w till-desk --wait")
    yield Scene(
        "Take it back: what was new is withdrawn, what was changed becomes as before", "undo L0002 -w till-desk --yes"
    )
    yield Scene("Sent is not done: the history says which", "history -w till-desk")
    port = free_port()
    yield Scene("The same practice system as a service", f"practice serve --open --port {port}", background=True)
    yield Scene(
        "Another workspace reaches it over HTTP; it says itself what it takes",
        f"init online --system http://127.0.0.1:{port}",
    )
    path = folder / "online.csv"
    path.write_text(
        "Item code,Description,Unit,Category,Cost\nCHT-41010,Chart of the North Skerry,EA,CHARTS,11.50\n", "utf-8"
    )
    yield Scene("Let the service check it by its own rules, and keep nothing", "load online.csv -w online --trial")
    yield Scene("Load it there", "load online.csv -w online --yes --remark over␣HTTP")
    yield Scene("One history, whichever way a load came", "history -w online")
