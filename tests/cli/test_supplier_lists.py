"""Suppliers' price lists as they come: per hundred, discount groups, successors, a day in the title;
figures calculated by hand.
"""

from __future__ import annotations

import unittest
from decimal import Decimal
from typing import Any

import openpyxl
import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from kotrel.core.columns import ROW
from kotrel.core.description.model import Field
from kotrel.core.normalizing.column import ColumnSetting, Tidied
from kotrel.core.normalizing.price_units import per_one
from kotrel.core.tables.sources import PriceUnit
from kotrel.core.values.conventions import Conventions
from tests.support import TODAY, Program, rows, workbook_of

HEADINGS = ("Maker", "Type", "Article", "DG", "List price", "PU", "Successor")
LINES = (
    (
        "BRANN",
        "BRANN-2090",
        "Bow shackle 5 mm galvanised",
        "S",
        184,
        100,
        None,
    ),  # 184 less 35 % is 119.60, for one 1.196
    ("Brann", "brann 2100", "Bow shackle 5 mm stainless", "s", 24.5, "10 pcs", None),  # 15.925, for one 1.5925
    ("BRANN", "BRANN-2110", "Bow shackle 5 mm long", "C", 3, 1000, None),  # 2.10, for one 0.0021
    ("BRANN", "BRANN-2120", "Bow shackle 6 mm galvanised", "S", "POA", 1, None),
    ("BRANN", "BRANN-2130", "Bow shackle 6 mm stainless", "S", None, 1, "BRANN-2140"),
    ("BRANN", "BRANN-9999", "Bow shackle of another age", "S", 2, 1, None),
)
MAPPING = """
record = "item"
skip = ["Article"]
no_price = ["POA"]
replaced_by = "Successor"
[lookup.groups]
by = "DG"
{where}
[field.code]
found_by = {{ brand = "Maker", part_number = "Type" }}
[field.cost]
make = "number([List price]) - number([List price]) * number([{figure}]) / 100"
per = "PU"
for = "all"
"""
GROUPS = (("Group", "Discount %"), ("S", 35), ("C", 30))


class SupplierLists(Program):
    def setUp(self) -> None:
        super().setUp()
        self.start_shop()
        (self.folder / "maps").mkdir(exist_ok=True)

    def write_list(self, *more: tuple[object, ...]) -> None:
        title = (("Brannoch, list 27",), ("Prices in euro, valid from 1 March 2027",))
        sheets = {"List": [*title, HEADINGS, *LINES, *more], "Groups": GROUPS}
        workbook_of(self.folder / "list.xlsx", sheets)

    def costs(self) -> dict[str, str]:
        where = "code is one of ('FST-00010', 'FST-00020', 'FST-00030', 'FST-00040')"
        (self.folder / "costs.csv").unlink(missing_ok=True)
        self.json("export", "item", "-o", "costs.csv", "--fields", "cost", "--where", where)
        lines = (self.folder / "costs.csv").read_text("utf-8-sig").splitlines()[1:]
        return dict(line.split(",") for line in lines)

    def test_costs_for_one_less_the_discount_of_a_group(self) -> None:
        self.write_list()
        before = self.costs()
        for where, figure in (('sheet = "Groups"', "groups.Discount %"), ("table = { S = 35, C = 30 }", "groups")):
            self.write("maps/list.toml", MAPPING.format(where=where, figure=figure))
            done = self.json("check", "list.xlsx", "--sheet", "List", status=1)
            [wrong] = [each for each in done["findings"] if each["severity"] == "error"]
            self.assertEqual((wrong["kind"], wrong["row"]), ("not-found", 9))
            [read] = done["files"]
            self.assertIn("1 row left out: replaced by another item, and without a price", read["remarks"])
            self.assertIn("1 cell blank, no price: 1 × POA", read["remarks"])
        self.json("load", "list.xlsx", "--good-rows", "--yes")
        self.assertEqual(
            self.costs(),
            {"FST-00010": "1.1960", "FST-00020": "1.5925", "FST-00030": "0.0021", "FST-00040": before["FST-00040"]},
        )
        self.json("undo", "L0001", "--yes")
        self.assertEqual(self.costs(), before)

    def test_what_nobody_can_know_is_an_error_at_its_cell(self) -> None:
        self.write_list(
            ("BRANN", "BRANN-2150", None, "X", 2, 1, None),
            ("BRANN", "BRANN-2160", None, "S", 2, None, None),
            ("BRANN", "BRANN-2170", None, "S", 2, "a few", None),
            ("BRANN", "BRANN-2180", None, "S", 1, 1000, None),  # 0.00065 has five decimals
            ("BRANN", "BRANN-2190", None, "S", 2, 1, "BRANN-2200"),
        )
        self.write("maps/list.toml", MAPPING.format(where='sheet = "Groups"', figure="groups.Discount %"))
        found = {(each["kind"], each["cell"]) for each in self.json("check", "list.xlsx", status=1)["findings"]}
        self.assertEqual(
            found - {("not-found", "List!A9"), ("not-found", "List, row 9")},
            {("not-looked-up", "List!D10"), ("per-unreadable", "List, row 11"), ("per-unreadable", "List, row 12"),
             ("per-uneven", "List, row 13"), ("replaced", "List!G14")},
        )  # fmt: skip
        # The other sheet is one to look things up in: nobody is told that it is not read.
        self.assertNotIn("sheet-not-read", {kind for kind, _ in found})

    def test_a_day_in_the_title_is_the_first_day(self) -> None:
        self.write_list()
        text = 'record = "price"\nsheet = "List"\nskip = ["Maker", "Type", "Article", "DG", "PU", "Successor"]\nno_price = ["POA"]\n[field.price_list]\nfixed = "SHOP"\n' \
               '[field.item]\nfound_by = { brand = "Maker", part_number = "Type" }\n[field.amount]\ncolumn = "List price"\n[field.from_date]\ncell = "%s"\n'  # fmt: skip
        self.write("maps/list.toml", text % "A2")
        done = self.json("load", "list.xlsx", "--good-rows", "--yes")
        self.assertEqual(done["records"]["price"]["new"], 3)
        self.json("export", "price", "-o", "p.csv", "--fields", "amount", "--where", "from_date is '2027-03-01'")
        self.assertIn("SHOP,FST-00010,EA,0,2027-03-01,184", (self.folder / "p.csv").read_text("utf-8-sig"))
        for cell, words in (("A1", "which has no day"), ("B2", "has nothing in B2")):
            self.write("maps/list.toml", text % cell)
            self.assertIn(words, self.kotrel("check", "list.xlsx", status=2).stderr)

    def test_map_asks_about_such_columns(self) -> None:
        self.write_list()
        book = openpyxl.load_workbook(self.folder / "list.xlsx")
        book["List"]["F5"] = 10
        book.save(self.folder / "list.xlsx")
        asked = self.json("map", "list.xlsx", "item", "--name", "seen")["questions"]
        self.assertEqual([each.rpartition("(")[2] for each in asked], ["per)", "lookup)", "replaced_by)"])
        self.assertIn('per = "PU"', (self.folder / "maps" / "seen.toml").read_text("utf-8"))
        asked = self.json("map", "list.xlsx", "price", "--name", "prices")["questions"]
        self.assertIn("(cell)", asked[-1])


class ForOne(unittest.TestCase):
    @given(
        st.lists(
            st.tuples(st.integers(0, 10**7), st.sampled_from(("1", "10", "100", "1000", "12", "", "C", "x"))),
            min_size=1,
            max_size=8,
        )
    )
    def test_an_amount_for_one_is_exact_or_an_error(self, lines: list[tuple[int, str]]) -> None:
        read = rows(("code", "per"), *((f"A{n}", said) for n, (_, said) in enumerate(lines)))
        unit = PriceUnit(None, "B", {"C": Decimal(100)}, Decimal(1))
        amounts = pl.Series("cost", [f"{Decimal(cents) / 100:.2f}" for cents, _ in lines])
        about: Any = Field("cost", "Cost", "money", decimals=4)
        done = per_one(
            read.table.cells[ROW], Tidied(amounts), read.table, unit, about, ColumnSetting(Conventions(), TODAY)
        )
        wrong = {row for trouble in done.troubles for row in trouble.cells[ROW]}
        for row, (cents, said), after in zip(read.table.cells[ROW], lines, done.values, strict=True):
            number = {"": 1, "C": 100, "x": 0}.get(said) if not said.isdigit() else int(said)
            # In ten-thousandths, whole numbers decide.
            even = bool(number) and cents * 100 % (number or 1) == 0
            self.assertEqual(row not in wrong, even, (cents, said))
            if even:
                self.assertEqual(Decimal(after) * (number or 1), Decimal(cents) / 100)


class Pairs(Program):
    def test_a_price_for_each_pair_of_columns(self):
        self.start_shop()
        self.write(
            "breaks.csv",
            "Item,Price list,Unit,Valid from,Qty 1,Price 1,Qty 2,Price 2,Qty 3,Price 3",
            "ROP-00010,YARD,M,2027-03-01,1,0.70,50,0.65,200,0.62",
            "ROP-00020,YARD,M,2027-03-01,1,0.80,50,0.75,,",
        )
        self.kotrel("map", "breaks.csv", "price")
        self.assertEqual(self.json("load", "breaks.csv", "--yes")["records"]["price"]["new"], 5)
        for item, quantity, price in (
            ("ROP-00010", 60, "0.65"),
            ("ROP-00010", 200, "0.62"),
            ("ROP-00020", 200, "0.75"),
        ):
            told = self.json("price", item, "--customer", "C-1001", "--quantity", str(quantity), "--on", "2027-03-02")
            self.assertEqual(told["price"], price)
        # A quantity without its price is not left out.
        self.write(
            "half.csv",
            "Item,Price list,Unit,Valid from,Qty 1,Price 1,Qty 2,Price 2,Qty 3,Price 3",
            "ROP-00030,YARD,M,2027-03-01,1,0.75,100,0.70,500,",
        )
        found = self.json("check", "half.csv", status=1)["findings"]
        self.assertEqual([each["kind"] for each in found if each["severity"] == "error"], ["not-exactly-one"])


class Measures(Program):
    HEAD = "Item code,Description,Unit,Category,Weight (g),Length (mm),Width (mm),Height (mm)"

    def setUp(self):
        super().setUp()
        self.start_shop()

    def held(self, *codes):
        (self.folder / "back.csv").unlink(missing_ok=True)
        among = " or ".join(f"code is '{code}'" for code in codes)
        self.kotrel("export", "item", "-o", "back.csv", "--where", among, "--fields", "weight,weight_unit,length,size_unit", "--quiet")  # fmt: skip
        return (self.folder / "back.csv").read_text("utf-8-sig").splitlines()[1:]

    def test_weights_in_a_unit_that_is_not_on_the_list_are_converted(self):
        self.write("a.csv", self.HEAD, "ZZA-00001,Cleat,EA,ROPE,450,120,60,55", "ZZA-00002,Block,EA,ROPE,,,,")
        said = self.kotrel("map", "a.csv", "item").stdout
        self.assertIn(
            "“Weight (g)” is in g, which is not on the list: convert it to KG, 0.001 for one?", " ".join(said.split())
        )
        self.kotrel("load", "a.csv", "--yes")
        # 450 g and 120 mm; and no unit where there is nothing to measure.
        self.assertEqual(self.held("ZZA-00001", "ZZA-00002"), ["ZZA-00001,0.45,KG,12,CM", "ZZA-00002,,,,"])
        # An existing item, too.
        self.write("a.csv", self.HEAD, "ZZA-00001,Cleat,EA,ROPE,500,,,")
        self.kotrel("load", "a.csv", "--yes")
        self.assertEqual(self.held("ZZA-00001"), ["ZZA-00001,0.5,KG,12,CM"])

    def test_what_is_calculated_for_new_rows_only_is_noted_for_existing_ones(self):
        mapping = (
            'record = "item"', "skip = []", "[field.code]", 'column = "Code"', "[field.cost]",
            'make = "number([Thousandths]) * 0.001"',
        )  # fmt: skip
        self.write("maps/own.toml", *mapping)
        self.write("b.csv", "Code,Thousandths", "ROP-00010,500")
        [found] = self.json("preview", "b.csv", "--map", "own")["findings"]
        self.assertEqual((found["severity"], found["kind"], found["field"]), ("note", "not-for-existing", "cost"))
        self.write("maps/own.toml", *mapping, 'for = "all"')
        told = self.json("preview", "b.csv", "--map", "own")
        self.assertEqual([(each["field"], each["after"]) for each in told["changes"]], [("cost", "0.5000")])
