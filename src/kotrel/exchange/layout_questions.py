"""What ``kotrel layout`` asks: what feeds a column, the words of the other program, and dates that can be read in two ways."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from typing import Any

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.layouts.draft_model import DraftColumn
from kotrel.core.layouts.layout import SOURCES
from kotrel.core.layouts.sample_values import yes_and_no
from kotrel.core.matching.opposites import opposite_field
from kotrel.core.phrases import listed
from kotrel.core.similarity import folded, nearest
from kotrel.core.tables.table import letter_of
from kotrel.core.values.yes_no import read_yes_no
from kotrel.exchange.layout_draft import LaidDown, open_columns
from kotrel.loading.sheets_in.map_questions import SURE, field_named
from kotrel.screen.dialogue import Document, Question

_WAYS = (
    "A field’s name; not and a field’s name where yes and no are the other way round; = and a word for the same word in every row; "
    "make and an expression; price of LIST; stock in WAREHOUSE; action new=N changed=U withdrawn=D; upload for the upload’s name; - for empty"
)


def layout_questions(laid: LaidDown, document: Document, names: Callable[[str], ListNames]) -> list[Question]:
    """All of them, in the order of the file; of a layout that was there before, only about what it leaves open."""
    draft, record = laid.draft, laid.draft.record
    asked: list[Question] = []
    if laid.fresh and len(draft.dates) > 1:
        asked.append(_about_dates(draft.dates))
    still = set(open_columns(document))
    for column in draft.columns:
        if column.place >= len(document["column"]):
            continue
        about = None if column.field is None else record.fields[column.field]
        if column.place in still:
            asked.append(_about_source(column, None, record))
        elif laid.fresh and ({"price_of", "stock_in"} & set(column.settings)):
            asked.append(_about_joined(column, record))
        elif laid.fresh and about is not None and column.sure < SURE:
            asked.append(_about_source(column, about, record))
        elif laid.fresh and "fixed" in column.settings:
            asked.append(_about_fixed(column, record))
        if laid.fresh and "action" in column.settings:
            asked.append(_about_action(column, record))
        if laid.fresh and about is not None:
            asked += [_about_word(column, about, word, names) for word in column.unknown]
            if about.kind == "yes_no" and not ({"yes"} & set(draft.settings)) and "words" not in column.settings:
                asked.append(_about_yes_no(column))
    return asked


def _called(column: DraftColumn) -> str:
    return f"Column {letter_of(column.place)}" + (f" “{' '.join(column.heading.split())}”" if column.heading else "")


def _values(column: DraftColumn, most: int = 5) -> str:
    return (
        "; ".join(column.values[:most]) + (" …" if len(column.values) > most else "") if column.values else "no values"
    )


def _about_source(column: DraftColumn, proposed: Field | None, record: Record) -> Question:
    if proposed is not None:
        turned = "the opposite of " if opposite_field(column.heading, record) is proposed else ""
        asked = f"{_called(column)} ({_values(column)}): is it {turned}{proposed.title.lower()}? Enter for yes, or what else feeds it (? shows how)"
    elif column.offer or column.why.startswith("its heading"):
        said = f"Enter for {column.offer}, or" if column.offer else "Type"
        asked = f"{_called(column)} ({_values(column)}): {column.why}. {said} the field’s name to use it as it is (? shows more)"
    else:
        said = "Enter leaves it empty" if "must" not in column.settings else "It must be filled"
        asked = f"{_called(column)} ({_values(column)}): what feeds it? A field’s name, = and a fixed word (? shows more). {said}"

    def take(document: Document, said: str) -> str | None:
        if proposed is not None and (said == "" or (read_yes_no(said) == "yes" and said not in ("x", "-"))):
            return None
        table = document["column"][column.place]
        if not said and column.offer:
            _put(table, "make", column.offer)
            return None
        if not said and column.why.startswith("its heading"):
            return "nothing shows how it is meant: type the field’s name, make and an expression, or - for empty"
        if said in ("", "-"):
            if "must" in table:
                return "this column must be filled: name a field, or = and a word"
            _put(table, "empty", True)
            return None
        return _feed(table, said, column, record)

    fields = ", ".join(each.title for each in record.fields.values())
    return Question(asked, take, f"Values: {_values(column, 25)}\nAnswers: {_WAYS}\nFields: {fields}")


def _put(table: Any, key: str, value: Any) -> None:
    import tomlkit

    for each in (*SOURCES, "words", "name"):
        if each in table:
            table.remove(each)
    for at, (_, item) in enumerate(table.value.body):
        if isinstance(item, tomlkit.items.Comment) and item.as_string().strip().startswith("# open:"):
            table.value.body[at] = (None, tomlkit.items.Null())
    table[key] = value


def _feed(table: Any, said: str, column: DraftColumn, record: Record) -> str | None:
    """Puts what feeds a column into it; returns what is wrong with the answer, or None."""
    import tomlkit

    if said.startswith("="):
        _put(table, "fixed", said[1:].strip())
        return None
    for words, key in (("make ", "make"), ("price of ", "price_of"), ("stock in ", "stock_in")):
        if said.casefold().startswith(words):
            _put(table, key, said[len(words) :].strip())
            return None
    if said.casefold() == "upload":
        _put(table, "reference", True)
        return None
    if said.casefold().startswith("action"):
        actions: dict[str, str] = dict(re.findall(r"(new|changed|same|withdrawn)\s*=\s*(\S+)", said))
        if not actions:
            return "say the program’s words, like action new=N changed=U"
        table_of = tomlkit.inline_table()
        table_of.update(actions)
        _put(table, "action", table_of)
        return None
    opposite = re.fullmatch(r"not\s+(.+)", said, re.IGNORECASE)
    field = field_named(record, opposite[1] if opposite else said) or record.fields.get(said)
    if field is None:
        close = nearest(said, [each.title for each in record.fields.values()])
        return f"{record.title} has no field “{said}”" + (f"; did you mean {close}?" if close else "; ? shows more")
    _put(table, "field", field.name)
    turned = bool(opposite) or opposite_field(column.heading, record) is field
    if field.kind == "yes_no":
        pair = yes_and_no(column.values)
        if pair is None:
            return None if not turned else "say their words for yes and no in the layout: words = { yes = …, no = … }"
        both = tomlkit.inline_table()
        both.update(dict(zip(("no", "yes") if turned else ("yes", "no"), pair[:2], strict=True)))
        table["words"] = both
    elif opposite:
        return f"{field.title} is not a matter of yes and no"
    return None


def _about_joined(column: DraftColumn, record: Record) -> Question:
    source = next(column.settings[key] for key in ("price_of", "stock_in") if key in column.settings)
    what = "the price in force on list" if "price_of" in column.settings else "what is on hand in warehouse"
    return _about_proposal(column, record, f"is it {what} {source.value}?")


def _about_action(column: DraftColumn, record: Record) -> Question:
    known: dict[str, str] = column.settings["action"].value
    said = listed([f"{act} is {word}" for act, word in known.items()])
    asked = (
        f"{_called(column)} says what happens to a row: {said}. Enter if that is all, or their other words, "
        "like changed=U withdrawn=D (withdrawn takes new rows back), or what feeds it (? shows how)"
    )

    def take(document: Document, said: str) -> str | None:
        if not said:
            return None
        table = document["column"][column.place]
        if "=" not in said or said.startswith("="):
            return _feed(table, said, column, record)
        return _feed(
            table, " ".join(["action", *(f"{act}={word}" for act, word in known.items()), said]), column, record
        )

    return Question(asked, take, f"Answers: {_WAYS}")


def _about_fixed(column: DraftColumn, record: Record) -> Question:
    return _about_proposal(column, record, f"has “{column.values[0]}” in every row: is it the same word always?")


def _about_proposal(column: DraftColumn, record: Record, words: str) -> Question:
    asked = f"{_called(column)} {words} Enter for yes, or what feeds it (? shows how)"

    def take(document: Document, said: str) -> str | None:
        if said == "" or folded(said) in ("yes", "y"):
            return None
        table = document["column"][column.place]
        if said == "-":
            _put(table, "empty", True)
            return None
        return _feed(table, said, column, record)

    return Question(asked, take, f"Answers: {_WAYS}")


def _about_word(column: DraftColumn, about: Field, word: str, names: Callable[[str], ListNames]) -> Question:
    known = names(about.to) if about.to is not None else None
    codes = list(about.choices) if known is None else sorted(known.code_set)
    close = nearest(word, codes)
    offered = f" ({listed([close], 1)}?)" if close else ""
    asked = f"{_called(column)}: “{word}” is none of ours{offered}. Which of ours do they call so? A code, or Enter to leave it out"

    def take(document: Document, said: str) -> str | None:
        if not said:
            return None
        code = next((each for each in codes if folded(each) == folded(said)), None)
        if code is None and known is not None:
            code = known.code_of(said)
        if code is None:
            near = nearest(said, codes)
            return f"“{said}” is none of ours" + (f"; did you mean {near}?" if near else "; ? lists them")
        table = document["column"][column.place]
        _add_word(table, code, word)
        return None

    return Question(asked, take, f"Ours: {listed(codes, 60)}")


def _add_word(table: Any, ours: str, theirs: str) -> None:
    import tomlkit

    words = tomlkit.inline_table()
    words.update({**dict(table.get("words", {})), ours: theirs})
    table["words"] = words


def _about_yes_no(column: DraftColumn) -> Question:
    asked = f"{_called(column)} ({_values(column)}): their words for yes and no? Like J/N, or Enter for yes/no"

    def take(document: Document, said: str) -> str | None:
        if not said:
            return None
        yes, slash, no = said.partition("/")
        if not slash or not yes.strip():
            return "two words with / between them, like J/N"
        table = document["column"][column.place]
        _add_word(table, "yes", yes.strip())
        _add_word(table, "no", no.strip())
        return None

    return Question(asked, take)


def _about_dates(forms: tuple[str, ...]) -> Question:
    rows = "\n".join(f"{place}  {form}" for place, form in enumerate(forms, 1))

    def take(document: Document, said: str, forms: tuple[str, ...]) -> str | None:
        if not said:
            return "nothing shows which one is right: type its number"
        form = forms[int(said) - 1] if said.isdecimal() and 1 <= int(said) <= len(forms) else said.upper()
        if form not in forms:
            return f"a number from 1 to {len(forms)}"
        document["date"] = form
        return None

    return Question(f"Their dates can be read in two ways. Which one is it?\n{rows}", partial(take, forms=forms))
