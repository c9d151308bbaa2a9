"""From which quantity on the amounts below a heading hold."""

import unittest

from kotrel.core.matching.quantity_breaks import break_said


class Breaks(unittest.TestCase):
    def test_headings_that_say_one(self):
        for heading, quantity in {
            "1+": "1",
            "50pcs+": "50",
            "10 or more": "10",
            "10 Stück und mehr": "10",
            "Price 10+": "10",
            "Price (from 10)": "10",
            "ab 50 Stück": "50",
            "à partir de 25": "25",
            "Preis mind. 5": "5",
            ">= 100": "100",
            "≥100 pcs": "100",
            "10-49": "10",
            "Price 50 – 99": "50",
            "Price, qty 12": "12",
            "Cost (MOQ 250)": "250",
        }.items():
            said = break_said(heading)
            self.assertEqual(said and said.quantity, quantity, heading)

    def test_headings_that_say_something_else(self):
        for heading in (
            "Price", "Price 2027", "Price 2026-2027", "Price from 2027", "Price from 1.1.2027", "Price from 10/2027",
            "Price 6-8 mm", "Delivery from 3 days", "Cost (100 pcs)", "Price/100", "Cost (+/-)", "Price +10 %", "Price 10-5", "Price 0+", "Qty 2", "Price (from 1 Jan)", "Preis ab 1. März", "Price (1-31 Dec)", "Price (week 10-12)", "Price (zone 1-3)", "Price per 100 plus VAT",
        ):  # fmt: skip
            self.assertIsNone(break_said(heading), heading)
