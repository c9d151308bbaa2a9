"""Damage that only a whole column, a whole file or the system's own rows show: sheets of it, with their truth.

The truth is set by what was done to a cell, never by Kotrel's rules: a code that somebody typed is what was typed; a
number cell whose zeros the spreadsheet dropped was the code with its zeros.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field, replace

from benchmarks.damage.classes import ASK, KEEP, MEND
from kotrel.core.values.code_formats import gtin_check_digit

Cell = str | None


@dataclass
class Sheet:
    """One sheet: what stands in it, and what was meant.

    Attributes:
        record: its record.
        there: rows that the system has besides its own, record → rows.
        columns: heading → cells.
        kinds: heading → the kind of each cell; text where nothing is said.
        judged: the field that is judged, and its heading.
        truth: what each cell of it was meant to be.
        damaged: the rows (from 0) whose cell was damaged or is odd.
        wanted: for these; the others are clean.
        as_text: the file is a text file with these lines, read from the disk; None for a workbook.
        new_codes: the codes that the user says are new.
    """

    record: str
    columns: dict[str, list[Cell]]
    judged: tuple[str, str]
    truth: list[Cell]
    damaged: set[int]
    wanted: str
    there: dict[str, list[dict[str, Cell]]] = field(default_factory=dict)
    kinds: dict[str, list[str]] = field(default_factory=dict)
    as_text: list[str] | None = None
    new_codes: tuple[str, ...] = ()


def held(code: str, n: int, **more: Cell) -> dict[str, Cell]:
    """An item that the system has."""
    return {"code": code, "description": f"Held {n}", "unit": "EA", "category": "ROPE", **more}


def items(codes: list[str], *others: tuple[str, list[Cell]]) -> dict[str, list[Cell]]:
    """The columns of an item sheet."""
    count = len(codes)
    return {
        "Item code": list(codes),
        "Description": [f"Thing number {n}" for n in range(count)],
        "Base unit": ["EA"] * count,
        "Category": ["ROPE"] * count,
        **dict(others),
    }


def _distinct(make: Callable[[], str], count: int) -> list[str]:
    found: dict[str, None] = {}
    while len(found) < count:
        found.setdefault(make())
    return list(found)


def _digits(pick: random.Random, width: int) -> str:
    return "".join(pick.choice("0123456789") for _ in range(width))


def _padded(pick: random.Random, width: int, zeros: int) -> str:
    return "0" * zeros + str(pick.randrange(1, 10)) + _digits(pick, width - zeros - 1)


# --- codes ---


def typed_like_numbers(pick: random.Random) -> Sheet:
    """Text cells that a person typed, which as numbers would be codes that exist."""
    there = _distinct(lambda: _padded(pick, 6, 3), 40)
    forms = ("{n}", "{n}.0", "0{c}", "{n}E0", "000{n}E0", "{n}.", "{m}E1")
    typed = []
    for code in there[:20]:
        number = str(int(code))
        form = pick.choice(forms)
        if form == "{m}E1":
            number = number if number.endswith("0") else "x"
        typed.append(form.format(n=number, c=code, m=number[:-1]) if number != "x" else f"{int(code)}.00")
    clean = [f"NEW-{n:03d}" for n in range(10)]
    codes = typed + clean
    return Sheet(
        "item",
        items(codes),
        ("code", "Item code"),
        list(codes),
        set(range(len(typed))),
        KEEP,
        {"item": [held(code, n) for n, code in enumerate(there)]},
    )


def typed_and_named_as_new(pick: random.Random) -> Sheet:
    """The same, where the user even says that they are new."""
    sheet = typed_like_numbers(pick)
    return replace(sheet, new_codes=tuple(str(sheet.truth[n]) for n in sorted(sheet.damaged)))


def zeros_dropped(pick: random.Random) -> Sheet:
    """Number cells of an update whose zeros the spreadsheet dropped; the list has codes of one width."""
    width = pick.choice([5, 6, 7])
    there = _distinct(lambda: _padded(pick, width, pick.choice([1, 2, 3])), 40)
    shown = [str(int(code)) for code in there[:30]]
    return Sheet(
        "item",
        items(shown),
        ("code", "Item code"),
        list(there[:30]),
        set(range(30)),
        MEND,
        {"item": [held(code, n) for n, code in enumerate(there)]},
        {"Item code": ["number"] * 30},
    )


def zeros_dropped_of_two(pick: random.Random) -> Sheet:
    """The same, where the bare number is another item's code: nobody can tell."""
    there = _distinct(lambda: _padded(pick, 6, 4), 20)
    bare = [str(int(code)) for code in there]
    return Sheet(
        "item",
        items(bare),
        ("code", "Item code"),
        list(bare),
        set(range(20)),
        KEEP,
        {"item": [held(code, n) for n, code in enumerate([*there, *bare])]},
        {"Item code": ["number"] * 20},
    )


def zeros_dropped_of_new(pick: random.Random) -> Sheet:
    """New codes: some are texts with their zeros, the others numbers that lost them."""
    true = _distinct(lambda: _padded(pick, 6, 2), 30)
    lost = set(pick.sample(range(30), 12))
    shown = [str(int(code)) if n in lost else code for n, code in enumerate(true)]
    kinds = ["number" if n in lost else "text" for n in range(30)]
    return Sheet("item", items(shown), ("code", "Item code"), list(true), lost, ASK, {}, {"Item code": kinds})


def exponents_of_codes(pick: random.Random) -> Sheet:
    """Codes such as 12E4 that a spreadsheet took for numbers."""
    there = _distinct(lambda: f"{pick.randrange(10, 99)}E{pick.randrange(2, 6)}", 20)
    numbers = [f"{int(code[:2]) * 10 ** int(code[3:])}" for code in there]
    once = [n for n, number in enumerate(numbers) if numbers.count(number) == 1]
    true, shown = [there[n] for n in once], [numbers[n] for n in once]
    return Sheet(
        "item",
        items(shown),
        ("code", "Item code"),
        list(true),
        set(range(len(shown))),
        ASK,
        {"item": [held(code, n) for n, code in enumerate(there)]},
        {"Item code": ["number"] * len(shown)},
    )


def words_like_dates(pick: random.Random) -> Sheet:
    """Text codes such as OCT 19 or 01.01. that a rule could take for another code's date."""
    months = ["JAN", "FEB", "MAR", "APR", "MAY", "JUN", "JUL", "AUG", "SEP", "OCT", "NOV", "DEC"]
    chosen = pick.sample([(m, d) for m in range(12) for d in range(13, 28)], 15)
    there = (
        [f"{months[m]}-{d}" for m, d in chosen]
        + [f"1.{m + 1}" for m, _ in chosen]
        + [f"{m + 1:02d}01" for m, _ in chosen]
    )
    typed = [pick.choice([f"{months[m]} {d}", f"{months[m].title()} {d}", f"{m + 1:02d}.01."]) for m, d in chosen]
    typed = list(dict.fromkeys(typed))
    return Sheet(
        "item",
        items(typed),
        ("code", "Item code"),
        list(typed),
        set(range(len(typed))),
        KEEP,
        {"item": [held(code, n) for n, code in enumerate(dict.fromkeys(there))]},
    )


def date_cells(pick: random.Random) -> Sheet:
    """Date cells whose codes are new, beside codes on the list that would give the same days."""
    true = [f"OCT-{20 + n}" for n in range(10)]
    shown = [f"20{20 + n}-10-01" for n in range(10)]
    there = ["1.10", "10-1", "SET-01"]
    return Sheet(
        "item",
        items(shown),
        ("code", "Item code"),
        list(true),
        set(range(10)),
        ASK,
        {"item": [held(code, n) for n, code in enumerate(there)]},
        {"Item code": ["date"] * 10},
    )


def other_alphabet(pick: random.Random) -> Sheet:
    """New keys in Cyrillic; some have only letters that look Latin."""
    words = ["КАНАТ", "ТРОС", "МЕХ", "ЯКОРЬ", "БЛОК", "СКОБА", "ЦЕПЬ", "КОРМА", "НОС", "ВЕСТ"]
    codes = [f"{word}-{n:03d}" for n, word in enumerate(pick.sample(words, 8))] + ["ЯЩИК-900"]
    return Sheet("item", items(codes), ("code", "Item code"), list(codes), set(range(len(codes))), KEEP)


def footnoted(pick: random.Random) -> Sheet:
    """An update in which some keys carry a footnote."""
    there = _distinct(lambda: f"BKY-{_digits(pick, 5)}", 60)
    marks = ("¹", "²", "†", "‡", "*", " (new)", " NEW", "**", " neu", "³", " *", "#")
    hit = set(pick.sample(range(60), 8))
    shown = [code + pick.choice(marks) if n in hit else code for n, code in enumerate(there)]
    return Sheet(
        "item",
        items(shown),
        ("code", "Item code"),
        list(there),
        hit,
        ASK,
        {"item": [held(code, n) for n, code in enumerate(there)]},
    )


def twice_in_other_forms(pick: random.Random) -> Sheet:
    """New codes, of which each stands twice: in other capitals, with another separator, with a zero or an O."""
    base = _distinct(lambda: f"HA-{pick.choice('BCDFGK')}{_digits(pick, 4)}", 10)
    changes = (
        str.lower,
        lambda code: code.replace("-", " "),
        lambda code: code.replace("-", ""),
        lambda code: code.replace("-", "_"),
    )
    again = [pick.choice(changes)(code) for code in base]
    clean = [f"ZZ-{n:02d}Q" for n in range(1, 6)]
    codes = base + again + clean
    # It is wrong that both come in: a finding at either of a pair will do, so only the second is judged.
    return Sheet("item", items(codes), ("code", "Item code"), [*base, *base, *clean], set(range(10, 20)), ASK)


def made_codes(pick: random.Random) -> Sheet:
    """Vendor's codes of items that exist, written in another form; the item is to be found, or asked about."""
    there = _distinct(lambda: pick.choice(["NW/", "AB-", "K."]) + _padded(pick, 5, 2), 30)
    changes: tuple[Callable[[str], str], ...] = (
        str.lower,
        lambda code: code.replace("/", " ").replace("-", " ").replace(".", " "),
        lambda code: code.replace("/", "-").replace(".", "-"),
        lambda code: code[:2] + "\u00a0" + code[2:],
        lambda code: code.replace("-", "\u2011").replace("/", "\u2044"),
    )
    written = [pick.choice(changes)(code) for code in there]
    hit = {n for n in range(30) if written[n] != there[n]}
    keys = [f"BKY-{n:05d}" for n in range(30)]
    columns = items([""] * 30, ("Vendor", ["KELDRIFT"] * 30), ("Vendor's code", list(written)))
    rows = [
        held(key, n, vendor="KELDRIFT", vendor_code=code) for n, (key, code) in enumerate(zip(keys, there, strict=True))
    ]
    return Sheet("item", columns, ("code", "Item code"), list(keys), hit, MEND, {"item": rows})


# --- barcodes ---


def _gtin(pick: random.Random, start: str, width: int) -> str:
    body = start + _digits(pick, width - len(start) - 1)
    return body + gtin_check_digit(body)


def barcodes_cut(pick: random.Random) -> Sheet:
    """Numbers cut short, of which one in ten fits a check digit; they are not the long number with zeros."""
    true = _distinct(lambda: _gtin(pick, "27", 13), 40)
    hit = set(pick.sample(range(40), 25))
    shown = []
    for n, code in enumerate(true):
        cut = code[: pick.choice([9, 10, 11])]
        # Some fit by chance.
        fits = cut[:-1] + gtin_check_digit(cut[:-1]) if pick.random() < 0.3 else cut
        shown.append(fits if n in hit else code)
    return Sheet(
        "item",
        items([f"BC-{n:03d}" for n in range(40)], ("Barcode", list(shown))),
        ("barcode", "Barcode"),
        list(true),
        hit,
        ASK,
        {},
        {"Barcode": [pick.choice(["text", "number"]) for _ in range(40)]},
    )


def barcodes_of_five_digits(pick: random.Random) -> Sheet:
    """Numbers of a shop's own, shorter than any barcode, whose last digit happens to be right."""
    shown = []
    for _ in range(20):
        body = _digits(pick, 4).replace("0", "1")
        shown.append(body + gtin_check_digit(body))
    true = _distinct(lambda: _gtin(pick, "27", 13), 10)
    return Sheet(
        "item",
        items([f"BC-{n:03d}" for n in range(30)], ("Barcode", [*shown, *true])),
        ("barcode", "Barcode"),
        ["?" + code for code in shown] + list(true),
        set(range(20)),
        ASK,
        {},
        {"Barcode": ["number"] * 20 + ["text"] * 10},
    )


def barcodes_that_lost_zeros(pick: random.Random) -> Sheet:
    """Number cells of barcodes of 12 and 13 digits that began with one zero:
    every one of that length has its check digit.
    """
    true = _distinct(lambda: _gtin(pick, "0" + pick.choice("123456789"), 12), 12)
    return Sheet(
        "item",
        items([f"BC-{n:03d}" for n in range(12)], ("Barcode", [code[1:] for code in true])),
        ("barcode", "Barcode"),
        list(true),
        set(range(12)),
        MEND,
        {},
        {"Barcode": ["number"] * 12},
    )


def barcodes_with_blanks(pick: random.Random) -> Sheet:
    """Blanks of every kind inside barcodes."""
    true = _distinct(lambda: _gtin(pick, "27", 13), 20)
    blanks = [pick.choice(" \u00a0\u2009\u202f\u2007") for _ in true]
    shown = [f"{code[0]}{blank}{code[1:7]}{blank}{code[7:]}" for code, blank in zip(true, blanks, strict=True)]
    return Sheet(
        "item",
        items([f"BC-{n:03d}" for n in range(20)], ("Barcode", list(shown))),
        ("barcode", "Barcode"),
        list(true),
        set(range(20)),
        MEND,
    )


# --- numbers and days ---


def _amounts(
    pick: random.Random,
    heading: str,
    cells: list[Cell],
    kinds: list[str],
    truth: list[Cell],
    hit: set[int],
    wanted: str,
) -> Sheet:
    name = "weight" if heading == "Weight" else "cost"
    more = [("Weight unit", ["KG"] * len(cells))] if name == "weight" else []
    return Sheet(
        "item",
        items([f"AM-{n:03d}" for n in range(len(cells))], (heading, list(cells)), *more),
        (name, heading),
        truth,
        hit,
        wanted,
        {},
        {heading: kinds},
    )


def one_comma(pick: random.Random) -> Sheet:
    """Number cells of ordinary size, one text with a comma, and texts with three digits behind a point,
    which are decimals.
    """
    numbers: list[Cell] = [f"{pick.randrange(10, 250) / 10}" for _ in range(20)]
    texts = [f"{pick.randrange(1, 40)}.{pick.randrange(101, 999)}" for _ in range(3)]
    cells = [*numbers, "0,5", *texts]
    return _amounts(
        pick,
        pick.choice(["Weight", "Cost"]),
        cells,
        ["number"] * 20 + ["text"] * 4,
        [*numbers, "0.5", *texts],
        {21, 22, 23},
        ASK,
    )


def exponents_beside_commas(pick: random.Random) -> Sheet:
    """Texts in exponent form, with a point, in a column with decimal commas."""
    plain = [f"{pick.randrange(1, 99)},{pick.randrange(10, 99)}" for _ in range(12)]
    odd = [
        f"{pick.randrange(1, 9)}.{pick.randrange(101, 999)}E{pick.choice(['-1', '+1', '-2', '+0'])}" for _ in range(4)
    ]
    true: list[Cell] = [text.replace(",", ".") for text in plain] + [f"{float(text):.6f}" for text in odd]
    return _amounts(pick, "Cost", [*plain, *odd], ["text"] * 16, true, {12, 13, 14, 15}, ASK)


def money_as_weight(pick: random.Random) -> Sheet:
    """Amounts of money and percentages where a weight belongs."""
    odd = ["$ 5", "5 kr", "€ 5", "5 Fr.", "50 %", "£7", "12%", "CHF 3"]
    plain: list[Cell] = [f"{pick.randrange(1, 99)}.5" for _ in range(8)]
    pick.shuffle(odd)
    return _amounts(
        pick, "Weight", [*plain, *odd], ["text"] * 16, [*plain, *("?" for _ in odd)], set(range(8, 16)), ASK
    )


def year_first_pairs(pick: random.Random) -> Sheet:
    """A column of days with the day first and four digits for the year, and some written year first with two."""
    days = [(pick.randrange(1, 29), pick.randrange(1, 13), pick.randrange(2027, 2031)) for _ in range(15)]
    mark = pick.choice("-/.")
    hit = set(range(11, 15))
    shown: list[Cell] = [
        f"{y % 100:02d}{mark}{m:02d}{mark}{d:02d}" if n in hit else f"{d:02d}/{m:02d}/{y}"
        for n, (d, m, y) in enumerate(days)
    ]
    true: list[Cell] = [f"{y}-{m:02d}-{d:02d}" for d, m, y in days]
    return Sheet(
        "lot",
        {"Item": ["PNT-00001"] * 15, "Lot": [f"VM-{n:03d}" for n in range(15)], "Expires on": shown},
        ("expires_on", "Expires on"),
        true,
        hit,
        ASK,
        {"item": [held("PNT-00001", 1, lot_tracked="yes")]},
    )


# --- texts ---


def quoted_umlauts(pick: random.Random) -> Sheet:
    """Sound texts in which a letter stands before a closing quote or a dash."""
    forms = (
        'Ring "Ä“ {n} mm',
        "Typ „Ö“ {n}",
        "Gasket “Å” {n}",
        "Form ‚Ü‘ {n}",
        "Größe Ä–Z {n}",
        "Modell „É” {n}",
        "Serie Ç— {n}",
    )
    texts: list[Cell] = [pick.choice(forms).format(n=n) for n in range(12)]
    columns = items([f"TX-{n:03d}" for n in range(12)]) | {"Description": texts}
    return Sheet("item", columns, ("description", "Description"), list(texts), set(range(12)), KEEP)


def inch_marks(pick: random.Random) -> Sheet:
    """A text file in which values in quotes have inch marks in them."""
    mark = pick.choice(['\\"', '"'])
    separator = pick.choice([",", ";", "\t"])
    hit = set(range(30)) if pick.random() < 0.4 else {n + k for n in pick.sample(range(28), 4) for k in (0, 1)}
    names = [f'Tin {pick.randrange(2, 30)}" round {n}' if n in hit else f"Tin {n}" for n in range(30)]
    lines = [separator.join(["Item code", "Description", "Base unit", "Category", "Note"])]
    for n, name in enumerate(names):
        cell = '"' + name.replace('"', mark) + '"' if n in hit else name
        lines.append(separator.join([f"QIN-{n:05d}", cell, "EA", "ROPE", f"r{n:04d}"]))
    return Sheet("item", {}, ("description", "Description"), list(names), hit, MEND, as_text=lines)


def blanks_in_quotes(pick: random.Random) -> Sheet:
    """A text file of an update in which every blank is written as nothing in quotes."""
    there = [held(f"QB-{n:03d}", n, vendor_code=f"V{n}") for n in range(20)]
    lines = ["Item code,Description,Vendor's code,Cost", *(f'QB-{n:03d},"New words {n}","",""' for n in range(20))]
    return Sheet(
        "item", {}, ("vendor_code", "Vendor's code"), [None] * 20, set(range(20)), KEEP, {"item": there}, as_text=lines
    )


SHEETS: tuple[Callable[[random.Random], Sheet], ...] = (
    typed_like_numbers, typed_and_named_as_new, zeros_dropped, zeros_dropped_of_two, zeros_dropped_of_new, exponents_of_codes,
    words_like_dates, date_cells, other_alphabet, footnoted, twice_in_other_forms, made_codes,
    barcodes_cut, barcodes_of_five_digits, barcodes_that_lost_zeros, barcodes_with_blanks,
    one_comma, exponents_beside_commas, money_as_weight, year_first_pairs,
    quoted_umlauts, inch_marks, blanks_in_quotes,
)  # fmt: skip
