"""A sheet as it stands, the table found in it, what its columns hold, and where values come from."""
