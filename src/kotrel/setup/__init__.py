"""Making a workspace and looking at its system: init, records, lists, demo, practice."""
