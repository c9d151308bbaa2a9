"""What a copy of somebody's own workbook would lose, because the library that writes it does not know it."""

from __future__ import annotations

import re
import zipfile
from pathlib import Path

_LOST = {
    r"xl/charts/": "charts",
    r"xl/media/": "pictures",
    r"xl/pivot(Tables|Cache)/": "pivot tables",
    r"xl/(ctrlProps|activeX)/": "controls",
    r"xl/slicers?/": "slicers",
    r"xl/threadedComments/": "comment threads",
    r"xl/(diagrams|embeddings)/": "drawings",
    r"xl/externalLinks/": "links to other workbooks",
}


def lost_in_copy(source: Path) -> set[str]:
    """In words; nothing where a copy keeps all of it. Raises what a damaged archive raises."""
    with zipfile.ZipFile(source) as book:
        names = book.namelist()
        found = {what for pattern, what in _LOST.items() if any(re.match(pattern, name) for name in names)}
        for name in names:
            if re.match(r"xl/worksheets/sheet\d+\.xml", name) and b"x14:" in book.read(name)[-200_000:]:
                found.add("newer formats or drop-downs")
    return found
