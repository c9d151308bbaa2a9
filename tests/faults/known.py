"""Faults that no test can catch, because what they change cannot be seen from outside; each with the reason."""

_QUICK = "only a quicker way to the same: without it, the slow way gives the same"
_NONE_TWICE = "there are no two of the same to begin with"
_NO_OP = "where it makes a difference, there is nothing to be done"

HARMLESS: dict[str, dict[str, str]] = {
    "core/changes/system_remarks.py": {
        "not mine or not rows.has_key  →  not rows.has_key": _QUICK,
    },
    "core/readying/found_by.py": {
        "if not given.height: never": _QUICK,
    },
    "core/understanding/tidying/moments.py": {
        "~known.fill_null(False) & values.is_not_null()  →  ~known.fill_null(False)": "a blank is read as a blank",
    },
    "core/stock/reorder.py": {
        "level <= available  →  level < available": "level − available is nothing then",
    },
    "core/pricing/stakes.py": {
        'each.record.name == "price" and {"item", "amount"} <= set(each.fields)  →  {"item", "amount"} <= set(each.fields)': "without the unit and the break, nothing is known of the price before",
        'each.record.name == "price" and {"item", "amount"} <= set(each.fields)  →  each.record.name == "price"': "without the unit and the break, nothing is known of the price before",
        '(pl.col(ACTION) == "changed") & pl.col(name).is_not_null()  →  pl.col(name).is_not_null()': "a change from a blank, or to one, is left out later, and so is what stays the same",
        '(pl.col(ACTION) == "changed") & pl.col(name).is_not_null()  →  pl.col(ACTION) == "changed"': "a change from a blank, or to one, is left out later, and so is what stays the same",
        '(pl.col(ACTION) == "changed") & pl.col(name).is_not_null() & pl.col…  →  pl.col(before(name)).is_not_null()': "a change from a blank, or to one, is left out later, and so is what stays the same",
        '{"item", "amount"} <= set(each.fields)  →  {"item", "amount"} < set(each.fields)': "without the unit and the break, nothing is known of the price before",
        "not rows.height or any(name not in changes.fields for name in _BREAK)  →  any(name not in changes.fields for name in _BREAK)": _QUICK,
    },
    "core/readying/list_additions.py": {
        "target.path is None or source is None or not source.last or len(sou…  →  target.path is None": "a single column has no levels, and says so itself",
        "target.path and parents.height  →  parents.height": "what has no level above gets a blank",
        "target.path and parents.height  →  target.path": "what has no level above gets a blank",
        "target.called and target.called != target.code  →  target.called": _NO_OP,
        "if not chosen: never": _QUICK,
        'above or ""  →  above': "no code is blank",
    },
    "core/changes/seal.py": {
        "mine.height == count  →  mine.height >= count": "a slice is never longer",
    },
    "core/understanding/choosing.py": {
        'how="left"  →  inner': "every row that is kept has its group",
    },
    "core/readying/other_codes.py": {
        "len(record.key) > 1 or not len(values)  →  len(record.key) > 1": _QUICK,
        "value in wanted and code is not None and value != code  →  value in wanted": "what nobody asked for is never looked up, and a blank is no code",
        "if name == key: never": "a code is no other code of its own row",
        "key in group or any(name not in rows.fields for name in group)  →  any(name not in rows.fields for name in group)": "the key is blank there, so that a group with it is not filled",
        "each.to == record.name and not each.within  →  each.to == record.name": "a record of one key field is never referred to within others",
        "if not asked.height: never": _QUICK,
        "value in wanted and code is not None and value != code  →  value != code": "what nobody asked for is never looked up",
    },
    "core/counting/variance.py": {
        "str | None  →  str": "a type",
        "len(set(times)) > 1 and moved.held_at(place.key, min(map(str, times…  →  moved.held_at(place.key, min(map(str, times))) != moved.held_at(pla…": "at one time, a place holds one quantity",
    },
    "core/readying/renamed.py": {
        "if not missing or not strange: never": _NO_OP,
        "not missing or not strange  →  not missing": _NO_OP,
        "not missing or not strange  →  not strange": _NO_OP,
    },
    "core/changes/journal.py": {
        "each.number == number  →  each.number >= number": "entries come in order, without gaps"
    },
    "core/understanding/tidying/amounts.py": {
        'mark is None and (contradicts or proved == "," or numbers.doubtful_…  →  mark is None': _QUICK,
        "first is not None and second is not None  →  second is not None": "an ambiguous number can be read both ways",
        "first is not None and second is not None  →  first is not None": "an ambiguous number can be read both ways",
        "len(value.as_tuple().digits) <= 15  →  len(value.as_tuple().digits) < 15": "15 digits rounded to 15 are the same",
        'mark is None and bool(texts.str.contains(",", literal=True).any())  →  bool(texts.str.contains(",", literal=True).any())': "a mark that is set is used",
        'mark_setting != "auto" or not numbers.doubtful_points(texts)  →  mark_setting != "auto"': _QUICK,
        'if decimals != 3 and mark_setting != "," and bool(values.str.contains(…: never': _QUICK,
        'decimals != 3 and mark_setting != "," and bool(values.str.contains(…  →  decimals != 3': _QUICK,
        "if bool(values.str.contains(_fixed(decimals)).all()): never": _QUICK,
        "if odd.any(): never": _QUICK,
        'mark is None and (contradicts or proved == "," or numbers.doubtful_…  →  contradicts or proved == "," or numbers.doubtful_points(texts)': _QUICK,
    },
    "core/understanding/tidying/column.py": {
        "bool(seen.str.contains(_CLEAN).all()) or not bool(seen.str.contains…  →  not bool(seen.str.contains(_STRAY).any())": _QUICK,
        "if not distinct: never": _QUICK,
        "without .filter(odd)": "what is plain is read as itself",
        "if bool(seen.str.contains(_CLEAN).all()) or not bool(seen.str.contains(_…: never": _QUICK,
        "if bool(seen.str.contains(_CLEAN).all()) or not bool(seen.str.contains…: never": _QUICK,
        'if not bool(values.str.starts_with("\'").any()): never': _QUICK,
    },
    "core/understanding/tidying/terms.py": {
        'nearest(text, about.choices) or ""  →  nearest(text, about.choices)': "no suggestion is shown either way",
    },
    "core/understanding/tidying/days.py": {
        "without .filter(odd)": "a date in the plain form says nothing about the order of the others",
        "if not odd.any(): never": _QUICK,
        "~plain.fill_null(False) & values.is_not_null()  →  ~plain.fill_null(False)": "a blank is read as a blank",
    },
    "core/readying/barcode_repairs.py": {
        "length > len(value)  →  length >= len(value)": "a barcode of a full length is left alone before",
        "~lengths.is_in(list(GTIN_LENGTHS))  →  lengths.is_in(list(GTIN_LENGTHS))": _QUICK,
        "without .filter(digits)": _QUICK,
        "if not (~lengths.is_in(list(GTIN_LENGTHS))).any(): never": _QUICK,
        "if bool(values.str.len_bytes().is_in([*GTIN_LENGTHS]).all()) and value…: never": _QUICK,
        "bool(values.str.len_bytes().is_in([*GTIN_LENGTHS]).all()) and value…  →  values.str.len_bytes().n_unique() < 2": _QUICK,
        "if len(key) > 1 or key[0] not in rows.fields or key[0] == name: never": _NO_OP,
    },
    "core/readying/repairing.py": {
        "letter is None  →  letter is not None": "a date cell has the shape of a date, which is looked for anyway",
        "(code := spellings.get(folded(value))) in self.codes and code is no…  →  (code := spellings.get(folded(value))) in self.codes": "no code is blank",
        "if not len(unknown): never": _QUICK,
        "if not len(distinct): never": _QUICK,
        "value != plain(value) and value not in dates  →  value != plain(value)": "a date is plain already",
        "if bool((column.values.str.len_bytes() == column.values.str.len_chars()).…: never": _QUICK,
        "without .filter(~distinct.is_in(state.known_codes(record, distinct).implode()))": "a known code is its own only candidate",
    },
    "core/readying/lost_codes.py": {
        "if letter is None: never": "a made value has no cell, and so no kind",
        'seen.str.contains(SHAPED_LIKE_DATE) & seen.str.contains("[a-z]")  →  seen.str.contains(SHAPED_LIKE_DATE)': _QUICK,
        'values.str.contains(SHAPED_LIKE_DATE) & values.str.contains("[a-z]")  →  values.str.contains("[a-z]")': _QUICK,
        'seen.str.contains(SHAPED_LIKE_DATE) & seen.str.contains("[a-z]")  →  seen.str.contains("[a-z]")': _QUICK,
        'values.str.contains(SHAPED_LIKE_DATE) & values.str.contains("[a-z]"…  →  values.str.contains(SHAPED_LIKE_DATE) & values.str.contains("[a-z]")': "a date cell is ISO, without letters",
        'if isinstance(kinds, str) and kinds == "text" and not in_exponent_form: never': _QUICK,
    },
    "core/readying/three_way.py": {
        "loaded is None or not loaded.height  →  loaded is None": _NO_OP,
        "gone & edited_rows  →  gone": "the rows are left out with their findings",
        'if field.is_decimal or field.kind in ("date", "moment", "yes_no", "choi…: never': "equal values in another form are equal already",
        'Literal["sheet", "system"] | None  →  Literal["sheet", "system"]': "a type",
        "name not in key and name in base.columns  →  name in base.columns": "a key is never blank and never edited",
        'both.any() and clash == "system"  →  clash == "system"': _NO_OP,
        "if not differs.any(): never": _QUICK,
        "if not broken: never": _QUICK,
    },
    "core/readying/untouched.py": {
        "same | (exported & (numbers[0] == numbers[1]).fill_null(False))  →  same": "the comparison with the export finds the same once more",
        "exported & (stands.eq_missing(before) | (_blank(stands) & _blank(be…  →  stands.eq_missing(before) | (_blank(stands) & _blank(before))": "without an exported row, there is no value that could differ",
        "same & rows.values[clears]  →  rows.values[clears]": "what is cleared otherwise stays so",
        "clears in rows.values.columns and (same & rows.values[clears]).any()  →  clears in rows.values.columns": _NO_OP,
    },
    "core/readying/repeated.py": {
        "new() & rows.values[name].is_not_null()  →  new()": "a blank name is joined to none",
        "pl.all_horizontal(agrees) & (filled >= ENOUGH - 1) & (pl.col(key) !…  →  pl.all_horizontal(agrees) & (filled >= ENOUGH - 1)": "a key that is new is not the key of a row that the system holds",
        'keep="first"  →  last': "of several that are the same, any may be named",
    },
    "core/readying/near_keys.py": {
        "if not wanted.any(): never": _QUICK,
        "if not held.height: never": _QUICK,
        "new() & rows.values[name].is_not_null()  →  new()": "a blank has no form that another could look like",
    },
    "core/readying/row_lookup.py": {
        "if other == last: never": "what is found twice counts once",
        "other == last  →  other >= last": "what is found twice counts once",
    },
    "core/readying/filling.py": {
        "name in values.columns  →  name not in values.columns": _QUICK,
        "not wanted or not any(name in rows.fields for name in record.key if…  →  not any(name in rows.fields for name in record.key if name not in w…": _NO_OP,
        "if len(made) != values.height: never": "a single value counts for every row anyway",
        "len(state) == values.height  →  len(state) >= values.height": "an expression gives one value, or one for each row",
        "if name in values.columns and not former.null_count(): never": _QUICK,
        "if not (chosen & former.is_null()).any(): never": _NO_OP,
        "if not (applies & former.is_null()).any(): never": _NO_OP,
        "if not new().any(): never": _QUICK,
        "if not filled.any(): never": _NO_OP,
        "name in values.columns and not former.null_count()  →  not former.null_count()": _QUICK,
        "if not fillable.any(): never": _NO_OP,
        "source.default_by is not None and source.default_by in rows.values.…  →  source.default_by in rows.values.columns": _NO_OP,
    },
    "core/checking/present.py": {"if carried and not rows.values[name].null_count(): never": _QUICK},
    "core/checking/keys.py": {
        "values.slice(1) == values.slice(0, len(values) - 1)  →  values.slice(1) >= values.slice(0, len(values) - 1)": _QUICK,
        "if values.is_sorted(): never": _QUICK,
        "len(values) > 1  →  len(values) >= 1": _QUICK,
        "if keyed.n_unique() == keyed.height if len(key) > 1 else all_different(key…: never": _QUICK,
    },
    "core/checking/unique.py": {
        'without .filter(parts["one value"].is_duplicated())': _QUICK,
        'if all_different(parts["one value"]): never': _QUICK,
        "if not clash.height: never": _NO_OP,
        "if parts.height: never": _NO_OP,
    },
    "core/checking/across.py": {
        "len(keyed) == len(parts)  →  len(keyed) >= len(parts)": "there are never more",
    },
    "core/checking/rules.py": {
        'rows.values[reference].is_not_null() & ( there["is known"] & (there…  →  there["is known"] & (there["value there"] != value).fill_null(True)': "a blank refers to no known row",
    },
    "core/checking/circles.py": {"if not own.height: never": _NO_OP},
    "core/checking/codes.py": {
        "if not bad.height: never": _NO_OP,
        'without .filter(pl.col("value").is_not_null())': "a blank has no length, and no wrong one",
    },
    "core/checking/together.py": {
        "if not partial.any(): never": _NO_OP,
    },
    "core/checking/dependents.py": {
        "not own or all(rows.values[field.name].null_count() == rows.values.…  →  not own": _QUICK,
        "if not bad.any(): never": _NO_OP,
    },
    "core/changes/change_set.py": {
        "len(changes) < 2 or not own  →  not own": _QUICK,
        "without .filter(pl.col(ROW) > 0)": "no row has the number 0, so that nothing is joined to it",
        "not changed.height or not others  →  not others": _QUICK,
    },
    "core/changes/reversal.py": {
        '(pl.col(ACTION) == "new") & pl.col("is held")  →  pl.col(ACTION) == "new"': "a row that is gone has no fields filled since",
    },
    "core/checking/shape.py": {
        "after_point > decimals  →  after_point >= decimals": _QUICK,
        "field.least is not None and (field.least != 0 or bool(values.str.st…  →  field.least is not None": _QUICK,
    },
    "core/pipeline.py": {
        "len(parts) > 1  →  len(parts) >= 1": "one part has nothing in common with another",
        "without changes.sort(key=lambda each: order.index(each.record.name))": "what a part creates comes right before it, and no earlier part refers to it",
        "name not in now.columns  →  name in now.columns": "it is read once more",
        "now is None or any(name not in now.columns for name in carried)  →  any(name not in now.columns for name in carried)": _NO_OP,
        "if caused: never": _NO_OP,
        "not mine or not rows.has_key  →  not rows.has_key": _NO_OP,
    },
    "systems/sql/exactness.py": {
        'field.kind in ("yes_no", "reference") or raw.split() == read.split()  →  raw.split() == read.split()': "what is read as a word or a code is brought back exactly",
        'field.kind == "date" and raw.startswith(read)  →  raw.startswith(read)': "only dates are shown shorter than they are held",
        "if not exact: never": "a described column is always there",
        "frame[raw_before(name)].null_count() < frame.height  →  frame[raw_before(name)].null_count() <= frame.height": "a column of blanks says nothing",
    },
    "systems/sql/reading_back.py": {
        "if not odd.height: never": "without rows, nothing is noted",
        'without database.run(f"DROP TABLE {temporary}")': "it is dropped before it is made again",
    },
    "systems/sql/staging.py": {
        'without .filter(pl.col(ACTION) != "refused")': "refused rows have no action that is carried out",
        'without .filter(pl.col(ACTION) == "changed")': "more cells are asked whether they change",
        'without .filter(pl.col(ACTION).is_in(["new", "changed", "removed"]))': "rows that stay the same are staged and then passed over",
        'without database.run(f"ANALYZE {table}")': "only quicker with it",
    },
    "systems/sql/merging.py": {
        "blanks == new.height  →  blanks >= new.height": "there are never more",
        "self.acting and not only  →  not only": _QUICK,
        'database.dialect != "postgresql"  →  database.dialect == "postgresql"': "only from 50,000 removed rows on",
        "field.to == store.record.name and store.target_by_id(field) and fie…  →  field.to == store.record.name": "inserted without it and then updated, the row is the same",
        'field.unique and field.kind != "list"  →  field.kind != "list"': "what is emptied is filled in the next statement",
        'field.unique and field.kind != "list"  →  field.unique': "what is emptied is filled in the next statement",
        "len(key) > 1  →  len(key) >= 1": "another way to say the same in SQL",
        'database.dialect == "postgresql" or len(key) > 1  →  len(key) > 1': "another way to say the same in SQL",
        "low == high  →  low >= high": "the first is never after the last",
        'counts["changed"] and touched  →  counts["changed"]': "a changed row has a touched field",
        'database.dialect != "postgresql" or store.plain or rows < MANY  →  rows < MANY': "only from 50,000 removed rows on",
        'if database.dialect != "postgresql" or store.plain or rows < MANY: never': "only from 50,000 removed rows on",
    },
}
"""File → fault → why it does no harm."""
