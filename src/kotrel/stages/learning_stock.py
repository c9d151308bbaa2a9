"""Which of a program's exports is its list of stock, and what its columns are."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace

from kotrel.core.description.table_facts import ColumnFacts, ReferenceFacts, TableFacts

QUANTITY = re.compile(r"^(qty|quantity|on_?hand|in_?stock|stock|stock_(qty|quantity|on_hand)|balance)$")
ROLES = (
    ("warehouse", re.compile(r"warehouse|store|site|depot|branch")),
    ("bin", re.compile(r"bin|shelf|location|rack")),
    ("lot", re.compile(r"lot|batch")),
    ("serial", re.compile(r"serial")),
    ("value", re.compile(r"value|worth")),
    ("cost", re.compile(r"cost")),
)  # fmt: skip


def as_stock_list(
    facts: TableFacts, headings: Mapping[str, str], blanks: Sequence[str], sizes: Mapping[str, int]
) -> TableFacts | None:
    """The table with its columns called as a list of stock calls them; None where it is none.

    Such a list refers to the items, has one column with a quantity, and is not itself the list of the items.

    Args:
        headings: column → its heading.
        blanks: columns that are blank in some rows.
        sizes: list → its rows; the longest that a column refers to has the items.
    """
    quantities = [each for each in facts.columns if QUANTITY.match(each.name) and each.kind in ("whole", "decimal")]
    by_column = {each.columns[0]: each.table for each in facts.references if each.table != facts.name}
    if len(quantities) != 1 or not by_column:
        return None
    item = max(by_column, key=lambda name: sizes[by_column[name]])
    named = {item: "item", quantities[0].name: "quantity"}
    for role, pattern in ROLES:
        found = next(
            (each.name for each in facts.columns if each.name not in named and pattern.search(each.name)), None
        )
        if found is not None:
            named[found] = role
    names = {each.name: named.get(each.name, each.name) for each in facts.columns}
    # A column that happens to be called like a part that another one plays keeps out of its way.
    names = {
        name: f"{new}_2" if new == name and name not in named and new in named.values() else new
        for name, new in names.items()
    }
    columns = [_column(each, names[each.name], headings[each.name]) for each in facts.columns]
    places = ("item", "warehouse", "bin", "lot", "serial")
    full = {names[each.name] for each in facts.columns if each.name not in blanks}
    references = tuple(
        ReferenceFacts(tuple(names[name] for name in each.columns), each.table, each.targets)
        for each in facts.references
    )
    return replace(
        facts,
        columns=tuple(columns),
        primary=tuple(name for name in places if name in full and name in names.values()),
        references=references,
        nature="stock",
    )


def _column(column: ColumnFacts, name: str, heading: str) -> ColumnFacts:
    title = heading if heading.casefold() != name else ""
    if name == "quantity":
        # What the program counts itself; an administrator who may load it takes that out.
        return replace(
            column, name=name, title=title, made=True, remark="without kept_by, kotrel count post may load it"
        )
    return replace(column, name=name, title=title)
