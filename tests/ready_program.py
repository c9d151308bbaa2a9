"""The program, loaded once and forked for each command and each module of tests: half a second less for each of thousands.

``python -m tests`` starts ``serve`` and names its socket in ``KOTREL_READY``. Every command is still a process of its
own with its own folder, environment and exit status; only the import is shared. A single test module, or a machine
without ``fork``, starts the program the plain way.
"""

from __future__ import annotations

import atexit
import contextlib
import gc
import importlib
import json
import os
import pkgutil
import runpy
import select
import signal
import socket
import subprocess
import sys
import tempfile
import traceback
import unittest
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, NoReturn

LONGEST = 120
"""Seconds; a command that takes longer is killed."""
LONGEST_MODULE = 900  # seconds, too
POSSIBLE = hasattr(os, "fork") and hasattr(socket, "AF_UNIX") and sys.platform != "darwin"


def serve(address: str) -> None:
    """Listens on a socket until it is killed; each request is a command line with its folder,
    environment and three files.
    """
    import kotrel

    for module in pkgutil.walk_packages(kotrel.__path__, "kotrel."):
        if module.name != "kotrel.__main__":
            importlib.import_module(module.name)
    for name in (
        "filelock",
        "psycopg",
        "httpx",
        "flask",
        "waitress",
        "xlsxwriter",
        "openpyxl",
        "python_calamine",
        "sqlalchemy.dialects.postgresql",
    ):
        importlib.import_module(name)
    # The grammar of expressions is built once too; nothing here may start a thread, for those do not survive a fork.
    from kotrel.core.expressions.parsing import parse

    parse("cost + 35%")
    importlib.import_module("kotrel.core.description.description_reading").read_description(
        importlib.import_module("kotrel.practice.installing").description_text()
    )
    importlib.import_module("rich.cells").cell_len("…")
    importlib.import_module("tests.support")
    gc.collect()
    gc.freeze()
    listening = socket.socket(socket.AF_UNIX)
    listening.bind(f"{address}.soon")
    listening.listen(16)
    Path(f"{address}.soon").rename(address)  # whoever sees it can connect
    # One fork for each command: a second one, only to wait for it, would take as long as a short command does.
    running: dict[int, socket.socket] = {}
    ended, ends = socket.socketpair()
    ends.setblocking(False)
    signal.signal(signal.SIGCHLD, lambda *_: None)
    signal.set_wakeup_fd(ends.fileno(), warn_on_full_buffer=False)
    while True:
        ready, _, _ = select.select([listening, ended], [], [])
        if ended in ready:
            ended.recv(4096)
            _tell_who_waits(running)
        if listening in ready:
            connection, _ = listening.accept()
            message, files, _, _ = socket.recv_fds(connection, 1 << 20, 3)
            child = os.fork()
            if child == 0:
                signal.set_wakeup_fd(-1)
                signal.signal(signal.SIGCHLD, signal.SIG_DFL)
                for each in (listening, ended, ends, connection, *running.values()):
                    each.close()
                _answer(json.loads(message), files)
            running[child] = connection
            for file in files:
                os.close(file)


def _tell_who_waits(running: dict[int, socket.socket]) -> None:
    """Sends the exit status of every command that has ended."""
    while running:
        child, status = os.waitpid(-1, os.WNOHANG)
        if not child:
            return
        with running.pop(child) as connection, contextlib.suppress(OSError):
            connection.sendall(str(os.waitstatus_to_exitcode(status)).encode())


def _answer(asked: Mapping[str, Any], files: Sequence[int]) -> NoReturn:
    for place, file in enumerate(files):
        os.dup2(file, place)
    signal.alarm(LONGEST_MODULE if asked["program"] == "unittest" else LONGEST)
    os.environ.clear()
    os.environ.update(asked["environment"])
    os.chdir(asked["folder"])
    _become(asked["program"], asked["words"])


def _become(name: str, words: Sequence[str]) -> NoReturn:
    """Runs a program in this process, and ends it."""
    sys.argv = [name, *words]
    status = 1
    try:
        if name == "kotrel":
            from kotrel.cli import program

            program()
        elif name == "unittest":
            unittest.main(module=None)
        else:
            runpy.run_module(name, run_name="__main__", alter_sys=True)
    except SystemExit as ended:
        status = int(ended.code or 0) if isinstance(ended.code, int | None) else 1
    except BaseException:
        traceback.print_exc()
    if name == "unittest":
        # What modules of tests clean up when they end; a command has nothing there.
        atexit._run_exitfuncs()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(status)


def start() -> tuple[subprocess.Popen[bytes], str] | None:
    """Starts the server; None where this machine cannot fork."""
    if not POSSIBLE:
        return None
    address = str(Path(tempfile.mkdtemp(prefix="kotrel-ready-")) / "socket")
    serving = subprocess.Popen(
        [sys.executable, "-m", "tests.ready_program", address], env={**os.environ, "PYTHONUTF8": "1"}
    )
    return serving, address


def run(
    folder: Path, words: Sequence[str], environment: Mapping[str, str], program: str = "kotrel"
) -> subprocess.CompletedProcess[str]:
    """Runs one command of ``kotrel``, ``unittest`` or a module of ours by the server that ``KOTREL_READY`` names,
    or as a plain process.
    """
    address = os.environ.get("KOTREL_READY")
    # What Python itself reads at its start cannot be changed any more.
    plain = not address or any(name.startswith("PYTHON") and os.environ.get(name) != value for name, value in environment.items()
                               if name != "PYTHONUTF8")  # fmt: skip
    if plain or not Path(address or "").exists():
        if program.startswith("tests."):
            environment = {**environment, "PYTHONPATH": str(Path(__file__).parents[1])}
        return subprocess.run(
            [sys.executable, *(["-P"] if program == "kotrel" else []), "-m", program, *words],
            cwd=folder, capture_output=True, encoding="utf-8", stdin=subprocess.DEVNULL, env=environment, check=False,
            timeout=LONGEST_MODULE if program == "unittest" else LONGEST,
        )  # fmt: skip
    with contextlib.ExitStack() as stack:
        nothing = stack.enter_context(Path(os.devnull).open("rb"))
        said, wrong = (stack.enter_context(tempfile.TemporaryFile()) for _ in range(2))
        connection = stack.enter_context(socket.socket(socket.AF_UNIX))
        connection.connect(address or "")
        asked = json.dumps(
            {"program": program, "words": list(words), "folder": str(folder), "environment": dict(environment)}
        )
        socket.send_fds(connection, [asked.encode()], [nothing.fileno(), said.fileno(), wrong.fileno()])
        status = int(connection.recv(64) or b"-1")
        said.seek(0)
        wrong.seek(0)
        return subprocess.CompletedProcess([program, *words], status, said.read().decode(), wrong.read().decode())


if __name__ == "__main__":
    serve(sys.argv[1])
