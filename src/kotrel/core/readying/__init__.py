"""Rows made ready for the checks: repaired, found in the system, compared with their export, filled in."""
