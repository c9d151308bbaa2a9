"""From a table to rows: which column feeds which field."""
