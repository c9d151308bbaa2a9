"""Every setting of every settings file, with values of all wrong kinds:
each is taken, or told with its file and line.
"""

import copy
import json
import math
import tempfile
import tomllib
import unittest
from datetime import date, datetime
from pathlib import Path

from kotrel.core.description.description_reading import read_description
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.pricing.rates import Rates
from kotrel.workspace.layout_reading import layout_named
from kotrel.workspace.mapping_reading import map_named
from kotrel.workspace.price_rules_reading import rules_named
from kotrel.workspace.settings import open_workspace
from tests.support import SMALL, small

LAYOUT = """
title = "Up"
record = "item"
format = "text"
separator = "semicolon"
quotes = "needed"
encoding = "cp1252"
line_end = "windows"
headings = true
heading_lines = [["a", "b", "c"]]
decimal_mark = ","
decimals = 2
date = "DD.MM.YYYY"
yes = "J"
most_rows = 5000
updates = "whole"
[[column]]
heading = "Code"
field = "code"
must = true
length = 20
words = { new = "N" }
[[column]]
action = { new = "I", changed = "U" }
[[column]]
heading = "Cost"
field = "cost"
at_most = 5
decimals = 2
"""
MATCH = """
record = "item"
skip = ["x"]
once_per = "code"
where = "cost > 0"
for = "new"
heading_row = 3
sheet = "S"
encoding = "cp1252"
[field.code]
column = "Item code"
translate = { a = "b" }
[field.description]
join = ["A", "B"]
between = ", "
[field.condition]
column = "I"
[field.unit]
default_by = "condition"
defaults = { new = "EA" }
default = "M"
[field.more_barcodes]
list = ["C", "D"]
how = "add"
[field.cost]
column = "E"
rounding = "as shown"
[field.length]
split = "F"
pattern = "{a} x {b}"
part = "a"
[field.width]
make = "length * 2"
[field.parent]
found_by = { barcode = "G" }
[[also]]
record = "unit"
[also.field.code]
column = "H"
"""
RULES = """
title = "Spring"
from_date = 2027-02-01
steps = "first"
[sheets.letter]
file = "a.csv"
map = "n"
match_on = "barcode"
[[step]]
name = "one"
where = "code is 'A'"
set = { SHOP = "SHOP + 4%" }
round = "up to 0.05"
from_quantity = 0
[guards]
least_margin = { SHOP = "20%" }
most_up = "12%"
below_cost = "error"
not_above = ["YARD", "SHOP"]
[outliers]
by = "category"
deviations = 6
least = "5%"
[rates]
XTS = "0.05"
"""
WORKSPACE = """
[system]
url = "sqlite:a.db"
description = "system.toml"
time_limit = 60
trigger_schemas = ["public"]
[sheets]
decimal_mark = "auto"
dates = "auto"
rounding = "as shown"
currency = "EUR"
[pictures]
folder = "p"
at_most_mb = 10
[stock]
closed_until = 2026-12-31
below_zero = "refused"
[count]
tolerance_quantity = 0
tolerance_percent = "0.5"
class.A.tolerance_value = "0"
not_counted = "n/c"
[folder]
old_after_days = 7
uploads = "u"
layouts = { item = "up" }
[limits]
cells = 20000000
seconds = 300
[spellings.unit]
stk = "EA"
"""
ODD = (
    5, -1, math.nan, 10**30, True, datetime(2026, 1, 1, 3), [], ["x"], [1], [{}], {}, {"a": 1}, "", "x" * 300, "(", "é",
)  # fmt: skip


def written(value):
    """A value as TOML."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{json.dumps(key)} = {written(each)}" for key, each in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(written, value)) + "]"
    if isinstance(value, date):
        return value.isoformat()
    return str(value) if isinstance(value, float) else json.dumps(value)


def places(value, before=()):
    """The way to each setting."""
    for key, each in value.items() if isinstance(value, dict) else enumerate(value):
        yield (*before, key)
        if isinstance(each, dict | list):
            yield from places(each, (*before, key))


class OddSettings(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        for name in ("layouts", "maps", "prices", "p"):
            (self.folder / name).mkdir()
        (self.folder / "system.toml").write_text(SMALL, "utf-8")

    def every(self, name, sound, read):
        path = self.folder / name
        path.write_text(sound, "utf-8")
        read()
        data = tomllib.loads(sound)
        for way in places(data):
            for odd in ODD:
                changed = copy.deepcopy(data)
                inner = changed
                for key in way[:-1]:
                    inner = inner[key]
                inner[way[-1]] = odd
                path.write_text(
                    "".join(f"{json.dumps(key)} = {written(each)}\n" for key, each in changed.items()), "utf-8"
                )
                with self.subTest(way=way, odd=str(odd)[:20]):
                    try:
                        read()
                    except (WrongUse, OutOfReach) as error:
                        # A file that a setting names is told by its own name.
                        self.assertIn(str(self.folder), error.message)

    def test_layouts(self):
        self.every("layouts/up.toml", LAYOUT, lambda: layout_named(self.folder, "up", small()))

    def test_matches(self):
        self.every("maps/n.toml", MATCH, lambda: map_named(self.folder, "n", small()))

    def test_price_rules(self):
        self.every("prices/up.toml", RULES, lambda: rules_named(self.folder, "up", ("SHOP", "YARD"), Rates("EUR")))

    def test_settings_of_the_workspace(self):
        self.every("kotrel.toml", WORKSPACE, lambda: open_workspace(self.folder))

    def test_descriptions(self):
        path = self.folder / "system.toml"
        self.every("system.toml", SMALL, lambda: read_description(path.read_text("utf-8"), str(path)))


if __name__ == "__main__":
    unittest.main()
