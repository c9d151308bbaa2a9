"""Rows found by the other codes they are known by: barcodes, vendors' and makers' codes, alternative codes."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence

import polars as pl
from msgspec import Struct

from kotrel.core.description.model import Field, Record
from kotrel.core.errors import WrongUse
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import WHOLE, SystemState
from kotrel.core.similarity import did_you_mean
from kotrel.core.values.code_formats import gtin_forms, gtins_as_written
from kotrel.core.values.lookalikes import without_lookalikes
from kotrel.core.values.near_codes import common_start, may_be_near
from kotrel.core.values.same_writing import SEPARATOR, same_form, usual_codes

_MOST_DIGITS = 20
"""A code of digits alone, with its zeros, is shorter than that."""


def known_as(record: Record, values: pl.Series, state: SystemState) -> dict[str, dict[str, str]]:
    """Value → the codes of the rows that are known by it, each with the title of the field that says so.

    A vendor's code counts without its vendor here: where two rows have it, both are given. A barcode is one thing at
    every length in which it can be written. Only where nothing is written like a value are codes with the same letters
    and digits meant.
    """
    if len(record.key) > 1 or not len(values):
        return {}
    wanted = values.drop_nulls().alias("value")
    if len(wanted) > WHOLE:
        # Of very many, the whole columns are read, and most of these look like nothing in them.
        found = list(_lookups(record, wanted, state))
        held = pl.concat([wanted.clear(), *(pairs.to_series(0).alias("value") for _, pairs in found)]).unique()
        wanted = _begun_like(wanted, held) if len(held) else wanted.clear()
    else:
        asked = pl.concat([gtin_forms(wanted.unique())["form"], spellings_of(wanted)]).unique()
        found = list(_lookups(record, asked, state)) if len(wanted) else []
    if not len(wanted):
        return {}
    wanted = wanted.unique(maintain_order=True)
    forms = gtin_forms(wanted).with_row_index("form place")
    exact = pl.concat([_none(), *(_written_alike(forms, field, pairs) for field, pairs in found)])
    others = exact.filter(pl.col("code") != pl.col("value")).sort("form place", maintain_order=True)
    is_known = wanted.is_in(pl.concat([others["value"], exact["form"]]).implode())
    otherwise = _same_letters(wanted.filter(~is_known), found)
    codes: dict[str, dict[str, str]] = {}
    for frame in (others, otherwise):
        for value, code, title in frame.select("value", "code", "title").iter_rows():
            codes.setdefault(value, {}).setdefault(code, title)
    return codes


_BEGINNING = 3
"""Letters and digits that tell most codes apart."""


def _begun_like(codes: pl.Series, others: pl.Series) -> pl.Series:
    """The codes that begin as one of the others does: only these may be the same, written in another way."""

    def begun(part: pl.Series) -> pl.Series:
        # A barcode is the same with and without its zeros.
        bare = part.str.slice(0, 24).str.replace_all(SEPARATOR, "").str.strip_chars_start("0")
        return bare.str.to_uppercase().str.slice(0, _BEGINNING)

    odd = codes.str.contains("[^ -~]")
    beginnings = begun(usual_codes(others)).unique()
    if not odd.any() and len(start := begun(pl.Series([common_start(codes)]))[0]) == _BEGINNING:
        return codes if start in beginnings else codes.clear()
    return codes.filter(odd | begun(codes).is_in(beginnings.implode()))


def _none() -> pl.DataFrame:
    """``value``, and its place among those asked about; the form in which it was found; ``code`` of the row, and the
    ``title`` of the field that has it.
    """
    return pl.DataFrame(schema={"form place": pl.UInt32} | dict.fromkeys(("value", "form", "code", "title"), pl.String))


def _written_alike(forms: pl.DataFrame, field: Field, pairs: pl.DataFrame) -> pl.DataFrame:
    """The values that a field has as they are, a barcode in any of its forms: as :func:`_none`."""
    counted = forms if field.check == "gtin" else forms.filter(pl.col("form") == pl.col("value"))
    held = pl.DataFrame([pairs.to_series(0).alias("form"), pairs.to_series(1).alias("code")])
    found = counted.join(held, on="form", how="inner", maintain_order="left_right")
    return found.with_columns(pl.lit(field.title.lower()).alias("title"))


def _same_letters(words: pl.Series, found: Sequence[tuple[Field, pl.DataFrame]]) -> pl.DataFrame:
    """For words that nothing is written like, codes with the same letters and digits: ``value``, ``code``, ``title``."""
    frames = [_none().select("value", "code", "title")]
    asked = pl.DataFrame([words, same_form(words).alias("form")])
    for field, pairs in found if asked.height else ():
        if field.check == "gtin" or not pairs.height:
            continue
        held = pl.DataFrame([same_form(pairs.to_series(0)).alias("form"), pairs.to_series(1).alias("code")])
        title = pl.lit(f"{field.title.lower()}, written in another way").alias("title")
        same = asked.join(held, on="form", how="inner", maintain_order="left_right").with_columns(title)
        frames.append(same.filter(pl.col("code") != pl.col("value")).select("value", "code", "title"))
    return pl.concat(frames)


class Meant(Struct, frozen=True):
    """The one row that a code leads to, and how: empty where it is the row's own code as it is written."""

    code: str
    how: str = ""


def which_row(record: Record, value: str, state: SystemState) -> Meant:
    """The row that somebody means by one of its codes, as it is found wherever a code is typed or scanned.

    Its own code comes first, then every other code that leads to it, then its own code in other capitals or with other
    separators.

    Raises:
        WrongUse: there is none, or there are several.
    """
    key, title = record.key[0], record.title.lower()
    asked = pl.Series(key, [value], dtype=pl.String)
    if value in state.having(record, [], key, asked)[key].to_list():
        return Meant(value)
    others = known_as(record, asked, state).get(value, {})
    how = "its " + next(iter(others.values()), "")
    if not others:
        every = state.whole(record, key).drop_nulls()
        same = every.filter(same_form(every) == same_form(asked)[0])
        others, how = dict.fromkeys(same.to_list(), ""), "its code, written in another way"
    if len(others) > 1:
        raise WrongUse(
            f"{value} is a code of several {title}s: {', '.join(sorted(others))}",
            "Use the code of one of them.",
            "no-such-code",
        )
    if not others:
        hint = did_you_mean(
            value, state.whole(record, key).drop_nulls(), f"kotrel export {record.name} -o FILE writes all of them."
        )
        raise WrongUse(f"there is no {title} {value}", hint, "no-such-code")
    return Meant(next(iter(others)), how)


def _lookups(record: Record, values: pl.Series, state: SystemState) -> Iterator[tuple[Field, pl.DataFrame]]:
    """Each field that leads to rows, and its values with their rows' codes."""
    key = record.key[0]
    for name in dict.fromkeys(name for group in record.also_known_by for name in same_kind(record, group[-1])):
        if name == key:
            continue
        field = record.fields[name]
        if field.kind == "list":
            held_rows = state.having_any(record, name).with_columns(pl.col(name).str.split("; ")).explode(name)
        else:
            held_rows = state.having(record, [name], name, values)
        frames = [held_rows.select(name, key), state.coming(record, (name, key))]
        yield field, pl.concat(frames).drop_nulls()
    for other, name in record.other_codes:
        about = state.description.records[other]
        reference = next(each.name for each in about.references if each.to == record.name and not each.within)
        held_rows = state.having(about, [reference], name, values).select(name, reference)
        yield about.fields[name], pl.concat([held_rows, state.coming(about, (name, reference))]).drop_nulls()


def same_kind(record: Record, name: str) -> Sequence[str]:
    """The fields that share their values with this one: further barcodes with the main barcode."""
    unique = record.fields[name].unique
    return record.unique_groups()[unique] if unique else (name,)


def holders(
    record: Record, group: Sequence[str], asked: pl.DataFrame, state: SystemState, in_numbers: Collection[int] = ()
) -> pl.DataFrame:
    """The system's rows that have what is asked in a group of fields, as it is written or else in another way.

    Names and addresses are the same in other capitals or with other blanks, and a barcode is one thing at every length.
    Only where that finds nothing are codes compared by their letters and digits alone, and those of number cells
    without the zeros in front.

    Args:
        asked: ``row place`` and the fields of the group, all filled.
        in_numbers: places where the last of them stands in a number cell, which may have dropped zeros.

    Returns:
        ``row place``, ``found KEY`` for each field of the key, the last field as the system has it as ``held code``,
        and ``is exact``.
    """
    exact = _join_forms(record, group, asked, _written_so(record, group, asked, state), _comparable)
    left = asked.filter(~pl.col("row place").is_in(exact["row place"].implode()))
    last = record.fields[group[-1]]
    if not left.height or last.check == "gtin" or last.kind not in ("code", "text"):
        return exact.with_columns(pl.lit(True).alias("is exact"))
    dropped = left.filter(pl.col("row place").is_in(list(in_numbers)) & pl.col(last.name).str.contains("^[1-9][0-9]*$"))
    held = _written_otherwise(record, group, left, dropped[last.name].unique(), state)
    if left.height > WHOLE:
        # Most of very many look like nothing that is held.
        codes = left[last.name]
        left = left.filter(may_be_near(codes, held[last.name], are_plain=not codes.str.contains("[^ -~]").any()))
    otherwise = [_join_forms(record, group, left, held, _by_form)]
    if dropped.height:
        padded = held.filter(pl.col(last.name).str.contains("^0[0-9]+$"))
        otherwise.append(_join_forms(record, group, dropped, padded, _without_zeros))
    return pl.concat(
        [
            exact.with_columns(pl.lit(True).alias("is exact")),
            pl.concat(otherwise).unique(maintain_order=True).with_columns(pl.lit(False).alias("is exact")),
        ]
    )


Form = Callable[["pl.Expr", Field], "pl.Expr"]


def _join_forms(
    record: Record, group: Sequence[str], asked: pl.DataFrame, held_rows: pl.DataFrame, form: Form
) -> pl.DataFrame:
    forms = [
        (form if name == group[-1] else _comparable)(pl.col(name), record.fields[name]).alias(f"form {name}")
        for name in group
    ]
    held_forms = held_rows.drop_nulls(list(group)).with_columns(forms)
    pairs = (
        asked.with_columns(forms)
        .select("row place", *(f"form {name}" for name in group))
        .join(
            held_forms.select(
                *(pl.col(name).alias(f"found {name}") for name in record.key),
                pl.col(group[-1]).alias("held code"),
                *(f"form {name}" for name in group),
            ),
            on=[f"form {name}" for name in group],
            how="inner",
        )
    )
    key = [f"found {name}" for name in record.key]
    return pairs.select("row place", *key, "held code").drop_nulls(key).unique(["row place", *key], maintain_order=True)


def _written_so(record: Record, group: Sequence[str], asked: pl.DataFrame, state: SystemState) -> pl.DataFrame:
    """The system's rows that may have the last field's values as they are asked, with the key and the group."""
    last = group[-1]
    wanted = list(dict.fromkeys((*record.key, *group)))
    frames = []
    for name in same_kind(record, last) if len(group) == 1 else (last,):
        about = record.fields[name]
        if about.kind == "list":
            held_rows = state.having_any(record, name).with_columns(pl.col(name).str.split("; ")).explode(name)
        else:
            values = asked[last]
            if about.check == "gtin":
                values = gtins_as_written(values)
            elif about.kind == "text":
                values = pl.concat([values, values.str.to_lowercase()]).unique()
            held_rows = state.having(record, [each for each in group if each != last], name, values)
        own = [pl.col(each) for each in wanted if each != last]
        frames.append(held_rows.select(*own, pl.col(name).alias(last)).select(wanted))
    return pl.concat(frames)


def _written_otherwise(
    record: Record, group: Sequence[str], asked: pl.DataFrame, numbers: pl.Series, state: SystemState
) -> pl.DataFrame:
    """The system's rows among which other ways to write the last field are looked for.

    Args:
        numbers: values that may have lost the zeros before them.
    """
    last = group[-1]
    if len(group) > 1:
        # A vendor has far fewer codes than there are items.
        return state.having(record, list(group), group[0], asked[group[0]]).select(
            list(dict.fromkeys((*record.key, *group)))
        )
    padded = [numbers.filter(numbers.str.len_chars() < size).str.zfill(size) for size in range(2, _MOST_DIGITS)]
    values = pl.concat([spellings_of(asked[last].unique()), *(padded if len(numbers) else ())])
    return state.having(record, [], last, values.unique().alias(last)).select(list(dict.fromkeys((*record.key, last))))


def _comparable(value: pl.Expr, field: Field) -> pl.Expr:
    """What is compared of a value."""
    if field.check == "gtin":
        return value.str.zfill(14)
    return value.str.to_lowercase().str.replace_all(r"\s+", " ").str.strip_chars() if field.kind == "text" else value


def _by_form(value: pl.Expr, field: Field) -> pl.Expr:
    return value.map_batches(same_form, return_dtype=pl.String)


def comparable_group(record: Record, group: Sequence[str], frame: pl.DataFrame) -> pl.DataFrame:
    """A column for each field of a group: the same where two rows have the same, written in another way or not."""
    last = group[-1]
    forms = [_comparable(pl.col(name), record.fields[name]).alias(name) for name in group[:-1]]
    return frame.select(*forms, _by_form(pl.col(last), record.fields[last]).alias(last))


def _without_zeros(value: pl.Expr, field: Field) -> pl.Expr:
    return value.str.strip_chars_start("0")


class FoundKeys(Struct, frozen=True):
    """The keys of rows that have none, found by the other codes that they are known by.

    Attributes:
        keys: blank where nothing or several were found.
        several: row place → the keys, where there are several.
        otherwise: row place → the field and how the system writes it, where that is not how the sheet does.
    """

    keys: pl.Series
    several: Mapping[int, Sequence[str]]
    otherwise: Mapping[int, tuple[str, str]]


def found_keys(rows: Rows, state: SystemState) -> FoundKeys:
    """For rows without a key, the one that the system's row has which is known by the same codes.

    Of the groups of fields that identify a row, each that the sheet fills is looked up with all its fields.
    """
    record, values = rows.record, rows.values
    key = record.key[0]
    blank = values[key].is_null()
    keys: list[set[str]] = [set() for _ in range(values.height)]
    otherwise: dict[int, tuple[str, str]] = {}
    for group in record.also_known_by:
        if key in group or any(name not in rows.fields for name in group):
            continue
        asked = values.select(*group).with_row_index("row place").filter(blank).drop_nulls(group)
        if not asked.height:
            continue
        for place, one_key, held_column, exact in (
            holders(record, group, asked, state, number_places(rows, group[-1]))
            .select("row place", f"found {key}", "held code", "is exact")
            .iter_rows()
        ):
            keys[place].add(one_key)
            if not exact:
                otherwise[place] = (group[-1], held_column)
    single = [next(iter(found)) if len(found) == 1 else None for found in keys]
    several = {place: sorted(found) for place, found in enumerate(keys) if len(found) > 1}
    return FoundKeys(pl.Series(key, single, dtype=pl.String), several, otherwise)


def number_places(rows: Rows, name: str) -> Collection[int]:
    """The places of rows whose cell for a field holds a number."""
    letter = rows.letters.get(name)
    if letter is None or not rows.table.sheet:
        return ()
    return set(rows.table.kind_is(letter, "number").arg_true().to_list())


_NOT_PLAIN = r"[^ -~]|`|^ | $|  "
"""What :func:`without_lookalikes` would change."""
_SEPARATORS = ("-", " ", "/", ".", "_", "")


def spellings_of(codes: pl.Series) -> pl.Series:
    """Ways in which programs and people may have written codes, besides these: an index finds them."""
    odd = codes.filter(codes.str.contains(_NOT_PLAIN)).unique().to_list()
    plain = codes.replace({code: without_lookalikes(code) for code in odd}) if odd else codes
    # KE00010 is KE-00010 to whoever types it.
    parted = plain.str.replace_all(r"([A-Za-z])([0-9])", "$1-$2").str.replace_all(r"([0-9])([A-Za-z])", "$1-$2")
    ways = pl.concat([plain, parted.filter(parted != plain)])
    written = pl.concat([ways.str.replace_all(r"[\s\-_./\\]+", separator) for separator in _SEPARATORS])
    return pl.concat([written, written.str.to_uppercase(), written.str.to_lowercase()]).unique()
