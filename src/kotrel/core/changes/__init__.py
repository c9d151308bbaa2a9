"""What a load changes, how it is taken back, and two sheets compared."""
