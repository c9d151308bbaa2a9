"""Sheets with everyday headings in six languages, and what each column is: how well matches are proposed."""
