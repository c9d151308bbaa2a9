"""What fills the columns of another program's file, as their headings and values show."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.description.list_names import ListNames
from kotrel.core.description.model import Field, Record
from kotrel.core.layouts.draft_model import DraftColumn, Drafted, How, with_setting
from kotrel.core.layouts.sample import CellKind, Sample, SampleCell
from kotrel.core.layouts.sample_parts import Parts
from kotrel.core.layouts.sample_values import yes_and_no
from kotrel.core.matching.by_headings import headings_of
from kotrel.core.matching.heading_meaning import HeadingSays, said_by
from kotrel.core.matching.opposites import opposite_field
from kotrel.core.matching.proposing import GUESSED, OWN, UNSURE, Proposal
from kotrel.core.phrases import listed
from kotrel.core.similarity import folded
from kotrel.core.tables.about_columns import is_must, length_by, must_by
from kotrel.core.values.same_writing import are_same, form_of

_ACTION = re.compile(r"action|aktion|operation|op|mode|modus|transaction|change|row ?type|record ?type|satzart|kennzeichen", re.IGNORECASE)  # fmt: skip
_ACTIONS = {
    "new": ("n", "new", "i", "ins", "insert", "a", "add", "create", "neu"),
    "changed": ("u", "upd", "update", "c", "chg", "change", "changed", "m", "modify", "edit"),
    "withdrawn": ("d", "del", "delete", "w", "withdraw", "withdrawn", "remove", "l"),
    "same": ("=", "same", "none", "-"),
}


class _Seen(Struct, frozen=True):
    """What is known of a column before anybody says what fills it."""

    sample: Sample
    parts: Parts
    rows: Sequence[Sequence[SampleCell]]
    place: int
    proposal: Proposal | None
    record: Record
    names: Callable[[str], ListNames]

    @property
    def heading(self) -> str:
        return "" if self.parts.headings is None else self.sample.lines[self.parts.headings][self.place].text

    @property
    def texts(self) -> list[str]:
        return [line[self.place].text for line in self.rows]

    @property
    def values(self) -> list[str]:
        """The different ones."""
        return list(dict.fromkeys(text for text in self.texts if text))

    @property
    def kinds(self) -> set[CellKind]:
        return {line[self.place].kind for line in self.rows if line[self.place].kind != "blank"}

    def filled(
        self, settings: Mapping[str, Drafted], how: How, why: str, sure: int = 0, unknown: tuple[str, ...] = ()
    ) -> DraftColumn:
        return DraftColumn(self.place, self.heading, settings, how, why, sure, tuple(self.values[:25]), unknown)


def draft_column(
    sample: Sample,
    parts: Parts,
    rows: Sequence[Sequence[SampleCell]],
    index: int,
    proposal: Proposal | None,
    record: Record,
    names: Callable[[str], ListNames],
) -> DraftColumn:
    """A column: what fills it, and what else its cells and headings say."""
    seen = _Seen(sample, parts, rows, index, proposal, record, names)
    column = next(found for find in _SOURCES if (found := find(seen)) is not None)
    about = record.fields.get(column.field or "")
    if (must := _must(sample, parts, index, seen.heading)) is not None:
        if column.how == "supposed" and "empty" in column.settings:
            column = replace(column, settings={}, how="open", why="it must be filled, and nothing feeds it")
        column = with_setting(column, "must", must)
    if about is None:
        return _with_kind(column, seen)
    if not about.is_decimal and (length := _length(seen)) is not None:
        column = with_setting(column, "length", Drafted(length, "seen", ""))
    column = _with_kind(column, seen, about)
    if (says := said_by(seen.heading, about)) is not None:
        why, offer = _as_headed(says, about)
        left = {key: each for key, each in column.settings.items() if key != "field"}
        column = replace(column, settings=left, how="open", why=why, offer=offer)
    return column


def _length(seen: _Seen) -> int | None:
    """The most characters, by the drop-down or the lines about the columns."""
    below = [seen.sample.lines[at][seen.place].text for at in seen.parts.why]
    return seen.sample.lengths.get(seen.place) or next(filter(None, map(length_by, below)), None)


def _with_kind(column: DraftColumn, seen: _Seen, about: Field | None = None) -> DraftColumn:
    """The kind of its cells in a workbook, where it is not the usual one of what fills it."""
    if seen.sample.kind != "workbook" or {"price_of", "stock_in"} & set(column.settings):
        return column
    if about is not None and (about.is_decimal or about.kind == "date"):
        lines = seen.sample.lines[seen.parts.rows :]
        bare = not seen.kinds and bool(lines) and lines[0][seen.place].format == "@"
        if seen.kinds == {"text"} or bare:
            return with_setting(column, "as", Drafted("text", "seen", "its cells are texts"))
    elif seen.kinds == {"number"}:
        return with_setting(column, "as", Drafted("number", "seen", "its cells are numbers"))
    return column


def _as_headed(says: HeadingSays, field: Field) -> tuple[str, str]:
    """What a heading says beside its field's name, and the expression that does it, if there is one."""
    title = field.title.lower()
    if says.what == "per":
        return f"its heading says that it is for {says.value}, and {title} is for one", f"{field.name} * {says.value}"
    if says.what == "cents":
        return f"its heading says that it is in cents, and {title} is not", f"{field.name} * 100"
    if says.what == "times":
        return f"its heading says that its figures are in units of {says.value}", f"{field.name} / {says.value}"
    said = {
        "tax": "includes tax",
        "year": f"is of {says.value}",
        "unit": f"is in {says.value}",
        "percent": "is in per cent",
        "change": "is a change",
        "other": f"is “{says.value}”",
    }[says.what]
    return f"its heading says that it {said}, and Kotrel does not know whether {title} is so", ""


def _unwritable(seen: _Seen) -> DraftColumn | None:
    if "other" not in seen.kinds:
        return None
    return seen.filled({}, "open", "its cells are formulas, or yes/no cells, which a layout does not write")


def _opposite(seen: _Seen) -> DraftColumn | None:
    field = opposite_field(seen.heading, seen.record) if seen.proposal is None else None
    if field is None or (pair := yes_and_no(seen.texts)) is None:
        return None
    why = f"the opposite of {field.title.lower()}"
    words = Drafted({"yes": pair[1], "no": pair[0]}, "supposed", why)
    return seen.filled({"field": Drafted(field.name, "supposed", why), "words": words}, "supposed", why, GUESSED)


def _propose_joined(seen: _Seen) -> DraftColumn | None:
    found = _price_or_stock(seen.heading, seen.record, seen.names)
    if found is None:
        return None
    key, code, why = found
    if seen.proposal is not None and seen.proposal.sure > UNSURE and code not in seen.heading:
        return None
    return seen.filled({key: Drafted(code, "supposed", why)}, "supposed", why, GUESSED)


def _proposed(seen: _Seen) -> DraftColumn | None:
    if seen.proposal is None:
        return None
    about, why = seen.proposal.field, seen.proposal.why
    how: How = "seen" if seen.proposal.sure > UNSURE else "supposed"
    offered = seen.sample.choices.get(seen.place, ())
    words = list(dict.fromkeys([*seen.values, *offered]))
    more, unknown = _words(about, words, seen.names)
    if unknown and len(unknown) == len(words):
        # Our codes would be written where the program has others.
        said = f"its heading means {about.title.lower()}, but none of its words is ours: {listed(unknown, 4)}"
        return replace(seen.filled({}, "open", said, seen.proposal.sure, unknown), meant=about.name)
    return seen.filled({"field": Drafted(about.name, how, why), **more}, how, why, seen.proposal.sure, unknown)


def _draft_of_kept_field(seen: _Seen) -> DraftColumn | None:
    """A field that the system keeps: nobody loads it, but other programs want it."""
    word = folded(seen.heading)
    field = next((each for each in seen.record.fields.values() if each.is_kept and word in headings_of(each)), None)
    if field is None:
        return None
    return seen.filled({"field": Drafted(field.name, "seen", "its heading")}, "seen", "its heading", OWN)


def _action(seen: _Seen) -> DraftColumn | None:
    if not seen.values or not _ACTION.fullmatch(re.sub(r"[^\w ]", "", seen.heading).strip()):
        return None
    known = {act: each for each in seen.values for act, words in _ACTIONS.items() if each.casefold() in words}
    # C alone may stand for create as well as for change.
    if len(known) != len(seen.values) or (known.get("changed", "").casefold() == "c" and "new" not in known):
        return None
    why = "its heading, and words for what happens to a row"
    return seen.filled({"action": Drafted(known, "supposed", why)}, "supposed", why)


def _propose_blank(seen: _Seen) -> DraftColumn | None:
    if seen.values:
        return None
    why = "it is blank in every row"
    return seen.filled({"empty": Drafted(True, "supposed", why)}, "supposed", why)


def _same_word(seen: _Seen) -> DraftColumn | None:
    if len(seen.rows) < 2 or len(seen.values) != 1 or "" in seen.texts:
        return None
    word = Drafted(seen.values[0], "supposed", "the same in every row")
    return seen.filled({"fixed": word}, "supposed", f"“{seen.values[0]}” in every row")


def _nothing(seen: _Seen) -> DraftColumn:
    return seen.filled({}, "open", f"no field fits it ({listed(seen.values, 4)})")


_SOURCES: tuple[Callable[[_Seen], DraftColumn | None], ...] = (
    _unwritable, _opposite, _propose_joined, _proposed, _draft_of_kept_field, _action, _propose_blank, _same_word, _nothing,
)  # fmt: skip
"""What may fill a column; the first that fits does."""


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
            if (code := next((each for each in known.code_set if are_same(each, word)), None) or known.code_of(word))
        ]
        if len(set(codes)) == 1:
            return key, codes[0], f"its heading names {of.replace('_', ' ')} {codes[0]}"
    return None


def _must(sample: Sample, parts: Parts, index: int, heading: str) -> Drafted | None:
    if parts.headings is None:
        return None
    if heading.strip().endswith("*") or heading.strip().startswith("*"):
        return Drafted(True, "seen", "a star")
    for at in parts.why:
        texts = [cell.text.strip() for cell in sample.lines[at]]
        if is_must(texts):
            letters = not any(len(each) > 1 for each in texts)
            return Drafted(True, "seen", "") if must_by(texts[index], letters) else None
    line = sample.lines[parts.headings]
    bold = [cell.bold for cell in line if cell.kind != "blank"]
    if any(bold) and not all(bold) and line[index].bold:
        return Drafted(True, "supposed", "a bold heading, where others are not")
    return None


def _words(
    about: Field, values: Sequence[str], names: Callable[[str], ListNames]
) -> tuple[dict[str, Drafted], tuple[str, ...]]:
    """The program's words for choices and codes, as settings; and those that nobody knows."""
    if about.kind == "choice":
        by_word = {form_of(each): each for each in about.choices}
        return _paired(values, set(about.choices), lambda value: by_word.get(form_of(value)))
    if about.to is None or not values:
        return {}, ()
    known = names(about.to)
    own = {name for name in known.names.values() if name}
    if not all(value in known.code_set for value in values) and all(value in own for value in values):
        return {"name": Drafted(True, "supposed" if len(values) == 1 else "seen", "names, not codes")}, ()
    return _paired(values, known.code_set, known.code_of)


def _paired(
    values: Sequence[str], ours: Collection[str], meant: Callable[[str], str | None]
) -> tuple[dict[str, Drafted], tuple[str, ...]]:
    """Our code → their word, where it is another; a code has one word, and a word that is a code is that code."""
    words: dict[str, str] = {}
    unknown: list[str] = []
    for value in values:
        if value in ours:
            continue
        code = meant(value)
        if code is None or code in words or code in values:
            unknown.append(value)
        else:
            words[code] = value
    return ({"words": Drafted(words, "supposed", "their spelling")} if words else {}), tuple(unknown)
