"""``python -m tests.same [SECONDS [SEED [NAMES]]]``: equivalent ways, equal results, on generated sheets.

Prints what does not hold; exit status 1 where anything does not.
"""

from __future__ import annotations

import os
import sys
import time
from concurrent.futures import ThreadPoolExecutor

from tests import ready_program
from tests.same.relations import RELATIONS, held
from tests.support import fresh_shop


def main() -> int:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 60
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    names = sys.argv[3:] or list(RELATIONS)
    serving = ready_program.start()
    if serving:
        os.environ["KOTREL_READY"] = serving[1]
    os.environ["KOTREL_SHOP"] = str(fresh_shop())
    ends, asked, wrong = time.monotonic() + seconds, 0, 0
    try:
        with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
            while time.monotonic() < ends:
                for found in pool.map(held, names, [seed] * len(names)):
                    asked += 1
                    wrong += bool(found)
                    for each in found:
                        print(each, flush=True)
                seed += 1
    finally:
        if serving:
            serving[0].kill()
    print(f"{asked} relations asked, up to seed {seed - 1}: {wrong} do not hold")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
