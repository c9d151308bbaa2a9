"""Finds the system's rows for the sheet's rows, and picks the sheet's rows that are loaded."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing
from kotrel.core.description.model import Field, Record
from kotrel.core.errors import WrongUse
from kotrel.core.phrases import count, listed_and
from kotrel.core.resolving.other_codes import found_keys, holders, number_places
from kotrel.core.rows.findings import FindingGroup, RepairGroup, cells_of
from kotrel.core.rows.load_options import LoadOptions
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState, is_new
from kotrel.core.similarity import did_you_mean


def match_group(record: Record, name: str) -> tuple[str, ...]:
    """The fields by which rows are found with ``--match-on NAME``.

    A field of ``also_known_by`` needs the others of its group: a vendor's code means nothing without the vendor.

    Raises:
        WrongUse: the record has no such field.
    """
    if name not in record.fields:
        raise WrongUse(
            f"{record.name} has no field “{name}” to match on",
            did_you_mean(name, record.fields, f"kotrel records {record.name} lists them."),
            "no-such-field",
        )
    return next((group for group in record.also_known_by if name in group), (name,))


def _several_have_it(rows: Rows, name: str, part: pl.DataFrame, said: str) -> FindingGroup:
    messages = [
        f"{listed_and(keys[:3])} all have it" if len(keys) > 2 else f"{listed_and(keys)} both have it"
        for keys in part["all keys"]
    ]
    cells = cells_of(part[ROW], part[name], messages)
    return rows.group("error", "not-unique", f"several rows have this {said}", name, cells)


def match_rows(rows: Rows, name: str, state: SystemState) -> Rows:
    """Gives rows their key from the system by another field; none found, or several, is an error.

    A row that the system does not hold can be new if the sheet has a key for it.
    """
    record = rows.record
    group = match_group(record, name)
    key = list(record.key)
    missing = [each for each in group if each not in rows.fields]
    if missing:
        titles = listed_and([f"“{record.fields[each].title}”" for each in missing])
        message = f"no column is headed {titles}, which rows are to be matched on"
        return rows.with_findings(
            [rows.sheet_finding("error", "no-key-column", "the column to match on is missing", message)]
        )
    asked = rows.values.select(*group).with_row_index("row place").drop_nulls(list(group))
    holders_found = holders(record, group, asked, state, number_places(rows, group[-1]))
    many = holders_found.group_by("row place").agg(
        pl.concat_str([f"found {k}" for k in key], separator=" / ").sort().alias("all keys"),
        pl.len().alias("times found"),
    )
    known = [k for k in key if k in rows.fields]
    joined = (
        rows.values.select(ROW, *known, *(each for each in group if each not in known))
        .with_row_index("row place")
        .join(holders_found.unique("row place", keep="any"), on="row place", how="left", maintain_order="left")
        .join(many, on="row place", how="left", maintain_order="left")
    )
    field = record.fields[name]
    said = listed_and([record.fields[each].title.lower() for each in group])
    findings = []
    twice = joined["times found"].fill_null(0) > 1
    if (otherwise := joined.filter((pl.col("times found") == 1) & ~pl.col("is exact"))).height:
        findings.append(_otherwise(rows, name, otherwise[ROW], otherwise[name], otherwise["held code"]))
    if twice.any():
        findings.append(_several_have_it(rows, name, joined.filter(twice), said))
    findings += _not_found(rows, field, joined, known, said)
    for k in known:
        other = (joined[k] != joined[f"found {k}"]).fill_null(False) & ~twice
        if other.any():
            part = joined.filter(other)
            messages = [f"this {said} belongs to {one}; a load never changes a key" for one in part[f"found {k}"]]
            cells = cells_of(part[ROW], part[k], messages)
            findings.append(rows.group("error", "other-key", f"not the key that belongs to the {said}", k, cells))
    keys = [pl.coalesce(*([k] if k in known else []), f"found {k}").alias(k) for k in key]
    values = rows.values.with_columns(joined.select(keys).get_columns())
    # A row whose key is not found keeps its own; the finding says why it cannot be loaded.
    return replace(rows, values=values).with_findings(findings)


def _not_found(rows: Rows, field: Field, joined: pl.DataFrame, known: Sequence[str], said: str) -> list[FindingGroup]:
    """Rows that nothing in the system belongs to, and that have no key of their own.

    Args:
        joined: the rows with their keys and ``times found``.
        known: the fields of the key that the sheet has.
        said: the field that rows are matched on, in words.
    """
    record, key = rows.record, list(rows.record.key)
    if all(k in rows.fields or k in rows.sources for k in key) and any(
        rows.sources[k].make for k in key if k in rows.sources
    ):
        return []
    none = joined["times found"].is_null()
    keyless = (
        none if len(known) < len(key) else none & joined.select(pl.any_horizontal(pl.col(key).is_null())).to_series()
    )
    if not keyless.any():
        return []
    message = f"the system has no {record.title.lower()} with this {said}; a new one needs {listed_and(key)} too"
    blank = rows.values[field.name].is_null()
    return [
        *rows.where("error", "not-found", f"nothing has this {said}", field, keyless & ~blank, message),
        *rows.where("error", "missing", "must be filled", field, keyless & blank, "rows are matched on it"),
    ]


def match_own_codes(rows: Rows, state: SystemState) -> Rows:
    """Rows whose own code is that of an existing row, written in another way, get it as the system writes it.

    A code that is like several is an error; one that is like none is new, and stays as it is.
    """
    record, name = rows.record, rows.record.code
    group = (*(part for part in record.key if part != name), name)
    asked = rows.values.select(*group).with_row_index("row place").drop_nulls(list(group))
    found = (
        holders(record, group, asked, state, number_places(rows, name))
        .group_by("row place")
        .agg(pl.col("held code").unique().sort())
    )
    places = rows.values.select(ROW, pl.col(name).alias("before")).with_row_index("row place")
    places = places.join(found, on="row place", how="left", maintain_order="left")
    one = pl.when(pl.col("held code").list.len() == 1).then(pl.col("held code").list.first())
    places = places.with_columns(one.alias("after"))
    several = places.filter(pl.col("held code").list.len() > 1)
    if several.height:
        messages = [
            f"{listed_and(codes[:5])} are all written like it: use the one that is meant"
            for codes in several["held code"]
        ]
        cells = cells_of(several[ROW], several["before"], messages)
        rows = rows.with_findings(
            [rows.group("error", "not-unique", "several codes are written like this", name, cells)]
        )
    other = places.filter(pl.col("after") != pl.col("before"))
    if not other.height:
        return rows
    proof = pl.lit("the only existing code that is written like it, as --match-on asks").alias("proof")
    repaired = RepairGroup("other-case", name, rows.letters.get(name, ""), other.select(ROW, "before", "after", proof))
    values = rows.values.with_columns(places.select(pl.coalesce("after", "before").alias(name)).to_series())
    return replace(rows, values=values, repairs=(*rows.repairs, repaired))


def other_code_named(record: Record, name: str) -> tuple[str, str] | None:
    """``item_code.code``, or ``item_code`` alone, → the record and field of codes elsewhere that lead
    to this record's rows.
    """
    return next((dotted for dotted in record.other_codes if name in (".".join(dotted), dotted[0])), None)


def codes_in_key(rows: Rows, name: str) -> tuple[str, str] | None:
    """The record and field of the codes that the key column holds, where rows are matched on ``name``: another record's,
    or one of the rows' own fields for which the sheet has no column, such as the vendor's code; None where the key
    column holds keys.
    """
    record = rows.record
    if dotted := other_code_named(record, name):
        return dotted
    is_code = len(record.key) == 1 and any(group[-1] == name for group in record.also_known_by)
    has_column = name in rows.fields or record.key == (name,)
    return (record.name, name) if is_code and not has_column and record.key[0] in rows.letters else None


def match_other_codes(rows: Rows, dotted: tuple[str, str], state: SystemState) -> Rows:
    """Rows whose key column holds other codes get the keys that these lead to; one that leads nowhere is an error."""
    record, key = rows.record, rows.record.key[0]
    if key not in rows.fields:
        return rows
    field = state.description.records[dotted[0]].fields[dotted[1]]
    title = field.title.lower()
    led = _led_by(rows, dotted, state)
    if dotted[0] == record.name and not led["leads to"].is_not_null().any():
        # Nothing in the key column is such a code: the sheet lacks the column that was named.
        return match_rows(rows, dotted[1], state)
    is_own = state.are_known(record, rows.values[key]).fill_null(False)
    unknown = rows.values[key].is_not_null() & led["leads to"].is_null()
    about = record.fields[key]
    findings = []
    for part, message in (
        (unknown & ~is_own, f"the system has no {record.title.lower()} with this {title}"),
        (
            unknown & is_own,
            f"it is the own code of an existing one: write its {title}, or load such rows by themselves",
        ),
    ):
        findings += rows.where("error", "not-found", f"nothing has this {title}", about, part, message)
    several = led.filter(pl.col("leads to").list.len() > 1)
    if several.height:
        messages = [f"{listed_and(items[:5])} all have it: say which is meant" for items in several["leads to"]]
        cells = cells_of(several[ROW], several["before"], messages)
        findings.append(rows.group("error", "not-unique", f"several rows have this {title}", key, cells))
    one = pl.when(pl.col("leads to").list.len() == 1).then(pl.col("leads to").list.first())
    led = led.with_columns(one.alias("after"))
    both = led.filter(is_own & (pl.col("after") != pl.col("before")))
    if both.height:
        messages = [f"read as the {title} of {code}: is that meant?" for code in both["after"]]
        cells = cells_of(both[ROW], both["before"], messages)
        findings.append(rows.group("warning", "own-code", "also the own code of another one", key, cells))
    found = led.filter(pl.col("after").is_not_null())
    if (otherwise := found.filter(~pl.col("is exact"))).height:
        findings.append(_otherwise(rows, key, otherwise[ROW], otherwise["before"], otherwise["held code"]))
    proof = pl.lit(f"the {record.title.lower()} that has this {title}").alias("proof")
    repairs = [RepairGroup("other-code", key, rows.letters.get(key, ""), found.select(ROW, "before", "after", proof))]
    values = rows.values.with_columns(led.select(pl.coalesce("after", "before").alias(key)).to_series())
    return replace(rows, values=values, repairs=(*rows.repairs, *(repairs if found.height else ()))).with_findings(
        findings
    )


def _led_by(rows: Rows, dotted: tuple[str, str], state: SystemState) -> pl.DataFrame:
    """Where the other code in each row's key column leads: ``ROW``, the code as ``before``, ``leads to`` (a list of keys,
    null where it leads nowhere), ``held code`` as the system writes it, and ``is exact``.
    """
    record, key = rows.record, rows.record.key[0]
    about = state.description.records[dotted[0]]
    if about is record:
        # The vendor counts where the sheet says it.
        group = [name for name in match_group(record, dotted[1]) if name in rows.fields or name == dotted[1]]
        asked = rows.values.select(*group[:-1], pl.col(key).alias(dotted[1])).with_row_index("row place").drop_nulls()
        found = holders(about, group, asked, state, number_places(rows, key))
        return _places_led(rows, found.rename({f"found {key}": "leads to"}))
    reference = next(each.name for each in about.references if each.to == record.name and not each.within)
    asked = rows.values.select(pl.col(key).alias(dotted[1])).with_row_index("row place").drop_nulls()
    held = holders(about, (dotted[1],), asked, state, number_places(rows, key)).select(
        "row place", "held code", "is exact"
    )
    leads = state.having(about, [reference], dotted[1], held["held code"]).select(
        pl.col(dotted[1]).alias("held code"), pl.col(reference).alias("leads to")
    )
    return _places_led(rows, held.join(leads.drop_nulls(), on="held code", how="inner"))


def _places_led(rows: Rows, pairs: pl.DataFrame) -> pl.DataFrame:
    """The same from a row for each key that a code leads to: ``row place``, ``leads to``, ``held code``, ``is exact``."""
    key = rows.record.key[0]
    led = pairs.group_by("row place").agg(
        pl.col("leads to").unique().sort(), pl.col("held code").first(), pl.col("is exact").first()
    )
    places = rows.values.select(ROW, pl.col(key).alias("before")).with_row_index("row place")
    return places.join(led, on="row place", how="left", maintain_order="left")


def with_found_keys(rows: Rows, state: SystemState, options: LoadOptions) -> tuple[Rows, list[str]]:
    """Rows whose code is to be made, but which the system has by their other codes: they keep that row's code."""
    key = rows.record.key[0]
    keys_found = found_keys(rows, state)
    keys, several = keys_found.keys, keys_found.several
    findings = []
    for name in dict.fromkeys(name for name, _ in keys_found.otherwise.values()):
        places = sorted(place for place, (of, _) in keys_found.otherwise.items() if of == name and place not in several)
        if places:
            written, numbers = rows.values[name].gather(places), rows.values[ROW].gather(places)
            findings.append(
                _otherwise(rows, name, numbers, written, [keys_found.otherwise[place][1] for place in places])
            )
    if several:
        places = sorted(several)
        messages = [f"{listed_and(several[place][:3])} have its codes: say which is meant" for place in places]
        cells = cells_of([rows.values[ROW][place] for place in places], None, messages)
        findings.append(rows.group("error", "not-unique", "several rows have these codes", key, cells))
    if options.duplicates == "error":
        findings += _twice(rows, keys)
    known = int(keys.is_not_null().sum())
    remarks = (
        [f"{count(known, 'row')} found by other codes: no code is made for {'it' if known == 1 else 'them'}"]
        if known
        else []
    )
    values = rows.values.with_columns(pl.coalesce(pl.col(key), keys).alias(key)) if known else rows.values
    return replace(rows, values=values).with_findings(findings), remarks


def _twice(rows: Rows, keys: pl.Series) -> list[FindingGroup]:
    """Rows that would each get a code, although their other codes are the same."""
    key = rows.record.key[0]
    identified = _identified(rows)
    if "other codes" not in identified.columns:
        return []
    same = identified.select(pl.lit(rows.values[ROW]).alias(ROW), "other codes").filter(keys.is_null()).drop_nulls()
    twice = same.filter(pl.col("other codes").is_duplicated())
    if not twice.height:
        return []
    numbers = dict(twice.group_by("other codes").agg(ROW).iter_rows())
    letter = rows.letters.get(key)
    messages = []
    for row, code in twice.iter_rows():
        others = [rows.table.place(other, letter) for other in numbers[code] if other != row]
        messages.append(f"{listed_and(others[:3])} has the same other codes: each would get its own code")
    cells = cells_of(twice[ROW], None, messages)
    return [rows.group("error", "twice-in-sheet", "twice in the sheet", key, cells)]


def _otherwise(
    rows: Rows,
    name: str,
    numbers: pl.Series | list[int],
    values: pl.Series | list[str | None],
    held: pl.Series | list[str],
) -> FindingGroup:
    """A warning at each row that was found by a code which the system writes in another way."""
    messages = [f"found as “{code}”, which is written in another way: is it the same?" for code in held]
    cells = cells_of(numbers, values, messages)
    return rows.group("warning", "found-otherwise", "found by a code written in another way", name, cells)


def choose_rows(rows: Rows, options: LoadOptions, state: SystemState) -> tuple[Rows, list[str]]:
    """The rows to load, and what was left out, in words."""
    remarks: list[str] = []
    if not rows.has_key:
        return rows, remarks
    if options.duplicates != "error":
        rows, left = _without_doubles(rows, options.duplicates)
        if left:
            remarks.append(
                f"{count(len(left), 'row')} left out: the {options.duplicates} row with each key is used ({_list_rows(left)})"
            )
    if options.only is not None:
        new = is_new(rows, state)
        wanted = new if options.only == "new" else ~new
        left = rows.values.filter(~wanted)[ROW].to_list()
        if left:
            rows = replace(rows.only(wanted), left_out=len(left))
            what = "already there" if options.only == "new" else "not there yet"
            remarks.append(f"{count(len(left), 'row')} left out, {what} ({_list_rows(left)})")
    return rows, remarks


def _list_rows(rows: list[int]) -> str:
    some = ", ".join(str(row) for row in rows[:5])
    return f"row{'' if len(rows) == 1 else 's'} {some}" + (f" and {len(rows) - 5:,} more" if len(rows) > 5 else "")


def _without_doubles(rows: Rows, which: str) -> tuple[Rows, list[int]]:
    key = list(rows.record.key)
    keyed = rows.values.select(pl.all_horizontal(pl.col(key).is_not_null())).to_series()
    places = _identified(rows).with_row_index("sheet place")
    key = [name for name in places.columns if name != "sheet place"]
    if len(key) > len(rows.record.key):
        keyed = places.select(pl.any_horizontal(pl.col(key).is_not_null())).to_series()
    counts = places.group_by(key).agg(
        (pl.col("sheet place").min() if which == "first" else pl.col("sheet place").max()).alias("place kept")
    )
    keep = places.join(counts, on=key, how="inner", maintain_order="left", nulls_equal=True)
    wanted = (keep["sheet place"] == keep["place kept"]) | ~keyed
    return rows.only(wanted), rows.values.filter(~wanted)[ROW].to_list()


def _identified(rows: Rows) -> pl.DataFrame:
    """What identifies each row: its key or, where that is to be made, the first filled group of other codes."""
    key = list(rows.record.key)
    if len(key) > 1 or not (source := rows.sources.get(key[0])) or not source.make:
        return rows.values.select(key)
    groups = [group for group in rows.record.also_known_by if all(name in rows.fields for name in group)]
    texts = [
        pl.when(pl.all_horizontal(pl.col(group).is_not_null())).then(
            pl.concat_str(pl.lit(" ".join(group)), *group, separator="\x1f")
        )
        for group in groups
    ]
    other = pl.when(pl.col(key[0]).is_null()).then(pl.coalesce(*texts)) if texts else pl.lit(None, pl.String)
    return rows.values.select(*key, other.alias("other codes"))


def clear_blanks(rows: Rows, among: pl.Series | None = None) -> Rows:
    """Marks blank cells to clear what the system has, in every field that a column feeds and that may be blank.

    Args:
        among: Boolean for each row, if only some are meant.
    """
    marks = []
    for name in rows.fields:
        field = rows.record.fields[name]
        if name in rows.record.key or field.is_kept or name not in rows.letters or field.must == "always":
            continue
        blank = rows.values[name].is_null()
        if among is not None:
            blank = blank & among
        if clearing(name) in rows.values.columns:
            blank = blank | rows.values[clearing(name)]
        if blank.any():
            marks.append(blank.alias(clearing(name)))
    return replace(rows, values=rows.values.with_columns(marks)) if marks else rows
