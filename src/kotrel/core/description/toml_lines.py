"""Finds the line of a table or key in a TOML text, so that an error can point at it."""

from __future__ import annotations

import re

_TABLE = re.compile(r"^\s*\[+\s*([^\[\]]+?)\s*\]+\s*(?:#.*)?$")
_KEY = re.compile(r"""^\s*((?:"[^"]*"|'[^']*'|[\w-]+)(?:\s*\.\s*(?:"[^"]*"|'[^']*'|[\w-]+))*)\s*=""")


def _parts(dotted: str) -> list[str]:
    return [part.strip().strip("\"'") for part in re.findall(r'"[^"]*"|\'[^\']*\'|[^.]+', dotted)]


def line_of(text: str, *path: str) -> int:
    """Line number (from 1) of the table or key ``path``, or of the nearest table above it; 1 where nothing fits."""
    best, best_depth = 1, 0
    table: list[str] = []
    wanted = list(path)
    for number, line in enumerate(text.splitlines(), start=1):
        if found := _TABLE.match(line):
            here = table = _parts(found.group(1))
        elif found := _KEY.match(line):
            here = table + _parts(found.group(1))
        else:
            continue
        depth = len(here)
        if depth > best_depth and here == wanted[:depth]:
            best, best_depth = number, depth
    return best
