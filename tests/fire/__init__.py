"""Real loads, killed, cut off and starved at many points: afterwards the system holds all of a load or none of it.

``python -m tests.fire`` strikes at every statement of a load; the tests strike at a few.
"""
