"""Nothing may contain itself, however deep: categories, variants, kits."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence

import polars as pl

from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.rows.findings import FindingGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState

LONGEST = 8
"""At most this many links of a circle are printed; of a longer circle the first and the last."""

MOST_STEPS = 1_000_000
"""At most this many steps are taken to print circles."""


def check_circles(rows: Rows, state: SystemState) -> list[FindingGroup]:
    """Rows through which a code would lead back to itself; the message prints the circle."""
    findings: list[FindingGroup] = []
    for first, second in rows.record.circles:
        if first in rows.fields and second in rows.fields:
            own = rows.values.select(ROW, *_columns(rows, first, second))
            if bad := _in_circles(own, rows, state, first, second):
                findings.append(_circle(rows, second, bad))
    return findings


def circles_across(parts: Sequence[Rows], state: SystemState) -> list[tuple[int, FindingGroup]]:
    """Circles that only rows of several sheets of a load make, at each of their rows, with the number of the sheet."""
    findings: list[tuple[int, FindingGroup]] = []
    for first, second in parts[0].record.circles:
        having = [n for n, rows in enumerate(parts) if first in rows.fields and second in rows.fields]
        if len(having) < 2:
            continue
        frames = [
            parts[n]
            .values.select(ROW, *_columns(parts[n], first, second))
            .with_columns(pl.lit(n).alias("part of load"))
            for n in having
        ]
        every = pl.concat(frames, how="diagonal").rename({ROW: "own row"}).with_row_index(ROW)
        alone = {
            (n, row)
            for n in having
            for row, _, _, _ in _in_circles(frames[having.index(n)], parts[n], state, first, second)
        }
        at = dict(zip(every[ROW], every.select("part of load", "own row").iter_rows(), strict=True))
        by_part: dict[int, list[_Bad]] = {}
        for row, code, leads_to, printed in _in_circles(every, parts[having[0]], state, first, second):
            part, own_row = at[row]
            if (part, own_row) not in alone:
                by_part.setdefault(part, []).append((own_row, code, leads_to, printed))
        findings += [(part, _circle(parts[part], second, bad)) for part, bad in by_part.items()]
    return findings


_Bad = tuple[int, str, str, str]
"""A row, the code, what it leads to, and the circle in words."""


def _columns(rows: Rows, first: str, second: str) -> list[str]:
    return list(dict.fromkeys((*rows.record.key, first, second)))


def _circle(rows: Rows, second: str, bad: Sequence[_Bad]) -> FindingGroup:
    title = f"{rows.record.fields[second].title} leads back to itself"
    cells = cells_of([each[0] for each in bad], [each[2] for each in bad], [each[3] for each in bad])
    return rows.group("error", "circle", title, second, cells)


def _in_circles(frame: pl.DataFrame, rows: Rows, state: SystemState, first: str, second: str) -> list[_Bad]:
    """The rows of a frame (``ROW``, the key, both fields) that lie on a circle."""
    sheet_links = frame.select(ROW, first, second).drop_nulls()
    if not sheet_links.height:
        return []
    links = _links(frame, rows.record, state, first, second)
    group_of = _groups(sheet_links[first].unique().to_list(), links)
    bad = [
        (row, code, leads_to)
        for row, code, leads_to in sheet_links.iter_rows()
        if code == leads_to or (code in group_of and group_of[code] == group_of.get(leads_to))
    ]
    bad_rows: list[_Bad] = []
    steps = MOST_STEPS
    for row, code, leads_to in bad:
        path, walked = _way(leads_to, code, links, steps)
        steps -= walked
        printed = _printed([code, *path]) if path else "leads back to itself through a very long circle"
        bad_rows.append((row, code, leads_to, printed))
    return bad_rows


def _links(frame: pl.DataFrame, record: Record, state: SystemState, first: str, second: str) -> dict[str, list[str]]:
    """Code → the codes it leads to after the load: from the sheets, otherwise from the system."""
    sheet_links = frame.select(list(dict.fromkeys((*record.key, first, second))))
    system = state.having_any(record, second, first)
    stays = system.join(sheet_links.select(record.key), on=list(record.key), how="anti")
    links: dict[str, list[str]] = {}
    for frame in (stays, sheet_links):
        for code, leads_to in frame.select(first, second).drop_nulls().iter_rows():
            links.setdefault(code, []).append(leads_to)
    return links


def _groups(starts: list[str], links: dict[str, list[str]]) -> dict[str, int]:
    """Code → the number of its group, for every code that can be reached; two codes of a group lead to each other.

    Tarjan's algorithm (SIAM J. Comput. 1, 1972) with an explicit stack: its time grows with the number of links.
    """
    order: dict[str, int] = {}
    low: dict[str, int] = {}
    group: dict[str, int] = {}
    waiting: list[str] = []
    for start in starts:
        if start in order:
            continue
        order[start] = low[start] = len(order)
        waiting.append(start)
        walk = [(start, iter(links.get(start, ())))]
        while walk:
            code, ahead = walk[-1]
            following = next(ahead, None)
            if following is None:
                walk.pop()
                if walk:
                    low[walk[-1][0]] = min(low[walk[-1][0]], low[code])
                if low[code] == order[code]:
                    while True:
                        member = waiting.pop()
                        group[member] = order[code]
                        if member == code:
                            break
            elif following not in order:
                order[following] = low[following] = len(order)
                waiting.append(following)
                walk.append((following, iter(links.get(following, ()))))
            elif following not in group:
                low[code] = min(low[code], order[following])
    return group


def _way(start: str, goal: str, links: dict[str, list[str]], most: int) -> tuple[list[str], int]:
    """The shortest path from one code to another, including both, and how many steps it took to find it.

    Empty where it was not found in ``most`` steps.
    """
    came: dict[str, str] = {}
    seen, line = {start}, deque([start])
    steps = 0
    while line and steps < most:
        code = line.popleft()
        steps += 1
        if code == goal:
            way = [code]
            while way[-1] != start:
                way.append(came[way[-1]])
            return way[::-1], steps
        for following in links.get(code, ()):
            if following not in seen:
                seen.add(following)
                came[following] = code
                line.append(following)
    return [], steps


def _printed(circle: list[str]) -> str:
    shown = circle if len(circle) <= LONGEST else [*circle[: LONGEST - 2], "…", *circle[-2:]]
    return " → ".join(shown)
