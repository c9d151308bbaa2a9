"""The settings of a system description (``system.toml``), declared once."""

from __future__ import annotations

from kotrel.core.description.setting import section

SYSTEM = section(
    title=("text", "", 'title = "Skerrow back office"', "The system's name in messages."),
    schema=("text", "", 'schema = "erp"', "The database schema of its tables."),
    decimals=(
        "“plain” or “scaled”",
        '"scaled"',
        'decimals = "plain"',
        "Whether decimals are kept as they are, or as whole numbers (the practice system on SQLite).",
    ),
)

RECORD = section(
    title=("text", "the name", 'title = "Item master"', "The record's name on screens and sheets."),
    meaning=("text", "", 'meaning = "What we buy and sell"', "Help for the people who fill it in."),
    key=("a list of fields", "", 'key = ["code"]', "The fields that identify a row."),
    called=(
        "a field",
        "",
        'called = "description"',
        "The field with a row's name: sheets may have it instead of the code.",
    ),
    path=("a field", "", 'path = "parent"', "The field that refers to the row above it in the same record."),
    out_of_use=("a yes/no field", "", 'out_of_use = "archived"', "Rows where it is yes are kept, but never suggested."),
    also_known_by=(
        "groups of fields",
        "",
        'also_known_by = [["barcode"], ["vendor", "vendor_code"]]',
        "Other fields that identify a row, for --match-on and references.",
    ),
    other_codes=(
        "a list of record.field",
        "",
        'other_codes = ["item_code.code"]',
        "Codes in other records that lead to a row.",
    ),
    together=("groups of fields", "", 'together = [["length", "width"]]', "Either all of them are filled, or none."),
    exactly_one=(
        "groups of fields",
        "",
        'exactly_one = [["amount", "discount"]]',
        "Every row fills exactly one of them.",
    ),
    in_order=(
        "pairs of fields",
        "",
        'in_order = [["from_date", "to_date"]]',
        "The first is never after, or above, the second.",
    ),
    period=(
        "two date fields",
        "",
        'period = ["from_date", "to_date"]',
        "The first and the last day of a row: a new row ends the one in force.",
    ),
    unique_together=(
        "groups of fields",
        "",
        'unique_together = [["vendor", "vendor_code"]]',
        "Their values together are on one row only; rows where one is blank do not count.",
    ),
    no_circle=(
        "pairs of fields",
        "",
        'no_circle = [["parent", "component"]]',
        "Following them never leads back to the start.",
    ),
    needs=(
        "reference.field = value",
        "",
        'needs = { "item.lot_tracked" = "yes" }',
        "What the row referred to must have.",
    ),
    synonyms=("a list of texts", "", 'synonyms = ["articles"]', "Other names of sheets with this record."),
    store=("a table", "", "[record.item.store]", "Where its rows are in the database (see below)."),
    nature=(
        "master, document, ledger, balance, stock",
        '"master"',
        'nature = "document"',
        "How rows are kept: changed field by field, posted once, or kept by the system.",
    ),
    part_of=("a record", "", 'part_of = "receipt"', "The document whose lines, or the lines whose lots, its rows are."),
    effect=("in, out, move, revalue, none", '"none"', 'effect = "in"', "What a document does to stock."),
    counts_as=(
        "“reserved” or “on order”",
        "",
        'counts_as = "on order"',
        "What a document without an effect on stock counts as.",
    ),
    field=("tables", "", "[record.item.field.code]", "Its fields (see below)."),
)

FIELD = section(
    title=("text", "the name", 'title = "Item code"', "The heading in reports and templates."),
    kind=(
        "code, text, number, quantity, money, date, moment, yes_no, choice, list, reference, file",
        "",
        'kind = "money"',
        "What its values are.",
    ),
    must=(
        "always, new, may",
        '"may"',
        'must = "new"',
        "Whether it is required in every row, in new rows, or not at all.",
    ),
    meaning=("text", "", 'meaning = "As on the label"', "Help for the people who fill it in."),
    example=("text", "", 'example = "ROP-00120"', "An example in the template."),
    length=("a whole number", "40 for codes", "length = 20", "The most characters."),
    decimals=("a whole number", "2 for money, 3 for others", "decimals = 4", "The decimals of a number."),
    least=("a number", "", 'least = "0.5"', "The least number that is accepted."),
    most=("a number", "", "most = 100", "The largest number that is accepted."),
    to=("a record", "", 'to = "unit"', "The record that a reference refers to."),
    choices=("a list of texts", "", 'choices = ["new", "used"]', "The words of a choice."),
    check=("a code format", "", 'check = "gtin"', "Barcodes with their check digit (GS1)."),
    unique=("a name", "", 'unique = "barcode"', "A group of fields: no value is on two rows in any of them."),
    kept_by=("“people” or “system”", '"people"', 'kept_by = "system"', "What the system keeps itself is never loaded."),
    synonyms=("a list of texts", "", 'synonyms = ["part no"]', "Other headings for the field."),
    words=("word = number", "", "words = { ask = 0 }", "Words that stand for a number; each is shown as a repair."),
    within=(
        "a list of fields",
        "",
        'within = ["warehouse"]',
        "Of a reference to a record with several key fields: the fields for the others.",
    ),
    default=(
        "a value",
        "",
        'default = "stocked"',
        "What a new row gets where the cell is blank; the preview shows it.",
    ),
    default_from=("reference.field", "", 'default_from = "item.unit"', "What a blank gets, from the row referred to."),
    same_as=(
        "reference.field",
        "",
        'same_as = "item.unit"',
        "The value must equal that of the row referred to; a blank is filled from there.",
    ),
    one_of=(
        "a list",
        "",
        'one_of = ["item.unit", "unit_conversion.unit"]',
        "The value of the row referred to, or of rows that refer to the same row.",
    ),
    differs_from=("a field", "", 'differs_from = "parent"', "A field that must have another value."),
    files=("“picture”", "", 'files = "picture"', "The values name pictures in the folder of kotrel.toml."),
    zero_means=("text", "", 'zero_means = "ask for the price"', "What a zero means; a load warns of each."),
    zoned=("true or false", "false", "zoned = true", "Of a moment: its time zone is kept."),
    scale=("a power of ten", "", "scale = 100", "The table holds cents; people see 12.50 (with decimals = 2)."),
    stored=("a pattern", "", 'stored = "YYYYMMDD"', "How the table writes a date that is a number or a text there."),
    numbered=("true or false", "false", "numbered = true", "Kotrel counts it up where the sheet has no column for it."),
    from_ledger=(
        "on hand, on order, reserved, average cost, last moved",
        "",
        'from_ledger = "on hand"',
        "What the field shows of the ledger; the table has no column for it.",
    ),
    fulfils=("true or false", "false", "fulfils = true", "Of a line: the reference names the order that it fulfils."),
)

STORE = section(
    table=("text", "the record's name", 'table = "goods"', "The table."),
    schema=("text", "that of the system", 'schema = "erp"', "Its schema."),
    columns=("field = column", "the field's name", 'columns = { code = "goods_no" }', "Columns whose names differ."),
    id=("a column", "", 'id = "goods_id"', "The number by which other tables refer to a row, instead of its key."),
    fixed=(
        "column = value",
        "",
        'fixed = { company = "01" }',
        "Only rows with these values are read and changed; new rows get them.",
    ),
    made=(
        "column = how",
        "",
        'made = { created_at = "now" }',
        "What a new row gets: uuid, uuid7, uuid hex, now, next, a sequence, or a constant.",
    ),
    touched=("column = how", "", 'touched = { version = "+1" }', "What a row gets whenever it is added or changed."),
    yes_no=("two texts", "", 'yes_no = ["Y", "N"]', "How yes and no are stored, where the column has no yes/no type."),
    yes_no_of=("field = two texts", "", 'yes_no_of = { active = ["1", "0"] }', "The same for single fields."),
)

DEFAULTS = section(
    record=("a record", "", 'record = "item"', "The record that the set is for."),
    where=(
        "an expression",
        "",
        "where = \"category begins with 'PAINT'\"",
        "The rows that it applies to by itself; without it: --defaults NAME.",
    ),
    set=("field = value", "", 'set = { lot_tracked = "yes" }', "What blank cells of new rows get."),
)
