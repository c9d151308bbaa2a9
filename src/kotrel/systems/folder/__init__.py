"""A program that only exchanges files: what it last gave out is what it holds."""
