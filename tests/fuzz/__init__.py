"""Damaged and hostile files, settings, expressions and values, made by chance from sound ones."""
