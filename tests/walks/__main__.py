"""``python -m tests.walks SECONDS SEED [NAME]``: random ways through the program, each step judged by a plain model.

``sqlite``, ``service`` and ``files`` load and undo; ``edits`` changes exported workbooks and the system meanwhile;
``counts`` counts stock while goods move; ``documents`` posts and undoes documents and asks by day
(``documents-postgres``: on PostgreSQL); ``twins`` does the same work on SQLite, PostgreSQL, MariaDB and a service. Exit
status 1 where a walk went wrong; the same seed walks the same ways.
"""

from __future__ import annotations

import os
import random
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from tests.walks.common import Walk, Wrong
from tests.walks.counts import Counts
from tests.walks.documents import Documents
from tests.walks.edits import Edits
from tests.walks.twins import Twins
from tests.walks.undos import Files, Service, Shop, Undos

WALKS: dict[str, Callable[[Path, random.Random], Walk]] = {
    "sqlite": lambda home, pick: Undos(Shop(home), pick),
    "service": lambda home, pick: Undos(Service(home), pick),
    "files": lambda home, pick: Undos(Files(home), pick),
    "edits": Edits,
    "counts": Counts,
    "documents": Documents,
    "documents-postgres": lambda home, pick: Documents(home, pick, "postgres"),
    "twins": Twins,
}


def main() -> int:
    given = sys.argv[1:]
    seconds, seed, name = (*given, *("60", "1", "sqlite")[len(given) :])
    until, walks, bad = time.monotonic() + float(seconds), 0, 0
    home = Path.cwd()
    while time.monotonic() < until:
        with tempfile.TemporaryDirectory(prefix="kotrel-walk-") as folder:
            os.chdir(folder)
            walk = WALKS[name](Path(folder), random.Random(int(seed) * 1_000_000 + walks))
            try:
                walk.go()
            except Wrong as wrong:
                bad += 1
                print(f"walk {walks} of seed {seed} ({name}): {wrong}", *walk.log, sep="\n  ", flush=True)
            finally:
                os.chdir(home)
                walk.close()
        walks += 1
    print(f"{walks:,} walks ({name}), {bad} bad")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
