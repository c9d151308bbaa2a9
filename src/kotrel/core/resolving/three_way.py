"""Three-way comparison: what the sheet was exported with, what the system holds now, and what the sheet says.

Only cells that were edited in the sheet are loaded. What has changed in the system since and was not edited stays as it
is. A cell edited here and changed there is a clash: it is reported with all three values, so that nobody's change is
lost.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.columns import ROW, clearing, worded
from kotrel.core.description.in_words import shown_column
from kotrel.core.description.model import Field, Record
from kotrel.core.phrases import count
from kotrel.core.rows.beside import Beside, beside
from kotrel.core.rows.findings import FindingGroup, RepairGroup, cells_of
from kotrel.core.rows.rows import Rows
from kotrel.core.values.spreadsheet_damage import could_become

Clash = Literal["sheet", "system"] | None


class ExportBase(Struct, frozen=True):
    """What a sheet was exported with.

    Attributes:
        rows: the record's rows as they were exported: String columns.
        loaded: what was loaded from the same sheet since: the key and fields, blank where nothing was loaded, with
            ``loaded FIELD`` (Boolean) for each; None where nothing was.
    """

    rows: pl.DataFrame
    loaded: pl.DataFrame | None = None


class RoundTrip(Struct, frozen=True):
    """The rows of a sheet that came from an export, with only their edited cells.

    Attributes:
        rows: unedited cells are blank, so that they change nothing; clashes are findings.
        remarks: what was left unchanged and why, in words.
    """

    rows: Rows
    remarks: tuple[str, ...]


def only_edited(
    rows: Rows, base: pl.DataFrame, now: pl.DataFrame, clash: Clash = None, clear: bool = False
) -> RoundTrip:
    """Keeps only what was edited since the export.

    Args:
        base: what was exported, or loaded from the sheet since: the key and the fields the sheet carries.
        now: what the system holds for these keys: the key and the same fields.
        clash: whose value to use where both have changed it; with None it is an error.
        clear: True where an emptied cell clears the value.
    """
    record = rows.record
    fields = [name for name in rows.fields if name not in record.key and name in base.columns]
    values = rows.values
    export, system = beside(values, base, record.key), beside(values, now, record.key)
    exported, in_system = export.is_there, system.is_there
    columns: list[pl.Series] = []
    findings: list[FindingGroup] = []
    repairs: list[RepairGroup] = []
    edited_rows = pl.Series([False], dtype=pl.Boolean).new_from_index(0, values.height)
    moved_cells = emptied_cells = clashed = 0
    settled: dict[str, pl.Series] = {}
    lost = False
    nothing = pl.Series([None], dtype=pl.String).new_from_index(0, values.height)

    def only(says: pl.Series, wanted: pl.Series) -> pl.Series:
        # The columns in which nobody edited anything share one blank column.
        return (says.set(~wanted, None) if wanted.any() else nothing).alias(says.name)

    for name in fields:
        field = record.fields[name]
        was, stands, says = export.column(name), system.column(name), values[name]
        clears = values[clearing(name)] if clearing(name) in values.columns else None
        differs = exported & says.ne_missing(was)
        damaged = _damaged(field, says, was, differs) if differs.any() else None
        if damaged is not None:
            differs = differs & ~damaged
            settled[name] = damaged
            repairs.append(_as_exported(rows, name, says.filter(damaged), was.filter(damaged), damaged))
            lost = lost | says.filter(damaged).str.contains("?", literal=True).any()
        edited, clears, ignored = _edited(exported, differs, says.is_null(), clears, clear and not field.is_kept)
        emptied_cells += ignored
        edited_rows = edited_rows | edited
        moved = exported & in_system & stands.ne_missing(was)
        if field.is_kept:
            # What the system keeps has changed since; only an edited figure is worth reporting.
            columns.append(only(says, edited | ~exported))
            continue
        left_alone = moved & ~edited
        moved_cells += int(left_alone.sum())
        both = edited & moved & says.ne_missing(stands)
        if clash is None and both.any():
            said = pl.DataFrame({ROW: values[ROW], "says": says, "was": was, "stands": stands}).filter(both)
            findings.append(_clashes(rows, name, said))
        elif clash is not None:
            clashed += int(both.sum())
            edited, clears = _settled(edited, clears, both, clash)
        if clears is not None:
            columns.append(clears.alias(clearing(name)))
        # A field that every row must have stays: it is unchanged, and blank it would be an error.
        columns.append(says if field.must == "always" else only(says, edited | ~exported))
    findings += _lost_letters(rows, export, edited_rows, fields) if lost else []
    gone = exported & ~in_system
    if gone.any():
        columns = _with_gone(columns, rows, gone, clash)
        findings += _find_gone_rows(rows, gone & edited_rows) if clash is None else []
    done = replace(
        rows,
        values=values.with_columns(columns),
        findings=(*_drop_settled(rows.findings, settled, values[ROW]), *findings),
        repairs=(*rows.repairs, *repairs),
    )
    leave = _leave(gone, edited_rows, clash)
    remarks = [
        *_remarks(rows, export, leave, moved_cells, emptied_cells),
        *_settled_clashes(clashed, clash),
    ]
    return RoundTrip(done.only(~leave) if leave.any() else done, tuple(remarks))


def _edited(
    exported: pl.Series, differs: pl.Series, blank: pl.Series, clears: pl.Series | None, clear: bool
) -> tuple[pl.Series, pl.Series | None, int]:
    """Of each row: the field was edited; it is cleared; and how many emptied cells change nothing.

    Args:
        differs: the cell is not as it was exported.
        clears: where the sheet says in words that the value is cleared; None where no row does.
        clear: an emptied cell clears the value.
    """
    emptied = differs & blank
    edited = differs
    if clears is not None:
        emptied = emptied & ~clears
        # What is cleared in words is wanted blank, also where it was blank.
        edited = edited | (exported & clears)
    if not emptied.any():
        return edited, clears, 0
    if clear:
        return edited, emptied if clears is None else emptied | clears, 0
    return edited & ~emptied, clears, int(emptied.sum())


def _settled(
    edited: pl.Series, clears: pl.Series | None, both: pl.Series, clash: Clash
) -> tuple[pl.Series, pl.Series | None]:
    """What is edited and cleared, where the cells that both have changed are settled as ``clash`` says."""
    if clash != "system":
        return edited, clears
    return edited & ~both, None if clears is None else clears & ~both


def _settled_clashes(number: int, clash: Clash) -> list[str]:
    if not number:
        return []
    whose = "the system's value stays" if clash == "system" else "the sheet's value is taken"
    return [f"{count(number, 'value')} changed here and in the system since the export: {whose}"]


def _leave(gone: pl.Series, edited: pl.Series, clash: Clash) -> pl.Series:
    """Rows that are gone from the system and are not to be added again."""
    return gone if clash == "system" else gone & ~edited


def _with_gone(columns: list[pl.Series], rows: Rows, gone: pl.Series, clash: Clash) -> list[pl.Series]:
    """Rows that are added again are new rows: they need all their values, not only the edited ones."""
    if clash != "sheet":
        return columns
    return [
        column if column.dtype == pl.Boolean else column.zip_with(~gone, rows.values[column.name]) for column in columns
    ]


def _remarks(rows: Rows, export: Beside, left: pl.Series, moved: int, emptied: int) -> list[str]:
    key = list(rows.record.key)
    base = export.others
    missing = base.select(key).clear()
    if not export.in_order:
        missing = base.select(key).join(rows.values.select(key), on=key, how="anti")
    # A row that is twice in the sheet is one row of the export.
    remarks = [
        f"compared with its export: {base.height - missing.height:,} of its {count(base.height, 'row')} are here; only edited cells are loaded"
    ]
    if missing.height:
        names = missing.select(pl.concat_str(key, separator=" / ")).to_series().head(3).to_list()
        more = f" and {missing.height - 3:,} more" if missing.height > 3 else ""
        rows_not_here = count(missing.height, "exported row")
        remarks.append(
            f"{rows_not_here} not in the sheet ({', '.join(names)}{more}): they stay, because a load never deletes"
        )
    if moved:
        remarks.append(
            f"{count(moved, 'value')} changed in the system since the export and not edited here: left unchanged"
        )
    if emptied:
        remarks.append(
            f"{count(emptied, 'emptied cell')} left unchanged (to clear values: --blanks clear, or type (clear) in the cell)"
        )
    if left.any():
        remarks.append(f"{count(int(left.sum()), 'row')} gone from the system since the export: left out")
    return remarks


def _clashes(rows: Rows, name: str, part: pl.DataFrame) -> FindingGroup:
    """A finding at each of these rows: ``ROW``, and what the cell ``says``, ``was`` and ``stands`` in the system."""
    title = "edited here, and changed in the system since the export"

    def said(column: str) -> pl.Expr:
        return shown_column(pl.col(column), rows.record.fields[name]).fill_null("blank")

    cells = part.select(
        ROW,
        said("says").alias("value"),
        worded(
            "{} at the export, {} now in the system, {} in the sheet; choose with --clash sheet or --clash system",
            said("was"),
            said("stands"),
            said("says"),
        ).alias("message"),
        pl.lit(None, pl.String).alias("suggestion"),
    )
    return rows.group("error", "clash", title, name, cells)


def _find_gone_rows(rows: Rows, edited: pl.Series) -> list[FindingGroup]:
    message = "edited here, but no longer in the system: --clash sheet adds it again, --clash system leaves it out"
    field = rows.record.fields[rows.record.key[0]]
    return rows.where("error", "gone", "gone from the system since the export", field, edited, message)


def _lost_letters(rows: Rows, export: Beside, edited: pl.Series, fields: Sequence[str]) -> list[FindingGroup]:
    """Edited texts with question marks, in a sheet where other letters have become question marks."""
    message = "letters of this sheet became question marks: save it as UTF-8 from its source, or check this text and use --since none"
    findings = []
    says, was = pl.col("says"), pl.col("was")
    for name in fields:
        pairs = pl.DataFrame({ROW: rows.values[ROW], "says": rows.values[name], "was": export.column(name)})
        odd = pairs.filter(edited).filter(
            says.ne_missing(was)
            & says.str.contains("?", literal=True).fill_null(False)
            & ~was.str.contains("?", literal=True).fill_null(False)
            & ~_only_marks(says, was)
        )
        if odd.height:
            cells = cells_of(odd[ROW], odd["says"], message)
            findings.append(rows.group("error", "letters-lost", "letters that may be lost", name, cells))
    return findings


def _only_marks(says: pl.Expr, was: pl.Expr) -> pl.Expr:
    """True where a text is the exported one, but for question marks."""
    return says.str.len_chars().eq_missing(was.str.len_chars()) & (
        pl.struct(says.alias("says"), was.alias("was"))
        .map_elements(lambda pair: could_become(pair["was"] or "", pair["says"] or ""), return_dtype=pl.Boolean)
        .fill_null(False)
    )


# --- damage by a spreadsheet is not an edit -----------------------------------------------------------------------


def _damaged(field: Field, says: pl.Series, was: pl.Series, differs: pl.Series) -> pl.Series | None:
    """Where the sheet has what a spreadsheet makes of the exported value: lost zeros, a date, dropped digits."""
    if field.is_decimal or field.kind in ("date", "moment", "yes_no", "choice"):
        return None
    pairs = pl.DataFrame({"says": says, "was": was}).filter(differs).drop_nulls().unique()
    broken = [(one, other) for one, other in pairs.iter_rows() if could_become(other, one)]
    if not broken:
        return None
    known = pl.DataFrame(broken, schema={"says": pl.String, "was": pl.String}, orient="row").with_columns(
        pl.lit(True).alias("broken")
    )
    joined = pl.DataFrame({"says": says, "was": was}).join(known, on=["says", "was"], how="left", maintain_order="left")
    return joined["broken"].fill_null(False) & differs


def _as_exported(rows: Rows, name: str, says: pl.Series, was: pl.Series, damaged: pl.Series) -> RepairGroup:
    """A repair at each damaged cell, with what it says and what it was."""
    cells = pl.DataFrame({ROW: rows.values[ROW].filter(damaged), "before": says, "after": was}).with_columns(
        worded("the spreadsheet made it from {}, which was exported and stays", pl.col("after")).alias("proof")
    )
    return RepairGroup("as-exported", name, rows.letters.get(name, ""), cells)


def _drop_settled(
    findings: Sequence[FindingGroup], settled: dict[str, pl.Series], row: pl.Series
) -> list[FindingGroup]:
    """Leaves out findings on cells that the export explains."""
    kept: list[FindingGroup] = []
    for group in findings:
        if group.field in settled:
            explained = row.filter(settled[group.field]).implode()
            group = replace(group, cells=group.cells.filter(~pl.col(ROW).is_in(explained)))
        if group.count:
            kept.append(group)
    return kept


def effective_base(record: Record, export: ExportBase, now: pl.DataFrame) -> pl.DataFrame:
    """What the sheet is compared with: the export, with what was loaded from the sheet since.

    Args:
        now: what the system holds of these keys: the key and fields, as String columns.

    Returns:
        The columns of the export.
    """
    base, loaded = export.rows, export.loaded
    if loaded is None or not loaded.height:
        return base
    key = list(record.key)
    fields = [name for name in loaded.columns if name not in key and not name.startswith("loaded ")]
    joined = base.join(
        loaded.select(*key, *(pl.col(n).alias(f"new {n}") for n in fields), *(f"loaded {n}" for n in fields)),
        on=key,
        how="full",
        coalesce=True,
    ).join(now.select(*key, *(pl.col(n).alias(f"now {n}") for n in fields if n in now.columns)), on=key, how="left")
    columns = []
    for name in fields:
        if name not in base.columns or name not in now.columns:
            continue
        taken_back = pl.col(f"now {name}").eq_missing(pl.col(name))
        ours = pl.col(f"loaded {name}").fill_null(False) & ~taken_back
        columns.append(pl.when(ours).then(pl.col(f"new {name}")).otherwise(pl.col(name)).alias(name))
    return joined.with_columns(columns).select(base.columns)
