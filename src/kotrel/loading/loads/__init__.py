"""The load: preview, load, undo, outcome, history, verify."""
