"""Sheets that come in: inspect, map, check, prepare, compare."""
