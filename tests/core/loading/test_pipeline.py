"""The pipeline without a workspace: what a field is called makes no difference,
and consequences follow their causes.
"""

from __future__ import annotations

import re
import unittest
from pathlib import Path

import polars as pl
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.journal import ROW_COLUMNS, changes_from, entry_parts, journal_rows, refused_rows
from kotrel.core.changes.reversal import reverse
from kotrel.core.changes.system_remarks import Refusal
from kotrel.core.columns import ACTION, ROW
from kotrel.core.description.description_reading import read_description
from kotrel.core.errors import WrongUse
from kotrel.core.loading import pipeline
from kotrel.core.loading.load_model import Business, SheetRows
from kotrel.core.loading.pipeline import check_parts, preview
from kotrel.core.matching.by_headings import match_headings
from kotrel.core.matching.row_reading import understand
from kotrel.core.resolving.three_way import ExportBase
from kotrel.core.rows.load_options import DEFAULT_OPTIONS, LoadOptions
from kotrel.core.stock.sums import SUMS
from kotrel.core.tables.detection import find_table
from kotrel.core.values.conventions import Conventions
from tests.support import SMALL, TODAY, grid

OWN = re.compile(r"^(\w+) = \{", re.MULTILINE)
NASTY = [
    "row",
    "line",
    "action",
    "message",
    "value",
    "key",
    "keys",
    "at",
    "place",
    "found",
    "there",
    "known",
    "behind",
    "code_",
    "rows",
    "all",
    "owner",
    "holder",
    "field",
    "file",
    "sheet",
    "record",
    "before",
    "after",
    "outcome",
    "load",
    "suggestion",
    "proof",
    "shown",
    "one",
    "count",
    "len",
    "literal",
    "index",
    "A",
    "B",
    "AA",
    "name_",
    "held",
    "now",
    "was",
]
"""Names that Kotrel's own tables have had for their columns, or might have."""

HELD = {
    "unit": {"code": ["EA", "M"], "name": ["each", "metre"]},
    "item": {
        "code": ["A", "B", "C"], "description": ["a", "b", "c"], "unit": ["EA", "M", "EA"], "cost": ["1.00", "2.00", None],
        "barcode": ["2010000000014", None, None], "on_hand": ["5.000", "0.000", None], "length": ["1.0", None, None],
        "width": ["2.0", None, None], "parent": [None, "A", None],
    },
}  # fmt: skip
HEADINGS = ["code", "description", "unit", "barcode", "cost", "lot_tracked", "length", "parent", "on_hand"]
cell = {
    "code": st.sampled_from(["A", "B", "C", "D", "E", ""]), "description": st.sampled_from(["a", "new", "", "(clear)"]),
    "unit": st.sampled_from(["EA", "metre", "M", "BAG", ""]), "cost": st.sampled_from(["1", "2,5", "-1", "9999", "x", "ask", ""]),
    "barcode": st.sampled_from(["2010000000014", "2010000000021", "2010000000013", ""]),
    "lot_tracked": st.sampled_from(["yes", "ja", "maybe", ""]), "length": st.sampled_from(["1.5", ""]),
    "parent": st.sampled_from(["A", "D", "B", ""]), "on_hand": st.sampled_from(["5", "7", ""]),
}  # fmt: skip
lines = st.lists(st.tuples(*(cell[name] for name in HEADINGS)), min_size=1, max_size=5)


class Memory:
    """A system in memory, whose fields are called as the test says."""

    def __init__(self, names: dict[str, str]) -> None:
        self.names = names

    def require(self, record: str) -> None:
        pass

    def replaced_otherwise(self, changes) -> list:
        return []

    def ledger_sums(self, query):
        return pl.DataFrame(schema=dict.fromkeys((*query.by, *SUMS), pl.String))

    def read(self, record, fields, among=None, filled=None):
        held = {self.names.get(name, name): column for name, column in HELD[record].items()}
        if record == "unit":
            held = HELD[record]
        size = len(next(iter(held.values())))
        frame = pl.DataFrame({name: pl.Series(held.get(name, [None] * size), dtype=pl.String) for name in fields})
        return frame.filter(pl.col(filled).is_not_null()) if isinstance(filled, str) else frame


def described(names: dict[str, str]):
    """The small description with the fields of the item called otherwise; their titles stay."""
    units, item = SMALL.split("[record.item]\n")
    for old, new in names.items():
        item = re.sub(
            rf"^{old} = {{ (?!title)", f'{new} = {{ title = "{old.replace("_", " ")}", ', item, flags=re.MULTILINE
        )
        item = re.sub(rf"^{old} = {{ title", f"{new} = {{ title", item, flags=re.MULTILINE)
        item = re.sub(rf'^(key|together)( = \[.*)"{old}"', rf'\1\2"{new}"', item, flags=re.MULTILINE)
    return read_description(f"{units}[record.item]\n{item}")


def run(names: dict[str, str], rows, options: LoadOptions = DEFAULT_OPTIONS, export: bool = False):
    """What the pipeline makes of the rows, with the original names put back."""
    description = described(names)
    table = find_table(grid([name.replace("_", " ") if name != "code" else "Item code" for name in HEADINGS], *rows), 1)
    read = understand(table, match_headings(table, description.records["item"]), Conventions(), TODAY)
    look, back = Memory(names), {new: old for old, new in names.items()}
    base = None
    if export:
        fields = [names.get(name, name) for name in HEADINGS]
        base = ExportBase(look.read("item", fields).with_columns(pl.lit("1.00").alias(names.get("cost", "cost"))))
    business = Business(
        description, Conventions(), replace(options, match_on=names.get(options.match_on or "", options.match_on))
    )
    done = preview([SheetRows(read, (), base)], business, look, lambda step: None)
    found = {
        (each.rows.record.name, group.severity, group.kind, back.get(group.field or "", group.field), *cells)
        for each in done.checked for group in each.rows.findings
        for cells in group.cells.select(ROW, "value").iter_rows()
    }  # fmt: skip
    changed = [
        (changes.record.name, row, key, back.get(field, field), before, after)
        for changes in done.changes for row, key, field, before, after in changes.changed_cells().iter_rows()
    ]  # fmt: skip
    images = [refused_or_done(changes) for changes in done.changes]
    undone = [
        [frame.height for frame in (reverse(each, each.frame.clear()).__getitem__(0).frame,)] for each in done.changes
    ]
    return done.counts(), found, sorted(changed, key=str), images, undone


def refused_or_done(changes: RecordChanges):
    """What the journal keeps of changes, and what it gives back."""
    kept = pl.concat([journal_rows(changes, 7, 1), refused_rows(changes, 7, 100)])
    touched = kept.filter(~pl.col("action").is_in(["same", "refused"])).with_columns(pl.col("row").cast(pl.UInt32))
    [back] = changes_from(entry_parts([changes]), [touched], _Only(changes.record), 7)
    assert list(kept.columns) == list(ROW_COLUMNS)
    return kept["after"].to_list(), back.frame[ACTION].to_list()


class _Only:
    """A description of one record."""

    def __init__(self, record) -> None:
        self.records = {record.name: record}


class AnyName(unittest.TestCase):
    """A field may be called what Kotrel calls its own columns."""

    @settings(max_examples=15, phases=[Phase.explicit, Phase.generate])
    @given(
        st.permutations(NASTY),
        lines,
        st.sampled_from([
            LoadOptions(), LoadOptions(blanks="clear"), LoadOptions(match_on="barcode"), LoadOptions(only="new"),
            LoadOptions(duplicates="last"), LoadOptions(create=("unit",)),
        ]),
        st.booleans(),
    )  # fmt: skip
    def test_names_make_no_difference(self, nasty, rows, options, export):
        own = OWN.findall(SMALL.split("[record.item.field]")[1])
        names = dict(zip(own, nasty, strict=False))
        self.assertEqual(run(names, rows, options, export), run({}, rows, options, export))

    def test_no_name_of_an_own_column_makes_a_difference(self):
        sources = "".join(path.read_text("utf-8") for path in Path(pipeline.__file__).parents[1].rglob("*.py"))
        own = OWN.findall(SMALL.split("[record.item.field]")[1])
        words = sorted({*NASTY, *re.findall(r'(?:alias|with_row_index)\("([a-z]+)"', sources)} - {*own})
        sheet = [
            ("A", "rope", "M", "2010000000014", "2,5", "yes", "1.5", "", "5"),
            ("C", "", "EA", "", "1", "ja", "", "A", ""),
        ]
        sheet += [
            ("B", "chain", "EA", "2010000000021", "7", "", "2.5", "B", ""),
            ("C", "new", "", "", "1", "yes", "", "D", ""),
        ]
        wanted = [run({}, sheet, LoadOptions(), export) for export in (False, True)]
        for at in range(len(words)):
            names = dict(zip(own, [*words[at:], *words[:at]], strict=False))
            with self.subTest(words[at]):
                export = at % 2
                self.assertEqual(run(names, sheet, LoadOptions(), bool(export)), wanted[export])

    def test_a_blank_in_a_name_is_refused(self):
        with self.assertRaises(WrongUse) as caught:
            read_description('[record.x]\nkey = ["sheet row"]\n[record.x.field]\n"sheet row" = { kind = "code" }')
        self.assertIn("line 4", caught.exception.message)


class Parts(unittest.TestCase):
    def part(self, record: str, *lines):
        table = find_table(grid(*lines), 1)
        return SheetRows(understand(table, match_headings(table, described({}).records[record]), Conventions(), TODAY))

    def test_rows_may_refer_to_rows_before_them_in_the_load(self):
        units = self.part("unit", ("Code", "Name"), ("KG", "kilogram"), ("TOOLONG", "x"))
        items = self.part("item", ("Item code", "Description", "Unit"), ("D", "d", "KG"), ("E", "e", "TOOLONG"))
        done = preview([units, items], Business(described({}), Conventions()), Memory({}), lambda step: None)
        self.assertEqual(done.counts()["item"], {"new": 1, "changed": 0, "same": 0, "refused": 1})
        self.assertEqual(done.counts()["unit"], {"new": 1, "changed": 0, "same": 0, "refused": 1})
        [group] = [group for group in done.checked[1].rows.findings if group.severity == "error"]
        self.assertEqual((group.kind, group.cells[ROW].to_list()), ("refused-in-load", [3]))
        self.assertFalse(done.ok)
        self.assertTrue(done.touches)

    def test_without_a_key_there_is_nothing_to_compare(self):
        done = preview(
            [self.part("item", ("Description", "Unit"), ("d", "EA"))],
            Business(described({}), Conventions()),
            Memory({}),
            lambda step: None,
        )
        self.assertEqual((done.changes, done.ok, done.touches), ((), False, False))

    def test_options_are_looked_at_before_anything_else(self):
        business = Business(described({}), Conventions(), LoadOptions(create=("untt",)))
        with self.assertRaises(WrongUse):
            check_parts(
                [self.part("item", ("Item code", "Unit"), ("D", "EA"))], business, Memory({}), lambda step: None
            )

    def test_the_system_is_asked_whether_it_takes_such_rows(self):
        class Other(Memory):
            def require(self, record):
                raise WrongUse(f"no table {record}")

        with self.assertRaises(WrongUse):
            check_parts(
                [self.part("item", ("Item code", "Unit"), ("D", "EA"))],
                Business(described({}), Conventions()),
                Other({}),
                lambda step: None,
            )


class Consequences(unittest.TestCase):
    def test_what_only_refused_rows_would_create_is_not_created(self):
        rows = [
            ("D", "d", "BAG", "", "1", "", "", "", ""),
            ("E", "e", "BOX", "", "x", "", "", "", ""),
            ("F", "f", "CAN", "", "y", "", "", "", ""),
        ]
        counts = run({}, rows, LoadOptions(create=("unit",)))[0]
        # BAG comes with a good row; BOX and CAN only with rows whose cost is no number.
        self.assertEqual(counts["unit"]["new"], 1)
        self.assertEqual((counts["item"]["new"], counts["item"]["refused"]), (1, 2))

    def test_what_is_created_is_named(self):
        table = find_table(grid(["Item code", "Description", "Unit"], ("D", "d", "BAG"), ("E", "e", "CAN")), 1)
        description = described({})
        part = SheetRows(understand(table, match_headings(table, description.records["item"]), Conventions(), TODAY))
        business = Business(description, Conventions(), LoadOptions(create=("unit",)))
        self.assertEqual(preview([part], business, Memory({}), lambda step: None).creates(), {"unit": ["BAG", "CAN"]})

    def test_what_is_filled_in_is_compared_too_where_the_sheet_came_from_an_export(self):
        description = described({})
        item = description.records["item"]
        filled = replace(item, fields={**item.fields, "cost": replace(item.fields["cost"], default="3.5")})
        description = replace(description, records={**description.records, "item": filled})
        held = Memory({}).read("item", ["code", "description", "unit"])
        [first, *_] = held.rows()
        table = find_table(grid(["Item code", "Description", "Unit"], first, ("NEW", "new", "EA")), 1)
        part = SheetRows(understand(table, match_headings(table, filled), Conventions(), TODAY), base=ExportBase(held))
        [change] = preview([part], Business(description, Conventions()), Memory({}), lambda step: None).changes
        did = dict(change.frame.select("code", ACTION).iter_rows())
        self.assertEqual((did[first[0]], did["NEW"]), ("same", "new"))
        self.assertEqual(change.frame.filter(pl.col("code") == "NEW")["cost"].to_list(), ["3.50"])

    def test_what_the_system_says_is_a_finding_at_its_row(self):
        table = find_table(grid(["Item code", "Description", "Unit"], ("D", "d", "EA"), ("E", "e", "EA")), 1)
        description = described({})
        part = SheetRows(understand(table, match_headings(table, description.records["item"]), Conventions(), TODAY))
        said = [
            Refusal("item", "test.xlsx", "Sheet1", 3, "E", "too heavy", field="unit", advice="use KG"),
            Refusal("item", "test.xlsx", "Sheet1", 2, "D", "slow", severity="warning"),
            Refusal("item", "test.xlsx", "Sheet1", 3, "E", "and too long", field="unit"),
            Refusal("item", "other.xlsx", "Sheet1", 2, "D", "somebody else's row"),
            Refusal("item", "test.xlsx", "Sheet2", 2, "D", "another sheet's row"),
            Refusal("unit", "test.xlsx", "Sheet1", 2, "D", "another record's row"),
        ]
        [checked] = check_parts([part], Business(description, Conventions()), Memory({}), lambda step: None, said)
        self.assertEqual(
            {(group.severity, group.field, *cells) for group in checked.rows.findings for cells in group.cells.rows()},
            {
                ("error", "unit", 3, "EA", "the system says: too heavy; and too long", "use KG"),
                ("warning", "code", 2, "D", "the system says: slow", None),
            },
        )
