"""What fills the columns of another program's file, as their headings and values show."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.layouts.draft_model import DraftColumn, Drafted, How
from kotrel.core.layouts.sample import Sample, SampleCell
from kotrel.core.layouts.sample_parts import Parts, is_must, length_by, must_by
from kotrel.core.layouts.sample_values import yes_and_no
from kotrel.core.matching.by_headings import headings_of
from kotrel.core.matching.heading_meaning import HeadingSays, said_by
from kotrel.core.matching.opposites import opposite_field
from kotrel.core.matching.proposing import GUESSED, OWN, UNSURE, Proposal
from kotrel.core.phrases import listed
from kotrel.core.similarity import folded

_ACTION = re.compile(r"action|aktion|operation|op|mode|modus|transaction|change|row ?type|record ?type|satzart|kennzeichen", re.IGNORECASE)  # fmt: skip
_ACTIONS = {
    "new": ("n", "new", "i", "ins", "insert", "a", "add", "create", "neu"),
    "changed": ("u", "upd", "update", "c", "chg", "change", "changed", "m", "modify", "edit"),
    "withdrawn": ("d", "del", "delete", "w", "withdraw", "withdrawn", "remove", "l"),
    "same": ("=", "same", "none", "-"),
}


def draft_column(
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
        settings["empty"] = Drafted(True, "supposed", "it is blank in every row")
        return "supposed", "it is blank in every row", 0, ()
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
