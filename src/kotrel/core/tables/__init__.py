"""A sheet as it is, the table found in it, what its columns hold, and the sources of values."""
