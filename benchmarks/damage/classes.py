"""The ways in which cells are damaged, and what must become of each.

A damage turns the true text of a cell into what the sheet shows. ``MEND`` means that the true value can be proved
and must come out; ``ASK`` that it cannot, so that the cell must have a finding or come out right, but never wrong in
silence; ``KEEP`` that the text is sound, however odd it looks.
"""

from __future__ import annotations

import random
import unicodedata
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date

MEND, ASK, KEEP = "mend", "ask", "keep"
Make = Callable[[str, random.Random], "str | None"]
"""The true text → the damaged one, or None where this damage does not apply."""


@dataclass(frozen=True)
class Damage:
    """One class of damage.

    Attributes:
        fields: those it happens to.
        whole: the whole column is written so, not only some cells.
        kind: the kind of the damaged cells in a workbook.
        alone: no other column of amounts is in the sheet, to prove its decimal mark.
    """

    name: str
    fields: tuple[str, ...]
    wanted: str
    make: Make
    whole: bool = False
    kind: str = "text"
    alone: bool = False


WIDE = str.maketrans({chr(n): chr(n + 0xFEE0) for n in range(0x21, 0x7F)})
ARABIC = str.maketrans("0123456789", "٠١٢٣٤٥٦٧٨٩")
CYRILLIC = str.maketrans("ABEKMHOPCTXaeopcx", "АВЕКМНОРСТХаеорсх")
KEYS, REFERENCES, MONEY = ("code",), ("category", "vendor", "unit", "tax_class"), ("cost", "price")
CODES = (*KEYS, *REFERENCES)
MONTHS = {
    "english": "January February March April May June July August September October November December",
    "german": "Januar Februar März April Mai Juni Juli August September Oktober November Dezember",
    "french": "janvier février mars avril mai juin juillet août septembre octobre novembre décembre",
    "spanish": "enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre",
    "italian": "gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre",
    "dutch": "januari februari maart april mei juni juli augustus september oktober november december",
    "polish": "stycznia lutego marca kwietnia maja czerwca lipca sierpnia września października listopada grudnia",
    "swedish": "januari februari mars april maj juni juli augusti september oktober november december",
}
YES = {
    "yes": "ja Ja YES oui sí si sì true x ✓ wahr vero verdadero waar tak ｙｅｓ",
    "no": "nein No non no falso faux nee nie falsch onwaar nej",
}


def _at(text: str, spot: int, put: str) -> str:
    return text[:spot] + put + text[spot:]


def _inside(put: str) -> Make:
    return lambda text, pick: _at(text, pick.randrange(1, len(text)), put) if len(text) > 3 else None


def _swap(old: str, new: str) -> Make:
    return lambda text, pick: text.replace(old, new, 1) if old in text else None


def _changed(change: Callable[[str], str]) -> Make:
    def make(text: str, pick: random.Random) -> str | None:
        done = change(text)
        return done if done != text else None

    return make


def _decimal(form: str) -> Make:
    """An amount written by a pattern: ``{whole}``, ``{grouped}`` (with ``{sep}``) and ``{cents}``."""

    def make(text: str, pick: random.Random) -> str | None:
        whole, _, cents = text.partition(".")
        if not cents or "-" in text:
            return None
        return form.format(
            whole=whole,
            cents=cents,
            text=text,
            dot=f"{int(whole):,}".replace(",", "."),
            space=f"{int(whole):,}".replace(",", " "),
            apostrophe=f"{int(whole):,}".replace(",", "’"),
            comma=f"{int(whole):,}",
        )

    return make


def _apart(mark: str) -> Make:
    """Digits with a mark where no thousands are."""
    return lambda text, pick: _at(text, 2, mark) if "." in text and text.index(".") in (4, 5) else None


def _date(form: Callable[[date, random.Random], str | None]) -> Make:
    return lambda text, pick: form(date.fromisoformat(text), pick)


def _named(day: date, pick: random.Random) -> str:
    names = MONTHS[pick.choice(list(MONTHS))].split()
    return f"{day.day} {names[day.month - 1]} {day.year}"


def _garbled(times: int) -> Make:
    def make(text: str, pick: random.Random) -> str | None:
        done = text
        try:
            for _ in range(times):
                done = done.encode("utf-8").decode("cp1252")
        except UnicodeError:
            return None
        return done if done != text else None

    return make


def _said(text: str, pick: random.Random) -> str:
    return pick.choice(YES[text].split())


def _ordinal(day: date) -> str:
    return f"{day.day}{'th' if 10 < day.day < 20 else {1: 'st', 2: 'nd', 3: 'rd'}.get(day.day % 10, 'th')}"


def _turned(text: str, pick: random.Random) -> str | None:
    """One digit of a barcode mistyped, so that its check digit is wrong."""
    spot = pick.randrange(len(text) - 1)
    return text[:spot] + str((int(text[spot]) + pick.randrange(1, 9)) % 10) + text[spot + 1 :]


DAMAGES = (
    # --- codes ---
    Damage("blanks around", CODES, MEND, lambda text, pick: f"{pick.choice([' ', chr(0xA0), chr(9), '  '])}{text}{pick.choice(['', ' ', chr(0x200B)])}"),
    Damage("invisible inside", CODES, MEND, lambda text, pick: _inside(pick.choice("\u200b\u00ad\u2060\ufeff"))(text, pick)),
    Damage("other dash", CODES, MEND, lambda text, pick: _swap("-", pick.choice("‐‑–—−"))(text, pick)),
    Damage("full width", CODES, MEND, _changed(lambda text: text.translate(WIDE))),
    Damage("look-alike letters", CODES, MEND, _changed(lambda text: text.translate(CYRILLIC))),
    Damage("small letters", REFERENCES, MEND, _changed(str.lower)),
    Damage("small letters in a key", KEYS, ASK, _changed(str.lower)),
    Damage("quoted", CODES, MEND, lambda text, pick: pick.choice(['"{}"', "'{}'", "“{}”", "‘{}’"]).format(text)),
    Damage("line break inside", KEYS, ASK, _inside("\n")),
    Damage("blank for dash", KEYS, ASK, _swap("-", " ")),
    Damage("dash doubled", KEYS, ASK, _swap("-", "--")),
    Damage("dash missing", KEYS, ASK, _swap("-", "")),
    Damage("other separator", KEYS, ASK, lambda text, pick: _swap("-", pick.choice("_/."))(text, pick)),
    Damage("O for zero", KEYS, ASK, _swap("0", "O")),
    Damage("I for one", KEYS, ASK, _swap("1", "I")),
    Damage("zeros lost", KEYS, ASK, _swap("-0", "-")),
    Damage("exponent", ("barcode",), ASK, lambda text, pick: f"{text[0]}.{text[1:6]}E+12"),
    Damage("garbled code", CODES, ASK, _swap("-", "â€“")),
    Damage("character lost", CODES, ASK, _swap("-", "\ufffd")),
    # --- names for codes ---
    Damage("name for code", REFERENCES, MEND, lambda text, pick: NAMES.get(text)),
    Damage("name in capitals", REFERENCES, MEND, lambda text, pick: NAMES[text].upper() if text in NAMES else None),
    Damage("code and name", REFERENCES, MEND, lambda text, pick: pick.choice(["{} – {}", "{} - {}", "{}: {}", "{} ({})"]).format(text, NAMES[text]) if text in NAMES else None),
    Damage("name and code", REFERENCES, MEND, lambda text, pick: f"{NAMES[text]} ({text})" if text in NAMES else None),
    Damage("unknown code", REFERENCES, ASK, lambda text, pick: text + "-X"),
    # --- amounts ---
    Damage("sign before", MONEY, MEND, _decimal("€ {text}")),
    Damage("sign behind", MONEY, MEND, _decimal("{text} €")),
    Damage("code of the currency", MONEY, MEND, _decimal("EUR {text}")),
    Damage("comma throughout", MONEY, MEND, _decimal("{whole},{cents}"), whole=True),
    Damage("points and comma throughout", MONEY, MEND, _decimal("{dot},{cents}"), whole=True),
    Damage("blanks and comma throughout", MONEY, MEND, _decimal("{space},{cents} €"), whole=True),
    Damage("apostrophes throughout", MONEY, MEND, _decimal("{apostrophe}.{cents}"), whole=True),
    Damage("full width amount", MONEY, MEND, _changed(lambda text: text.translate(WIDE))),
    Damage("arabic digits", MONEY, MEND, _changed(lambda text: text.translate(ARABIC))),
    Damage("cyrillic O in amount", MONEY, MEND, _swap("0", "О")),
    Damage("letter O in amount", MONEY, MEND, _swap("0", "O")),
    Damage("letter l in amount", MONEY, MEND, _swap("1", "l")),
    Damage("no-break blanks in amount", MONEY, MEND, _decimal("\u00a0{text}\u00a0")),
    Damage("dollars", MONEY, ASK, _decimal("$ {text}")),
    Damage("francs", MONEY, ASK, _decimal("CHF {text}")),
    Damage("two amounts", MONEY, ASK, _decimal("{text} / {whole}.00")),
    Damage("about", MONEY, ASK, _decimal("ca. {text}")),
    Damage("blank amid digits", MONEY, ASK, _apart(" ")),
    Damage("apostrophe amid digits", MONEY, ASK, _apart("'")),
    Damage("line break amid digits", MONEY, ASK, _apart("\n")),
    Damage("comma in one cell", MONEY, ASK, _decimal("{whole},{cents}")),
    Damage("thousands or decimals", MONEY, ASK, lambda text, pick: f"1,{int(text.partition('.')[0]) % 900 + 100}", whole=True, alone=True),
    Damage("per cent", MONEY, ASK, _decimal("{text} %")),
    # --- days ---
    Damage("day first throughout", ("expires_on",), MEND, _date(lambda day, pick: f"{day:%d.%m.%Y}"), whole=True),
    Damage("month first throughout", ("expires_on",), MEND, _date(lambda day, pick: f"{day:%m/%d/%Y}"), whole=True),
    Damage("month named", ("expires_on",), MEND, _date(_named)),
    Damage("month in three letters", ("expires_on",), MEND, _date(lambda day, pick: f"{day:%d-%b-%Y}")),
    Damage("american words", ("expires_on",), MEND, _date(lambda day, pick: f"{day:%B} {day.day}, {day.year}")),
    Damage("ordinal", ("expires_on",), MEND, _date(lambda day, pick: f"{_ordinal(day)} {day:%B} {day.year}")),
    Damage("weekday", ("expires_on",), MEND, _date(lambda day, pick: f"{day:%a} {day.day} {day:%B} {day.year}")),
    Damage("compact", ("expires_on",), MEND, _date(lambda day, pick: f"{day:%Y%m%d}")),
    Damage("with midnight", ("expires_on",), MEND, _date(lambda day, pick: f"{day.isoformat()}T00:00:00")),
    Damage("with a time", ("expires_on",), MEND, _date(lambda day, pick: f"{day.isoformat()} 10:30:00")),
    Damage("full width day", ("expires_on",), MEND, _changed(lambda text: text.translate(WIDE))),
    Damage("month only", ("expires_on",), ASK, _date(lambda day, pick: f"{day:%B %Y}")),
    Damage("both orders", ("expires_on",), ASK, _date(lambda day, pick: f"{day:%d/%m/%Y}" if pick.random() < 0.5 else f"{day:%m/%d/%Y}"), whole=True),
    Damage("three pairs of digits", ("expires_on",), ASK, _date(lambda day, pick: f"{day:%y-%m-%d}")),
    Damage("day number", ("expires_on",), ASK, _date(lambda day, pick: str((day - date(1899, 12, 30)).days)), kind="number"),
    Damage("no such day", ("expires_on",), ASK, _date(lambda day, pick: f"31.02.{day.year}")),
    # --- words ---
    Damage("yes and no in words", ("lot_tracked",), MEND, _said),
    Damage("maybe", ("lot_tracked",), ASK, lambda text, pick: pick.choice(["maybe", "?", "2", "yes/no"])),
    Damage("choice in capitals", ("condition",), MEND, _changed(str.upper)),
    Damage("choice full width", ("condition",), MEND, _changed(lambda text: text.translate(WIDE))),
    Damage("choice look-alike", ("condition",), MEND, _changed(lambda text: text.translate(CYRILLIC))),
    # --- barcodes ---
    Damage("blanks in barcode", ("barcode",), MEND, lambda text, pick: f"{text[0]} {text[1:7]} {text[7:]}"),
    Damage("dashes in barcode", ("barcode",), MEND, lambda text, pick: f"{text[:3]}-{text[3:12]}-{text[12:]}"),
    Damage("barcode with .0", ("barcode",), MEND, lambda text, pick: f"{text}.0"),
    Damage("full width barcode", ("barcode",), MEND, _changed(lambda text: text.translate(WIDE))),
    Damage("arabic barcode", ("barcode",), MEND, _changed(lambda text: text.translate(ARABIC))),
    Damage("digit mistyped", ("barcode",), ASK, _turned),
    Damage("digit missing", ("barcode",), ASK, lambda text, pick: text[:-2] + text[-1] if text[-2] != "0" else None),
    # --- texts ---
    Damage("garbled", ("description",), MEND, _garbled(1)),
    Damage("garbled twice", ("description",), MEND, _garbled(2)),
    Damage("letters of two parts", ("description",), MEND, _changed(lambda text: unicodedata.normalize("NFD", text))),
    Damage("letters lost", ("description",), ASK, _changed(lambda text: text.encode("ascii", "replace").decode().replace("?", "\ufffd"))),
    Damage("odd but sound", ("description",), KEEP, lambda text, pick: pick.choice(["Pipe Ø½ brass", "ROSÉ®", "Fuß™", "Cable 2.5 mm²", "Ÿ‘ mark", "Ångström’s 50 µ", "Crème “brûlée” €5", "Bolt ±½°", "naïve – façade", "Œuvre №5"])),
    Damage("error by name", ("description", "cost", "category"), ASK, lambda text, pick: pick.choice(["#N/A", "#REF!", "#VALUE!"])),
)  # fmt: skip

NAMES: dict[str, str] = {}
"""Code on a list → its name; filled in by the trial, and only where the name means one code."""
