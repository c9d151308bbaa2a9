"""One column while it is tidied: its problems and repairs, and how results for distinct values are applied to it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from datetime import date

import polars as pl
from msgspec import Struct, field

from kotrel.core.columns import ROW
from kotrel.core.rows.findings import Severity
from kotrel.core.tables.number_display import Formats, Shown
from kotrel.core.values.conventions import Conventions
from kotrel.core.values.numbers import Mark

_STRAY = r"^[\s\u{200b}\u{feff}]|[\s\u{200b}\u{feff}]$"
STRAY_CHARS = " \t\r\n\u00a0\u2007\u202f\u200b\ufeff\u2009\u3000"


class Trouble(Struct):
    """Cells of one column that could not be read, all for one reason; ``rows`` are sheet rows."""

    severity: Severity
    kind: str
    title: str
    cells: pl.DataFrame


class Repair(Struct):
    """Cells of one column that were repaired in the same way; ``cells`` has row, before, after and proof."""

    kind: str
    cells: pl.DataFrame


class Tidied(Struct):
    """A column after tidying: canonical values (those that could not be read are unchanged), problems and repairs.

    Attributes:
        few: the distinct values, where they are few and known.
        plain: known to be plain ASCII (see :func:`kotrel.core.rows.distinct_values.is_plain`).
    """

    values: pl.Series
    troubles: list[Trouble] = field(default_factory=list)
    repairs: list[Repair] = field(default_factory=list)
    few: pl.Series | None = None
    plain: bool = False

    @property
    def unread(self) -> set[int]:
        """The rows whose value could not be read."""
        errors = (each for each in self.troubles if each.severity == "error")
        return {row for each in errors for row in each.cells[ROW].to_list()}


COLUMN, SHEET, SETTINGS = "as in the rest of the column", "as in the rest of the sheet", "as set for these sheets"
"""How it is known how a column writes its numbers and days."""


class ColumnSetting(Struct, frozen=True):
    """What tidying needs to know besides the column.

    Attributes:
        sheet_mark: the decimal mark that the other number columns of the sheet prove, or None.
        today: for years of two digits.
        rounding: see :class:`kotrel.core.values.conventions.Conventions`; what the mapping says comes first.
        formats: how the sheet's cells show their numbers; None where nobody knows, and for what is no cell by itself.
        letter: the column.
        witnesses: texts of the same column in other parts of a file that is read in parts: how a column writes its
            numbers and days is decided from all of it.
        text_file: whether the sheet is a text file, in which texts may be protected from becoming formulas.
    """

    conventions: Conventions
    today: date
    sheet_mark: Mark | None = None
    text_file: bool = False
    rounding: str = ""
    formats: Formats | None = None
    letter: str = ""
    witnesses: pl.Series | None = None

    def with_witnesses(self, texts: pl.Series) -> pl.Series:
        """The texts of a column that show how it writes its values."""
        if self.witnesses is None or not len(self.witnesses):
            return texts
        return pl.concat([texts, self.witnesses.rename(texts.name)])

    @property
    def shown(self) -> Mapping[int, Shown]:
        """Row in the sheet → how the number there is shown."""
        return self.formats.of(self.letter) if self.formats is not None else {}


_KEPT = r'^="((?:[^"]|"")*)"$'
"""How programs write ``00123`` into a text file so that no spreadsheet drops its zeros: as a formula with a text."""


def unwrap(rows: pl.Series, values: pl.Series) -> Tidied:
    """The texts in cells such as ``="00123"``."""
    wrapped = values.str.starts_with('="')
    if not bool(wrapped.any()):
        return Tidied(values)
    inside = values.str.extract(_KEPT)
    wrapped = inside.is_not_null()
    done = inside.str.replace_all('""', '"', literal=True).zip_with(wrapped, values).alias(values.name)
    proof = "the signs around it only keep a spreadsheet from changing it"
    cells = _repairs_made(rows, values, done, wrapped, proof)
    return Tidied(done.set(done == "", None), repairs=[Repair("text-in-formula", cells)] if cells.height else [])


def clean_ends(rows: pl.Series, values: pl.Series, recorded: bool) -> Tidied:
    """Removes spaces, no-break and zero-width spaces at both ends; a cell with only spaces is blank.

    Args:
        rows: sheet rows, for the repairs.
        recorded: whether to record it as a repair (spaces around numbers and yes/no mean nothing).
    """
    if not bool(values.str.contains(_STRAY).any()):
        return Tidied(values)
    stripped = values.str.strip_chars(STRAY_CHARS)
    stripped = stripped.set(stripped == "", None)
    if not recorded:
        return Tidied(stripped)
    changed = values.ne_missing(stripped)
    repairs = [
        Repair(
            "stray-spaces",
            _repairs_made(rows, values, stripped, changed, "spaces at the ends are never part of a value"),
        )
    ]
    return Tidied(stripped, repairs=repairs if bool(changed.any()) else [])


def _repairs_made(
    rows: pl.Series, before: pl.Series, after: pl.Series, changed: pl.Series, proof: str | pl.Series
) -> pl.DataFrame:
    frame = pl.DataFrame([rows.alias(ROW), before.alias("before"), after.alias("after")])
    proofs = pl.lit(proof) if isinstance(proof, str) else proof
    return frame.with_columns(proofs.alias("proof")).filter(changed)


def spread(
    rows: pl.Series,
    values: pl.Series,
    odd: pl.Series,
    read: Callable[[str], tuple[str | None, str, str]],
    titles: Mapping[str, tuple[str, str]],
    repaired: Collection[str] = (),
) -> Tidied:
    """Reads each distinct unusual value once and applies the results to the whole column.

    Args:
        odd: which rows hold a value that is not yet plain.
        read: value → (canonical text or None, kind of problem or repair or "", message/suggestion or proof).
        titles: kind of problem → (title, message).
        repaired: kinds of repair. A kind that is in neither is a change in notation only.
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
    joined = pl.DataFrame([rows.alias(ROW), values.alias("value")]).join(
        table, on="value", how="left", maintain_order="left"
    )
    tidied = Tidied(joined.select(pl.coalesce("after", "value")).to_series().rename(values.name))
    for (kind,), part in joined.filter(pl.col("kind") != "").group_by("kind", maintain_order=True):
        name = str(kind)
        if name in titles:
            title, message = titles[name]
            cells = part.select(
                ROW, "value", pl.lit(message).alias("message"), pl.col("why").replace("", None).alias("suggestion")
            )
            tidied.troubles.append(Trouble("error", name, title, cells))
        elif name in repaired:
            cells = part.select(ROW, pl.col("value").alias("before"), "after", pl.col("why").alias("proof"))
            tidied.repairs.append(Repair(name, cells))
    return tidied
