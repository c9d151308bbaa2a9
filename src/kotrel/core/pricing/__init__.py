"""Prices worked out by rules, guarded, and the price in force: computations on frames, without files or a clock."""
