"""``python -m tests [FOLDER]``: all tests, or those of one folder; a module to each process, as many at once as there
are cores.

The same as ``python -m unittest discover -t . -s tests``, in less time.
"""

from __future__ import annotations

import os
import re
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from itertools import groupby
from pathlib import Path

from tests import ready_program

ROOT = Path(__file__).parents[1]
# Each module of these has a process of its own, the others share one for each folder.
LONG = ("cli", "fire", "same", "systems")
FIRST = (
    "cli.test_service",
    "fire.",
    "systems.test_mariadb",
    "cli.test_guides",
    "cli.test_documents",
    "same.",
    "core.resolving.",
    "sheets.",
    "cli.test_back_and_forth",
    "cli.test_prices",
)
"""Those that take longest begin first: else one of them is left alone at the end."""


def jobs() -> list[list[str]]:
    """All test modules, in the groups that run in one process."""
    found = sorted((ROOT / "tests" / (sys.argv[1] if len(sys.argv) > 1 else "")).rglob("test_*.py"))
    names = [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in found]
    long = [[name] for name in names if name.split(".")[1] in LONG]
    short = [name for name in names if name.split(".")[1] not in LONG]
    whole = long + [list(group) for _, group in groupby(short, key=lambda name: name.rpartition(".")[0])]
    return sorted(whole, key=_turn)


def _turn(modules: list[str]) -> int:
    name = modules[0].removeprefix("tests.")
    return next((turn for turn, first in enumerate(FIRST) if name.startswith(first)), len(FIRST))


def run(modules: list[str]) -> tuple[str, int, int, str, float]:
    """Modules in a process of their own: their name, exit status, number of tests, what they said,
    and the seconds they took.
    """
    began = time.monotonic()
    done = ready_program.run(ROOT, modules, os.environ, "unittest")
    count = re.search(r"^Ran (\d+) test", done.stderr, re.MULTILINE)
    name = modules[0] if len(modules) == 1 else f"{modules[0].rpartition('.')[0]}.*"
    # A module that cannot even be imported ran no test, and that is a failure.
    return name, done.returncode, int(count[1]) if count else 0, done.stdout + done.stderr, time.monotonic() - began


def start_servers() -> None:
    """One server of each kind of database, and one practice system on each, for all modules."""
    from tests import mariadb_server, support

    os.environ["KOTREL_SHOP"] = str(support.fresh_shop())
    os.environ["KOTREL_POSTGRES"] = support.postgres_server()
    os.environ["KOTREL_POSTGRES_SHOP"] = str(support.fresh_postgres_shop())
    if mariadb_server.found():
        os.environ["KOTREL_MARIADB"] = str(mariadb_server.port())
        os.environ["KOTREL_MARIADB_SHOP"] = str(mariadb_server.shop())


def main() -> int:
    began = time.monotonic()
    failed: list[str] = []
    total = 0
    # Two modules more than there are cores, since some wait for a server; more threads in each would only wait for each
    # other.
    os.environ.setdefault("POLARS_MAX_THREADS", "1")
    serving = ready_program.start()
    if serving:
        os.environ["KOTREL_READY"] = serving[1]
    if any(not module.startswith("tests.core") for modules in jobs() for module in modules):
        start_servers()
    with ThreadPoolExecutor((os.cpu_count() or 1) + 2) as pool:
        for module, status, count, said, seconds in pool.map(run, jobs()):
            total += count
            if status or not count:
                failed.append(module)
                print(said)
            print(f"{'FAILED' if status or not count else 'ok':<7} {module} ({count}, {seconds:.0f} s)", flush=True)
    if serving:
        serving[0].kill()
    print(f"\nRan {total} tests in {time.monotonic() - began:.1f}s\n")
    print(f"FAILED ({', '.join(failed)})" if failed else "OK")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
