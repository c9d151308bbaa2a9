"""The model of a load, and its steps in order: rows as they were read → checked rows → what a load would change."""
