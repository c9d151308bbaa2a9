"""Finds the line of a table or key in a TOML text, so that an error can point at it."""

from __future__ import annotations

import re

_TABLE = re.compile(r"^\s*(\[+)\s*([^\[\]]+?)\s*\]+\s*(?:#.*)?$")
_KEY = re.compile(r"""^\s*((?:"[^"]*"|'[^']*'|[\w-]+)(?:\s*\.\s*(?:"[^"]*"|'[^']*'|[\w-]+))*)\s*=""")
_NUMBER = "\x00"


def numbered(name: str, place: int) -> str:
    """The part of a path for the ``place``-th (from 1) of the tables with one name, written ``[[name]]``."""
    return f"{name}{_NUMBER}{place}"


def _parts(dotted: str) -> list[str]:
    return [part.strip().strip("\"'") for part in re.findall(r'"[^"]*"|\'[^\']*\'|[^.]+', dotted)]


def line_of(text: str, *path: str) -> int:
    """Line number (from 1) of the table or key ``path``, or of the nearest table above it; 1 where nothing fits."""
    best, best_depth = 1, 0
    table: list[str] = []
    times: dict[str, int] = {}
    for number, line in enumerate(text.splitlines(), start=1):
        if found := _TABLE.match(line):
            table = _parts(found.group(2))
            if found.group(1) == "[[" and len(table) == 1:
                times[table[0]] = times.get(table[0], 0) + 1
            if table[0] in times:
                table[0] = numbered(table[0], times[table[0]])
            here = table
        elif found := _KEY.match(line):
            here = table + _parts(found.group(1))
        else:
            continue
        depth = len(here)
        if best_depth < depth <= len(path) and all(map(_is, here, path)):
            best, best_depth = number, depth
    return best


def _is(here: str, wanted: str) -> bool:
    return here == wanted or (_NUMBER not in wanted and here.partition(_NUMBER)[0] == wanted)
