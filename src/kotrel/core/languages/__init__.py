"""The words of the languages that people write their sheets in, one file for each language."""
