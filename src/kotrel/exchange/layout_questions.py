"""What ``kotrel layout`` asks: what feeds a column, the words of the other program,
and dates that can be read in two ways.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.layouts.draft_model import Draft, DraftColumn, Drafted
from kotrel.core.layouts.layout import SOURCES
from kotrel.core.layouts.sample_values import yes_and_no
from kotrel.core.matching.opposites import opposite_field
from kotrel.core.phrases import listed
from kotrel.core.similarity import folded, nearest
from kotrel.core.tables.table import letter_of
from kotrel.core.values.same_writing import are_same
from kotrel.core.values.yes_no import read_yes_no
from kotrel.exchange.layout_draft import LaidDown, open_columns
from kotrel.loading.sheets_in.map_questions import SURE
from kotrel.loading.sheets_in.mapping_answers import field_named
from kotrel.screen.dialogue import DialogueQuestion, Document

_WAYS = (
    "A field’s name; not and a field’s name where yes and no are the other way round; = and a word for the same word in every row; "
    "make and an expression; price of LIST; stock in WAREHOUSE; action new=N changed=U withdrawn=D; upload for the upload’s name; - for empty"
)


def _waiting(draft: Draft, setting: str, among: Collection[int]) -> list[DraftColumn]:
    return [each for each in draft.columns if each.waits_for == setting and each.place in among]


def _is_as_saved(column: DraftColumn, saved: Sequence[Any]) -> bool:
    return column.place < len(saved) and column.heading == saved[column.place].get("heading", "")


def layout_questions(laid: LaidDown, document: Document, names: Callable[[str], ListNames]) -> list[DialogueQuestion]:
    """All of them, in the order of the file; of a layout that was there before, only about what it leaves open."""
    draft, record = laid.draft, laid.draft.record
    saved = document["column"]
    # A layout that was there before may have other columns than this file.
    still = {each.place for each in draft.columns if _is_as_saved(each, saved)} & set(open_columns(document))
    asked: list[DialogueQuestion] = []
    for setting, ways in (("date", draft.dates), ("decimal_mark", (".", ","))):
        if columns := _waiting(draft, setting, still):
            asked.append(_about_reading(setting, ways, columns))
            still.difference_update(each.place for each in columns)
    for key in ("decimal_mark", "yes") if laid.fresh else ():
        if _is_supposed(key, draft.settings):
            asked.append(_about_supposed(key, draft.settings))
    for column in draft.columns:
        if column.place in still and column.meant and column.unknown:
            asked += [_about_word(column, record.fields[column.meant], word, names) for word in column.unknown]
        elif column.place in still:
            asked.append(_about_source(column, None, record))
        elif laid.fresh and column.how != "open":
            asked += _about_known(column, record, names)
    return asked


def _about_known(column: DraftColumn, record: Record, names: Callable[[str], ListNames]) -> list[DialogueQuestion]:
    """About a column of which something is only supposed."""
    about = None if column.field is None else record.fields[column.field]
    if {"price_of", "stock_in"} & set(column.settings):
        return [_about_joined(column, record)]
    if "fixed" in column.settings:
        return [_about_fixed(column, record)]
    if "action" in column.settings:
        return [_about_action(column, record)]
    if about is None:
        return []
    asked = [_about_source(column, about, record)] if column.sure < SURE else []
    return asked + [_about_word(column, about, word, names) for word in column.unknown]


def _column_title(column: DraftColumn) -> str:
    return f"Column {letter_of(column.place)}" + (f" “{' '.join(column.heading.split())}”" if column.heading else "")


def _values(column: DraftColumn, most: int = 5) -> str:
    return (
        "; ".join(column.values[:most]) + (" …" if len(column.values) > most else "") if column.values else "no values"
    )


def _asked_of(column: DraftColumn, proposed: Field | None, record: Record) -> str:
    if proposed is not None:
        turned = "the opposite of " if opposite_field(column.heading, record) is proposed else ""
        return f"is it {turned}{proposed.title.lower()}? Enter for yes, or what else feeds it (? shows how)"
    if column.offer or column.why.startswith("its heading"):
        said = f"Enter for {column.offer}, or" if column.offer else "Type"
        return f"{column.why}. {said} the field’s name to use it as it is (? shows more)"
    said = "Enter leaves it empty" if "must" not in column.settings else "It must be filled"
    return f"what feeds it? A field’s name, = and a fixed word (? shows more). {said}"


def _about_source(column: DraftColumn, proposed: Field | None, record: Record) -> DialogueQuestion:
    asked = f"{_column_title(column)} ({_values(column)}): {_asked_of(column, proposed, record)}"

    def take(document: Document, said: str) -> str | None:
        if proposed is not None and (said == "" or (read_yes_no(said) == "yes" and said not in ("x", "-"))):
            return None
        table = document["column"][column.place]
        if not said and column.offer:
            _put_setting(table, "make", column.offer)
            return None
        if not said and column.why.startswith("its heading"):
            return "nothing shows how it is meant: type the field’s name, make and an expression, or - for empty"
        if said in ("", "-"):
            if "must" in table:
                return "this column must be filled: name a field, or = and a word"
            _put_setting(table, "empty", True)
            return None
        return _feed(table, said, column, record)

    fields = ", ".join(each.title for each in record.fields.values())
    return DialogueQuestion(asked, take, f"Values: {_values(column, 25)}\nAnswers: {_WAYS}\nFields: {fields}")


def _put_setting(table: Any, key: str, value: Any) -> None:
    import tomlkit

    for each in (*SOURCES, "words", "name"):
        if each in table:
            table.remove(each)
    for at, (_, item) in enumerate(table.value.body):
        if isinstance(item, tomlkit.items.Comment) and item.as_string().strip().startswith("# open:"):
            table.value.body[at] = (None, tomlkit.items.Null())
    table[key] = value


def _feed_action(table: Any, said: str) -> str | None:
    import tomlkit

    actions: dict[str, str] = dict(re.findall(r"(new|changed|same|withdrawn)\s*=\s*(\S+)", said))
    if not actions:
        return "say the program’s words, like action new=N changed=U"
    words = tomlkit.inline_table()
    words.update(actions)
    _put_setting(table, "action", words)
    return None


def _feed(table: Any, said: str, column: DraftColumn, record: Record) -> str | None:
    """Puts what feeds a column into it; returns what is wrong with the answer, or None."""
    if said.startswith("="):
        _put_setting(table, "fixed", said[1:].strip())
        return None
    for words, key in (("make ", "make"), ("price of ", "price_of"), ("stock in ", "stock_in")):
        if said.casefold().startswith(words):
            _put_setting(table, key, said[len(words) :].strip())
            return None
    if said.casefold() == "upload":
        _put_setting(table, "reference", True)
        return None
    if said.casefold().startswith("action"):
        return _feed_action(table, said)
    opposite = re.fullmatch(r"not\s+(.+)", said, re.IGNORECASE)
    field = field_named(record, opposite[1] if opposite else said) or record.fields.get(said)
    if field is None:
        close = nearest(said, [each.title for each in record.fields.values()])
        return f"{record.title} has no field “{said}”" + (f"; did you mean {close}?" if close else "; ? shows more")
    _put_setting(table, "field", field.name)
    if field.kind == "yes_no":
        return _put_yes_and_no(table, column, bool(opposite) or opposite_field(column.heading, record) is field)
    return f"{field.title} is not a matter of yes and no" if opposite else None


def _put_yes_and_no(table: Any, column: DraftColumn, turned: bool) -> str | None:
    """Puts the program's words for yes and no into the column; ``turned``: its yes is our no."""
    import tomlkit

    pair = yes_and_no(column.values)
    if pair is None:
        return None if not turned else "say their words for yes and no in the layout: words = { yes = …, no = … }"
    both = tomlkit.inline_table()
    both.update(dict(zip(("no", "yes") if turned else ("yes", "no"), pair[:2], strict=True)))
    table["words"] = both
    return None


def _about_joined(column: DraftColumn, record: Record) -> DialogueQuestion:
    source = next(column.settings[key] for key in ("price_of", "stock_in") if key in column.settings)
    what = "the price in force on list" if "price_of" in column.settings else "what is on hand in warehouse"
    return _about_proposal(column, record, f"is it {what} {source.value}?")


def _about_action(column: DraftColumn, record: Record) -> DialogueQuestion:
    known: dict[str, str] = column.settings["action"].value
    said = listed([f"{act} is {word}" for act, word in known.items()])
    asked = (
        f"{_column_title(column)} says what happens to a row: {said}. Enter if that is all, or their other words, "
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

    return DialogueQuestion(asked, take, f"Answers: {_WAYS}")


def _about_fixed(column: DraftColumn, record: Record) -> DialogueQuestion:
    return _about_proposal(column, record, f"has “{column.values[0]}” in every row: is it the same word always?")


def _about_proposal(column: DraftColumn, record: Record, words: str) -> DialogueQuestion:
    asked = f"{_column_title(column)} {words} Enter for yes, or what feeds it (? shows how)"

    def take(document: Document, said: str) -> str | None:
        if said == "" or folded(said) in ("yes", "y"):
            return None
        table = document["column"][column.place]
        if said == "-":
            _put_setting(table, "empty", True)
            return None
        return _feed(table, said, column, record)

    return DialogueQuestion(asked, take, f"Answers: {_WAYS}")


def _about_word(column: DraftColumn, about: Field, word: str, names: Callable[[str], ListNames]) -> DialogueQuestion:
    known = names(about.to) if about.to is not None else None
    codes = list(about.choices) if known is None else sorted(known.code_set)
    close = nearest(word, codes)
    offered = f" ({listed([close], 1)}?)" if close else ""
    asked = f"{_column_title(column)}: “{word}” is none of ours{offered}. Which of ours do they call so? A code, or Enter to leave it out"

    def take(document: Document, said: str) -> str | None:
        if not said:
            return None
        code = next((each for each in codes if are_same(each, said)), None)
        if code is None and known is not None:
            code = known.code_of(said)
        if code is None:
            near = nearest(said, codes)
            return f"“{said}” is none of ours" + (f"; did you mean {near}?" if near else "; ? lists them")
        table = document["column"][column.place]
        if "field" not in table:
            _put_setting(table, "field", about.name)
        _add_word(table, code, word)
        return None

    return DialogueQuestion(asked, take, f"Ours: {listed(codes, 60)}")


def _add_word(table: Any, ours: str, theirs: str) -> None:
    import tomlkit

    words = tomlkit.inline_table()
    words.update({**dict(table.get("words", {})), ours: theirs})
    table["words"] = words


def _is_supposed(key: str, settings: Mapping[str, Drafted]) -> bool:
    return key in settings and settings[key].how == "supposed"


def _about_supposed(key: str, settings: Mapping[str, Drafted]) -> DialogueQuestion:
    """About the decimal mark, or the words for yes and no, that the file does not show."""
    if key == "decimal_mark":
        own = settings[key].value
        asked = f"How do they write decimals ({settings[key].why})? . or ,; Enter for {own}"
    else:
        own = f"{settings['yes'].value}/{settings['no'].value}"
        asked = f"Their words for yes and no ({settings[key].why})? Two words with / between them; Enter for {own}"

    def take(document: Document, said: str) -> str | None:
        if not said:
            return None
        if key == "decimal_mark":
            if said not in (".", ","):
                return "type . or ,"
            document[key] = said
            return None
        yes, slash, no = (part.strip() for part in said.partition("/"))
        if not slash or yes == no:
            return "two different words with / between them, like J/N"
        document["yes"], document["no"] = yes, no
        return None

    return DialogueQuestion(asked, take)


def _about_reading(setting: str, ways: Sequence[str], columns: Sequence[DraftColumn]) -> DialogueQuestion:
    """Days or numbers that can be read in two ways: their columns are open until it is said."""
    rows = "\n".join(f"{place}  {way}" for place, way in enumerate(ways, 1))
    what = "which form do their days have" if setting == "date" else "which is their decimal mark"
    called = "; ".join(f"{_column_title(each)} ({_values(each, 3)})" for each in columns)

    def take(document: Document, said: str) -> str | None:
        if not said:
            return "nothing shows which one is right: type its number"
        way = ways[int(said) - 1] if said.isdecimal() and 1 <= int(said) <= len(ways) else said.upper()
        if way not in ways:
            return f"type a number from 1 to {len(ways)}"
        document[setting] = way
        for each in columns:
            table = document["column"][each.place]
            _put_setting(table, "field", each.meant)
            if setting == "decimal_mark" and all(way in value for value in each.values):
                table["decimals"] = 3  # numbers that may be read in two ways have three
        return None

    return DialogueQuestion(f"{called}: {what}?\n{rows}", take)
