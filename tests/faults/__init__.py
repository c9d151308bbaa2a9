"""Small faults, put into the core one at a time, to see which of them the tests catch. Takes minutes;
not part of CI.
"""
