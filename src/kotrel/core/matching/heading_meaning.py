"""What a heading says beside its name: that amounts are for a hundred, in cents, with tax, in grams, or of another
year.

A heading is part of what its column says: a column is never taken as it stands where its heading says otherwise.
"""

from __future__ import annotations

import re
from typing import Literal

from msgspec import Struct

from kotrel.core.description.model import Field
from kotrel.core.languages.all_languages import words_of
from kotrel.core.matching.quantity_breaks import break_field, break_said
from kotrel.core.rows.findings import FindingGroup
from kotrel.core.rows.rows import Rows
from kotrel.core.values.month_names import plain_letters

_NUMBER = r"(?P<number>1[ .,']?000(?:[ .,']?0*)|[1-9][0-9]{1,4})"
_PER = re.compile(rf"(?:\b(?:per|pro|par|pour|je|por|pr|za|na|för)\b|/|à)\.?\s*{_NUMBER}(?![0-9])", re.IGNORECASE)
_FORM = r"dec|dez|déc|deč|dig|char|car|stell|nachk|zeich|ziff|chif|cijf|siff|cif|plac|znak|zec|day|tag|jour|month|mon|mois|week|woch|year|jahr"
"""How words begin that say how an amount is written, or of what time it is."""
_PACK = re.compile(
    rf"[\[(]\s*(?:(?P<number>[1-9][0-9]{{0,4}})\s+(?!{_FORM})[^\W\d_][\w.]*|(?P<bare>10{{1,4}}))\s*[\])]", re.IGNORECASE
)
"""For how many, without a word for it: “Cost (100 pcs)”, but not “Cost (2 decimals)”."""
_DOZEN_WORDS = r"doz(?:en|\.)?|dtz|dutzend|douzaine|dozijn|docena|dozzina|dussin|tucet"
_DOZENS = re.compile(rf"(?:[\[(,]\s*(?:in\s+)?|\bin\s+)(?:{_DOZEN_WORDS})s?\.?\s*[\])]?\s*$", re.IGNORECASE)
_DOZEN = re.compile(
    rf"\b(?:per|pro|par|je|por|a|la|il|/)\s*(?:(?P<dozen>{_DOZEN_WORDS})"
    r"|(?P<gross>gross|gros)|(?P<hundred>hundred|hundert|cent|honderd|ciento|cento)|(?P<thousand>thousand|tausend|mille|duizend|mil|tusen))\b",
    re.IGNORECASE,
)
_TIMES = re.compile(
    r"[\[(]\s*[x×*]\s*(?P<number>1[ .,']?0{2,6})\s*[\])]|[\[(,]\s*(?:in\s+)?(?P<thousands>thousands|tausend|milliers|tsd\.?|k€|k\$)\s*[\])]?",
    re.IGNORECASE,
)
_CENTS = re.compile(
    r"(?:[\[(,]|\bin)\s*(?:euro\s?)?(?:cents?|cts?|pence|öre|øre|grosz[ey]?|centimes?|centesimi|céntimos)\b\.?\s*[\])]?",
    re.IGNORECASE,
)
_TAX = re.compile(
    r"\b(?:incl?|inkl|including|with|mit|avec|met|con|med|z|com|vč)\b\.?\s*(?:[0-9]+(?:[.,][0-9]+)?\s?%\s*)?(?:of\s+|the\s+|la\s+|l')?(?:vat|taxe?s?|mwst|ust|tva|btw|iva|moms|mva|gst|podatkiem|dph)\b"
    r"|\bttc\b|\bbrutto\b|\bgross\s+price\b|\btax[\s-]?incl",
    re.IGNORECASE,
)
_MEASURES = "mg|g|gr|gramm?|kg|kilo|t|lbs?|oz|mm|cm|dm|m|km|inch|in|ft|ml|cl|l"
"""Units of weights and sizes, as they are written."""
_UNIT = re.compile(
    rf"(?:[\[(,/]|\bin|(?<=\w)\s(?=(?:mg|g|gr|kg|lbs?|oz|mm|cm|dm|m|km|ml|cl)$))\s*(?P<unit>{_MEASURES})\.?\s*[\])]?\s*$",
    re.IGNORECASE,
)
MEASURE = rf"(?i)^(?:{_MEASURES})\.?$"
"""A word that is a unit of weights or sizes, for a column of such words."""
_PERCENT = re.compile(r"(?<![0-9])(?<![0-9] )%")
"""A per cent sign without a number: “Price less 5 %” is a price."""
_CHANGE = re.compile(r"±|[\[(]\s*[-−–+]\s*[\])]|\+\s*/\s*[-−–]|[-−–]\s*/\s*\+|\+\s*[\])]?\s*$")
IN_BRACKETS = re.compile(r"[\[(]([^\[\]()]*)[\])]")
_OTHER = words_of("other")
_WORD = r"[^\W\d_]+"
_YEAR = re.compile(r"(?<![0-9.])(?P<year>(?:19|20)[0-9]{2})(?![0-9.])")
_SAME_UNIT = {"gr": "g", "gram": "g", "gramm": "g", "kilo": "kg", "lbs": "lb", "inch": "in"}


class HeadingSays(Struct, frozen=True):
    """What a heading says of its amounts: ``per`` how many pieces, in ``cents``, how many ``times`` smaller,
    with ``tax``, in a ``unit``, of a ``year``, in ``percent``, that they are a ``change``, or what ``other`` thing they
    are, such as an old price; or ``from`` which quantity on they hold.
    """

    what: Literal["per", "cents", "times", "tax", "unit", "year", "percent", "change", "other", "from"]
    value: str = ""


def said_by(heading: str, field: Field) -> HeadingSays | None:
    """What a heading says beside the name of this field, of what matters for it."""
    # What the description itself calls the field is the field.
    is_own = heading.strip().casefold() in {each.casefold() for each in (field.title, *field.synonyms)}
    if not is_own and (says := _says_another(heading, field)) is not None:
        return says
    if field.is_decimal and not field.is_percentage:
        if match := _TIMES.search(heading):
            return HeadingSays("times", re.sub(r"[^0-9]", "", match["number"] or "") or "1000")
        if _DOZENS.search(heading):
            return HeadingSays("per" if field.kind == "money" else "times", "12")
    if field.kind == "money":
        return _said_of_amounts(heading)
    if field.is_decimal and (match := _UNIT.search(heading)):
        unit = match["unit"].lower()
        return HeadingSays("unit", _SAME_UNIT.get(unit, unit))
    return None


def is_another_thing(heading: str, field: Field) -> bool:
    """Whether a heading with the name of this field says that its figures are per cent of it, changes of it, or another
    thing, such as an old price: such a column does not feed the field.
    """
    says = said_by(heading, field)
    return says is not None and says.what in ("percent", "change", "other")


def _says_another(heading: str, field: Field) -> HeadingSays | None:
    if (word := _other_thing(heading, field)) is not None:
        return HeadingSays("other", word)
    # A number may be a rate or a tolerance; an amount or a quantity is neither.
    if field.kind not in ("money", "quantity"):
        return None
    if _TAX.search(heading) is None and _PERCENT.search(heading):
        return HeadingSays("percent")
    return HeadingSays("change") if _CHANGE.search(heading) and break_said(heading) is None else None


def _other_thing(heading: str, field: Field) -> str | None:
    """The word in the brackets of a heading that makes it another thing than the field; “(max. 80)” is none."""
    own = {plain_letters(word) for text in (field.title, *field.synonyms) for word in re.findall(_WORD, text)}
    for inside in IN_BRACKETS.findall(heading):
        words = [] if re.search("[0-9]", inside) else re.findall(_WORD, inside)
        for word in words:
            if plain_letters(word) in _OTHER - own:
                return str(word)
    return None


def _said_of_amounts(heading: str) -> HeadingSays | None:
    if (from_ := break_said(heading)) is not None:
        return HeadingSays("from", from_.quantity)
    if match := _PER.search(heading):
        return HeadingSays("per", re.sub(r"[^0-9]", "", match["number"]))
    if (match := _PACK.search(heading)) and (number := match["number"] or match["bare"]) != "1":
        return HeadingSays("per", number)
    if match := _DOZEN.search(heading):
        number = {"dozen": "12", "gross": "144", "hundred": "100", "thousand": "1000"}
        return HeadingSays("per", next(value for name, value in number.items() if match[name]))
    if _CENTS.search(heading):
        return HeadingSays("cents", "100")
    if _TAX.search(heading):
        return HeadingSays("tax")
    if match := _YEAR.search(heading):
        return HeadingSays("year", match["year"])
    return None


def times_in_heading(number: str, heading: str) -> str:
    """The expression that makes figures in units of a number what they mean."""
    return f"number([{' '.join(heading.split())}]) * {number}"


def about_what_headings_say(rows: Rows, this_year: int) -> list[FindingGroup]:
    """An error for each column whose heading says something that is not done."""
    findings = []
    for name, letter in rows.letters.items():
        source, field = rows.sources.get(name), rows.record.fields[name]
        heading = rows.heading(name)
        if letter in rows.as_they_stand or source is None or not source.is_plain or field.is_kept:
            continue
        says = said_by(heading, field)
        if says is None or (says.what in ("per", "cents", "times") and source.per is not None):
            continue
        if says.what == "from" and (breaks := break_field(rows.record)) is not None and breaks.name in rows.sources:
            continue
        if (words := _trouble(rows, field, says, this_year)) is None:
            continue
        message = f'column {letter} “{heading}” {words}; to use the column as it is, name it in the mapping: as_it_stands = ["{heading}"]'
        findings.append(rows.sheet_finding("error", "heading-says", "what a heading says", message, letter, heading))
    return findings


def _trouble(rows: Rows, field: Field, says: HeadingSays, this_year: int) -> str | None:
    title = field.title.lower()
    if says.what == "per":
        return f"says that its amounts are for {says.value}, but {title} is for one: set per = {says.value} in the mapping (kotrel map asks)"
    if says.what == "from":
        then = f"{title} holds for any quantity: name it under skip in the mapping"
        if (breaks := break_field(rows.record)) is not None:
            name = breaks.title.lower()
            then = f"no column says the {name}: give the rows one, in the sheet or in the mapping (kotrel map asks)"
        return f"says that its amounts hold from {says.value} on, and {then}"
    if says.what == "cents":
        return f"says that its amounts are in cents: set per = 100 for {title} in the mapping (kotrel map asks)"
    if says.what == "times":
        make = times_in_heading(says.value, rows.heading(field.name))
        return f'says that its figures are in units of {says.value}: calculate them in the mapping, such as make = "{make}"'
    if says.what == "other":
        return f"says “{says.value}”, so it may be another thing than {title}"
    if says.what in ("percent", "change"):
        what = "per cent" if says.what == "percent" else "changes, up or down"
        return f"says that its figures are {what}, and {title} is not: name it under skip in the mapping, or calculate {title} there (make)"
    if says.what == "tax":
        return "says that its amounts include tax, and Kotrel does not know whether yours do"
    if says.what == "year":
        return None if abs(int(says.value) - this_year) <= 1 else f"says that it is from {says.value}"
    # Units are compared with those of the rows: kotrel.core.checking.units_in_headings.
    return None
