"""``python -m tests.fuzz [SECONDS [SEED]]``: runs the program on damaged input for so long, and prints what it could
not bear.

A case is bad where it ends in “an unexpected error”, in a traceback, kills the process, or takes longer than a minute.
Exit status 1 where there was one. The same seed gives the same cases.
"""

from __future__ import annotations

import contextlib
import multiprocessing
import signal
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from tests.fuzz.making import Case, case, seeds
from tests.fuzz.running import work

LONGEST = 60


def main() -> int:
    seconds, seed = (
        (int(word) for word in [*sys.argv[1:], "60", "1"][:2]) if len(sys.argv) != 2 else (int(sys.argv[1]), 1)
    )
    # Stopped in the background too, it says what it has tried so far.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    until, bad, counts = time.monotonic() + seconds, 0, Counter[str]()
    with tempfile.TemporaryDirectory(prefix="kotrel-fuzz-") as folder, contextlib.suppress(KeyboardInterrupt):
        sound = seeds(Path(folder))
        number, worker, pipe = seed * 1_000_000, None, None
        while time.monotonic() < until:
            if worker is None or not worker.is_alive():
                pipe, other = multiprocessing.Pipe()
                worker = multiprocessing.get_context("spawn").Process(target=work, args=(folder, other), daemon=True)
                worker.start()
            made: Case = case(sound, number)
            pipe.send(made)
            said = "took longer than a minute"
            if pipe.poll(LONGEST):
                try:
                    said = pipe.recv()
                except EOFError:
                    said = "killed the process"
            if said:
                bad += 1
                print(f"case {number} ({made.kind}, {made.words[0]} {made.name}): {said}", flush=True)
                worker.kill()
                worker = None
            counts[made.kind] += 1
            number += 1
        if worker is not None:
            worker.kill()
    print(
        f"{sum(counts.values()):,} cases ({', '.join(f'{count:,} {kind}' for kind, count in counts.items())}), {bad} bad"
    )
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
