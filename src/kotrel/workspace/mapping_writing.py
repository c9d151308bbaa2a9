"""Saves a proposed mapping, with how sure each field is and why, for people to edit."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from kotrel.core.description.model import Record
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.matching.heading_meaning import times_in_heading
from kotrel.core.matching.price_list_habits import NONE, Habits
from kotrel.core.matching.proposing import Proposal
from kotrel.core.matching.wide_sheets import Wide
from kotrel.core.similarity import folded
from kotrel.core.tables.table import Column

if TYPE_CHECKING:
    from tomlkit.items import Table


def write_map(
    path: Path,
    record: Record,
    file: str,
    proposals: Sequence[Proposal],
    left: Sequence[Column],
    reading_as: Mapping[str, object] | None = None,
    wide: Wide | None = None,
    habits: Habits = NONE,
) -> None:
    """Saves proposals as a mapping for people to edit.

    Args:
        left: columns that nobody has decided about yet.
        wide: columns that are headed with the codes of one list, or None.
        habits: what else the sheet seems to have, to be confirmed.
        reading_as: heading_row, sheet and encoding as the user named them, or None for each.

    Raises:
        WrongUse: a mapping with that name exists.
        OutOfReach: it cannot be written.
    """
    if path.exists():
        raise WrongUse(
            f"{path} already exists", "Edit it, delete it, or use another name: --name NAME", "mapping-exists"
        )
    # Only here: every other command would wait for it.
    import tomlkit

    document = tomlkit.document()
    document.add(tomlkit.comment(f"Which column feeds which field of {record.name}; first made for {Path(file).name}."))
    document.add(
        tomlkit.comment("Used for every sheet that has all these headings. docs/reference/mappings.md lists the other")
    )
    document.add(
        tomlkit.comment("settings of a field: join, list, split, translate, fixed, default, default_by, make.")
    )
    document.add("record", tomlkit.item(record.name))
    for setting, value in (reading_as or {}).items():
        if value is not None:
            document.add(setting, tomlkit.item(value))
    document.add("skip", tomlkit.array())
    document["skip"].comment("headings of columns that are left out on purpose, in quotes")
    for column in left:
        document.add(tomlkit.comment(f"undecided: {column.letter} {' '.join(column.heading.split())}"))
    if habits.replaced_by is not None:
        document.add("replaced_by", tomlkit.item(habits.replaced_by.heading))
        document["replaced_by"].comment("rows that name another item are left out, if they have no price; correct?")
    if habits.lookups:
        document.add("lookup", _lookup_tables(habits))
    document.add("field", _field_tables(proposals, left, wide, habits))
    try:
        path.parent.mkdir(exist_ok=True)
        path.write_text(tomlkit.dumps(document), "utf-8", newline="\n")
    except OSError as error:
        raise OutOfReach(f"{path} cannot be written: {error.strerror or error}", "", "no-right") from None


def _lookup_tables(habits: Habits) -> Table:
    """The sheets in which values are looked up, each as ``[lookup.NAME]``."""
    import tomlkit

    lookups = tomlkit.table(is_super_table=True)
    for index, lookup in enumerate(habits.lookups, start=1):
        name = "groups" if index == 1 else f"groups{index}"
        about = tomlkit.table()
        about.add("by", lookup.column.heading)
        about.add("sheet", lookup.sheet)
        about.add("key", lookup.key)
        about.add(tomlkit.comment(f"a make can use it: [{name}.{lookup.headings[0]}]"))
        lookups.add(name, about)
    return lookups


def _field_tables(proposals: Sequence[Proposal], left: Sequence[Column], wide: Wide | None, habits: Habits) -> Table:
    """What feeds each field, as ``[field.NAME]``, with how sure it is and why."""
    import tomlkit

    fields = tomlkit.table(is_super_table=True)
    headings = Counter(folded(column.heading) for column in (*(each.column for each in proposals), *left))
    for proposal in proposals:
        fields.add(proposal.field.name, _fed_by(proposal, headings, habits))
    if habits.day is not None:
        name, address, day = habits.day
        settings = tomlkit.table()
        settings.add("cell", address)
        settings["cell"].comment(f"it says {day}; correct?")
        fields.add(name, settings)
    for name, code, heading in habits.units:
        settings = tomlkit.table()
        settings.add("fixed", code)
        settings["fixed"].comment(f"from a heading, {' '.join(heading.split())}; correct?")
        fields.add(name, settings)
    for name, code in {each.beside: each.code for each in habits.converted.values()}.items():
        settings = tomlkit.table()
        settings.add("fixed", code)
        fields.add(name, settings)
    if wide is not None:
        _add_repeated(fields, wide)
    return fields


def _fed_by(proposal: Proposal, headings: Mapping[str, int], habits: Habits) -> Table:
    """What feeds one field.

    Args:
        headings: folded heading → how many columns have it.
    """
    import tomlkit

    own = proposal.column
    settings = tomlkit.table()
    # What is headed like another is told from it by its letter only.
    alone = own.heading and headings[folded(own.heading)] == 1
    settings.add("column", own.heading if alone else f"={own.letter}")
    settings["column"].comment(f"{proposal.sure} % sure: {proposal.why}")
    if habits.per is not None and habits.per[0] == proposal.field.name:
        settings.add("per", habits.per[1].heading)
        settings["per"].comment("the column says how many pieces the amount is for; correct?")
    elif proposal.field.name in habits.per_number:
        settings.add("per", int(habits.per_number[proposal.field.name]))
        settings["per"].comment("from its heading; correct?")
    elif proposal.field.name in habits.times:
        settings.remove("column")
        settings.add("make", times_in_heading(*habits.times[proposal.field.name]))
        settings["make"].comment("from its heading; correct?")
        settings.add("for", "all")
    elif (converted := habits.converted.get(proposal.field.name)) is not None:
        settings.remove("column")
        settings.add("make", times_in_heading(converted.number, converted.heading))
        settings["make"].comment(f"its heading says {converted.unit}: converted to {converted.code}; correct?")
        settings.add("for", "all")
    return settings


def _add_repeated(fields: Table, wide: Wide) -> None:
    """What is repeated for each of some columns, and the fields that these fill."""
    import tomlkit

    repeated = tomlkit.table()
    means = tomlkit.inline_table()
    for word, meant in wide.means.items():
        means.add(meant, word)
    repeated.add("repeat", means if wide.means else list(wide.words))
    repeated["repeat"].comment(f"a row for each of these: {wide.why}")
    fields.add(wide.by.name, repeated)
    for each in wide.values:
        if each.field.name == wide.by.name:
            repeated.add("column", each.heading)
            continue
        value = tomlkit.table()
        value.add("column", each.heading)
        fields.add(each.field.name, value)
