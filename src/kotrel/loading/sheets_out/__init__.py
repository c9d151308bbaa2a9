"""Sheets that go out: template, export."""
