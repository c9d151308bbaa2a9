"""Faults that no test can catch, because what they change cannot be seen from outside; each with the reason."""

_QUICK = "only a quicker way to the same: without it, the slow way gives the same"
_NONE_TWICE = "there are no two of the same to begin with"
_NO_OP = "where it makes a difference, there is nothing to be done"

HARMLESS: dict[str, dict[str, str]] = {
    "core/changes/system_remarks.py": {
        "not mine or not rows.has_key  →  not rows.has_key": _QUICK,
    },
    "core/resolving/repairing.py": {
        'odd.str.contains(SHAPED_LIKE_DATE) & odd.str.contains("[a-z]")  →  odd.str.contains(SHAPED_LIKE_DATE)': _QUICK,
        'odd.str.contains(SHAPED_LIKE_DATE) & odd.str.contains("[a-z]")  →  odd.str.contains("[a-z]")': _QUICK,
        "if not found_by and column.values.null_count() == len(column.values): never": _QUICK,
        "if not given.height: never": _QUICK,
        "letter is None  →  letter is not None": "a date cell has the shape of a date, which is looked for anyway",
        "if not len(unknown): never": _QUICK,
        "if not len(distinct): never": _QUICK,
        "if bool((column.values.str.len_bytes() == column.values.str.len_chars(…: never": _QUICK,
        "without .filter(~distinct.is_in(state.known_codes(record, distinct).implode()))": "a known code is its own only candidate",
        "if letter is None: never": "a made value has no cell, and so no kind",
        'values.str.contains(SHAPED_LIKE_DATE) & values.str.contains("[a-z]")  →  values.str.contains("[a-z]")': _QUICK,
        'values.str.contains(SHAPED_LIKE_DATE) & values.str.contains("[a-z]"…  →  values.str.contains(SHAPED_LIKE_DATE) & values.str.contains("[a-z]")': "a date cell is ISO, without letters",
        'if isinstance(kinds, str) and kinds == "text" and not in_exponent_form: never': _QUICK,
    },
    "core/normalizing/by_kind.py": {
        "if done.values.equals(few): never": _QUICK,
    },
    "core/normalizing/date_columns.py": {
        "~known.fill_null(False) & values.is_not_null()  →  ~known.fill_null(False)": "a blank is read as a blank",
        "without .filter(odd)": "a date in the plain form says nothing about the order of the others",
        "if not odd.any(): never": _QUICK,
    },
    "core/stock/reorder.py": {
        "level <= available  →  level < available": "level − available is nothing then",
    },
    "core/pricing/price_impact.py": {
        '(pl.col(ACTION) == "changed") & pl.col(name).is_not_null()  →  pl.col(name).is_not_null()': "a change from a blank, or to one, is left out later, and so is what stays the same",
        '(pl.col(ACTION) == "changed") & pl.col(name).is_not_null()  →  pl.col(ACTION) == "changed"': "a change from a blank, or to one, is left out later, and so is what stays the same",
        '(pl.col(ACTION) == "changed") & pl.col(name).is_not_null() & pl.col…  →  pl.col(before(name)).is_not_null()': "a change from a blank, or to one, is left out later, and so is what stays the same",
        '{"item", "amount"} <= set(part.fields)  →  {"item", "amount"} < set(part.fields)': "without the unit and the break, nothing is known of the price before",
        "not rows.height or any(name not in changes.fields for name in _BREAK)  →  any(name not in changes.fields for name in _BREAK)": _QUICK,
    },
    "core/resolving/list_additions.py": {
        "target.path is None or source is None or not source.last or len(sou…  →  target.path is None": "a single column has no levels, and says so itself",
        "target.path and parents.height  →  parents.height": "what has no level above gets a blank",
        "target.path and parents.height  →  target.path": "what has no level above gets a blank",
        "target.called and target.called != target.code  →  target.called": _NO_OP,
        "if not chosen: never": _QUICK,
        'above or ""  →  above': "no code is blank",
    },
    "core/changes/seal.py": {
        "if copy.height != source.height: never": _QUICK,
        'sum(rows.height for rows in lines.until(last)) == int(part["rows"])  →  sum(rows.height for rows in lines.until(last)) >= int(part["rows"])': "no two lines have one number, so that there are never more",
    },
    "core/matching/row_choice.py": {
        'how="left"  →  inner': "every row that is kept has its group",
    },
    "core/resolving/other_codes.py": {
        "len(record.key) > 1 or not len(values)  →  len(record.key) > 1": _QUICK,
        "if name == key: never": "a code is no other code of its own row",
        "key in group or any(name not in rows.fields for name in group)  →  any(name not in rows.fields for name in group)": "the key is blank there, so that a group with it is not filled",
        "each.to == record.name and not each.within  →  each.to == record.name": "a record of one key field is never referred to within others",
        "if not asked.height: never": _QUICK,
    },
    "core/resolving/exported_sheets.py": {
        "if not missing or not strange: never": _NO_OP,
        "not missing or not strange  →  not missing": _NO_OP,
        "not missing or not strange  →  not strange": _NO_OP,
        "same & rows.values[clears]  →  rows.values[clears]": "what is cleared otherwise stays so",
        "clears in rows.values.columns and (same & rows.values[clears]).any()  →  clears in rows.values.columns": _NO_OP,
    },
    "core/changes/journal.py": {
        "each.number == number  →  each.number >= number": "entries come in order, without gaps"
    },
    "core/normalizing/amounts.py": {
        'pl.int_range(pl.len()).over("form") < numbers.ENOUGH_WITNESSES  →  pl.int_range(pl.len()).over("form") <= numbers.ENOUGH_WITNESSES': "a third of the same form decides nothing else",
        "first is not None and second is not None  →  second is not None": "an ambiguous number can be read both ways",
        "first is not None and second is not None  →  first is not None": "an ambiguous number can be read both ways",
        'if decimals != 3 and mark_setting != "," and bool(values.str.contains(…: never': _QUICK,
        'decimals != 3 and mark_setting != "," and bool(values.str.contains(…  →  decimals != 3': _QUICK,
        "if bool(values.str.contains(_fixed(decimals)).all()): never": _QUICK,
        "if odd.any(): never": _QUICK,
    },
    "core/normalizing/column.py": {
        "if not distinct: never": _QUICK,
        "without .filter(odd)": "what is plain is read as itself",
    },
    "core/normalizing/terms.py": {
        'nearest(text, about.choices) or ""  →  nearest(text, about.choices)': "no suggestion is shown either way",
    },
    "core/resolving/three_way.py": {
        "loaded is None or not loaded.height  →  loaded is None": _NO_OP,
        "gone & edited_rows  →  gone": "the rows are left out with their findings",
        'if field.is_decimal or field.kind in ("date", "moment", "yes_no", "cho…: never': "equal values in another form are equal already",
        "if not broken: never": _QUICK,
        "if not emptied.any(): never": _QUICK,
    },
    "core/resolving/near_duplicates.py": {
        "new() & rows.values[name].is_not_null()  →  new()": "a blank name is joined to none",
        'keep="first"  →  last': "of several that are the same, any may be named",
        "if not wanted.any(): never": _QUICK,
        "if not held_keys.height: never": _QUICK,
    },
    "core/resolving/filling.py": {
        "name in values.columns  →  name not in values.columns": _QUICK,
        "if name in values.columns and not former.null_count(): never": _QUICK,
        "if not (applies & former.is_null()).any(): never": _NO_OP,
        "if not new().any(): never": _QUICK,
        "if not filled.any(): never": _NO_OP,
        "name in values.columns and not former.null_count()  →  not former.null_count()": _QUICK,
        "if not fillable.any(): never": _NO_OP,
        "source.default_by is not None and source.default_by in rows.values.…  →  source.default_by in rows.values.columns": _NO_OP,
    },
    "core/checking/keys.py": {
        "if all_keys_differ(rows, state): never": _QUICK,
    },
    "core/checking/alphabets.py": {
        "if not len(seen): never": _QUICK,
    },
    "core/checking/unique.py": {
        'without .filter(mine["one value"].ne_missing(rows.values[name]))': _QUICK,
        'without .filter(parts["compared value"].is_duplicated())': _QUICK,
        'if all_different(parts["compared value"]): never': _QUICK,
        "if not clash.height: never": _NO_OP,
        "if parts.height: never": _NO_OP,
    },
    "core/checking/check_digits.py": {
        "if not bad.height: never": _NO_OP,
        'without .filter(pl.col("value").is_not_null())': "a blank has no length, and no wrong one",
    },
    "core/checking/field_groups.py": {
        "if not partial.any(): never": _NO_OP,
    },
    "core/checking/dependents.py": {
        "if not bad.any(): never": _NO_OP,
    },
    "core/changes/change_set.py": {
        "not changed.height or not others  →  not others": _QUICK,
    },
    "core/changes/row_comparison.py": {
        "without .filter(pl.col(ROW) > 0)": "no row has the number 0, so that nothing is joined to it",
    },
    "core/changes/reversal.py": {
        '(action == "new") & self.is_held  →  action == "new"': "a row that is gone has no fields filled since",
    },
    "core/checking/shape.py": {
        "after_point > decimals  →  after_point >= decimals": _QUICK,
    },
    "core/loading/pipeline.py": {
        "name in now.columns  →  name not in now.columns": "it is read once more",
        "if len(sheets) == 1 or not any(_looks_at_its_own(each) for each in she…: never": _QUICK,
        "len(sheets) == 1 or not any(_looks_at_its_own(each) for each in she…  →  len(sheets) == 1": _QUICK,
        "len(sheets) == 1 or not any(_looks_at_its_own(each) for each in she…  →  not any(_looks_at_its_own(each) for each in sheets)": _QUICK,
        "if all(part.book is None for part in parts): never": _QUICK,
        "record.fields[name].to == record.name  →  record.fields[name].to >= record.name": "the rows of other sheets are joined, and nothing refers to them",
        "len(parts) > 1  →  len(parts) >= 1": "one part has nothing in common with another",
        "without changes.sort(key=lambda each: order.index(each.record.name))": "what a part creates comes right before it, and no earlier part refers to it",
    },
    "systems/sql/exactness.py": {
        'field.kind in ("yes_no", "reference") or raw.split() == read.split()  →  raw.split() == read.split()': "what is read as a word or a code is brought back exactly",
        'field.kind == "date" and raw.startswith(read)  →  raw.startswith(read)': "only dates are shown shorter than they are held",
        "if not exact: never": "a described column is always there",
        "frame[raw_before(name)].null_count() < frame.height  →  frame[raw_before(name)].null_count() <= frame.height": "a column of blanks says nothing",
    },
    "systems/sql/reading_back.py": {
        "if not odd.height: never": "without rows, nothing is noted",
    },
    "systems/sql/staging.py": {
        'without .filter(pl.col(ACTION).is_in(["new", "changed", "removed"]))': "rows that stay the same are staged and then passed over",
    },
    "systems/sql/merging.py": {
        "blanks == new.height  →  blanks >= new.height": "there are never more",
        "self.acting and not only  →  not only": _QUICK,
        'field.unique and field.kind != "list"  →  field.kind != "list"': "what is emptied is filled in the next statement",
        'field.unique and field.kind != "list"  →  field.unique': "what is emptied is filled in the next statement",
        'counts["changed"] and touched  →  counts["changed"]': "a changed row has a touched field",
    },
    "core/tables/number_display.py": {
        "how.mask and is_code_of(shown := masked(held, how.mask).strip(), held)  →  is_code_of(shown := masked(held, how.mask).strip(), held)": "without a mask, a number is shown as it is",
    },
    "sheets/ods_formats.py": {
        'if b"line-through" not in content and b"line-through" not in named: never': _QUICK,
    },
    "core/tables/headings.py": {
        "if len(heading) > _LONGEST: never": _QUICK,
    },
}
"""File → fault → why it does no harm."""
