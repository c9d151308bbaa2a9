"""The steps of a physical count: freeze, sheets, collect, variance, post."""
