"""What a load changes, what the journal keeps of it, how it is undone, and how two sheets compare."""
