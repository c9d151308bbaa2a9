"""The stages of one piece of work, each a plain function: understand files, check, preview, load, take back.

Commands call these and hand the results to reports. A stage puts together what the rooms around it offer — sheets,
systems, the workspace — and leaves every computation to the core.
"""
