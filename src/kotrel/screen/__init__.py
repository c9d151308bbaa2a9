"""The terminal and JSON: what every command shows its results with."""
