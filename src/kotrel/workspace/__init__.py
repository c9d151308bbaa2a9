"""A workspace: the folder with ``kotrel.toml``, the system description and what Kotrel remembers."""
