"""Damaged sheets with known truth: what people, spreadsheets and old encodings do to cells,
and what each must become.
"""
