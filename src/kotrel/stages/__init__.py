"""The stages of one piece of work, each a plain function: understand files, check, preview, load, undo.

Commands call these and hand the results to reports. A stage fetches what it needs — from sheets,
systems and the workspace — and leaves every computation to the core.
"""
