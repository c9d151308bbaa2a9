"""The settings of ``kotrel.toml``, mappings, layouts and price rules, declared once.

Readers take their names from here; the reference page is made of them.
"""

from __future__ import annotations

from collections.abc import Mapping

from kotrel.core.description.description_settings import DEFAULTS, FIELD, RECORD, STORE, SYSTEM
from kotrel.core.description.setting import Section, section

WORKSPACE: dict[str, Section] = {
    "system": section(
        url=(
            "an address",
            "",
            'url = "sqlite:practice.db"',
            "The system: sqlite:FILE, postgresql://…, mysql://…, https://…, or folder:DIR.",
        ),
        description=("a file", '"system.toml"', 'description = "system.toml"', "The system description."),
        time_limit=("minutes", "60", "time_limit = 60", "How long one step of a load may take on a database server."),
        trigger_schemas=(
            "a list of texts",
            "[]",
            'trigger_schemas = ["public"]',
            "Schemas in which the database's own triggers look for names.",
        ),
    ),
    "sheets": section(
        decimal_mark=(
            '".", "," or "auto"',
            '"auto"',
            'decimal_mark = ","',
            "The decimal mark of your sheets; auto decides for each column.",
        ),
        dates=(
            '"day", "month" or "auto"',
            '"auto"',
            'dates = "day"',
            "What comes first in 3/4/2026; auto decides for each column.",
        ),
        currency=(
            "three letters",
            '"EUR"',
            'currency = "SEK"',
            "An amount with the sign of another currency is an error.",
        ),
        rounding=(
            '"as shown" or a whole number',
            "none",
            'rounding = "as shown"',
            "Rounds money in number cells as the cell shows it, or to this number of decimals.",
        ),
        no_price=("a list of words", "[]", 'no_price = ["POA"]', "Words that mean “no price”, in any sheet."),
    ),
    "pictures": section(
        folder=(
            "a folder",
            "none",
            'folder = "pictures"',
            "The pictures that items name; without it they are not checked.",
        ),
        at_most_mb=("a number", "10", "at_most_mb = 10", "The largest picture, in megabytes."),
    ),
    "prices": section(
        below_cost=(
            "error, warning, allowed",
            '"warning"',
            'below_cost = "error"',
            "What a price below cost is, in any sheet of items or prices; price rules have guards for theirs.",
        ),
    ),
    "stock": section(
        closed_until=("a date", "none", "closed_until = 2026-12-31", "No document is posted on or before this day."),
        below_zero=(
            '"refused" or "allowed"',
            '"refused"',
            'below_zero = "allowed"',
            "Whether stock may go below zero.",
        ),
    ),
    "count": section(
        tolerance_quantity=(
            "a number",
            "0",
            "tolerance_quantity = 1",
            "How far a counted line may be off, in its unit.",
        ),
        tolerance_percent=("a number", "0", 'tolerance_percent = "0.5"', "The same, in per cent of what is expected."),
        tolerance_value=("a number", "0", 'tolerance_value = "2.00"', "The same, by value at cost."),
        class_=(
            "a table",
            "none",
            'class.A.tolerance_value = "0"',
            "Other tolerances for the items of class A, B or C by value.",
        ),
        not_counted=(
            "a word",
            "none",
            'not_counted = "n/c"',
            "What means “not counted” in count sheets, besides a blank.",
        ),
    ),
    "folder": section(
        old_after_days=(
            "a whole number",
            "7",
            "old_after_days = 7",
            "After this number of days every command warns that a list is old.",
        ),
        uploads=("a folder", '"uploads"', 'uploads = "/till/in"', "Where the program looks for upload files."),
        trial=("a folder", "none", 'trial = "/till/try"', "Where it looks for trial files."),
        results=("a folder", "none", 'results = "/till/results"', "Where it writes its results."),
        result_map=("a mapping", "none", 'result_map = "till-result"', "The mapping that reads its results."),
        layouts=(
            "record = layout",
            "none",
            'layouts = { item = "till" }',
            "The layout a record is written in, if several fit.",
        ),
    ),
    "limits": section(
        cells=(
            "a whole number",
            "20000000",
            "cells = 20000000",
            "Cells that a sheet may span where few of them are filled.",
        ),
        characters=(
            "a whole number",
            "1000",
            "characters = 1000",
            "Millions of characters in all cells of a workbook.",
        ),
        seconds=(
            "a whole number",
            "300",
            "seconds = 300",
            "How long reading an old or rare kind of workbook may take.",
        ),
        memory_mb=("a whole number", "4000", "memory_mb = 4000", "The same, in memory; not on Windows."),
    ),
    "rates": section(
        USD=(
            "a number",
            "none",
            'USD = "0.92"',
            "What one of that currency is in your own; one line for each currency.",
        ),
    ),
    "spellings": section(
        unit=(
            "word = code",
            "none",
            'unit.stk = "EA"',
            "Other spellings of codes, for each list; [spellings.unit] for units.",
        ),
    ),
}
"""``kotrel.toml``: table → its settings. In ``rates`` and ``spellings`` the names are the user's own."""

FREE = ("rates", "spellings")
"""Tables whose settings have names of the user's."""

MAPPING = section(
    record=("a record", "", 'record = "item"', "What the rows are."),
    skip=("a list of headings", "[]", 'skip = ["Internal note"]', "Columns that are left out on purpose."),
    field=("tables", "", "[field.code]", "What feeds each field (see below)."),
    also=("tables", "none", "[[also]]", "Other records from the same rows."),
    for_=('"new" or "all"', '"new"', 'for = "all"', "Whether defaults and made values also fill existing rows."),
    heading_row=("a whole number", "found", "heading_row = 4", "The row with the headings; 0 if there are none."),
    sheet=("text", "any", 'sheet = "Range 27"', "The sheet it is for."),
    encoding=("an encoding", "recognised", 'encoding = "mac-roman"', "Of a text file."),
    decimal_mark=('"." or ","', "as kotrel.toml", 'decimal_mark = ","', "How this supplier writes numbers."),
    dates=('"day" or "month"', "as kotrel.toml", 'dates = "day"', "What comes first in this supplier's dates."),
    where=("an expression", "all rows", "where = \"[Status] is 'active'\"", "Which rows count."),
    once_per=(
        "a field, or a list",
        "none",
        'once_per = "code"',
        "One row for each of these values, however many rows have it.",
    ),
    after_end=('"resume" or "nothing"', "asked", 'after_end = "resume"', "What follows the end of a promotion."),
    no_price=("a list of words", "[]", 'no_price = ["POA"]', "Words that mean “no price” in this sheet."),
    lookup=("tables", "none", "[lookup.groups]", "Tables whose values are further columns (see below)."),
    replaced_by=(
        "a heading",
        "none",
        'replaced_by = "Successor"',
        "A row that names another item here, and has no price, is left out.",
    ),
    lines=(
        "patterns",
        "none",
        'lines = "{when} {outcome} {key}"',
        "Of a log: which lines are rows, and their columns.",
    ),
    as_it_stands=(
        "a list of headings",
        "[]",
        'as_it_stands = ["Cost (incl. VAT)"]',
        "Columns used as they are, whatever their headings add.",
    ),
)

MAPPING_FIELD = section(
    column=("a heading or =letter", "", 'column = "Bezeichnung"', "The column."),
    join=("a list of headings", "", 'join = ["Name", "Shade"]', "Several columns as one value."),
    between=("text", '" "', 'between = ", "', "What is written between joined values."),
    list=("a list of headings", "", 'list = ["Picture 1", "Picture 2"]', "Several columns as a list."),
    last=("a list of headings", "", 'last = ["Level 1", "Level 2"]', "The last of them that is filled."),
    split=("a heading", "", 'split = "Size"', "A column of which this is a part (with pattern and part)."),
    pattern=("text", "", 'pattern = "{diameter} mm / {length} m"', "The parts of a value, in braces."),
    part=("text", "", 'part = "length"', "The part that is meant."),
    cell=("an address", "", 'cell = "B2"', "A cell above the headings."),
    found_by=("field = heading", "", 'found_by = { name = "Name" }', "The one row of the list with these values."),
    from_=("a field", "", 'from = "code"', "Under [[also]]: a value of the main record in the same row."),
    repeat=(
        "codes, or code = word",
        "",
        'repeat = ["QUAY", "LOFT"]',
        "A row for each, from columns named like “Min {warehouse}”; if the field has a column, too, such as “Qty {from_quantity}”, the words only tell the columns apart.",
    ),
    translate=("word = meaning", "none", 'translate = { Stk = "EA" }', "Words of the sheet and what they mean."),
    fixed=("a value", "", 'fixed = "KELDRIFT"', "The same in every row."),
    default=("a value", "none", 'default = "EA"', "For blank cells."),
    default_by=("a field", "none", 'default_by = "category"', "The field that defaults depend on."),
    defaults=("value = default", "", 'defaults = { ROPE = "STD" }', "A default for each of its values."),
    make=("an expression", "", 'make = "round(cost at margin 40%, 2)"', "A calculated value."),
    how=('"replace", "add" or "take"', '"replace"', 'how = "add"', "What a list does to the one that is there."),
    for_=('"new" or "all"', '"new"', 'for = "all"', "Whether defaults and made values also fill existing rows."),
    rounding=('"as shown" or a whole number', "none", "rounding = 2", "Rounds number cells."),
    per=("a number, a heading, or a table", "1", "per = 100", "How many pieces an amount is for."),
    fill_down=(
        "true or false",
        "false",
        "fill_down = true",
        "A label in the first row of a group is for the rows below it.",
    ),
)

LOOKUP = section(
    by=("a heading", "", 'by = "DG"', "The column whose values are looked up."),
    sheet=("text", "", 'sheet = "Discount groups"', "A sheet of the same file."),
    file=("a file", "", 'file = "groups.csv"', "Another file, seen from the workspace."),
    table=("value = value", "", "table = { A = 35, B = 30 }", "A table written here."),
    key=("a heading", "the same as by", 'key = "Group"', "The column of the table in which they are looked up."),
    default=("a value", "none", "default = 0", "For what is blank or missing there; without it, that is an error."),
)

LAYOUT = section(
    title=("text", "", 'title = "Till upload"', "The layout's name in messages."),
    record=("a record", "", 'record = "item"', "What the rows are."),
    format=('"text" or "workbook"', '"text"', 'format = "workbook"', "The kind of file."),
    headings=("true or false", "true", "headings = false", "A line with the headings."),
    lines_above=(
        "lists of texts",
        "none",
        'lines_above = [["Version", "3"]]',
        "Lines above the headings, as long as they are.",
    ),
    heading_lines=(
        "lists of texts",
        "none",
        'heading_lines = [["C20", "N2"]]',
        "Lines between the headings and the rows, one text for each column.",
    ),
    separator=(
        "comma, semicolon, tab, bar, or a character",
        '"comma"',
        'separator = "semicolon"',
        "What separates values.",
    ),
    quotes=('"needed", "all" or "none"', '"needed"', 'quotes = "all"', "Which values are put in quotes."),
    encoding=("an encoding", '"utf-8"', 'encoding = "cp1252"', "How letters are stored; utf-8-sig has a mark."),
    line_end=('"windows", "unix" or "mac"', '"windows"', 'line_end = "unix"', "How lines end."),
    decimal_mark=('"." or ","', '"."', 'decimal_mark = ","', "The decimal mark of numbers."),
    decimals=("a whole number", "as the value has", "decimals = 2", "Exactly this number of decimals."),
    date=("a pattern", '"YYYY-MM-DD"', 'date = "DD.MM.YYYY"', "How dates are written."),
    yes=("text", '"yes"', 'yes = "J"', "The word for yes."),
    no=("text", '"no"', 'no = "N"', "The word for no."),
    blank=("text", '""', 'blank = "-"', "What is written where there is no value."),
    clean=("true or false", "false", "clean = true", "Separators and line breaks within texts become spaces."),
    sheet=("text", '"Sheet1"', 'sheet = "Items"', "The sheet of a workbook."),
    book=("text", "none", 'book = "orders"', "One workbook of several sheets: a layout for each, all with this name."),
    template=("a workbook", "none", 'template = "their-template.xlsx"', "Their own workbook: a copy of it is filled."),
    ending=("text", '"csv"', 'ending = "txt"', "The ending of a text file."),
    most_rows=("a whole number", "no limit", "most_rows = 5000", "More rows go into numbered files."),
    updates=(
        '"whole" or "changed"',
        '"whole"',
        'updates = "changed"',
        "Whether existing rows are written whole, or only what changes.",
    ),
    cleared=("text", "none", 'cleared = "#"', "With updates = “changed”: what is written where a value is taken away."),
    column=("tables", "", "[[column]]", "The columns, in order (see below)."),
)

LAYOUT_COLUMN = section(
    heading=("text", '""', 'heading = "ArtNr"', "The exact heading."),
    field=("a field", "", 'field = "price"', "A field of the record."),
    name=("true or false", "false", "name = true", "The name of a code, instead of the code."),
    fixed=("text", "", 'fixed = "TILL"', "The same word in every row."),
    action=(
        "action = word",
        "",
        'action = { new = "I", changed = "U" }',
        "A word for what happens to the row: new, changed, same, withdrawn.",
    ),
    reference=("true or false", "false", "reference = true", "The name of the upload."),
    make=("an expression", "", 'make = "round(price * 1.2, 2)"', "A calculated value."),
    price_of=("a price list", "", 'price_of = "SHOP"', "Of items: the price in force there for one base unit."),
    stock_in=('a warehouse, or "all"', "", 'stock_in = "QUAY"', "Of items: what is on hand there."),
    as_=('"text" or "number"', "as the field is", 'as = "text"', "The kind of its cells in a workbook."),
    empty=("true or false", "false", "empty = true", "Nothing."),
    decimals=("a whole number", "that of the layout", "decimals = 3", "Exactly this number of decimals."),
    length=("a whole number", "no limit", "length = 20", "The most characters."),
    must=("true or false", "false", "must = true", "A blank is an error."),
    at_most=("a number", "no limit", "at_most = 5", "Greater numbers are written as this one."),
    words=("value = word", "none", 'words = { new = "N" }', "Values that the program calls something else."),
)

PRICE_RULES = section(
    title=("text", "the file's name", 'title = "Keldrift, spring"', "The name of the rules."),
    from_date=("a date", "the day of the run", "from_date = 2027-02-01", "The first day of the new prices."),
    steps=(
        '"first" or "all"',
        '"first"',
        'steps = "all"',
        "Only the first step that fits an item, or each on what the one before made.",
    ),
    sheets=("tables", "none", "[sheets.supplier]", "Sheets to take figures from: [supplier.cost] in an expression."),
    step=("tables", "", "[[step]]", "The steps, in order."),
    guards=("a table", "none", "[guards]", "What no new price may do."),
    outliers=("a table", "usual", "[outliers]", "When a change is unlike the others."),
    rates=("currency = number", "kotrel.toml", 'USD = "0.92"', "What one of another currency is in your own."),
)

PRICE_STEP = section(
    name=("text", "its number", 'name = "braided rope"', "The step's name in reports."),
    where=("an expression", "all items", "where = \"vendor is 'KELDRIFT'\"", "The items it is for."),
    set=(
        "list = expression",
        "",
        'set = { SHOP = "SHOP + 4%" }',
        "The prices it sets: of a price list, or price, cost and others of the item.",
    ),
    round=(
        "a rule, or price = rule",
        "none",
        'round = "up to 0.05"',
        "up to, down to, nearest to, ending, up ending, down ending.",
    ),
    from_quantity=("a number", "every one", "from_quantity = 0", "Only this price break."),
)

PRICE_GUARDS = section(
    least_margin=(
        "a percentage, or list = percentage",
        "none",
        'least_margin = "15%"',
        "The least margin, (price - cost) / price.",
    ),
    most_up=("a percentage", "none", 'most_up = "12%"', "The most that a price may rise."),
    most_down=("a percentage", "none", 'most_down = "5%"', "The most that a price may fall."),
    below_cost=("error, warning, allowed", '"error"', 'below_cost = "warning"', "What a price below cost is."),
    zero=("error, warning, allowed", '"error"', 'zero = "warning"', "What a price of zero is."),
    not_above=(
        "two lists, or pairs",
        "none",
        'not_above = ["YARD", "SHOP"]',
        "A price of the first is never above that of the second.",
    ),
    others=("error or warning", '"error"', 'others = "warning"', "What breaking the other guards is."),
)

PRICE_OUTLIERS = section(
    by=("a field", '"category"', 'by = "category"', "The field that makes the groups."),
    deviations=("a number", "6", "deviations = 6", "How many deviations from the median."),
    least=("a percentage", '"5%"', 'least = "5%"', "And by at least this number of percentage points."),
)

PRICE_SHEET = section(
    file=("a file", "", 'file = "keldrift-spring.xlsx"', "The supplier's price list, seen from the workspace."),
    map=("a mapping", "headings of items", 'map = "keldrift"', "The mapping that reads it."),
    sheet=("text", "found", 'sheet = "Prices"', "Its sheet."),
    match_on=("a field", "the code", 'match_on = "vendor_code"', "The field by which it finds items."),
    currency=("three letters", "your own", 'currency = "USD"', "The currency of its amounts."),
)

FILES: Mapping[str, tuple[str, Mapping[str, Section]]] = {
    "kotrel.toml": ("The settings of a workspace.", {f"[{name}]": table for name, table in WORKSPACE.items()}),
    "maps/NAME.toml": (
        "A mapping: which column of a sheet feeds which field.",
        {"at the top": MAPPING, "[field.NAME]": MAPPING_FIELD, "[lookup.NAME]": LOOKUP},
    ),
    "prices/NAME.toml": (
        "Price rules: how new prices are calculated.",
        {
            "at the top": PRICE_RULES,
            "[[step]]": PRICE_STEP,
            "[guards]": PRICE_GUARDS,
            "[outliers]": PRICE_OUTLIERS,
            "[sheets.NAME]": PRICE_SHEET,
        },
    ),
    "layouts/NAME.toml": (
        "A layout: a file in another program's import format.",
        {"at the top": LAYOUT, "[[column]]": LAYOUT_COLUMN},
    ),
    "system.toml": (
        "The system description: what the business system accepts.",
        {
            "[system]": SYSTEM,
            "[record.NAME]": RECORD,
            "[record.NAME.field.NAME]": FIELD,
            "[record.NAME.store]": STORE,
            "[defaults.NAME]": DEFAULTS,
        },
    ),
}
"""File → what it is, and its tables with their settings."""
