"""Numbered pairs of columns: a quantity, and the amount that holds from it on."""

import unittest

from kotrel.core.description.description_reading import read_description
from kotrel.core.matching.wide_sheets import find_pairs
from kotrel.core.tables.table import Column
from kotrel.practice.installing import description_text

PRICE = read_description(description_text()).records["price"]


def pairs(*headings: str, fed: tuple[str, ...] = ()):
    """What the mapping says of the quantity and of the amount, and the numbers."""
    wide = find_pairs([Column(chr(65 + n), heading) for n, heading in enumerate(headings)], PRICE, fed)
    return None if wide is None else (*(each.heading for each in wide.values), wide.words)


class Pairs(unittest.TestCase):
    def test_pairs_in_the_words_of_many(self):
        for headings, said in (
            (("Qty 1", "Price 1", "Qty 2", "Price 2"), ("Qty {from_quantity}", "Price {from_quantity}")),
            (("Price1", "Price2", "Price3", "Qty1", "Qty2", "Qty3"), ("Qty{from_quantity}", "Price{from_quantity}")),
            (("Menge 1", "Preis 1", "Menge 2", "Preis 2"), ("Menge {from_quantity}", "Preis {from_quantity}")),
            (("Break 1", "Unit price 1", "Break 2", "Unit price 2"), ("Break {from_quantity}", "Unit price {from_quantity}")),
        ):  # fmt: skip
            self.assertEqual(pairs(*headings, "Note 1", "Note 2")[:2], said)
        self.assertEqual(pairs("Qty 1", "Price 1", "Qty 3", "Price 3")[2], ("1", "3"))

    def test_what_is_no_pairs(self):
        self.assertIsNone(pairs("Qty 1", "Price 1"), "one pair")
        self.assertIsNone(pairs("Price 1", "Price 2"), "no quantities")
        self.assertIsNone(pairs("Qty 1", "Qty 2", "Price"), "one price")
        self.assertIsNone(pairs("Qty 1", "Qty 2", "Qty 3", "Price 1", "Price 2"), "a quantity without a price")
        self.assertIsNone(pairs("Qty 1", "Price 1", "Qty 2", "Price 2", "Net price 1", "Net price 2"), "two prices")
        self.assertIsNone(pairs("Qty 1", "Price 1", "Qty 2", "Price 2", fed=("amount",)), "the price is known")
