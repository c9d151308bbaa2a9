"""Faults that no test can catch, because what they change cannot be seen from outside; each with the reason."""

HARMLESS: dict[str, dict[str, str]] = {}
"""File → fault → why it does no harm."""
