"""Kotrel: check, preview, load and take back spreadsheets of items, prices and stock."""

__version__ = "0.1.0"
