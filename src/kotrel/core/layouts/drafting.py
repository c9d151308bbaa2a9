"""Drafts a layout from another program's own file: what was seen in it, and what is only supposed, told apart."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, Literal

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.layouts.sample import Sample, SampleCell
from kotrel.core.layouts.sample_parts import Parts, is_must, length_by, must_by
from kotrel.core.layouts.wording import strftime_of
from kotrel.core.matching.by_headings import headings_of
from kotrel.core.matching.heading_meaning import HeadingSays, said_by
from kotrel.core.matching.opposites import opposite_field
from kotrel.core.matching.proposing import GUESSED, OWN, UNSURE, Proposal
from kotrel.core.phrases import count, listed
from kotrel.core.similarity import folded
from kotrel.core.tables.table import index_of
from kotrel.core.values.yes_no import read_yes_no

How = Literal["seen", "supposed", "open"]

_DATES = (
    "YYYY-MM-DD", "DD.MM.YYYY", "DD/MM/YYYY", "MM/DD/YYYY", "YYYYMMDD", "DD-MM-YYYY", "MM-DD-YYYY", "YYYY/MM/DD", "YYYY.MM.DD",
    "DDMMYYYY", "MMDDYYYY", "DD.MM.YY", "DD/MM/YY", "MM/DD/YY", "DD-MM-YY", "YYMMDD", "DDMMYY",
)  # fmt: skip
_OTHER_WORD = {
    "j": "N", "ja": "Nein", "y": "N", "yes": "No", "1": "0", "true": "false", "t": "F", "o": "N", "oui": "Non", "s": "N", "wahr": "falsch",
    "x": "", "✓": "",
}  # fmt: skip
"""The word for no beside a word for yes, where the file shows only one of them."""
_ACTION = re.compile(r"action|aktion|operation|op|mode|modus|transaction|change|row ?type|record ?type|satzart|kennzeichen", re.IGNORECASE)  # fmt: skip
_ACTIONS = {
    "new": ("n", "new", "i", "ins", "insert", "a", "add", "create", "neu"),
    "changed": ("u", "upd", "update", "c", "chg", "change", "changed", "m", "modify", "edit"),
    "withdrawn": ("d", "del", "delete", "w", "withdraw", "withdrawn", "remove", "l"),
    "same": ("=", "same", "none", "-"),
}


@dataclass(frozen=True)
class Drafted:
    """A setting, and how it is known."""

    value: Any
    how: How
    why: str


@dataclass(frozen=True)
class DraftColumn:
    """A column of the file.

    Attributes:
        place: from 0.
        settings: those of the column, without its heading; an open column has no source among them.
        how, why: how what feeds it is known.
        sure: in per cent, of a field that was proposed.
        values: a few different ones, as the file has them.
        unknown: values that have no equal here.
        offer: an expression that does what the heading says, for a person to take.
    """

    place: int
    heading: str
    settings: Mapping[str, Drafted]
    how: How
    why: str
    sure: int = 0
    values: tuple[str, ...] = ()
    unknown: tuple[str, ...] = ()
    offer: str = ""

    @property
    def field(self) -> str | None:
        about = self.settings.get("field")
        return None if about is None else str(about.value)


@dataclass(frozen=True)
class Draft:
    """A layout, as far as the file says it.

    Attributes:
        settings: those at the top.
        open: what nobody can read from the file, in words.
    """

    record: Record
    sample: Sample
    parts: Parts
    settings: Mapping[str, Drafted]
    columns: tuple[DraftColumn, ...]
    dates: tuple[str, ...] = ()
    open: tuple[str, ...] = field(default=())

    @property
    def rows(self) -> tuple[tuple[SampleCell, ...], ...]:
        """The rows of the file."""
        return tuple(line for line in self.sample.lines[self.parts.rows :] if any(cell.text for cell in line))


def draft(
    sample: Sample,
    parts: Parts,
    record: Record,
    proposals: Sequence[Proposal],
    names: Callable[[str], ListNames],
    template: str = "",
    book: str = "",
) -> Draft:
    """Drafts a layout.

    Args:
        proposals: which column has which field.
        names: record → its codes and names.
        template: where the workbook lies, from the workspace.
        book: what all sheets of the workbook are written as.
    """
    by_place = {index_of(each.column.letter): each for each in proposals}
    rows = [line for line in sample.lines[parts.rows :] if any(cell.text for cell in line)]
    columns = [_column(sample, parts, rows, place, by_place.get(place), record, names) for place in range(sample.width)]
    settings = _form(sample, parts, template, book)
    columns, dates = _with_dates(sample, columns, rows, record, settings)
    columns = _with_numbers(sample, columns, rows, record, settings)
    columns = _with_yes_no(columns, rows, record, settings)
    questions = [
        f"Column {each.heading.strip() or each.place + 1!s}: {each.why}" for each in columns if each.how == "open"
    ]
    if len(dates) > 1:
        questions.append(f"Dates can be read in two ways: {' or '.join(dates)}")
    return Draft(record, sample, parts, settings, tuple(columns), tuple(dates), tuple(questions))


def _form(sample: Sample, parts: Parts, template: str, book: str) -> dict[str, Drafted]:
    """How the file is written, apart from its values."""
    said: dict[str, Drafted] = {}
    if sample.kind == "workbook":
        said["format"] = Drafted("workbook", "seen", "")
        said["sheet"] = Drafted(sample.sheet, "seen", "")
        said["template"] = Drafted(template, "seen", "a copy of it is filled")
        if book:
            said["book"] = Drafted(book, "supposed", "layouts of its other sheets go into the same file")
    else:
        words = {"\t": "tab", ",": "comma", ";": "semicolon", "|": "bar"}
        ends = {"\r\n": "windows", "\n": "unix", "\r": "mac"}
        ending = sample.path.suffix.lstrip(".").lower()
        said["separator"] = Drafted(words.get(sample.separator, sample.separator), "seen", "")
        said["encoding"] = _known(sample, "encoding", sample.encoding, "no letter shows which")
        said["line_end"] = Drafted(ends[sample.line_end], "seen", "")
        said["quotes"] = _known(sample, "quotes", sample.quotes, "no value has quotes")
        if ending and re.fullmatch(r"\w{1,10}", ending) and ending != "csv":
            said["ending"] = Drafted(ending, "seen", "")
    if parts.headings is None:
        said["headings"] = Drafted(False, "supposed", "the first line has numbers or days")
        return said
    if parts.headings:
        above = [
            [cell.text for cell in line[: sample.counts[at]]] if sample.counts else _texts(line)
            for at, line in enumerate(sample.lines[: parts.headings])
        ]
        said["lines_above"] = Drafted(above, "seen", "")
    if parts.rows > parts.headings + 1:
        below = [_texts(line) for line in sample.lines[parts.headings + 1 : parts.rows]]
        said["heading_lines"] = Drafted(below, "supposed", "; ".join(dict.fromkeys(parts.why.values())))
    return said


def _known(sample: Sample, name: str, value: str, otherwise: str) -> Drafted:
    return Drafted(value, "seen", "") if name in sample.seen else Drafted(value, "supposed", otherwise)


def _texts(line: Sequence[SampleCell]) -> list[str]:
    texts = [cell.text for cell in line]
    while texts and not texts[-1]:
        texts.pop()
    return texts


def _column(
    sample: Sample,
    parts: Parts,
    rows: Sequence[Sequence[SampleCell]],
    place: int,
    proposal: Proposal | None,
    record: Record,
    names: Callable[[str], ListNames],
) -> DraftColumn:
    heading = "" if parts.headings is None else sample.lines[parts.headings][place].text
    values = list(dict.fromkeys(line[place].text for line in rows if line[place].text))
    settings: dict[str, Drafted] = {}
    how, why, sure, unknown = _source(sample, rows, place, proposal, heading, values, record, names, settings)
    if (must := _must(sample, parts, place, heading)) and "empty" not in settings:
        settings["must"] = must
    about = record.fields[proposal.field.name] if proposal is not None else None
    if about is None or not about.is_decimal:
        below = [sample.lines[at][place].text for at in parts.why]
        length = sample.lengths.get(place) or next(filter(None, map(length_by, below)), None)
        if length and "field" in settings:
            settings["length"] = Drafted(length, "seen", "")
    if sample.kind == "workbook" and about is not None and (about.is_decimal or about.kind == "date"):
        kinds = {line[place].kind for line in rows} - {"blank"}
        if kinds == {"text"} or (not kinds and _format(sample, parts, place) == "@"):
            settings["as"] = Drafted("text", "seen", "its cells are texts")
    elif (
        sample.kind == "workbook"
        and not {"price_of", "stock_in"} & set(settings)
        and {line[place].kind for line in rows} - {"blank"} == {"number"}
    ):
        settings["as"] = Drafted("number", "seen", "its cells are numbers")
    if must and how == "supposed" and "empty" in settings:
        del settings["empty"]
        settings["must"] = must
        how, why = "open", "it must be filled, and nothing feeds it"
    offer = ""
    if about is not None and "field" in settings and (says := said_by(heading, about)) is not None:
        del settings["field"]
        how, (why, offer) = "open", _as_headed(says, about)
    return DraftColumn(place, heading, settings, how, why, sure, tuple(values[:25]), unknown, offer)


def _as_headed(says: HeadingSays, field: Field) -> tuple[str, str]:
    """What a heading says beside its field's name, and the expression that does it, if there is one."""
    title = field.title.lower()
    if says.what == "per":
        return f"its heading says that it is for {says.value}, and {title} is for one", f"{field.name} * {says.value}"
    if says.what == "cents":
        return f"its heading says that it is in cents, and {title} is not", f"{field.name} * 100"
    if says.what == "times":
        return f"its heading says that its figures are in units of {says.value}", f"{field.name} / {says.value}"
    said = {"tax": "includes tax", "year": f"is of {says.value}", "unit": f"is in {says.value}"}[says.what]
    return f"its heading says that it {said}, and Kotrel does not know whether {title} is so", ""


def _format(sample: Sample, parts: Parts, place: int) -> str:
    lines = sample.lines[parts.rows :]
    return lines[0][place].format if lines else ""


def _source(
    sample: Sample,
    rows: Sequence[Sequence[SampleCell]],
    place: int,
    proposal: Proposal | None,
    heading: str,
    values: Sequence[str],
    record: Record,
    names: Callable[[str], ListNames],
    settings: dict[str, Drafted],
) -> tuple[How, str, int, tuple[str, ...]]:
    """What fills the column: put into the settings; how and why, how sure, and its unknown values."""
    if any(line[place].kind == "other" for line in rows):
        return "open", "its cells are formulas, or yes/no cells, which a layout does not write", 0, ()
    opposite = opposite_field(heading, record) if proposal is None else None
    if opposite is not None and (pair := yes_and_no([line[place].text for line in rows])) is not None:
        why = f"the opposite of {opposite.title.lower()}"
        settings["field"] = Drafted(opposite.name, "supposed", why)
        settings["words"] = Drafted({"yes": pair[1], "no": pair[0]}, "supposed", why)
        return "supposed", why, GUESSED, ()
    joined = _price_or_stock(heading, record, names)
    if joined is not None and (proposal is None or proposal.sure <= UNSURE or joined[1] in heading):
        key, code, why = joined
        settings[key] = Drafted(code, "supposed", why)
        return "supposed", why, GUESSED, ()
    if proposal is None and (
        kept := next(
            (each for each in record.fields.values() if each.is_kept and folded(heading) in headings_of(each)), None
        )
    ):
        settings["field"] = Drafted(kept.name, "seen", "its heading")
        return "seen", "its heading", OWN, ()
    if proposal is not None:
        about = proposal.field
        how: How = "seen" if proposal.sure > UNSURE else "supposed"
        settings["field"] = Drafted(about.name, how, proposal.why)
        offered = sample.choices.get(place, ())
        unknown = _words(about, list(dict.fromkeys([*values, *offered])), names, settings)
        return how, proposal.why, proposal.sure, unknown
    if _ACTION.fullmatch(re.sub(r"[^\w ]", "", heading).strip()) and values:
        known = {act: each for each in values for act, words in _ACTIONS.items() if each.casefold() in words}
        if len(known) == len(values):
            settings["action"] = Drafted(known, "supposed", "its heading, and words for what happens to a row")
            return "supposed", "its heading, and words for what happens to a row", 0, ()
    if not values:
        settings["empty"] = Drafted(True, "supposed", "nothing stands in it")
        return "supposed", "nothing stands in it", 0, ()
    if len(values) == 1 and len(rows) > 1 and all(line[place].text for line in rows):
        settings["fixed"] = Drafted(values[0], "supposed", "the same in every row")
        return "supposed", f"“{values[0]}” in every row", 0, ()
    return "open", f"no field fits it ({listed(list(values), 4)})", 0, ()


_STOCK = re.compile(
    r"stock|on.?hand|available|bestand|lager|qty|quantity|voorraad|disponible|beholdning", re.IGNORECASE
)
_PRICE = re.compile(r"price|preis|prix|precio|prezzo|prijs|pris|cena", re.IGNORECASE)


def _price_or_stock(heading: str, record: Record, names: Callable[[str], ListNames]) -> tuple[str, str, str] | None:
    """A price of a list or the stock of a warehouse, where the heading of an item's column names one."""
    if record.name != "item":
        return None
    for pattern, key, of in ((_PRICE, "price_of", "price_list"), (_STOCK, "stock_in", "warehouse")):
        left = pattern.sub(" ", heading)
        if left == heading:
            continue
        try:
            known = names(of)
        except KeyError:
            continue
        words = [" ".join(left.split()), *re.findall(r"\w+", left)]
        codes = [
            code
            for word in words
            if (
                code := next((each for each in known.code_set if folded(each) == folded(word)), None)
                or known.code_of(word)
            )
        ]
        if len(set(codes)) == 1:
            return key, codes[0], f"its heading names {of.replace('_', ' ')} {codes[0]}"
    return None


def _must(sample: Sample, parts: Parts, place: int, heading: str) -> Drafted | None:
    if parts.headings is None:
        return None
    if heading.strip().endswith("*") or heading.strip().startswith("*"):
        return Drafted(True, "seen", "a star")
    for at in parts.why:
        texts = [cell.text.strip() for cell in sample.lines[at]]
        if is_must(texts):
            letters = not any(len(each) > 1 for each in texts)
            return Drafted(True, "seen", "") if must_by(texts[place], letters) else None
    line = sample.lines[parts.headings]
    bold = [cell.bold for cell in line if cell.kind != "blank"]
    if any(bold) and not all(bold) and line[place].bold:
        return Drafted(True, "supposed", "a bold heading, where others are not")
    return None


def _words(
    about: Field, values: Sequence[str], names: Callable[[str], ListNames], settings: dict[str, Drafted]
) -> tuple[str, ...]:
    """The program's words for choices and codes; returns those that nobody knows."""
    words: dict[str, str] = {}
    unknown: list[str] = []
    if about.kind == "choice":
        by_word = {folded(each): each for each in about.choices}
        for value in values:
            if value in about.choices:
                continue
            if (choice := by_word.get(folded(value))) is not None and choice not in words:
                words[choice] = value
            else:
                unknown.append(value)
    elif about.to is not None and values:
        known = names(about.to)
        if all(value in known.code_set for value in values):
            return ()
        own = {name for name in known.names.values() if name}
        if all(value in own for value in values):
            settings["name"] = Drafted(True, "supposed" if len(values) == 1 else "seen", "names, not codes")
            return ()
        for value in values:
            if value in known.code_set:
                continue
            code = known.code_of(value)
            if code is not None and code not in words and code not in values:
                words[code] = value
            else:
                unknown.append(value)
    if words:
        settings["words"] = Drafted(words, "supposed", "their spelling")
    return tuple(unknown)


def _texts_of(rows: Sequence[Sequence[SampleCell]], place: int) -> list[str]:
    return [line[place].text.strip() for line in rows if line[place].kind == "text"]


def _with_dates(
    sample: Sample,
    columns: Sequence[DraftColumn],
    rows: Sequence[Sequence[SampleCell]],
    record: Record,
    settings: dict[str, Drafted],
) -> tuple[list[DraftColumn], list[str]]:
    """The form of dates: the first that all of them have, and the others that they may have."""
    values = [
        text
        for each in columns
        if each.field and record.fields[each.field].kind == "date"
        for text in _texts_of(rows, each.place)
    ]
    forms = [form for form in _DATES if values and all(_is_in(value, form) for value in values)]
    if forms and (sample.kind == "text" or values):
        why = f"or {' or '.join(forms[1:])}" if len(forms) > 1 else ""
        settings["date"] = Drafted(forms[0], "open" if len(forms) > 1 else "seen", why)
    return list(columns), forms


def _is_in(text: str, form: str) -> bool:
    try:
        return datetime.strptime(text, strftime_of(form)).strftime(strftime_of(form)) == text
    except ValueError:
        return False


_NUMBER = re.compile(r"-?[0-9]+(?:([.,])([0-9]+))?")


def _with_numbers(
    sample: Sample,
    columns: Sequence[DraftColumn],
    rows: Sequence[Sequence[SampleCell]],
    record: Record,
    settings: dict[str, Drafted],
) -> list[DraftColumn]:
    """The decimal mark, and the decimals of each column that always has as many."""
    marks: list[str] = []
    always: dict[int, Drafted] = {}
    loose = False
    for each in columns:
        if not {"price_of", "stock_in"} & set(each.settings) and not (
            each.field and record.fields[each.field].is_decimal
        ):
            continue
        if sample.kind == "workbook" and "as" not in each.settings:
            formats = {line[each.place].format for line in rows if line[each.place].kind == "number"}
            if len(formats) == 1 and (found := re.fullmatch(r"#?,?#*0(?:\.(0+))?", next(iter(formats)))) and found[1]:
                always[each.place] = Drafted(len(found[1]), "seen", "its format")
            elif formats:
                loose = True
            continue
        parts = [_NUMBER.fullmatch(text) for text in _texts_of(rows, each.place)]
        found_marks = [part[1] for part in parts if part and part[1]]
        marks += found_marks
        decimals = {len(part[2] or "") for part in parts if part}
        if len(decimals) == 1 and (only := decimals.pop()):
            zeros = any(part[2].endswith("0") for part in parts if part and part[2])
            always[each.place] = Drafted(
                only, "seen" if zeros else "supposed", "" if zeros else "all of them have so many"
            )
        elif parts and not (each.field and record.fields[each.field].decimals == 0):
            loose = True
    if marks:
        mark = max(sorted(set(marks)), key=marks.count)
        several = len(set(marks)) > 1
        settings["decimal_mark"] = Drafted(mark, "supposed" if several else "seen", "most of them" if several else "")
    if always and not loose and len({each.value for each in always.values()}) == 1:
        settings["decimals"] = next(iter(always.values()))
        return list(columns)
    return [_with(each, "decimals", always[each.place]) if each.place in always else each for each in columns]


def _with_yes_no(
    columns: Sequence[DraftColumn],
    rows: Sequence[Sequence[SampleCell]],
    record: Record,
    settings: dict[str, Drafted],
) -> list[DraftColumn]:
    """The words for yes and no: of the layout where all columns have the same, else of each column."""
    found: dict[int, tuple[str, str, How]] = {}
    for each in columns:
        if not each.field or record.fields[each.field].kind != "yes_no" or "words" in each.settings:
            continue
        pair = yes_and_no([line[each.place].text for line in rows])
        if pair is not None:
            found[each.place] = pair
    pairs = {(yes, no) for yes, no, _ in found.values()}
    if len(pairs) == 1:
        (yes, no), how = pairs.pop(), min((each[2] for each in found.values()), key=("seen", "supposed").index)
        why = "" if how == "seen" else "only one of them stands there"
        settings["yes"], settings["no"] = Drafted(yes, how, why), Drafted(no, how, why)
        return list(columns)
    return [
        _with(
            each, "words", Drafted({"yes": found[each.place][0], "no": found[each.place][1]}, found[each.place][2], "")
        )
        if each.place in found
        else each
        for each in columns
    ]


def yes_and_no(texts: Sequence[str]) -> tuple[str, str, How] | None:
    """The words for yes and no in a column, where they are known words."""
    values = list(dict.fromkeys(texts))
    filled = [each for each in values if each]
    said = {read_yes_no(each): each for each in filled}
    if not filled or len(filled) > 2 or None in said or len(said) != len(filled):
        return None
    if len(said) == 2:
        return said["yes"], said["no"], "seen"
    if "yes" in said:
        yes = said["yes"]
        if "" in values:
            return yes, "", "supposed"
        no = _OTHER_WORD.get(yes.casefold())
        return (
            None
            if no is None
            else (yes, no.lower() if yes.islower() else no.upper() if yes.isupper() else no, "supposed")
        )
    no = said["no"]
    pairs = {"n": "Y", "0": "1", "no": "yes", "false": "true", "f": "T", "nein": "ja", "non": "oui"}
    yes = pairs.get(no.casefold(), "")
    return (
        (yes.lower() if no.islower() else yes.upper() if no.isupper() else yes.capitalize(), no, "supposed")
        if yes
        else None
    )


def _with(column: DraftColumn, key: str, setting: Drafted) -> DraftColumn:
    return replace(column, settings={**column.settings, key: setting})


def in_short(draft: Draft) -> str:
    """What was found, in a line."""
    rows = count(len(draft.rows), "row")
    fed = sum(each.field is not None for each in draft.columns)
    return f"{count(len(draft.columns), 'column')}, {fed} of them fed by a field; {rows} to prove it with"
