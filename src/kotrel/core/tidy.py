"""Text as it stands in a column → canonical text of its field's kind, with repairs told and doubts left as findings.

Whole columns are looked at first; only values that are not plain already are read one by one, each distinct value once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

import polars as pl

from kotrel.core import dates, numbers
from kotrel.core.conventions import Conventions
from kotrel.core.description import Field
from kotrel.core.findings import Severity, cells_of
from kotrel.core.nearness import folded, nearest
from kotrel.core.words import read_yes_no

_STRAY = r"^[\s\u{200b}\u{feff}]|[\s\u{200b}\u{feff}]$"
_CLEAN = r"^[!-~](?:[ -~]*[!-~])?$"
"""Plain ASCII without blanks at its ends: one quick look settles most columns."""
_STRAY_CHARS = " \t\r\n\u00a0\u2007\u202f\u200b\ufeff\u2009\u3000"
FEW = 500
"""A column with at most this many distinct values among its first rows is looked at by its distinct values."""


@dataclass
class Trouble:
    """Cells of one column that could not be read, all for one reason; ``rows`` are sheet rows."""

    severity: Severity
    kind: str
    title: str
    cells: pl.DataFrame


@dataclass
class Mend:
    """Cells of one column that were mended in one way; ``cells`` has row, before, after and proof."""

    kind: str
    title: str
    cells: pl.DataFrame


@dataclass
class Tidied:
    """A column after tidying: canonical values (what could not be read stands as it was), troubles and mends."""

    values: pl.Series
    troubles: list[Trouble] = field(default_factory=list)
    mends: list[Mend] = field(default_factory=list)


@dataclass(frozen=True)
class Setting:
    """What tidying has to know besides the column itself.

    Attributes:
        sheet_mark: the decimal mark that the other number columns of the sheet prove, or None.
        today: for years of two digits.
    """

    conventions: Conventions
    today: date
    sheet_mark: numbers.Mark | None = None


GUARDED = r"^'[=+\-@\t]"
"""A text that was kept from becoming a formula, as Kotrel writes it into text files."""


def unguard(values: pl.Series) -> pl.Series:
    """Takes away the mark that keeps a text such as ``=1+1`` from becoming a formula."""
    if not bool(values.str.starts_with("'").any()):
        return values
    guarded = values.str.contains(GUARDED).fill_null(False)
    return pl.select(pl.when(guarded).then(values.str.slice(1)).otherwise(values)).to_series().alias(values.name)


def is_few(values: pl.Series) -> bool:
    """True where a column seems to repeat a few values."""
    return values.head(2_000).n_unique() <= FEW


def clean_ends(rows: pl.Series, values: pl.Series, told: bool) -> Tidied:
    """Takes away blanks, no-break and zero-width spaces at both ends; a cell of blanks alone is blank.

    Args:
        rows: sheet rows, for the mends.
        told: whether to tell of it (blanks at the ends of numbers and yes/no mean nothing).
    """
    seen = values.unique() if is_few(values) else values
    if bool(seen.str.contains(_CLEAN).all()) or not bool(seen.str.contains(_STRAY).any()):
        return Tidied(values)
    stripped = values.str.strip_chars(_STRAY_CHARS)
    stripped = stripped.set(stripped == "", None)
    if not told:
        return Tidied(stripped)
    changed = values.ne_missing(stripped)
    mends = [
        Mend(
            "stray-spaces",
            "spaces before or after taken away",
            _mended(rows, values, stripped, changed, "spaces at the ends are never part of a value"),
        )
    ]
    return Tidied(stripped, mends=mends if bool(changed.any()) else [])


def _mended(
    rows: pl.Series, before: pl.Series, after: pl.Series, changed: pl.Series, proof: str | pl.Series
) -> pl.DataFrame:
    frame = pl.DataFrame([rows.alias("row"), before.alias("before"), after.alias("after")])
    proofs = pl.lit(proof) if isinstance(proof, str) else proof
    return frame.with_columns(proofs.alias("proof")).filter(changed)


def _spread(
    rows: pl.Series,
    values: pl.Series,
    odd: pl.Series,
    read: Callable[[str], tuple[str | None, str, str]],
    titles: Mapping[str, tuple[str, str]],
    mend_titles: Mapping[str, str],
) -> Tidied:
    """Reads each distinct odd value once and spreads the answers over the column.

    Args:
        odd: which rows hold a value that is not plain already.
        read: value → (canonical text or None, kind of trouble or of mend or "", message/suggestion or proof).
        titles: kind of trouble → (title, message).
        mend_titles: kind of mend → title. A kind in neither table is a silent change.
    """
    distinct = values.filter(odd).unique().drop_nulls().to_list()
    if not distinct:
        return Tidied(values)
    answers = [read(value) for value in distinct]
    table = pl.DataFrame(
        {
            "value": distinct,
            "after": [answer[0] for answer in answers],
            "kind": [answer[1] for answer in answers],
            "why": [answer[2] for answer in answers],
        },
        schema=dict.fromkeys(("value", "after", "kind", "why"), pl.String),
    )
    joined = pl.DataFrame([rows.alias("row"), values.alias("value")]).join(
        table, on="value", how="left", maintain_order="left"
    )
    tidied = Tidied(joined.select(pl.coalesce("after", "value")).to_series().rename(values.name))
    for (kind,), part in joined.filter(pl.col("kind") != "").group_by("kind", maintain_order=True):
        name = str(kind)
        if name in titles:
            title, message = titles[name]
            cells = part.select(
                "row", "value", pl.lit(message).alias("message"), pl.col("why").replace("", None).alias("suggestion")
            )
            tidied.troubles.append(Trouble("error", name, title, cells))
        elif name in mend_titles:
            cells = part.select("row", pl.col("value").alias("before"), "after", pl.col("why").alias("proof"))
            tidied.mends.append(Mend(name, mend_titles[name], cells))
    return tidied


# --- numbers ---------------------------------------------------------------------------------------------------------

_NUMBER_TROUBLES = {
    "not-a-number": ("not a number", "write a number, such as 18.40"),
    "ambiguous-number": ("can be read two ways", "say decimal_mark in kotrel.toml, under [sheets]"),
    "mixed-marks": ("written unlike the rest of its column", "the column writes its decimals with the other mark"),
    "per-cent": ("a per cent where an amount belongs", "write the amount"),
}
_NUMBER_MENDS = {
    "number-as-typed": "numbers read by the column's own marks",
    "word-for-number": "words that stand for a number",
    "binary-rounding": "rounding noise of the spreadsheet taken away",
}


def column_mark(values: pl.Series) -> numbers.Mark | None:
    """The decimal mark that the text cells of a column prove, or None."""
    odd = values.filter(values.str.contains(r"[.,]").fill_null(False))
    return numbers.mark_of(odd.unique().to_list())[0] if len(odd) else None


def tidy_number(rows: pl.Series, values: pl.Series, is_number: pl.Series, about: Field, setting: Setting) -> Tidied:
    """Numbers, quantities and money → exact decimals in canonical text (see :func:`kotrel.core.numbers.canonical`).

    Args:
        is_number: which cells are numbers in the spreadsheet itself: their text is exact and needs no convention.
    """
    decimals = about.decimals or 0
    told = setting.conventions.decimal_mark
    if decimals != 3 and told != "," and bool(values.str.contains(_fixed(decimals)).all()):
        # Written as Kotrel itself writes them; with three decimals a point could also divide thousands.
        return Tidied(values)
    plain = values.str.contains(numbers.PLAIN)
    odd = ~plain.fill_null(True)
    texts = values if not is_number.any() else values.set(is_number, None)
    if told != "auto" or not numbers.doubtful_points(texts):
        mark: numbers.Mark | None = None if told == "auto" else told
        if told == ",":
            odd |= (texts.str.contains(".", literal=True)).fill_null(False)
    else:
        mark = None
        odd |= texts.str.contains(r"^-?[1-9][0-9]{0,2}\.[0-9]{3}$").fill_null(False)
    noisy = is_number & values.str.contains(r"\.[0-9]{11,}").fill_null(False)
    odd |= noisy
    if odd.any():
        if mark is None:
            mark = column_mark(texts) or setting.sheet_mark
        number_texts = set(values.filter(is_number & odd).to_list())

        def read(text: str) -> tuple[str | None, str, str]:
            if text in number_texts:
                return _read_number_cell(text, decimals)
            return _read_typed_number(text, mark, about)

        tidied = _spread(rows, values, odd, read, _NUMBER_TROUBLES, _NUMBER_MENDS)
        values = tidied.values
    else:
        tidied = Tidied(values)
    tidied.values = fixed_decimals(values, decimals)
    return tidied


def _fixed(decimals: int) -> str:
    """Numbers as Kotrel writes them: exactly so many decimals, no zero in front, no minus zero."""
    part = rf"[.][0-9]{{{decimals}}}" if decimals else ""
    return rf"^(?:0{part}|-?[1-9][0-9]*{part})$"


def fixed_decimals(values: pl.Series, decimals: int) -> pl.Series:
    """Plain numbers with exactly that many decimals; one with more, or one that is no number, stays as it is."""
    if bool(values.str.contains(_fixed(decimals)).all()):
        return values
    too_many = values.str.contains(rf"\.[0-9]{{{decimals}}}[0-9]*[1-9]").fill_null(False)
    exact = values.cast(pl.Decimal(38, decimals), strict=False).cast(pl.String)
    return pl.select(pl.when(too_many | exact.is_null()).then(values).otherwise(exact)).to_series().rename(values.name)


def _read_number_cell(text: str, decimals: int) -> tuple[str | None, str, str]:
    """A number cell whose text is not plain: an exponent, or the noise of binary arithmetic in the last digits."""
    value = Decimal(text)
    rounded = +value if len(value.as_tuple().digits) <= 15 else Decimal(f"{value:.15g}")
    exponent = rounded.normalize().as_tuple().exponent
    if rounded != value and isinstance(exponent, int) and -exponent <= decimals:
        plain = f"{rounded.normalize():f}"
        return plain, "binary-rounding", f"to the 15 digits that a spreadsheet keeps it is {plain}"
    return f"{value:f}", "", ""


def _read_typed_number(text: str, mark: numbers.Mark | None, about: Field) -> tuple[str | None, str, str]:
    if (meant := about.words.get(folded(text))) is not None:
        return meant, "word-for-number", f"what “{text.strip()}” means in this field"
    read = numbers.read_number(text, mark)
    if read.trouble == "ambiguous":
        first, second = numbers.read_number(text, ".").value, numbers.read_number(text, ",").value
        return None, "ambiguous-number", f"{first:f} or {second:f}" if first is not None and second is not None else ""
    if read.trouble == "other-mark":
        return None, "mixed-marks", ""
    if read.value is None:
        return None, "not-a-number", ""
    if read.trouble == "percent" and about.kind != "number":
        return None, "per-cent", ""
    if "," in text or "." in text:
        shown = {".": "point", ",": "comma", None: ""}[mark]
        proof = f"decimals after the {shown}, as the column writes them" if mark else "readable in one way only"
    else:
        proof = "readable in one way only"
    return f"{read.value:f}", "number-as-typed", proof


# --- dates -----------------------------------------------------------------------------------------------------------

_DATE_TROUBLES = {
    "not-a-date": ("not a date", "write it as 2026-03-31"),
    "impossible-date": ("no such day", "write it as 2026-03-31"),
    "ambiguous-date": ("day or month first?", "say dates in kotrel.toml, under [sheets]"),
    "mixed-dates": ("day and month the other way round than the rest", "write it as 2026-03-31"),
    "date-as-number": ("a day number, not a date", "give the column a date format in the spreadsheet"),
}
_DATE_MENDS = {"date-as-typed": "dates read", "two-digit-year": "years of two digits completed"}
_DATE_KINDS = {
    "no-date": "not-a-date",
    "impossible": "impossible-date",
    "ambiguous": "ambiguous-date",
    "other-order": "mixed-dates",
}


def tidy_date(rows: pl.Series, values: pl.Series, is_number: pl.Series, setting: Setting) -> Tidied:
    """Dates → ISO dates."""
    plain = values.str.contains(dates.ISO) & values.str.to_date("%Y-%m-%d", strict=False).is_not_null()
    odd = ~plain.fill_null(False) & values.is_not_null()
    if not odd.any():
        return Tidied(values)
    order: dates.Order | None
    if setting.conventions.dates == "auto":
        order = dates.order_of(values.filter(odd).unique().to_list())[0]
    else:
        order = setting.conventions.dates
    numbered = set(values.filter(is_number & odd).to_list())

    def read(text: str) -> tuple[str | None, str, str]:
        if text in numbered:
            return None, "date-as-number", ""
        found = dates.read_date(text, order, setting.today.year)
        if found.value is None:
            return None, _DATE_KINDS[found.trouble], ""
        if found.guessed_century:
            return found.value, "two-digit-year", "the nearest such year"
        proof = f"{order} first, as the column writes them" if order else "readable in one way only"
        return found.value, "date-as-typed", proof

    return _spread(rows, values, odd, read, _DATE_TROUBLES, _DATE_MENDS)


# --- words -----------------------------------------------------------------------------------------------------------


def tidy_yes_no(rows: pl.Series, values: pl.Series) -> Tidied:
    """Words for yes and no → ``yes`` and ``no``."""

    def read(text: str) -> tuple[str | None, str, str]:
        word = read_yes_no(text)
        return (word, "", "") if word else (None, "not-yes-or-no", "")

    odd = ~values.is_in(["yes", "no"]).fill_null(True)
    return _spread(rows, values, odd, read, {"not-yes-or-no": ("not yes or no", "write yes or no")}, {})


def tidy_choice(rows: pl.Series, values: pl.Series, about: Field) -> Tidied:
    """Choices in any case → the choice as the description writes it."""
    known = {folded(choice): choice for choice in about.choices}

    def read(text: str) -> tuple[str | None, str, str]:
        if found := known.get(folded(text)):
            return found, "", ""
        return None, "not-a-choice", nearest(text, about.choices) or ""

    odd = ~values.is_in(list(about.choices)).fill_null(True)
    message = f"one of: {', '.join(about.choices)}"
    return _spread(rows, values, odd, read, {"not-a-choice": ("not one of the choices", message)}, {})


def split_list(text: str) -> list[str]:
    """The parts of a list in one cell: divided by ``;`` or line breaks, or by commas where it has neither."""
    mark = ";" if ";" in text or "\n" in text else ","
    parts = (part.strip(_STRAY_CHARS) for part in text.replace("\n", ";" if mark == ";" else mark).split(mark))
    return list(dict.fromkeys(part for part in parts if part))


def tidy_list(rows: pl.Series, values: pl.Series) -> Tidied:
    """Lists in one cell → parts joined by ``; ``, each once."""

    def read(text: str) -> tuple[str | None, str, str]:
        return "; ".join(split_list(text)) or None, "", ""

    return _spread(rows, values, values.is_not_null(), read, {}, {})


def tidy(
    rows: pl.Series, values: pl.Series, kinds: Callable[[str], pl.Series], about: Field, setting: Setting
) -> Tidied:
    """One column → canonical text of its field's kind.

    Args:
        rows: the sheet row of each value (UInt32).
        values: the cells as text; blank is null.
        kinds: gives, for a kind of cell, which rows are of it (see :data:`kotrel.core.sheet.CellKinds`).
    """
    broken = _broken_cells(rows, values, kinds)
    if broken:
        lost = kinds("error") | kinds("uncalculated")
        values = values.set(lost, None)
    told = about.kind in ("code", "text", "reference", "file")
    cleaned = clean_ends(rows, values, told)
    values = cleaned.values if about.is_decimal else unguard(cleaned.values)
    if about.is_decimal:
        tidied = tidy_number(rows, values, kinds("number"), about, setting)
    elif about.kind == "date":
        tidied = tidy_date(rows, values, kinds("number"), setting)
    elif about.kind == "yes_no":
        tidied = tidy_yes_no(rows, values)
    elif about.kind == "choice":
        tidied = tidy_choice(rows, values, about)
    elif about.kind == "list":
        tidied = tidy_list(rows, values)
    else:
        tidied = Tidied(values)
    return Tidied(tidied.values, [*broken, *tidied.troubles], [*cleaned.mends, *tidied.mends])


def _broken_cells(rows: pl.Series, values: pl.Series, kinds: Callable[[str], pl.Series]) -> list[Trouble]:
    """Cells that hold an error of the spreadsheet, or a formula that was never worked out."""
    found: list[Trouble] = []
    reasons: Iterable[tuple[str, str, str, str]] = (
        ("error", "error-value", "an error of the spreadsheet", "mend the formula in that cell"),
        (
            "uncalculated",
            "not-calculated",
            "a formula never worked out",
            "open the file in a spreadsheet program and save it",
        ),
    )
    for cell_kind, kind, title, message in reasons:
        bad = kinds(cell_kind)
        if bad.any():
            found.append(Trouble("error", kind, title, cells_of(rows.filter(bad), values.filter(bad), message)))
    return found
