"""From a table to rows: which column feeds which field, and each value read as its field's kind."""
