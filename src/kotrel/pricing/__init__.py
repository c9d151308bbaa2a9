"""Prices: new ones by rules, and the price in force; the commands, their workbook and what they show."""
