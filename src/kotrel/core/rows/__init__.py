"""The rows of one record with their findings and repairs, what the system holds now, and the load options."""
