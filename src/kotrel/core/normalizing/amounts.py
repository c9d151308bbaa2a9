"""Numbers, quantities and money in a column → exact decimals in canonical text."""

from __future__ import annotations

import re
from decimal import Decimal

import polars as pl
from msgspec import Struct

from kotrel.core.columns import decimal_type
from kotrel.core.description.model import Field
from kotrel.core.normalizing.column import COLUMN, SETTINGS, SHEET, ColumnSetting, Tidied, Trouble, spread
from kotrel.core.phrases import plain_number
from kotrel.core.values import numbers
from kotrel.core.values.currencies import may_be
from kotrel.core.values.lookalikes import as_digits
from kotrel.core.values.same_writing import form_of

_NUMBER_TROUBLES = {
    "ambiguous-number": (
        "can be read two ways",
        "type it as a number, or say which decimal mark these files have: --decimal comma or --decimal point",
    ),
    "mixed-marks": (
        "written differently from the rest of its column",
        "the other values of the column use the other decimal mark",
    ),
    "other-currency": ("in another currency", "convert the amount, or set currency in kotrel.toml, under [sheets]"),
    "per-cent": ("a percentage instead of an amount", "enter an amount, such as 18.40"),
    "sign-not-meant": ("an amount of money, not a plain number", "write the number without the sign of a currency"),
}
_NUMBER_REPAIRS = ("number-as-typed", "word-for-number", "binary-rounding")


def _troubles_of(about: Field) -> dict[str, tuple[str, str]]:
    """The kinds of trouble with the numbers of a field, each with its title and what to do."""
    example = "18" if about.decimals == 0 else "18.40" if about.kind == "money" else "18.5"
    return {"not-a-number": ("not a number", f"write only a number, such as {example}"), **_NUMBER_TROUBLES}


def column_mark(values: pl.Series) -> numbers.Marks:
    """The decimal mark that a column's text cells prove."""
    odd = values.filter(values.str.contains(r"[.,]").fill_null(False))
    return numbers.mark_of(odd.unique().to_list()) if len(odd) else numbers.Marks(None)


def tidy_number(
    rows: pl.Series, values: pl.Series, is_number: pl.Series, about: Field, setting: ColumnSetting
) -> Tidied:
    """Numbers, quantities and money → exact decimals in canonical text (see :func:`fixed_decimals`).

    Args:
        is_number: which cells are numbers in the spreadsheet: their text is exact and needs no decimal mark.
    """
    decimals = about.decimals or 0
    mark_setting = setting.conventions.decimal_mark
    if decimals != 3 and mark_setting != "," and bool(values.str.contains(_fixed(decimals)).all()):
        # Written as Kotrel writes them; with three decimals a point could also separate thousands.
        return Tidied(values)
    texts = values if not is_number.any() else values.set(is_number, None)
    shown = setting.with_witnesses(texts)
    mark: numbers.Mark | None = None if mark_setting == "auto" else mark_setting
    proved = numbers.Marks(None)
    if mark is None and bool(shown.str.contains(",", literal=True).any()):
        proved = column_mark(shown)
    odd = _odd_numbers(values, texts, is_number, mark, mark is None and _is_doubtful(proved, shown))
    tidied = Tidied(values)
    if odd.any():
        decides, witness = mark, SETTINGS
        if mark is None and not proved.contradicts:
            proved = proved if proved.mark else column_mark(shown)
            mark, witness = (proved.mark, COLUMN) if proved.mark else (setting.sheet_mark, SHEET)
            decides = proved.deciding or (mark if mark == setting.sheet_mark else None)
        number_texts = set(values.filter(is_number & odd).to_list())
        by = _Reading(mark, witness, decides, _largest(values, is_number), about, setting.conventions.currency)

        def read(text: str) -> tuple[str | None, str, str]:
            if text in number_texts:
                return _read_number_cell(text, decimals)
            return _read_typed_number(text, by)

        tidied = spread(rows, values, odd, read, _troubles_of(about), _NUMBER_REPAIRS)
        if about.kind == "money":
            for trouble in tidied.troubles:
                trouble.cells = _about_words(trouble)
    tidied.values = fixed_decimals(tidied.values, decimals)
    return tidied


_NO_AMOUNT = (
    "write an amount, such as 18.40; if the word means “no price”, add it to no_price in the mapping or in kotrel.toml"
)


def _about_words(trouble: Trouble) -> pl.DataFrame:
    """The cells, with what a word such as POA may mean where an amount belongs."""
    if trouble.kind != "not-a-number":
        return trouble.cells
    is_word = pl.col("value").str.contains(r"\p{L}") & ~pl.col("value").str.contains("[0-9]")
    return trouble.cells.with_columns(
        pl.when(is_word).then(pl.lit(_NO_AMOUNT)).otherwise(pl.col("message")).alias("message")
    )


def _is_doubtful(proved: numbers.Marks, shown: pl.Series) -> bool:
    """Whether a point before three digits may separate thousands."""
    return proved.contradicts or proved.mark == "," or numbers.doubtful_points(shown)


def _odd_numbers(
    values: pl.Series, texts: pl.Series, is_number: pl.Series, mark: numbers.Mark | None, doubtful: bool
) -> pl.Series:
    """Boolean for each cell: it is not written as Kotrel writes a number, or may mean another.

    Args:
        texts: the values that were typed as texts; ``doubtful``: a point in them may separate thousands.
    """
    odd = ~values.str.contains(numbers.PLAIN).fill_null(True)
    if mark == ",":
        odd |= texts.str.contains(".", literal=True).fill_null(False)
    elif doubtful:
        odd |= texts.str.contains(r"^-?[1-9][0-9]{0,2}\.[0-9]{3}$").fill_null(False)
    # A number cell with this many digits carries the noise of a calculation.
    return odd | (is_number & values.str.contains(r"\.[0-9]{11,}").fill_null(False))


def number_evidence(texts: pl.Series) -> tuple[object, ...]:
    """All that :func:`tidy_number` decides from a column as a whole; the same for texts that decide the same."""
    proved = column_mark(texts)
    return (
        proved.mark,
        proved.contradicts,
        proved.deciding,
        bool(texts.str.contains(",", literal=True).any()),
        numbers.doubtful_points(texts),
    )


def number_witnesses(texts: pl.Series) -> pl.Series:
    """Two texts for each form in which a column writes its numbers: they decide what all of its texts decide."""
    # Each number with a clear mark says the same: two are enough of all their forms, which are by far the most.
    odd, told = texts, []
    for shows_mark in numbers.CLEAR_MARKS:
        shows = odd.str.contains(shows_mark).fill_null(False)
        if shows.any():
            told.append(_two_of(odd.filter(shows)))
            odd = odd.filter(~shows)
    odd = odd.filter(odd.str.contains(r"[.,]").fill_null(False)).unique()
    form = odd.str.replace_all(r"[1-9]", "9")
    few = pl.int_range(pl.len()).over("form") < numbers.ENOUGH_WITNESSES
    return pl.concat([*told, odd.filter(pl.DataFrame({"form": form}).select(few).to_series())])


def _two_of(texts: pl.Series) -> pl.Series:
    """As many different texts as prove a mark, or all where there are fewer."""
    enough = numbers.ENOUGH_WITNESSES
    first = texts.head(1_000).unique(maintain_order=True).head(enough)
    return first if len(first) == enough else texts.unique(maintain_order=True).head(enough)


def _fixed(decimals: int) -> str:
    """Numbers as Kotrel writes them: exactly this many decimals, no leading zeros, no minus zero."""
    part = rf"[.][0-9]{{{decimals}}}" if decimals else ""
    return rf"^(?:0{part}|-?[1-9][0-9]*{part})$"


def fixed_decimals(values: pl.Series, decimals: int) -> pl.Series:
    """Plain numbers with exactly that many decimals; a text that is not a number or has more decimals stays
    as it is.
    """
    if bool(values.str.contains(_fixed(decimals)).all()):
        return values
    too_many = values.str.contains(rf"\.[0-9]{{{decimals}}}[0-9]*[1-9]").fill_null(False)
    exact = values.cast(decimal_type(decimals), strict=False).cast(pl.String)
    return pl.select(pl.when(too_many | exact.is_null()).then(values).otherwise(exact)).to_series().rename(values.name)


def _read_number_cell(text: str, decimals: int) -> tuple[str | None, str, str]:
    """A number cell whose text is not plain: an exponent, or noise from binary arithmetic in the last digits."""
    value = Decimal(text)
    rounded = numbers.as_calculated(text)
    exponent = rounded.normalize().as_tuple().exponent
    if rounded != value and isinstance(exponent, int) and -exponent <= decimals:
        plain = plain_number(rounded)
        return plain, "binary-rounding", f"with the 15 digits that a spreadsheet keeps, it is {plain}"
    return f"{value:f}", "", ""


SIZES = 10
"""A number this many times the largest number cell of its column is rather a decimal point taken
for a thousands mark.
"""
FEW_CELLS = 3
"""With fewer number cells, a column says nothing about the size of its numbers."""


class _Reading(Struct, frozen=True):
    """How the texts of a column are read.

    Attributes:
        mark: the column's decimal mark, or None; ``witness``: what proves it.
        decides: the same, where it is proved well enough to decide how ``1.234`` is read.
        largest: the largest number cell of the column, or None where there are too few.
    """

    mark: numbers.Mark | None
    witness: str
    decides: numbers.Mark | None
    largest: Decimal | None
    about: Field
    currency: str

    def is_doubtful(self, text: str, read: numbers.Read) -> bool:
        """True where a text has two readings and nothing decides, or the other number cells are far smaller."""
        if numbers.read_number(text, None).trouble != "ambiguous" or read.value is None:
            return False
        if self.decides is None:
            return True
        has_thousands = ("." if self.decides == "," else ",") in text
        return has_thousands and self.largest is not None and abs(read.value) > SIZES * self.largest


def _largest(values: pl.Series, is_number: pl.Series) -> Decimal | None:
    if not is_number.any():
        return None
    cells = values.filter(is_number).cast(decimal_type(6), strict=False).drop_nulls().abs()
    return Decimal(cells.max()) if len(cells) >= FEW_CELLS else None  # type: ignore[arg-type]


def _kind_of_refusal(read: numbers.Read, by: _Reading) -> str:
    """The kind of finding at a number whose sign the field does not mean; an empty text where it does."""
    if read.currency and by.currency and by.about.kind == "money" and not may_be(read.currency, by.currency):
        return "other-currency"
    if read.currency and by.about.kind != "money":
        return "sign-not-meant"
    return "per-cent" if read.trouble == "percent" and not by.about.is_percentage else ""


def _read_typed_number(text: str, by: _Reading) -> tuple[str | None, str, str]:
    mark, about, currency = by.mark, by.about, by.currency
    if (meant := about.words.get(form_of(text))) is not None:
        return meant, "word-for-number", f"“{text.strip()}” means this in this field"
    counted = _without_own_word(text, about) if about.kind == "number" else text
    read = numbers.read_number(counted, mark)
    letters = None
    if read.trouble == "no-number" and (letters := as_digits(counted)):
        read = numbers.read_number(letters, mark)
    if read.trouble == "ambiguous" or by.is_doubtful(letters or counted, read):
        return None, "ambiguous-number", _two_readings(letters or text)
    if read.trouble == "other-mark":
        return None, "mixed-marks", ""
    if read.value is None:
        return None, "not-a-number", ""
    if refused := _kind_of_refusal(read, by):
        return None, refused, ""
    proof = _proof_of_number(text, by, bool(letters))
    if counted != text:
        proof = f"“{about.title}” says the same; {proof}"
    if read.currency and currency:
        proof += f"; {read.currency} is {currency}, the currency here"
    return f"{read.value:f}", "number-as-typed", proof


def _without_own_word(text: str, about: Field) -> str:
    """``30`` of ``30 days`` in a field with the title “Terms in days”: the last word of the title says what it counts."""
    own = about.title.split()[-1:]
    found = re.fullmatch(r"\s*([0-9][0-9.,]*)\s*([^\W\d_]{3,})\.?\s*", text)
    if not own or found is None:
        return text
    word, many = found[2].casefold(), own[0].casefold()
    return found[1] if word in (many, many.removesuffix("s")) else text


def _two_readings(text: str) -> str:
    first, second = (numbers.read_number(text, mark).value for mark in (".", ","))
    return f"{first:f} or {second:f}" if first is not None and second is not None else ""


def _proof_of_number(text: str, by: _Reading, letters: bool) -> str:
    if by.mark and ("," in text or "." in text):
        proof = f"decimals after the {'point' if by.mark == '.' else 'comma'}, {by.witness}"
    else:
        proof = "it can be read in only one way" if letters else "can be read in only one way"
    return f"the letters O, l and I in a number are 0 and 1; {proof}" if letters else proof
