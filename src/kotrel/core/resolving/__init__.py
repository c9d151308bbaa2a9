"""Rows held against the system: repaired by its lists, found in it, compared with their export, filled in."""
