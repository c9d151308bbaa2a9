"""What ``kotrel init`` asks about a drafted description:
which tables people load, what the system keeps, and what has a name.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from pathlib import Path

from kotrel.core.description.description_reading import read_description
from kotrel.core.description.description_review import review
from kotrel.core.description.model import Description, Field, Record
from kotrel.core.description.table_facts import TableFacts
from kotrel.core.errors import WrongUse
from kotrel.core.phrases import count, listed
from kotrel.core.similarity import folded, nearest
from kotrel.core.values.yes_no import read_yes_no
from kotrel.screen.dialogue import DialogueQuestion, Document, converse, refuse
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import written_whole

_COUNTED = re.compile(
    r"stock|hand|qty|quant|balanc|avail|reserv|alloc|average|avg|last_|total|(?:created|updated|changed|modified)",
    re.IGNORECASE,
)
"""Names of numbers and moments that a system often counts up itself."""
_FEW = 30
"""Tables that are shown with the question, at most; all of them on ``?``."""


def ask_about_draft(screen: Screen, path: Path, facts: Sequence[TableFacts]) -> bool:
    """Asks, and saves the answers in the description; False where somebody stopped before the end.

    Args:
        path: the drafted ``system.toml``.
        facts: what the database says about its tables.
    """
    import tomlkit

    text = path.read_text("utf-8")
    described = read_description(text, str(path))
    document, going_on = converse(screen, [_which_tables(described)], tomlkit.parse(text))
    described = _sound(screen, path, tomlkit.dumps(document), described)
    if going_on and (asked := _about_records(described, facts)):
        document, going_on = converse(screen, asked, tomlkit.parse(path.read_text("utf-8")))
        _sound(screen, path, tomlkit.dumps(document), described)
    return going_on


def _sound(screen: Screen, path: Path, text: str, former: Description) -> Description:
    """Saves a description that can be read; another is not saved, and the screen says why."""
    try:
        described = read_description(text, str(path))
    except WrongUse as error:
        refuse(screen, f"these answers do not go together and were not kept: {error.message}")
        return former
    with written_whole(path) as temporary:
        temporary.write_text(text, "utf-8", newline="\n")
    return described


def _which_tables(described: Description) -> DialogueQuestion:
    """Which records people load; the others stay where one of those refers to them, and go where none does."""
    records = list(described.records.values())
    rows = [f"{place}  {record.name} ({count(len(record.fields), 'field')})" for place, record in enumerate(records, 1)]

    def take(document: Document, said: str) -> str | None:
        if not said:
            return None
        chosen: list[str] = []
        for word in re.split(r"[,;\s]+", said.strip(" ,;")):
            if (span := re.fullmatch(r"([0-9]+)(?:[-–]([0-9]+))?", word)) is not None:
                first, last = int(span[1]), int(span[2] or span[1])
                if not 1 <= first <= last <= len(records):
                    return f"the tables are 1 to {len(records)}, not {word}"
                chosen += [record.name for record in records[first - 1 : last]]
            elif folded(word) in (named := {folded(record.name): record.name for record in records}):
                chosen.append(named[folded(word)])
            else:
                close = nearest(word, described.records)
                return f"there is no table “{word}”" + (f"; did you mean {close}?" if close else "; ? lists them")
        needed = _needed(described, chosen)
        for record in records:
            if record.name not in needed:
                document["record"].remove(record.name)
        return None

    asked = "\n".join(
        [
            "Which of these tables do people load with spreadsheets? Numbers like 1,3-5, names, or Enter for all. "
            "Tables that these refer to stay as lists to check against; the others are taken out of system.toml.",
            *rows[:_FEW],
            *([f"… {len(rows) - _FEW} more (? lists all)"] if len(rows) > _FEW else []),
        ]
    )
    return DialogueQuestion(asked, take, "\n".join(rows))


def _needed(described: Description, chosen: Collection[str]) -> set[str]:
    """Those records, and all that they refer to, directly or through others."""
    needed, more = set[str](), list(chosen)
    while more:
        name = more.pop()
        if name not in needed:
            needed.add(name)
            record = described.records[name]
            more += [field.to for field in record.references if field.to]
            more += [record.part_of] if record.part_of else []
            more += [other for other, _ in record.other_codes]
    return needed


def _about_records(described: Description, facts: Sequence[TableFacts]) -> list[DialogueQuestion]:
    """The questions about each record, those with the most doubts first."""
    asked = []
    for reviewed in review(described, facts):
        record = described.records[reviewed.record]
        if record.is_posted:
            continue
        if (kept := _about_kept(record)) is not None:
            asked.append(kept)
        if (named := _about_name(record)) is not None:
            asked.append(named)
        asked += _about_decimals(record, facts)
    return asked


def _fields_of(document: Document, record: Record) -> Document:
    return document["record"][record.name]["field"]


def _may_be_counted(field: Field, record: Record) -> bool:
    """Whether the system may count a field itself, by its kind and its name."""
    if field.name in record.key or field.kind not in ("number", "quantity", "money", "moment", "date"):
        return False
    return field.is_kept or bool(_COUNTED.search(record.storage.columns.get(field.name, field.name)))


def _about_kept(record: Record) -> DialogueQuestion | None:
    """Which figures the system counts itself: nobody loads them."""
    fields = [field for field in record.fields.values() if _may_be_counted(field, record)]
    if not fields:
        return None
    numbered = dict(enumerate(fields, 1))
    marked = [str(number) for number, field in numbered.items() if field.is_kept]

    def take(document: Document, said: str) -> str | None:
        if not said:
            return None
        numbers = [] if said == "-" else re.split(r"[,;\s]+", said.strip(" ,;"))
        if not set(numbers) <= set(map(str, numbered)):
            return f"answer with numbers from 1 to {len(fields)}, or - for none"
        for number, field in numbered.items():
            settings = _fields_of(document, record)[field.name]
            if str(number) in numbers:
                settings["kept_by"] = "system"
                settings.pop("must", None)
            elif "kept_by" in settings:
                settings.remove("kept_by")
        return None

    shown = [f"{number}  {field.name}" for number, field in numbered.items()]
    enter = f"Enter for {listed(marked, 20)}" if marked else "Enter for none"
    asked = f"{record.name}: which of these does the system count itself, so that nobody loads them? Numbers, - for none, or {enter}"
    return DialogueQuestion("\n".join([asked, *shown]), take)


def _about_name(record: Record) -> DialogueQuestion | None:
    """Which field is a row's name, so that a sheet may have “Keldrift” where the code is 17."""
    texts = [field.name for field in record.fields.values() if field.kind == "text" and not field.is_kept]
    if record.called is not None or len(record.key) != 1 or not texts:
        return None

    def take(document: Document, said: str) -> str | None:
        if not said:
            return None
        named = texts[int(said) - 1] if said.isdecimal() and 1 <= int(said) <= len(texts) else said
        if named not in texts:
            return f"answer with a number from 1 to {len(texts)}, or Enter for none"
        document["record"][record.name]["called"] = named
        return None

    shown = [f"{place}  {name}" for place, name in enumerate(texts, 1)]
    asked = f"{record.name}: which field is its name? Sheets may then have the name instead of the code. A number, or Enter for none"
    return DialogueQuestion("\n".join([asked, *shown]), take)


def _about_decimals(record: Record, facts: Sequence[TableFacts]) -> list[DialogueQuestion]:
    """How many decimals a number has that the database keeps without fixed ones."""
    columns = {
        column.name: column
        for table in facts
        if table.name == (record.storage.table or record.name)
        for column in table.columns
    }
    asked = []
    for field in record.fields.values():
        column = columns.get(record.storage.columns.get(field.name, field.name))
        if column is None or column.kind != "decimal" or column.decimals is not None or field.is_kept:
            continue

        def take(document: Document, said: str, name: str = field.name) -> str | None:
            if said and not (said.isdecimal() and int(said) <= 9):
                return "it is a whole number from 0 to 9"
            if said:
                _fields_of(document, record)[name]["decimals"] = int(said)
            return None

        text = f"{record.name}: how many decimals does {field.name} have? The database does not say. Enter for {field.decimals}"
        asked.append(DialogueQuestion(text, take))
    return asked


def wants_journal(screen: Screen, title: str) -> bool:
    """Whether the journal is to be made now; without it nothing can be loaded."""
    screen.show("")
    screen.show(
        "Every load needs the journal: two tables in the database that keep what each load changed, for its undo."
    )
    return read_yes_no(screen.answer(f"Create them in {title} now? Enter for no, y for yes\n> ") or "") == "yes"
