"""New rows that are nearly one the system has, by their key or by everything else: most likely the same thing."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW
from kotrel.core.description.model import Record
from kotrel.core.phrases import listed, listed_and
from kotrel.core.rows.findings import FindingGroup, Severity, cells_of
from kotrel.core.rows.load_options import ALL
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.values.dated_codes import SHAPED_LIKE_DATE, may_be_date
from kotrel.core.values.near_codes import (
    OneEditAway,
    bare_form,
    common_start,
    is_cut_off,
    is_slip,
    may_be_near,
    near_form,
    same_places,
)
from kotrel.core.values.same_writing import are_same

MOST_SLIPS = 200
"""With more new keys than this, a sheet is no update with a few slips: typing errors are not looked for."""

FAMILY = 1_000
"""With more keys that begin so, a beginning is that of a family."""

NAMED = 3
"""So many of the keys that may be meant are named."""


def is_typed_code(rows: Rows, name: str) -> bool:
    """Whether a field has codes that people make up, in a column of the sheet."""
    about = rows.record.fields[name]
    return about.to is None and about.kind in ("code", "text") and name in rows.letters


def find_near_keys(
    rows: Rows, state: SystemState, new: Callable[[], pl.Series], really_new: Collection[str]
) -> list[FindingGroup]:
    """New keys that differ from an existing one only in capitals, separators, zeros or look-alike characters.

    Args:
        new: Boolean for each row: the system does not have it.
        really_new: codes that are new whatever they look like, or :data:`ALL`.
    """
    record = rows.record
    name = record.code
    if not is_typed_code(rows, name):
        return []
    wanted = new() & rows.values[name].is_not_null()
    if really_new:
        wanted = wanted & ~rows.values[name].is_in(list(really_new))
    if not wanted.any():
        return []
    held_keys = state.keys_of(record).drop_nulls()
    fresh = rows.values.select(ROW, *record.key).filter(wanted)
    dated = _dated(rows, fresh, held_keys[name], ALL in really_new)
    if not held_keys.height:
        return dated
    known = rows.values.height - int(new().sum())
    return dated + _near_findings(rows, fresh, held_keys, known, ALL in really_new)


def _near_findings(
    rows: Rows, fresh: pl.DataFrame, held_keys: pl.DataFrame, known: int, all_new: bool
) -> list[FindingGroup]:
    """A finding at each new key that is nearly one of the system's.

    Args:
        fresh: ``ROW`` and the keys of the new rows.
        known: how many rows the system has.
        all_new: all of them are new, whatever they look like: nothing is an error.
    """
    name = rows.record.code
    within = [part for part in rows.record.key if part != name]
    likely = _footnoted(fresh, held_keys, name, within)
    likely |= dict(_nearly_held(fresh, held_keys, name, within, rows.few.plain(name, rows.values)))
    findings: list[FindingGroup] = []
    if not all_new and (alike := _written_alike(fresh, name, likely)):
        findings += _alike_findings(rows, fresh, alike, name)
        fresh = fresh.filter(~pl.col(ROW).is_in(list(alike)))
        likely = {row: codes for row, codes in likely.items() if row not in alike}
        known += len(alike)
    if likely:
        # Where most other rows are there, so is this one.
        is_update = known > 0 and known >= fresh.height - len(likely)
        findings.append(_finding(rows, fresh, likely, name, "error" if is_update and not all_new else "warning"))
    left = fresh.filter(~pl.col(ROW).is_in(list(likely)))
    if known > left.height and left.height <= MOST_SLIPS:
        slips = dict(_slips(left, held_keys, name, within))
        if slips:
            findings.append(_finding(rows, left, slips, name, "warning"))
    return findings


def _written_alike(fresh: pl.DataFrame, name: str, likely: Mapping[int, Sequence[str]]) -> dict[int, Sequence[str]]:
    """Row → the held keys that are its own, written in another way."""
    written = dict(fresh.select(ROW, name).filter(pl.col(ROW).is_in(list(likely))).iter_rows())
    alike = {row: [code for code in codes if are_same(code, written[row])] for row, codes in likely.items()}
    return {row: codes for row, codes in alike.items() if codes}


def _alike_findings(
    rows: Rows, fresh: pl.DataFrame, alike: Mapping[int, Sequence[str]], name: str
) -> list[FindingGroup]:
    """Whatever else the sheet has, nobody gives a new item an existing code in other capitals: an error for each."""
    found = _finding(rows, fresh, alike, name, "error", "written in another way")
    can_match = set(rows.record.key) <= set(rows.fields) and all(len(codes) == 1 for codes in alike.values())
    settles = can_match and 2 * len(alike) > rows.values.height
    return [replace(found, option=("--match-on", name) if settles else ())]


def _finding(
    rows: Rows,
    fresh: pl.DataFrame,
    likely: Mapping[int, Sequence[str]],
    name: str,
    severity: Severity,
    how: str = "",
) -> FindingGroup:
    """A finding at each row whose key is likely one that is held.

    Args:
        how: what makes it so, where it does not only look like it.
    """
    part = fresh.filter(pl.col(ROW).is_in(list(likely)))
    messages: list[str] = []
    suggestions: list[str | None] = []
    advice = "use that, or name yours with --new-codes if it is really new" if severity == "error" else "is it meant?"
    for row in part[ROW]:
        codes = likely[row]
        if len(codes) == 1:
            messages.append(f"the system has {f'it, {how}' if how else 'one that looks like it'}: {advice}")
        else:
            there = listed(codes, NAMED) if len(codes) > NAMED else listed_and(codes)
            messages.append(f"the system has {there}, {how or 'which look like it'}: {advice}")
        suggestions.append(codes[0] if len(codes) == 1 else None)
    title = "new code, almost identical to an existing one"
    cells = cells_of(part[ROW], part[name], messages, suggestions)
    return rows.group(severity, "nearly-there", title, name, cells)


_NEW = "new|neu|neue|neuer|nouveau|nouvelle|nuevo|nueva|nuovo|nuova|nieuw|novo|nova|ny|nytt|nowy|nowe|nový"
_FOOTNOTE = (
    r"(?i)^(.*?[^\s*†‡§#°¹²³⁰-⁹(\[])\s*"
    rf"(?:[*†‡§#°¹²³⁰-⁹]+|[(\[][0-9a-z*]{{1,2}}[)\]]|[(\[](?:{_NEW})[)\]]|[\s_-](?:{_NEW}))!?$"
)
"""A code with a mark behind it that points at a note, or says that it is new."""


def _footnoted(
    fresh: pl.DataFrame, held_keys: pl.DataFrame, name: str, within: Sequence[str]
) -> dict[int, Sequence[str]]:
    """Row → the held key that its own is but for a footnote."""
    bare = fresh.with_columns(pl.col(name).str.extract(_FOOTNOTE).alias("bare code")).drop_nulls("bare code")
    if not bare.height:
        return {}
    found = bare.join(held_keys.select(*within, pl.col(name).alias("bare code")), on=[*within, "bare code"], how="semi")
    return {row: [code] for row, code in found.select(ROW, "bare code").iter_rows()}


def _dated(rows: Rows, fresh: pl.DataFrame, held_keys: pl.Series, all_new: bool) -> list[FindingGroup]:
    """New keys in the shape of a date, where the system has none: a spreadsheet may have made them of other codes."""
    name = held_keys.name
    if not may_be_date(common_start(fresh[name])):
        return []
    shaped = fresh.filter(pl.col(name).str.contains(SHAPED_LIKE_DATE))
    if shaped.height:
        was_date = rows.values.filter(rows.table.kind_is(rows.letters[name], "date"))[ROW]
        # A cell that is a date has its own finding.
        shaped = shaped.filter(~pl.col(ROW).is_in(was_date.implode()))
    if not shaped.height or held_keys.str.contains(SHAPED_LIKE_DATE).any():
        return []
    findings = []
    # Spreadsheets write 3-Jan; people who make codes write 3-JAN, or number their lots by the day.
    as_shown = pl.col(name).str.contains("[a-z]")
    for severity, part in (("error", shaped.filter(as_shown)), ("warning", shaped.filter(~as_shown))):
        if part.height:
            sure = severity == "error" and not all_new
            advice = "type the code again, as text, or name it with --new-codes" if sure else "is it a code?"
            message = f"it looks like a date that a spreadsheet made of another code: {advice}"
            cells = cells_of(part[ROW], part[name], message)
            findings.append(
                rows.group("error" if sure else "warning", "became-date", "turned into a date", name, cells)
            )
    return findings


def _nearly_held(
    fresh: pl.DataFrame, held_keys: pl.DataFrame, name: str, within: Sequence[str], plain: bool
) -> Iterator[tuple[int, list[str]]]:
    """Row → the held keys that its own looks like.

    Args:
        plain: the new keys are known to be plain ASCII.
    """
    fresh = fresh.filter(may_be_near(fresh[name], held_keys[name], plain))
    if not fresh.height:
        return
    held_keys = held_keys.filter(may_be_near(held_keys[name], fresh[name], False))

    def formed(frame: pl.DataFrame) -> pl.DataFrame:
        near = near_form(frame[name])
        return frame.with_columns(
            near.alias("near form"),
            near.str.replace_all("-", "", literal=True).alias("letters as digits"),
            bare_form(frame[name]).alias("letters as letters"),
        )

    first, second = formed(fresh), formed(held_keys).rename({name: "held code", "near form": "held form"})
    pairs = pl.concat(
        first.filter(pl.col(form).str.len_chars() > 0)
        .join(second.select(*within, form, "held code", "held form"), on=[*within, form], how="inner")
        .select(ROW, "near form", "held code", "held form")
        for form in ("letters as digits", "letters as letters")
    ).unique(maintain_order=True)
    for (row,), group in pairs.group_by(ROW, maintain_order=True):
        codes = [
            code
            for form, code, other in group.select("near form", "held code", "held form").iter_rows()
            if same_places(form, other)
        ]
        if codes:
            yield int(str(row)), sorted(codes)


def _slips(
    fresh: pl.DataFrame, held_keys: pl.DataFrame, name: str, within: Sequence[str]
) -> Iterator[tuple[int, list[str]]]:
    """Row → the one held key that a typing error or a cut could have turned into its own."""
    held_codes = held_keys.rename({name: "held code"})
    codes: dict[tuple[object, ...], OneEditAway] = {}
    for part, group in held_keys.group_by(within) if within else [((), held_keys)]:
        codes[part] = OneEditAway(group[name])
    slips: dict[int, list[str]] = {}
    for each in fresh.iter_rows(named=True):
        beside = codes.get(tuple(each[within_it] for within_it in within))
        near = beside.of(each[name]) if beside is not None else []
        slips[each[ROW]] = [other for other in near if is_slip(each[name], other)]
    cut = _cut_off(fresh, held_codes, [*within, name])
    for row in fresh[ROW]:
        found = slips[row] or cut.get(row, [])
        if len(found) == 1:
            yield row, found


def _cut_off(fresh: pl.DataFrame, known_codes: pl.DataFrame, on: Sequence[str]) -> dict[int, list[str]]:
    """Row → the held codes that its own code, the last of ``on``, may be the beginning of."""
    name = on[-1]
    cut: dict[int, list[str]] = {}
    for (length,), same_length in fresh.group_by(pl.col(name).str.len_chars()):
        begun = known_codes.with_columns(pl.col("held code").str.slice(0, int(str(length))).alias(name))
        begun = begun.join(same_length.select(on), on=on, how="semi")
        # What very many begin with is the beginning of a family, not a code cut off.
        begun = begun.filter(pl.len().over(on) <= FAMILY)
        pairs = same_length.join(begun, on=on, how="inner").select(ROW, name, "held code")
        for row, code, other in pairs.iter_rows():
            if is_cut_off(code, other):
                cut.setdefault(row, []).append(other)
    return cut


ENOUGH = 3
"""Fields that must agree: a name and a unit alone are no proof."""
NAMESAKES = 50
"""With more rows of one name that differ, the name tells them apart no more."""
TOO_MANY = 1_000
"""Nor with more rows of one name, whether they differ or not."""


def _agree(fields: Sequence[str]) -> pl.Expr:
    """Whether all values that a row has are those of the row beside it, and they are enough."""
    agrees = [pl.col(each).is_null() | pl.col(each).eq_missing(pl.col(f"held {each}")) for each in fields]
    filled = pl.sum_horizontal(pl.col(each).is_not_null().cast(pl.Int32) for each in fields)
    return pl.all_horizontal(agrees) & (filled >= ENOUGH - 1)


def _of_same_name(record: Record, state: SystemState, fields: Sequence[str], names: pl.Series) -> pl.DataFrame:
    """The system's rows with one of the names that tell rows apart: ``held key``, and ``held NAME`` for each field."""
    name, key = names.name, record.key[0]
    # What very many rows are called is not worth reading them all.
    namesakes = state.having(record, [], name, names)[name].value_counts(name="rows so called")
    told_apart = namesakes.filter(pl.col("rows so called") <= TOO_MANY)[name]
    if not len(told_apart):
        return pl.DataFrame(schema=dict.fromkeys(("held key", *(f"held {each}" for each in fields)), pl.String))
    names = names.filter(names.is_in(told_apart.implode()))
    held_rows = state.having(record, fields, name, names).select(
        pl.col(key).alias("held key"), *(pl.col(each).alias(f"held {each}") for each in fields)
    )
    # A name that many share says nothing, and would pair everything with everything.
    held_rows = held_rows.unique([f"held {each}" for each in fields], keep="first", maintain_order=True)
    return held_rows.filter(pl.len().over(f"held {name}") <= NAMESAKES)


def find_repeated(
    rows: Rows, state: SystemState, new: Callable[[], pl.Series], really_new: Collection[str] = ()
) -> list[FindingGroup]:
    """A finding at the key of each new row whose other values are all those of a row with another key; where the keys
    are made, of each whose name another row has.

    One such row may be a twin. Where most rows are so, the sheet was loaded before: an error.

    Args:
        new: Boolean for each row: the system does not have it.
        really_new: codes that are new whatever they look like, or :data:`ALL`.
    """
    fields = _told_apart_by(rows)
    is_made = _is_made(rows, rows.record.key[0])
    if len(fields) < (1 if is_made else ENOUGH):
        return []
    name, key = str(rows.record.called), rows.record.key[0]
    wanted = new() & rows.values[name].is_not_null() & ~rows.values[key].is_in(list(really_new)).fill_null(False)
    if not wanted.any():
        return []
    pairs = _pairs(rows, state, fields, wanted)
    others = [each for each in fields if each != name]
    same = pairs.filter(_agree(others) if others else pl.lit(False)).unique(ROW, keep="first").sort(ROW)
    # Where nobody typed a key, and nothing else identifies a row, its name alone says what it is.
    namesakes = pairs.filter(~pl.col(ROW).is_in(same[ROW].implode()) & is_made & ~_is_identified(rows))
    namesakes = namesakes.unique(ROW, keep="first").sort(ROW)
    is_usual = 2 * (same.height + namesakes.height) > rows.values.height
    findings = _repeated_findings(rows, same, namesakes, is_usual and ALL not in really_new)
    return [replace(each, option=("--match-on", name)) for each in findings] if is_made and is_usual else findings


def _told_apart_by(rows: Rows) -> list[str]:
    """The fields that tell rows with one name apart; none where rows have no name, or a key of several fields."""
    record = rows.record
    name, key = record.called, record.key[0]
    if len(record.key) > 1 or name is None or name not in rows.fields or name == key:
        return []
    return [each for each in rows.fields if each != key and not record.fields[each].is_kept]


def _pairs(rows: Rows, state: SystemState, fields: Sequence[str], wanted: pl.Series) -> pl.DataFrame:
    """Each wanted row with each row of the system that has the same name and another key."""
    key, name = rows.record.key[0], str(rows.record.called)
    held_rows = _of_same_name(rows.record, state, fields, rows.values[name].filter(wanted))
    fresh = rows.values.filter(wanted & rows.values[name].is_in(held_rows[f"held {name}"].implode()))
    pairs = fresh.select(ROW, key, *fields).join(held_rows, left_on=name, right_on=f"held {name}", how="inner")
    return pairs.filter(pl.col(key) != pl.col("held key"))


def _is_identified(rows: Rows) -> pl.Expr:
    """Whether a row fills a group of fields by which it is known besides its key."""
    groups = [group for group in rows.record.also_known_by if all(name in rows.fields for name in group)]
    filled = [pl.all_horizontal(pl.col(group).is_not_null()) for group in groups]
    return pl.any_horizontal(filled) if filled else pl.lit(False)


def _is_made(rows: Rows, key: str) -> bool:
    return key in rows.sources and rows.sources[key].make is not None


def _repeated_findings(rows: Rows, same: pl.DataFrame, namesakes: pl.DataFrame, are_errors: bool) -> list[FindingGroup]:
    """Findings on new rows that repeat an existing one, and on those that have its name: ``ROW``, the key, ``held key``."""
    key, title = rows.record.key[0], rows.record.fields[str(rows.record.called)].title.lower()
    severity: Severity = "error" if are_errors else "warning"
    advice = "use its code, or name yours with --new-codes" if are_errors else "is it the same? Then use its code"
    return [
        rows.group(
            severity, "repeats", words, key, cells_of(part[ROW], part[key], f"{what}: {advice}", part["held key"])
        )
        for part, words, what in (
            (same, "new code, but its data duplicates an existing one", "every other value equals an existing one"),
            (namesakes, f"a made code, but the {title} of an existing one", f"an existing one has the same {title}"),
        )
        if part.height
    ]
