"""Spreadsheets and text files: reading and writing them."""
