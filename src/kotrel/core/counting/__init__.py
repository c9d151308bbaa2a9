"""Physical counts: what is frozen, what was counted, how they differ, and what is to be posted."""
