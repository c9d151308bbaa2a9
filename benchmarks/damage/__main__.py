"""``python -m benchmarks.damage [CELLS [SEED]]``: this many damaged cells (default 100,000), judged against the truth.

``python -m benchmarks.damage whole [SHEETS [SEED]]``: this many whole sheets of each class (default 20).

``python -m benchmarks.damage tables [SHEETS [SEED]]``: this many workbooks of each layout (default 5).

Wanted: no wrong repair, nothing wrong in silence, 98 of 100 provable cells mended (of whole sheets 95), no finding on a
clean cell.
"""

from __future__ import annotations

import sys

from benchmarks.damage.table_sheets import LAYOUTS
from benchmarks.damage.table_trial import run_tables
from benchmarks.damage.trial import Tally, run
from benchmarks.damage.whole_sheets import SHEETS
from benchmarks.damage.whole_trial import run_whole


def main() -> int:
    """Prints the figures and examples; exit status 1 where they are not as wanted."""
    if sys.argv[1:2] == ["tables"]:
        return _tables(*map(int, sys.argv[2:]))
    whole = sys.argv[1:2] == ["whole"]
    given = [int(word) for word in sys.argv[2 if whole else 1 :]]
    size, seed = (*given, *(20 if whole else 100_000, 1)[len(given) :])
    tally = run_whole(size, seed) if whole else run(size, seed=seed)
    if whole:
        _by_class(tally)
    for name, examples in tally.examples.items():
        print(f"{tally.counts[name]:>7,}  {name}")
        for example in examples[:2]:
            print(f"             {example}")
    count = tally.counts
    provable = count["mended"] + count["mended, but told"] + count["not mended"]
    damaged = (
        provable + count["WRONG REPAIR"] + count["SILENT"] + count["told"] + count["kept"] + count["sound text changed"]
    )
    clean = count["clean"] + count["clean cell changed"] + count["false finding"]
    share = 100 * (count["mended"]) / max(provable, 1)
    wrong = count["WRONG REPAIR"] + count["clean cell changed"] + count["sound text changed"]
    print(f"\n{damaged:,} damaged cells and {clean:,} clean ones beside them")
    print(
        f"wrong repairs {wrong:,}, wrong in silence {count['SILENT']:,}, false findings {count['false finding']:,}, mended {share:.1f} %"
    )
    return (
        0 if not wrong and not count["SILENT"] and not count["false finding"] and share >= (95 if whole else 98) else 1
    )


def _tables(sheets: int = 5, seed: int = 1) -> int:
    tally = run_tables(sheets, seed)
    outcomes = ("clean", "told", "SILENT", "false finding", "left out", "LEFT OUT IN SILENCE")
    print(f"{'':34}" + "".join(f"{word:>20}" for word in outcomes))
    for make in LAYOUTS:
        name = make.__name__.replace("_", " ")
        print(f"{name:34}" + "".join(f"{tally.counts[f'{word}: {name}'] or '':>20}" for word in outcomes))
    print(f"{'all':34}" + "".join(f"{tally.counts[word] or '':>20}" for word in outcomes))
    for name, examples in tally.examples.items():
        for example in examples[:4] if not name.startswith(("left out", "clean")) else ():
            print(f"  {name}: {example}")
    return int(bool(tally.counts["SILENT"] or tally.counts["LEFT OUT IN SILENCE"]))


OUTCOMES = ("mended", "kept", "told", "not mended", "WRONG REPAIR", "SILENT", "false finding")


def _by_class(tally: Tally) -> None:
    print(f"{'':28}" + "".join(f"{word:>15}" for word in OUTCOMES))
    for make in SHEETS:
        name = make.__name__.replace("_", " ")
        print(f"{name:28}" + "".join(f"{tally.counts[f'{word}: {name}'] or '':>15}" for word in OUTCOMES))
    print()


if __name__ == "__main__":
    sys.exit(main())
