"""Canonical values → the texts of an upload file, each for itself, and what cannot be written."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type
from kotrel.core.description.model import Field
from kotrel.core.layouts.layout import Layout, LayoutColumn

Names = Mapping[str, Mapping[str, str]]
"""Field → code → name, for columns that write names."""


class UploadProblem(Struct, frozen=True):
    """What is wrong with some texts: a Boolean for each.

    Attributes:
        written: a warning only: all texts as they are written instead.
    """

    kind: str
    title: str
    bad: pl.Series
    message: str
    written: pl.Series | None = None


def _require_writable(raw: pl.Series, layout: Layout, column: LayoutColumn, wrong: Wrong) -> None:
    """Texts that are too long, and those that a text file in this encoding, or without quotes, cannot hold."""
    if column.length is not None:
        wrong(
            "too-long",
            f"{column.called}: too long",
            (raw.str.len_chars() > column.length).fill_null(False),
            f"the column {column.called} accepts {column.length} characters",
        )
    if layout.kind != "text":
        return
    if layout.encoding.lower().replace("_", "-") not in ("utf-8", "utf-8-sig", "utf-16"):
        wrong(
            "not-in-encoding",
            f"{column.called}: letters that {layout.encoding} lacks",
            _not_in(raw, layout.encoding),
            f"{layout.encoding} has no such letter: write it differently",
        )
    if layout.quotes == "none":
        breaks = raw.str.contains(r"[\r\n]").fill_null(False)
        wrong(
            "needs-quotes",
            f"{column.called}: separators or line breaks",
            raw.str.contains(layout.separator, literal=True).fill_null(False) | breaks,
            "the program reads no quotes, so this would shift its columns (clean = true removes them)",
        )


def in_form(
    raw: pl.Series, about: Field | None, layout: Layout, column: LayoutColumn, names: Names
) -> tuple[pl.Series, list[UploadProblem]]:
    """Texts in the layout's form, each for itself, and what is wrong with any."""
    problems: list[UploadProblem] = []

    def wrong(kind: str, title: str, bad: pl.Series, message: str) -> None:
        if bad.any():
            problems.append(UploadProblem(kind, title, bad, message))

    if column.must:
        wrong(
            "missing",
            f"{column.called}: must be filled",
            raw.is_null() | (raw == ""),
            f"the column {column.called} must not be blank",
        )
    if about is not None and about.is_decimal:
        raw = _number_in_form(raw, about, layout, column, wrong, problems)
    elif about is not None:
        if column.name:
            _require_names(raw, column, names[about.name], wrong)
        raw = _worded(raw, about, column, layout, names)
    if column.words and not (about is not None and (about.kind == "yes_no" or about.is_decimal)):
        raw = raw.replace(dict(column.words))
    if layout.one_line:
        raw = _cleaned(raw, about, layout, column, wrong, problems)
    _require_writable(raw, layout, column, wrong)
    return raw.fill_null(layout.blank) if layout.blank and raw.null_count() else raw, problems


Wrong = Callable[[str, str, "pl.Series", str], None]
"""Called with kind, title, which values are bad, and the message."""


def _number_in_form(
    raw: pl.Series, about: Field, layout: Layout, column: LayoutColumn, wrong: Wrong, problems: list[UploadProblem]
) -> pl.Series:
    if column.at_most is not None and column.field is not None:
        most = pl.Series([str(column.at_most)]).new_from_index(0, len(raw))
        greater = (raw.cast(decimal_type(), strict=False) > most.cast(decimal_type())).fill_null(False)
        if greater.any():
            title = message = f"the column {column.called} accepts at most {column.at_most}"
            problems.append(UploadProblem("cleaned", title, greater, message, most.zip_with(greater, raw)))
    words = _word_for_number(raw, column)
    decimals = _decimals(about, column, layout)
    raw, over = _number(raw, column, layout, decimals)
    wrong(
        "too-many-decimals",
        f"{column.called}: too many decimals",
        over,
        f"the column {column.called} accepts {decimals} decimals: round it first",
    )
    return words.zip_with(words.is_not_null(), raw) if words is not None else raw


def _require_names(codes: pl.Series, column: LayoutColumn, known: Mapping[str, str], wrong: Wrong) -> None:
    """Every code must have a name that no other code has.

    Args:
        known: code → name.
    """
    times = Counter(name.casefold() for name in known.values())
    shared = [code for code, name in known.items() if times[name.casefold()] > 1]
    title = f"{column.called}: several codes with one name"
    missing = codes.is_not_null() & ~codes.is_in(list(known))
    wrong("no-name", title, missing, "this code has no name to be written")
    message = "other codes have the same name, so the program could not tell them apart"
    wrong("no-name", title, codes.is_in(shared).fill_null(False), message)


def _cleaned(
    raw: pl.Series,
    about: Field | None,
    layout: Layout,
    column: LayoutColumn,
    wrong: Wrong,
    problems: list[UploadProblem],
) -> pl.Series:
    """The texts on one line; a value that would become another one is wrong."""
    clean = _on_one_line(raw, layout)
    if clean.equals(raw):
        return raw
    changed = clean.ne_missing(raw)
    if about is not None and about.kind != "text" and not column.name:
        message = "the program reads no separators or line breaks, and without them it would be another value"
        wrong("needs-quotes", f"{column.called}: separators or line breaks", changed, message)
    else:
        title = f"{column.called}: texts that are cleaned"
        message = "the program reads no separators, line breaks or double blanks"
        problems.append(UploadProblem("cleaned", title, changed, message, clean))
    return clean


def _on_one_line(texts: pl.Series, layout: Layout) -> pl.Series:
    texts = texts.str.replace_all(r"[\r\n\t]+", " ")
    if layout.kind == "text":
        texts = texts.str.replace_all(layout.separator, " ", literal=True)
    return texts.str.replace_all(" {2,}", " ").str.strip_chars()


def _decimals(about: Field, column: LayoutColumn, layout: Layout) -> int | None:
    """The decimals of a column; a field that has none gets none from the layout as a whole."""
    if column.decimals is not None or layout.decimals is None:
        return column.decimals
    return 0 if about.decimals == 0 else layout.decimals


def _word_for_number(raw: pl.Series, column: LayoutColumn) -> pl.Series | None:
    """The program's word for each number that has one, compared by value: 0 is 0.00;
    None where the column has no words.
    """
    if not column.words:
        return None
    numbers = raw.cast(decimal_type(), strict=False)
    values = pl.Series("word", [None], dtype=pl.String).new_from_index(0, len(raw))
    for value, word in column.words.items():
        wanted = pl.Series([value]).cast(decimal_type(), strict=False)
        same = (numbers == wanted).fill_null(False) if wanted[0] is not None else (raw == value).fill_null(False)
        values = pl.Series([word]).new_from_index(0, len(raw)).zip_with(same, values)
    return values


def _number(raw: pl.Series, column: LayoutColumn, layout: Layout, decimals: int | None) -> tuple[pl.Series, pl.Series]:
    """Numbers in the layout's form, and which of them have more decimals than it takes."""
    if column.at_most is None and (ready := _as_it_is(raw, decimals)) is not None:
        text = ready.str.replace(".", ",", literal=True) if layout.decimal_mark == "," else ready
        return text, pl.Series([False], dtype=pl.Boolean).new_from_index(0, len(raw))
    number = raw.cast(decimal_type(), strict=False)
    if column.at_most is not None:
        most = pl.Series([str(column.at_most)]).cast(decimal_type()).new_from_index(0, len(number))
        number = number.zip_with((number <= most).fill_null(True), most)
    if decimals is None:
        text = number.cast(pl.String).str.replace(r"(\.[0-9]*?)0+$", "${1}").str.replace(r"\.$", "")
        over = pl.Series([False]).new_from_index(0, len(raw))
    else:
        near = number.round(decimals, mode="half_away_from_zero")
        over = (near != number).fill_null(False)
        text = near.cast(decimal_type(decimals)).cast(pl.String)
    return (text.str.replace(".", ",", literal=True) if layout.decimal_mark == "," else text), over


def _as_it_is(raw: pl.Series, decimals: int | None) -> pl.Series | None:
    """Canonical numbers that need no arithmetic: to be written without zeros at the end,
    or with the decimals that they have.
    """
    if decimals is None:
        # Without its point, 100 has no zeros that say nothing.
        whole = ~raw.str.contains(".", literal=True).fill_null(True)
        bare = raw.str.strip_chars_end("0").str.strip_suffix(".")
        return raw.zip_with(whole, bare) if whole.any() else bare
    point = rf"\.[0-9]{{{decimals}}}" if decimals else ""
    return raw if bool(raw.str.contains(rf"^-?[0-9]+{point}$").fill_null(True).all()) else None


def strftime_of(form: str) -> str:
    """``DD.MM.YYYY`` as the engine writes it: ``%d.%m.%Y``."""
    return form.replace("YYYY", "%Y").replace("YY", "%y").replace("MM", "%m").replace("DD", "%d")


def _worded(raw: pl.Series, about: Field, column: LayoutColumn, layout: Layout, names: Names) -> pl.Series:
    """Dates, yes and no, and names in the program's own form."""
    if about.kind == "date":
        return raw.str.to_date("%Y-%m-%d", strict=False).dt.to_string(strftime_of(layout.date))
    if about.kind == "yes_no" and (column.words or (layout.yes, layout.no) != ("yes", "no")):
        return raw.replace({"yes": layout.yes, "no": layout.no, **column.words})
    if column.name and about.name in names:
        return raw.replace_strict(dict(names[about.name]), default=None, return_dtype=pl.String).fill_null(raw)
    return raw


def _not_in(texts: pl.Series, encoding: str) -> pl.Series:
    """Which texts have a letter that the encoding lacks. Each different text is tried once."""

    def lacks(text: str) -> bool:
        try:
            text.encode(encoding)
        except UnicodeEncodeError:
            return True
        return False

    bad = [text for text in texts.unique().drop_nulls().to_list() if lacks(text)]
    return texts.is_in(bad).fill_null(False)


def class_of(separator: str) -> str:
    """A separator inside a character class of a regular expression."""
    return "\\" + separator if separator in "\\]^-" else separator


def needs_quotes(texts: pl.Series, separator: str) -> bool:
    """True where a text has the separator, a quote or a line break, or is empty: without quotes that would be none."""
    marked = texts.str.contains(rf'[{class_of(separator)}"\r\n]')
    return bool((marked | (texts == "")).any())
