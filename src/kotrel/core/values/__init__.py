"""Single values: numbers, dates, yes and no, code formats, and how a business writes them."""
