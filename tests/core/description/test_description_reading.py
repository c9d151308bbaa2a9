import unittest

from kotrel.core.description.description_reading import read_description
from kotrel.core.errors import WrongUse
from tests.support import SMALL, small


class Reading(unittest.TestCase):
    def wrong(self, text: str) -> WrongUse:
        with self.assertRaises(WrongUse) as caught:
            read_description(text, "s.toml")
        return caught.exception

    def test_load_order_follows_the_references(self):
        # a needs c, c needs b: whatever the order of the file, b comes first.
        field = '.field]\ncode = {{ kind = "code" }}\n{}'
        text = "".join(
            f'[record.{name}]\nkey = ["code"]\n[record.{name}'
            + field.format(f'r = {{ kind = "reference", to = "{to}" }}\n' if to else "")
            for name, to in (("a", "c"), ("c", "b"), ("b", None))
        )
        self.assertEqual(read_description(text).order, ("b", "c", "a"))

    def test_a_circle_of_references_is_named(self):
        text = SMALL.replace(
            'name = { kind = "text", length = 20, must = "new" }', 'name = { kind = "reference", to = "item" }'
        )
        self.assertIn("unit → item → unit", self.wrong(text).message)

    def test_a_reference_to_itself_is_no_circle(self):
        self.assertEqual(small().order, ("unit", "item"))

    def test_a_wrong_setting_is_told_with_its_line_and_the_likely_word(self):
        lines = SMALL.splitlines()
        cases = {
            'kind = "list"': ('kind = "lst"', "“lst”", "list"),
            'least = 0': ('leest = 0', "“leest”", "least"),
            'to = "unit"': ('to = "units"', "“units”", "unit"),
            'together = [["length", "width"]]': ('together = [["length", "with"]]', "“with”", "width"),
            'check = "gtin", unique = "barcode" }\nmore': ('check = "gtim", unique = "barcode" }\nmore', "“gtim”", "gtin"),
            'decimals = 2': ('decimals = -1', "decimals", ""),
        }  # fmt: skip
        for good, (bad, named, hint) in cases.items():
            with self.subTest(bad):
                line = next(number for number, text in enumerate(lines, 1) if good.split("\n")[0] in text)
                error = self.wrong(SMALL.replace(good, bad, 1))
                self.assertIn(f"s.toml, line {line}:", error.message)
                self.assertIn(named, error.message)
                self.assertIn(hint, error.hint)

    def test_what_cannot_be_a_description_is_refused(self):
        for text in (
            "",
            "[record]",
            '[record.a]\nkey = ["x"]',
            "x = ",
            '[record.a]\n[record.a.field]\ncode = { kind = "code" }',
        ):
            with self.subTest(text):
                self.wrong(text)
