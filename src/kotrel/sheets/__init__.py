"""Spreadsheets and text files, in and out."""
