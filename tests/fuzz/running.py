"""One case: its files in a workspace, the command in this process, and what is wrong with how it ended."""

from __future__ import annotations

import contextlib
import io
import os
import shutil
import sys
from functools import lru_cache
from multiprocessing.connection import Connection
from pathlib import Path
from unittest.mock import patch

from kotrel.cli import main
from kotrel.workspace import settings
from tests.fuzz.making import Case


def run_case(folder: Path, made: Case) -> str:
    """What is wrong with how the program bears the case; an empty text where nothing is."""
    place = folder / "trial"
    shutil.rmtree(place, ignore_errors=True)
    shutil.copytree(folder / "shop", place)
    for name, content in made.files.items():
        target = place / name
        target.parent.mkdir(exist_ok=True)
        target.write_bytes(content)
    out, err, before = io.StringIO(), io.StringIO(), (sys.argv, Path.cwd())
    try:
        os.chdir(place)
        sys.argv = ["kotrel", *made.words]
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            try:
                status = main()
            except SystemExit as ended:
                status = ended.code if isinstance(ended.code, int) else 2
    except BaseException as error:
        return f"ended in {type(error).__name__}: {str(error)[:200]}"
    finally:
        sys.argv = before[0]
        os.chdir(before[1])
    said = out.getvalue() + err.getvalue()
    if "unexpected error" in said or "Traceback" in said:
        line = next((line for line in said.splitlines() if "unexpected error" in line or "Traceback" in line), "")
        log = next(iter(sorted((place / ".kotrel").glob("*.log"))), None)
        where = (
            [line.strip() for line in log.read_text("utf-8").splitlines() if line.startswith("  File")][-1:]
            if log
            else []
        )
        return f"{line} {' '.join(where)}"
    return "" if status in (0, 1, 2, 3) else f"exit status {status}"


def work(folder: str, pipe: Connection) -> None:
    """Runs the cases that come through the pipe, and answers with what is wrong with each, or an empty text."""
    # Most cases leave system.toml as it is: it is read once, and again wherever a case changes it.
    with patch.object(settings, "read_description", lru_cache(8)(settings.read_description)):
        while True:
            pipe.send(run_case(Path(folder), pipe.recv()))
