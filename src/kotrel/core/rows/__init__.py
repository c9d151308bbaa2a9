"""The rows of one record with their findings and repairs, the state of the system, and the load options."""
