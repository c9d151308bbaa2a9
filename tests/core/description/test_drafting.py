"""A database's facts → a draft that is itself a description."""

from __future__ import annotations

import unittest

from kotrel.core.description.drafting import ColumnFacts, ReferenceFacts, TableFacts, draft_description
from kotrel.core.description.reading import read_description


def table(name: str, *columns: ColumnFacts, primary=(), uniques=(), references=()) -> TableFacts:
    return TableFacts(name, "", columns, tuple(primary), tuple(uniques), tuple(references))


ID = ColumnFacts("id", "whole", must=True, made=True)


class Drafts(unittest.TestCase):
    def draft(self, *tables: TableFacts):
        text = draft_description(tables)
        return text, read_description(text, "draft")

    def test_a_table_that_nothing_tells_apart_is_named_and_left_out(self):
        log = table("Log", ColumnFacts("words", "text"))
        numbered = table("events", ID, ColumnFacts("words", "text"), primary=["id"])
        bins = table(
            "Bins",
            ColumnFacts("House", "text", 4, must=True),
            ColumnFacts("Bin No", "text", 8, must=True),
            primary=["House", "Bin No"],
        )
        text, read = self.draft(log, numbered, bins)
        self.assertEqual(list(read.records), ["bins"])
        self.assertIn("left out, because they have no key: Log, events".casefold(), text.casefold())
        record = read.records["bins"]
        self.assertEqual((record.key, record.storage.table), (("house", "bin_no"), "Bins"))
        self.assertEqual(dict(record.storage.columns), {"house": "House", "bin_no": "Bin No"})

    def test_tables_that_refer_to_each_other_in_a_circle(self):
        one = table(
            "one",
            ColumnFacts("code", "text", 5, must=True),
            ColumnFacts("two", "text", 5),
            primary=["code"],
            references=[ReferenceFacts(("two",), "two", ("code",))],
        )
        two = table(
            "two",
            ColumnFacts("code", "text", 5, must=True),
            ColumnFacts("one", "text", 5),
            primary=["code"],
            references=[ReferenceFacts(("one",), "one", ("code",))],
        )
        _, read = self.draft(one, two)
        self.assertEqual(
            {name: field.to for name, field in read.records["one"].fields.items()}, {"code": None, "two": "two"}
        )
        self.assertIsNone(read.records["two"].fields["one"].to, "one of the two is loose")

    def test_keys_of_several_columns_numbers_and_what_the_database_makes(self):
        bins = table(
            "bins",
            ColumnFacts("house", "text", 4, must=True),
            ColumnFacts("bin", "text", 8, must=True),
            primary=["house", "bin"],
        )
        stock = table(
            "stock", ID, ColumnFacts("item_no", "text", 12, must=True), ColumnFacts("house", "text", 4, must=True), ColumnFacts("bin", "text", 8),
            ColumnFacts("unit_cost", "decimal", decimals=4), ColumnFacts("counted", "moment"), ColumnFacts("ean", "text", 13), ColumnFacts("pieces", "whole", decimals=0, must=True),
            primary=["id"], uniques=[("item_no", "house"), ("ean",)], references=[ReferenceFacts(("house", "bin"), "bins", ("house", "bin"))],
        )  # fmt: skip
        _, read = self.draft(stock, bins)
        record = read.records["stock"]
        fields = record.fields
        self.assertEqual((record.key, record.storage.id), (("item_no", "house"), "id"))
        self.assertEqual((fields["bin"].to, fields["bin"].within), ("bins", ("house",)))
        self.assertEqual((fields["unit_cost"].kind, fields["unit_cost"].decimals), ("money", 4))
        self.assertTrue(fields["counted"].is_kept, "a time of day is the system's own")
        self.assertEqual((fields["ean"].unique, fields["pieces"].must, fields["pieces"].decimals), ("ean", "new", 0))
        self.assertEqual(read.order, ("bins", "stock"))
        self.assertFalse(read.scaled)
