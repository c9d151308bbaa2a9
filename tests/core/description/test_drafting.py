"""A database's facts → a draft that is itself a description."""

from __future__ import annotations

import unittest

from kotrel.core.description.description_reading import read_description
from kotrel.core.description.drafting import draft_description
from kotrel.core.description.table_facts import ColumnFacts, ReferenceFacts, TableFacts


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
        self.assertEqual(list(read.records), ["events", "bins"])
        self.assertIn("left out, because they have no key: Log".casefold(), text.casefold())
        self.assertEqual(read.records["events"].key, ("id",), "the number is better than nothing")
        self.assertIn("# the database's own number", text)
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
        self.assertEqual((fields["counted"].kind, fields["counted"].is_kept), ("moment", False))
        self.assertEqual((fields["ean"].unique, fields["pieces"].must, fields["pieces"].decimals), ("ean", "new", 0))
        self.assertEqual(read.order, ("bins", "stock"))
        self.assertFalse(read.scaled)

    def test_names_in_any_letters_become_names_that_settings_and_expressions_can_use(self):
        odd = table(
            'Größe "x"\\y',
            ColumnFacts("Köd", "text", 5, must=True), ColumnFacts("Kod", "text", 5), ColumnFacts("имя", "text"), ColumnFacts("2nd", "text"),
            ColumnFacts("state", "text", choices=("new", 'us"ed')), ColumnFacts("at", "moment", remark="a date with\na time"),
            primary=["Köd"],
        )  # fmt: skip
        text, read = self.draft(odd)
        record = read.records["grosse_x_y"]
        self.assertEqual(record.storage.table, 'Größe "x"\\y')
        self.assertEqual(list(record.fields), ["kod", "kod_2", "column", "column_2nd", "state", "at"])
        self.assertEqual(record.storage.columns["column"], "имя")
        self.assertEqual((record.fields["state"].kind, record.fields["state"].choices), ("choice", ("new", 'us"ed')))
        self.assertIn("# a date with a time", text)

    def test_two_schemas_may_have_the_same_table(self):
        def goods(schema, *references):
            columns = (ColumnFacts("code", "text", 5, must=True), ColumnFacts("other", "text", 5))
            return TableFacts("goods", schema, columns, ("code",), (), tuple(references))

        _, read = self.draft(goods("a"), goods("b", ReferenceFacts(("other",), "goods", ("code",), "a")))
        self.assertEqual(
            {name: each.storage.schema for name, each in read.records.items()}, {"goods": None, "goods_2": "b"}
        )
        self.assertEqual(
            (read.records["goods_2"].fields["other"].to, read.records["goods"].fields["other"].to), ("goods", None)
        )

    def test_what_cannot_be_described_is_a_comment_and_the_rest_a_draft(self):
        good = table("good", ColumnFacts("code", "text", 5, must=True), primary=["code"])
        # A choice without words is no description.
        bad = table(
            "bad",
            ColumnFacts("code", "text", 5, must=True),
            ColumnFacts("a", "text", choices=("x", "x")),
            primary=["code"],
        )
        after = table("z", ColumnFacts("code", "text", 5, must=True), ColumnFacts("b", "text", 5), primary=["code"],
                      references=[ReferenceFacts(("b",), "bad", ("code",))])  # fmt: skip
        text, read = self.draft(good, bad, after)
        if "bad" not in read.records:
            self.assertIn("# Left out: bad, because", text)
            self.assertIsNone(read.records["z"].fields["b"].to)
        self.assertIn("good", read.records)
