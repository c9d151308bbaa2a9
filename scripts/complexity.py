"""Whether the functions of the program are simple enough: none over 25, and few over 15."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from radon.complexity import cc_visit

SOURCE = Path(__file__).parents[1] / "src"
NONE_OVER = 25
MANY_OVER, MANY = 15, 40
"""A function over 15 has to read well as it is; this is how many may be."""


def _whole(block: Any) -> int:
    """The complexity of a function with that of the functions inside it: whoever reads it reads those, too."""
    return int(block.complexity) + sum(map(_whole, block.closures))


def main() -> int:
    """Says which functions are too complex; exit status 1 where there are any."""
    found = [
        (_whole(block), f"{path.relative_to(SOURCE)}:{block.lineno} {block.name}")
        for path in sorted(SOURCE.rglob("*.py"))
        for block in cc_visit(path.read_text("utf-8"))
        if block.letter in "FM"
    ]
    bad = sorted((each for each in found if each[0] > NONE_OVER), reverse=True)
    many = sum(complexity > MANY_OVER for complexity, _ in found)
    for complexity, where in bad:
        print(f"{complexity}  {where}: more than {NONE_OVER}")
    if many > MANY:
        print(f"{many} functions over {MANY_OVER}: at most {MANY}")
    return int(bool(bad) or many > MANY)


if __name__ == "__main__":
    sys.exit(main())
