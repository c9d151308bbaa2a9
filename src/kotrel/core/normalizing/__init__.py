"""Each value of a column in the canonical form of its field's kind, with repairs and findings."""
