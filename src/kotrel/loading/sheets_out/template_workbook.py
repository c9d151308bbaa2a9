"""Templates: headings that show what must be filled, drop-downs from the real lists, and a guide sheet."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import polars as pl
from msgspec import Struct

from kotrel.core.description.in_words import rules, what
from kotrel.core.description.model import Field, Record
from kotrel.sheets.cell_texts import SHEET_HOLDS
from kotrel.sheets.new_workbook import new_workbook
from kotrel.sheets.output import OutColumn, OutSheet
from kotrel.sheets.print_layout import for_print
from kotrel.sheets.safe_writing import written_whole
from kotrel.sheets.table_writing import column_format, typed_rows
from kotrel.sheets.tall_rows import put_rows, require_room
from kotrel.sheets.text_writing import text_form, write_text

GUIDE, LISTS = "Kotrel guide", "Kotrel lists"
FOR_ROWS = 5_000
"""This many rows below the headings get drop-downs."""
MUST = {"always": "must be filled", "new": "must be filled for new rows", "may": "optional"}


class Template(Struct, frozen=True):
    """One record of a template and the rows it starts with (a String column for each field, in their order)."""

    record: Record
    fields: tuple[Field, ...]
    rows: pl.DataFrame


def write_template(
    templates: Sequence[Template], lists: Mapping[str, pl.DataFrame], path: Path, stamp: Mapping[str, str]
) -> list[Path]:
    """Writes a template; the guide to a text file goes into a file beside it.

    Args:
        lists: record → its codes and names (two String columns), for drop-downs and the guide.
        stamp: properties that say which export it is; a text file cannot have them.

    Returns:
        The files written.
    """
    if path.suffix.lower() == ".xlsx":
        for each in templates:
            require_room(
                each.rows.height, f"{path}: the sheet “{each.record.title}”", "Ask for fewer, or write a .csv."
            )
        with written_whole(path) as temporary:
            _write_workbook(templates, lists, temporary, stamp)
        return [path]
    [only] = templates
    columns = tuple(OutColumn(field.title, field) for field in only.fields)
    with written_whole(path) as temporary:
        write_text(OutSheet(only.record.title, columns, only.rows), temporary, text_form(path.suffix))
    guide = path.with_name(f"{path.stem}.guide.txt")
    with written_whole(guide) as temporary:
        lines = ["\t".join(line) for line in _guide_lines(templates, lists)]
        temporary.write_text("\n".join([*lines, ""]), "utf-8")
    return [path, guide]


def _write_workbook(
    templates: Sequence[Template], lists: Mapping[str, pl.DataFrame], path: Path, stamp: Mapping[str, str]
) -> None:
    out = new_workbook(path, sum(rows.height for rows in lists.values()))
    for name, value in stamp.items():
        out.set_custom_property(name, value)
    must = {
        "always": out.add_format(
            {"bold": True, "bg_color": "#1F4E5F", "font_color": "#FFFFFF", "text_wrap": True, "valign": "top"}
        ),
        "new": out.add_format({"bold": True, "bg_color": "#BFD9DF", "text_wrap": True, "valign": "top"}),
        "may": out.add_format({"bg_color": "#EEF2F3", "text_wrap": True, "valign": "top"}),
    }
    sheets = [out.add_worksheet(each.record.title) for each in templates]
    guide = out.add_worksheet(GUIDE)
    ranges = _write_lists(out, templates, lists)
    for_print(guide)
    for sheet, template in zip(sheets, templates, strict=True):
        for_print(sheet)
        for index, field in enumerate(template.fields):
            look = column_format(out, field)
            sheet.write_string(0, index, field.title, must[field.must])
            sheet.set_column(index, index, max(len(field.title) + 2, 12 if field.kind != "text" else 32), look)
            sheet.write_blank(1, index, None, look)
            sheet.write_comment(
                0, index, f"{what(field).capitalize()}; {MUST[field.must]}. {rules(field)}".strip(), {"x_scale": 2}
            )
            if source := _choices(field, ranges):
                sheet.data_validation(
                    1,
                    index,
                    FOR_ROWS,
                    index,
                    {
                        "validate": "list",
                        "source": source,
                        "error_type": "warning",
                        "error_title": field.title,
                        "error_message": "This is not on the list. Use it anyway?",
                    },
                )
        sheet.freeze_panes(1, len(template.record.key))
    bold = out.add_format({"bold": True})
    wrap = out.add_format({"text_wrap": True, "valign": "top"})
    for line, values in enumerate(_guide_lines(templates, lists)):
        guide.write_row(line, 0, values, bold if line == 0 or not any(values[1:]) else wrap)
    for index, width in enumerate((24, 26, 22, 30, 44, 22)):
        guide.set_column(index, index, width)
    out.get_worksheet_by_name(LISTS).hide()
    out.close()
    put_rows(path, {place: typed_rows(each.rows, each.fields) for place, each in enumerate(templates)})


def _write_lists(out: Any, templates: Sequence[Template], lists: Mapping[str, pl.DataFrame]) -> dict[str, str]:
    """Writes the sheet with the codes for the drop-downs; record → range."""
    sheet = out.add_worksheet(LISTS)
    ranges: dict[str, str] = {}
    used = dict.fromkeys(str(field.to) for each in templates for field in each.fields if field.to in lists)
    # A list that is longer than a sheet cannot drop down.
    used = dict.fromkeys(record for record in used if lists[record].height < SHEET_HOLDS)
    for index, record in enumerate(used):
        codes = lists[record].to_series(0)
        sheet.write_string(0, index, record)
        sheet.write_column(1, index, codes.to_list())
        from xlsxwriter.utility import xl_col_to_name

        letter = xl_col_to_name(index)
        if len(codes):
            ranges[record] = f"='{LISTS}'!${letter}$2:${letter}${len(codes) + 1}"
    return ranges


def _choices(field: Field, ranges: Mapping[str, str]) -> str | list[str] | None:
    if field.kind == "yes_no":
        return ["yes", "no"]
    if field.choices:
        return list(field.choices)
    return ranges.get(field.to or "")


def _guide_lines(templates: Sequence[Template], lists: Mapping[str, pl.DataFrame]) -> list[list[str]]:
    lines = [["column", "what", "must be filled?", "allowed values", "rules", "example"]]
    for each in templates:
        lines.append([each.record.title, "", "", "", "", ""])
        for field in each.fields:
            allowed = ", ".join(field.choices)
            if field.to is not None and field.to in lists:
                codes = lists[field.to].to_series(0).drop_nulls().to_list()
                allowed = ", ".join(codes[:12]) + (
                    f" … {len(codes) - 12:,} more" + (", see the drop-down" if len(codes) < SHEET_HOLDS else "")
                    if len(codes) > 12
                    else ""
                )
            lines.append([field.title, what(field), MUST[field.must], allowed, rules(field), field.example])
    return lines
