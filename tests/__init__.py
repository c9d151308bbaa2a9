"""Tests never depend on time: Hypothesis runs without a deadline, whatever else the machine is doing."""

from hypothesis import settings

settings.register_profile("kotrel", deadline=None)
settings.load_profile("kotrel")
