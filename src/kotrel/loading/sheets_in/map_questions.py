"""What ``kotrel map`` asks a person, one question at a time, and what each answer says in the saved mapping."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence
from typing import Any

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.matching.heading_meaning import said_by
from kotrel.core.matching.opposites import opposite_field, out_of_use, status_words
from kotrel.core.normalizing.price_units import number_said
from kotrel.core.phrases import count, listed
from kotrel.core.similarity import folded, nearest
from kotrel.core.tables.as_shown import as_shown
from kotrel.core.tables.sources import PriceUnit
from kotrel.core.tables.table import Column, Table
from kotrel.core.values.numbers import read_number
from kotrel.core.values.same_writing import form_of
from kotrel.core.values.yes_no import read_yes_no
from kotrel.loading.sheets_in.lookup_questions import about_lookup
from kotrel.loading.sheets_in.mapping_answers import column_named, feed, field_named, taken_already, values_shown
from kotrel.loading.sheets_in.mapping_proposals import Mapped
from kotrel.loading.sheets_in.spellings import listed_codes, not_listed
from kotrel.screen.dialogue import DialogueQuestion, Document, yes_or_no

SURE = 90
"""A field that is proposed with less, in per cent, is asked."""
_FEW = 12
"""The longest list of codes that is shown with the question; a longer one is shown on ``?``."""


def questions_of(
    mapped: Mapped, document: Document, names: Callable[[str], ListNames], tables: Sequence[Table], fresh: bool
) -> list[DialogueQuestion]:
    """What is open or unsure in a mapping, the columns first, in the order of the sheet.

    Args:
        document: the mapping as it is saved: what it says is not asked again.
        names: record → its codes and names.
        tables: all sheets of the file.
        fresh: it was made just now; of one that somebody has answered before, only what is open is asked.
    """
    table, record = mapped.table, mapped.record
    said = _said_columns(document)
    questions: list[DialogueQuestion] = []
    for each in mapped.proposals:
        if fresh and each.sure < SURE and each.column.heading:
            questions.append(_about_column(table, record, each.column, each.field))
    for column in mapped.left:
        if column.heading and folded(column.heading) not in said:
            questions.append(_about_column(table, record, column, None))
    questions += [_about_habit(words, undo) for words, undo in _habits(mapped)] if fresh else []
    questions += [about_lookup(mapped, each) for each in mapped.habits.lookups] if fresh else []
    questions += _about_words(mapped, document)
    questions += [
        about_missing(table, record.fields[name], names) for name in mapped.missing if name not in document["field"]
    ]
    questions += _about_pieces(mapped, document)
    questions += _about_partners(mapped, document, names)
    questions += _about_blanks(mapped, document, names)
    questions += _about_sheets(mapped, document, tables)
    return questions


def _said_columns(document: Document) -> set[str]:
    """The headings that a mapping speaks of (folded)."""
    said = [str(each) for each in document.get("skip", [])]
    for settings in document.get("field", {}).values():
        said += [str(settings[key]) for key in ("column", "split") if key in settings]
    return {folded(each) for each in said}


def _different(table: Table, column: Column) -> list[str]:
    """The different words of a column, in their order."""
    return table.cells[column.letter].drop_nulls().str.strip_chars().unique(maintain_order=True).to_list()


def _asked_of(table: Table, column: Column, record: Record, proposed: Field | None) -> str:
    name = f"{column_named(column)} ({values_shown(table, column)})"
    if proposed is not None:
        return f"Column {name}: is it {proposed.title.lower()}? Enter for yes, another field's name, or - for none"
    if (opposite := opposite_field(column.heading, record)) is not None:
        title = opposite.title.lower()
        return f"Column {name} says the opposite of {title}. Type {title} to read it so (its yes is our no), or Enter to skip it"
    archived = out_of_use(record)
    status = status_words(_different(table, column))
    if archived is not None and "yes" in status.values():
        title = archived.title.lower()
        words = listed([f"“{word}”" for word, said in status.items() if said == "yes"], 3)
        return f"Column {name} seems to say what is {title} ({words}). Type {title} to read it so, or Enter to skip it"
    return f"No field uses column {name}. Enter skips it, or type a field's name"


def _about_column(table: Table, record: Record, column: Column, proposed: Field | None) -> DialogueQuestion:
    asked = _asked_of(table, column, record, proposed)

    def take(document: Document, said: str) -> str | None:
        answer = read_yes_no(said or "yes") if proposed is not None else None
        if answer == "yes" and said != "-":
            return None
        if said in ("", "-") or answer == "no":
            _without_column(document, column)
            document["skip"].append(column.heading)
            return None
        field = field_named(record, said)
        if field is None:
            close = nearest(said, [each.title for each in record.fields.values() if not each.is_kept])
            return f"{record.title} has no field “{said}”" + (f"; did you mean {close}?" if close else "; ? lists them")
        if (taken := taken_already(document, field, column.heading)) is not None:
            return taken
        _without_column(document, column)
        feed(document, field.name, {"column": column.heading, **_turned_round(table, column, field, record)})
        _let_stand(document, column, field)
        return None

    fields = ", ".join(each.title for each in record.fields.values() if not each.is_kept)
    return DialogueQuestion(asked, take, f"Values: {values_shown(table, column, 25)}\nFields: {fields}")


def _let_stand(document: Document, column: Column, field: Field) -> None:
    """That an old price is the price, a person has just said: its heading is no matter then."""
    says = said_by(column.heading, field)
    if says is not None and says.what == "other":
        document["as_it_stands"] = [*document.get("as_it_stands", []), column.heading]


def _turned_round(table: Table, column: Column, field: Field, record: Record) -> dict[str, Any]:
    """The translation of a column that says the opposite of its field, or has a status; nothing for another."""
    distinct = _different(table, column)
    if field is out_of_use(record) and (status := status_words(distinct)):
        return {"translate": status}
    if opposite_field(column.heading, record) is not field:
        return {}
    read = {value: read_yes_no(value) for value in distinct}
    return {"translate": {value: "no" if said == "yes" else "yes" for value, said in read.items() if said is not None}}


def _without_column(document: Document, column: Column) -> None:
    """Takes a column out of whatever it feeds."""
    for name, settings in list(document["field"].items()):
        if folded(str(settings.get("column", ""))) == folded(column.heading):
            document["field"].remove(name)


def _as_it_stands(field: str, heading: str, beside: str = "") -> Callable[[Document], None]:
    """Takes a column as it is, whatever its heading says.

    Args:
        beside: the field that had a unit because of it.
    """

    def take(document: Document) -> None:
        for key in ("make", "for"):
            document["field"][field].remove(key)
        document["field"][field].add("column", heading)
        if beside in document["field"]:
            document["field"].remove(beside)
        document["as_it_stands"] = [*document.get("as_it_stands", []), heading]

    return take


def _habits(mapped: Mapped) -> list[tuple[str, Callable[[Document], None]]]:
    """What the sheet seems to have, and how to take it out of the mapping."""
    habits = mapped.habits
    asked = iter(habits.questions())
    habit_settings: list[tuple[str, Callable[[Document], None]]] = []

    def without(field: str, key: str) -> Callable[[Document], None]:
        return lambda document: (
            document["field"][field].remove(key) if key in document["field"].get(field, {}) else None
        )

    def without_top(key: str) -> Callable[[Document], None]:
        return lambda document: document.remove(key) if key in document else None

    def without_field(field: str) -> Callable[[Document], None]:
        return lambda document: document["field"].remove(field) if field in document["field"] else None

    if habits.per is not None:
        habit_settings.append((next(asked), without(habits.per[0], "per")))
    habit_settings += [(next(asked), without(name, "per")) for name in habits.per_number]
    habit_settings += [(next(asked), _as_it_stands(name, heading)) for name, (_, heading) in habits.times.items()]
    for _ in habits.lookups:
        next(asked)  # asked more closely by about_lookup
    if habits.replaced_by is not None:
        habit_settings.append((next(asked), without_top("replaced_by")))
    if habits.day is not None:
        habit_settings.append((next(asked), without_field(habits.day[0])))
    habit_settings += [(next(asked), without_field(name)) for name, *_ in habits.units]
    habit_settings += [
        (next(asked), _as_it_stands(name, each.heading, each.beside)) for name, each in habits.converted.items()
    ]
    return habit_settings


def _about_habit(words: str, undo: Callable[[Document], None]) -> DialogueQuestion:
    words = re.sub(r" \(\w+\)$", "", words)  # the setting that it makes: for those who read the saved file
    return yes_or_no(f"{words[0].upper()}{words[1:]} Enter for yes, n for no", on_no=undo)


def _about_words(mapped: Mapped, document: Document) -> list[DialogueQuestion]:
    """Texts in columns of amounts that are no numbers: do they mean that there is no price?"""
    declared = {form_of(str(each)) for each in document.get("no_price", [])}
    counted = Counter(
        text
        for proposal in mapped.proposals
        if proposal.field.kind == "money"
        for text in as_shown(mapped.table, proposal.column.letter).drop_nulls().str.strip_chars()
        if _is_word(text) and form_of(text) not in declared
    )
    return [
        yes_or_no(
            f"“{word}” is in {count(number, 'cell')} that should hold an amount. Does it mean “no price”? Enter for yes, n for no",
            on_yes=lambda document, word=word: _add_no_price(document, word),  # type: ignore[misc]
        )
        for word, number in counted.most_common(8)
    ]


def _is_word(text: str) -> bool:
    return any(letter.isalpha() for letter in text) and read_number(text, None).trouble == "no-number"


def _add_no_price(document: Document, word: str) -> None:
    if "no_price" not in document:
        import tomlkit

        document.add("no_price", tomlkit.array())
    document["no_price"].append(word)


def about_missing(table: Table, field: Field, names: Callable[[str], ListNames]) -> DialogueQuestion:
    return about_value(
        table,
        field,
        names,
        f"No column has {field.title.lower()}, which a new row requires. Type a value for all rows, the letter of a column like =C, or Enter to leave it open",
        "fixed",
    )


def _about_pieces(mapped: Mapped, document: Document) -> list[DialogueQuestion]:
    """Rows with an amount, and nothing that says for how many it is."""
    questions = []
    for proposal in mapped.proposals:
        heading = document["field"].get(proposal.field.name, {}).get("per")
        column = next(
            (one for one in mapped.table.columns if isinstance(heading, str) and one.heading == heading), None
        )
        if column is None:
            continue
        amounts, says = (
            as_shown(mapped.table, one.letter).fill_null("").str.strip_chars() for one in (proposal.column, column)
        )
        blank = int(((amounts != "") & (says == "")).sum())

        def take(document: Document, said: str, heading: str = column.heading) -> str | None:
            if not said:
                return None
            if not said.isdecimal() or int(said) == 0:
                return "it is a whole number, 1 or more"
            import tomlkit

            for settings in document["field"].values():
                if settings.get("per") == heading:
                    settings["per"] = tomlkit.inline_table()
                    settings["per"].update({"column": heading, "default": int(said)})
            return None

        if blank:
            asked = f"{count(blank, 'row')} {'has' if blank == 1 else 'have'} an amount, but {column_named(column)} is blank. How many pieces is the amount for? A number, or Enter to leave it open"
            questions.append(DialogueQuestion(asked, take, f"Values: {values_shown(mapped.table, column, 25)}"))
        questions += _about_uneven(mapped.record, proposal.field, amounts.to_list(), says.to_list(), column, document)
    return questions


def _about_uneven(
    record: Record, field: Field, amounts: Sequence[str], says: Sequence[str], column: Column, document: Document
) -> list[DialogueQuestion]:
    """Amounts that do not come out for one in the decimals that the field has."""
    if field.decimals is None or "rounding" in document["field"].get(field.name, {}):
        return []
    uneven = []
    for text, said in zip(amounts, says, strict=True):
        amount, (number, _) = read_number(text, None).value, number_said(said, PriceUnit(letter=column.letter))
        if amount is not None and number and round(amount / number, field.decimals) != amount / number:
            uneven.append(f"{text} for {number:f}")

    def round_them(document: Document) -> None:
        for name, settings in document["field"].items():
            per = settings.get("per")
            if (per.get("column") if isinstance(per, dict) else per) == column.heading:
                settings["rounding"] = record.fields[name].decimals

    if not uneven:
        return []
    one = len(uneven) == 1
    asked = f"{count(len(uneven), 'amount')} {'does' if one else 'do'} not come out for one in {count(field.decimals, 'decimal')} ({listed(uneven, 3)}): round {'it' if one else 'them'} there? y for yes, Enter to leave {'it an error' if one else 'them errors'}"
    return [yes_or_no(asked, on_yes=round_them, enter="no")]


def _about_partners(mapped: Mapped, document: Document, names: Callable[[str], ListNames]) -> list[DialogueQuestion]:
    """Fields that belong together with one that the sheet has: a weight without its unit."""
    questions = []
    for group in mapped.record.together:
        fed = [name for name in group if name in document["field"]]
        for name in group if fed else ():
            field = mapped.record.fields[name]
            if name not in fed and name not in mapped.missing and not field.is_kept:
                has = mapped.record.fields[fed[0]].title
                proposed = _said_by_heading(mapped, fed, field, names)
                enter = f"Enter for {proposed}" if proposed else "Enter to leave it open"
                asked = f"{has} needs a {field.title.lower()} beside it, and no column has it. Type a value for all rows, the letter of a column like =C, or {enter}"
                questions.append(about_value(mapped.table, field, names, asked, "fixed", proposed))
    return questions


def _said_by_heading(mapped: Mapped, fed: Sequence[str], field: Field, names: Callable[[str], ListNames]) -> str:
    """The one code in the heading of a partner: KG in “Weight kg”; blank where it is not one."""
    headings = " ".join(each.column.heading for each in mapped.proposals if each.field.name in fed)
    known = names(field.to) if field.to else None
    codes = {code for word in re.findall(r"\w+", headings) if known and (code := known.code_of(word))}
    return codes.pop() if len(codes) == 1 else ""


def _about_blanks(mapped: Mapped, document: Document, names: Callable[[str], ListNames]) -> list[DialogueQuestion]:
    """Fields that new rows need and whose column is blank in some rows."""
    questions = []
    for each in mapped.proposals:
        field, column = each.field, each.column
        if field.must == "may" or field.name in mapped.record.key or "default" in document["field"].get(field.name, {}):
            continue
        blank = int((as_shown(mapped.table, column.letter).fill_null("").str.strip_chars() == "").sum())
        if 0 < blank < mapped.table.rows:
            asked = f"{count(blank, 'row')} {'has' if blank == 1 else 'have'} no {field.title.lower()}. Type a value for {'it' if blank == 1 else 'them'}, or Enter to leave it open"
            questions.append(about_value(mapped.table, field, names, asked, "default"))
    return questions


def _choices_in_words(known: ListNames | None, field: Field) -> str:
    """A further line of a question: what there is to choose from, where that is not much."""
    if known is not None and len(known.codes) <= _FEW:
        return f"\n{listed_codes(known, _FEW)}"
    return f"\nOne of {listed(field.choices)}" if field.choices else ""


def is_choice_of(said: str, field: Field) -> bool:
    """Whether an answer is one of the words of a choice; of another field, any is."""
    return not field.choices or form_of(said) in map(form_of, field.choices)


def _feed_by_letter(document: Document, table: Table, field: Field, letter: str) -> str | None:
    column = next((each for each in table.columns if each.letter == letter), None)
    if column is None:
        return f"there is no column {letter}"
    feed(document, field.name, {"column": column.heading or f"={letter}"})
    return None


def about_value(
    table: Table, field: Field, names: Callable[[str], ListNames], asked: str, key: str, proposed: str = ""
) -> DialogueQuestion:
    known = names(field.to) if field.to else None

    def take(document: Document, said: str) -> str | None:
        said = said or proposed
        if not said:
            return None
        if said.startswith("=") and key == "fixed":
            return _feed_by_letter(document, table, field, said[1:].upper())
        code = known.code_of(said) if known is not None else said if is_choice_of(said, field) else None
        if code is None:
            return not_listed(known, said) if known is not None else f"it is one of {listed(field.choices)}"
        if key != "fixed" and field.name in document["field"]:
            document["field"][field.name].add(key, code)
        else:  # also where its column was given up by an earlier answer: the value is for all rows
            feed(document, field.name, {"fixed": code})
        return None

    return DialogueQuestion(asked + _choices_in_words(known, field), take, "" if known is None else listed_codes(known))


def _about_sheets(mapped: Mapped, document: Document, tables: Sequence[Table]) -> list[DialogueQuestion]:
    """Other sheets that have all headings of the mapping."""
    mine = {folded(each.column.heading) for each in mapped.proposals if each.column.heading}
    alike = [
        each
        for each in tables
        if each is not mapped.table and each.sheet and each.rows and mine <= {folded(c.heading) for c in each.columns}
    ]
    if not alike or "sheet" in document:
        return []

    names = listed([f"“{each.sheet}”" for each in alike], 5)
    has, it = ("has", "it") if len(alike) == 1 else ("have", "them")
    asked = f"Sheet {names} {has} the same columns: read {it} with this mapping, too? Enter for yes, n for no"
    return [yes_or_no(asked, on_no=lambda document: document.add("sheet", mapped.table.sheet))]
