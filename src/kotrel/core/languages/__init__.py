"""The words of the languages that people write their sheets in, each language in a file of its own."""
