"""Tests never depend on time: Hypothesis runs without a deadline, whatever else the machine is doing."""

import os

from hypothesis import settings

settings.register_profile("kotrel", deadline=None, max_examples=40)
settings.register_profile("faults", deadline=None, derandomize=True, database=None, max_examples=40)
settings.load_profile("faults" if "KOTREL_FAULTS" in os.environ else "kotrel")
