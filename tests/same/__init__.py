"""Equivalent ways, equal results: one content in many forms, one question by several commands."""
