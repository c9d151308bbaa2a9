"""``kotrel demo``: plays the worked example: shows each command, then its real output."""

from __future__ import annotations

import argparse
import itertools
import subprocess
import sys
from pathlib import Path

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.practice.scenes import Scene, other_ways, scenes, short_scenes
from kotrel.screen.command_lines import quoted
from kotrel.screen.screen import Screen

EXAMPLE = """\
kotrel demo
    plays the example in the folder kotrel-demo, where you can carry on afterwards
kotrel demo --short shop
    plays five steps, and leaves the workspace shop with files to try the rest on"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "folder", nargs="?", default="kotrel-demo", metavar="DIR", help="a new folder (default: kotrel-demo)"
    )
    parser.add_argument("--short", action="store_true", help="five steps only, and files to carry on with")


def run(args: argparse.Namespace, screen: Screen) -> int:
    folder = Path(args.folder)
    if folder.exists() and any(folder.iterdir() if folder.is_dir() else [folder]):
        raise WrongUse(f"{folder} already exists", "Delete it, or name another folder: kotrel demo DIR", "folder-taken")
    if screen.as_json:
        raise WrongUse("the worked example is for people and has no JSON output", "Run it without --json.")
    folder.mkdir(parents=True, exist_ok=True)
    background: subprocess.Popen[str] | None = None
    try:
        for scene in short_scenes(folder) if args.short else itertools.chain(scenes(folder), other_ways(folder)):
            if scene.background:
                background = _start(scene, folder, screen)
            else:
                _play(scene, folder, screen)
    finally:
        if background is not None:
            background.terminate()
            background.wait()
    screen.show("")
    screen.show(f"That was the worked example. Everything is still in {folder}: go there and try things for yourself.")
    if args.short:
        screen.show(f"Next: cd {quoted([str(folder)])}")
        screen.show(f"      {screen.program} undo L0001    takes the load back")
    return 0


def _start(scene: Scene, folder: Path, screen: Screen) -> subprocess.Popen[str]:
    """Starts a command that goes on while the others run, and waits until it says that it is ready."""
    from rich.text import Text

    screen.show(Text(f"\n── {scene.narration}", style="bold cyan"))
    screen.show(Text(f"$ kotrel {_typed_command(scene.command)}", style="bold"))
    started = subprocess.Popen(
        [sys.executable, "-m", "kotrel", *_words(scene.command)],
        cwd=folder,
        stdout=subprocess.PIPE,
        text=True,
        encoding="utf-8",
    )
    assert started.stdout is not None
    said = started.stdout.readline().rstrip()
    if not said:
        raise OutOfReach(f"the worked example stopped: kotrel {scene.command} did not start", "", "demo-stopped")
    screen.show(said)
    return started


def _play(scene: Scene, folder: Path, screen: Screen) -> None:
    """Shows one command, then runs it."""
    from rich.text import Text

    screen.show(Text(f"\n── {scene.narration}", style="bold cyan"))
    screen.show(Text(f"$ kotrel {_typed_command(scene.command)}", style="bold"))
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


def _typed_command(command: str) -> str:
    """The command as a person would type it: a word with spaces is quoted."""
    return " ".join(f'"{word}"' if " " in word else word for word in _words(command))
