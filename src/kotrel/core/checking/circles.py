"""Nothing contains itself, however deep: categories, variants, kits."""

from __future__ import annotations

import polars as pl

from kotrel.core.findings import FindingGroup, cells_of
from kotrel.core.held import Held
from kotrel.core.rows import Rows

LONGEST = 8
"""So many links of a circle are printed; of a longer one the first and the last."""


def check_circles(rows: Rows, held: Held) -> list[FindingGroup]:
    """Rows by which a code would lead back to itself; the circle is printed."""
    found: list[FindingGroup] = []
    for first, second in rows.record.circles:
        if first not in rows.fields or second not in rows.fields:
            continue
        own = rows.values.select("row", first, second).drop_nulls()
        if not own.height:
            continue
        links = _links(rows, held, first, second)
        circle_of = _circles(own[first].unique().to_list(), links)
        if not circle_of:
            continue
        within = pl.Series(
            [leads_to in circle_of.get(code, ()) for code, leads_to in own.select(first, second).iter_rows()]
        )
        bad = own.filter(within)
        messages = [_printed(circle_of[code]) for code in bad[first]]
        title = f"{rows.record.fields[second].title} leads back to itself"
        found.append(rows.group("error", "circle", title, second, cells_of(bad["row"], bad[second], messages)))
    return found


def _links(rows: Rows, held: Held, first: str, second: str) -> dict[str, list[str]]:
    """Code → the codes it leads to after the load: as the sheet says, else as the system has it."""
    record = rows.record
    own = rows.values.select(*record.key, *(name for name in (first, second) if name not in record.key))
    system = held.having_any(record, second)
    if first not in system.columns:
        return {}
    stays = system.join(own.select(record.key), on=list(record.key), how="anti")
    links: dict[str, list[str]] = {}
    for frame in (stays, own):
        for code, leads_to in frame.select(first, second).drop_nulls().iter_rows():
            links.setdefault(code, []).append(leads_to)
    return links


def _circles(starts: list[str], links: dict[str, list[str]]) -> dict[str, list[str]]:
    """Code → the circle it is part of, for every code of a circle that can be reached from the starts.

    A walk in depth with its path kept: each code is entered once, so it takes time in proportion to the links.
    """
    done: set[str] = set()
    found: dict[str, list[str]] = {}
    for start in starts:
        if start in done:
            continue
        path: list[str] = [start]
        places = {start: 0}
        open_links = [iter(links.get(start, ()))]
        while open_links:
            following = next(open_links[-1], None)
            if following is None:
                open_links.pop()
                left = path.pop()
                del places[left]
                done.add(left)
            elif following in places:
                circle = path[places[following] :]
                for place, code in enumerate(circle):
                    found.setdefault(code, [*circle[place:], *circle[: place + 1]])
            elif following not in done:
                places[following] = len(path)
                path.append(following)
                open_links.append(iter(links.get(following, ())))
    return found


def _printed(circle: list[str]) -> str:
    shown = circle if len(circle) <= LONGEST else [*circle[: LONGEST - 2], "…", *circle[-2:]]
    return " → ".join(shown)
