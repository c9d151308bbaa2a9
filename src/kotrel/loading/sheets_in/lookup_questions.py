"""Questions about columns that name rows of another sheet, such as discount groups."""

from __future__ import annotations

from kotrel.core.description.model import Field, Record
from kotrel.core.matching.price_list_habits import LookupFound
from kotrel.core.matching.proposing import Proposal
from kotrel.core.phrases import listed
from kotrel.core.similarity import folded
from kotrel.core.tables.as_shown import per_cent_shown
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.numbers import read_number
from kotrel.core.values.yes_no import read_yes_no
from kotrel.loading.sheets_in.mapping_answers import column_named, feed, field_named, taken_already, values_shown
from kotrel.loading.sheets_in.mapping_proposals import Mapped
from kotrel.screen.dialogue import DialogueQuestion, Document


def _lookup_question(seen: LookupFound, looked_up_table: Table, money: Proposal | None) -> str:
    """The question about a column that names rows of another sheet, with the columns of that sheet."""
    start = f"Column {column_named(seen.column)} names rows of sheet “{seen.sheet}”."
    if money is None:
        return f"{start} No column here is an amount. Enter leaves it out"
    columns = {each.heading: each for each in looked_up_table.columns}
    has = [
        f"{place}  {each}: {values_shown(looked_up_table, columns[each], 3)}"
        for place, each in enumerate(seen.headings, 1)
    ]
    return "\n".join(
        [
            f"{start} Is one of its columns a per cent off “{money.column.heading}”?",
            *has,
            f"Its number (the result goes into {money.field.name}), its number and another field (1 cost), or Enter for none",
        ]
    )


def _answered(said: str) -> tuple[int, str, str]:
    """The parts of an answer such as “2 percent online price”: the number (0 where there is none), whether figures are
    parts or per cent, and the field's name.
    """
    number, *words = said.split()
    parts = folded(words[0]) if words and folded(words[0]) in ("parts", "percent") else ""
    return int(number) if number.isdecimal() else 0, parts, " ".join(words[1:] if parts else words)


def about_lookup(mapped: Mapped, seen: LookupFound) -> DialogueQuestion:
    """Whether a column names rows of another sheet, and which of its numbers is a discount."""
    record = mapped.record
    money = next((each for each in mapped.proposals if each.field.kind == "money" and each.column.heading), None)
    offered = listed([f"{place} {heading}" for place, heading in enumerate(seen.headings, 1)])
    there = next(each for each in mapped.tables if each.sheet == seen.sheet)
    asked = _lookup_question(seen, there, money)

    def take(document: Document, said: str) -> str | None:
        if not said or read_yes_no(said) == "no":
            _leave_out_lookup(document, seen.column.heading)
            return None
        number, parts, name = _answered(said)
        if not 1 <= number <= len(seen.headings) or money is None:
            return f"answer with a number ({offered}), or Enter for none"
        field = field_named(record, name) if name else money.field
        if (trouble := _trouble_with_amount(document, record, field, name, money)) is not None or field is None:
            return trouble
        heading = seen.headings[number - 1]
        column = next(each for each in there.columns if each.heading == heading)
        signs, small = _per_cents(there, column)
        if small and not parts:
            some = values_shown(there, column, 3)
            as_parts, as_percent = (" ".join(filter(None, (str(number), how, name))) for how in ("parts", "percent"))
            return f"“{heading}” has {some}, all below 1: answer “{as_parts}” if 0.4 means 40 %, “{as_percent}” if it means 0.4 %"
        looked = next(iter(_lookups_by(document, seen.column.heading)), None)
        _feed_discounted(document, field, money, _per_cent_read(f"[{looked}.{heading}]", heading, signs, parts))
        return None

    return DialogueQuestion(asked, take, f"Values: {values_shown(mapped.table, seen.column, 25)}")


def _trouble_with_amount(
    document: Document, record: Record, field: Field | None, name: str, money: Proposal
) -> str | None:
    """Why a discounted amount cannot go into a field, or None."""
    if field is None or field.kind != "money":
        return f"{record.title} has no amount “{name}”"
    return taken_already(document, field, "") if field is not money.field else None


def _lookups_by(document: Document, heading: str) -> list[str]:
    """The lookups of a mapping whose rows a column names."""
    return [key for key, each in document.get("lookup", {}).items() if each["by"] == heading]


def _leave_out_lookup(document: Document, heading: str) -> None:
    """A column names no rows of another sheet after all: it feeds nothing."""
    for key in _lookups_by(document, heading):
        document["lookup"].remove(key)
    document["skip"].append(heading)


def _per_cent_read(read: str, heading: str, signs: bool, parts: str) -> str:
    """An expression for a per cent: without the sign that its cells show, and a hundred times a part of one."""
    bare = f'replace({read}, "%", "")' if signs and "%" not in heading else read
    return f"number({bare})" + (" * 100" if parts == "parts" else "")


def _feed_discounted(document: Document, field: Field, money: Proposal, percent: str) -> None:
    """Feeds a field with an amount of the sheet less a per cent, which is given as an expression."""
    price = f"number([{money.column.heading}])"
    per = document["field"].get(money.field.name, {}).get("per")
    settings = {"make": f"{price} - {price} * {percent} / 100", "for": "all"}
    feed(document, field.name, settings | ({"per": per.unwrap()} if per is not None else {}))


def _per_cents(table: Table, column: Column) -> tuple[bool, bool]:
    """Whether some of its cells show a per cent sign; and if none does,
    whether all numbers other than 0 are below 1.
    """
    shown = [text for text in per_cent_shown(table, column.letter).drop_nulls().to_list() if text]
    if any("%" in text for text in shown):
        return True, False
    numbers = [read_number(text, None).value for text in shown]
    wanted = [each for each in numbers if each]
    return False, bool(wanted) and all(abs(each) < 1 for each in wanted)
