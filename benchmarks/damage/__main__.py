"""``python -m benchmarks.damage [CELLS [SEED]]``: so many damaged cells (default 100,000), judged against the truth.

Wanted: no wrong repair, nothing wrong in silence, 98 of 100 provable cells mended, no finding on a clean cell.
"""

from __future__ import annotations

import sys

from benchmarks.damage.trial import run


def main() -> int:
    """Prints the figures and examples; exit status 1 where they are not as wanted."""
    given = [int(word) for word in sys.argv[1:]]
    tally = run(given[0] if given else 100_000, seed=given[1] if len(given) > 1 else 1)
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
    return 0 if not wrong and not count["SILENT"] and not count["false finding"] and share >= 98 else 1


if __name__ == "__main__":
    sys.exit(main())
