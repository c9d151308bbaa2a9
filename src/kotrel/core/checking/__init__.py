"""Checks: one file for each family, all with the same signature."""
