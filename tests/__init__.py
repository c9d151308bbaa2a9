"""Tests never depend on time: Hypothesis runs without a deadline, whatever else the machine is doing.

Nor on how slowly, or how often by chance, it finds an example: health checks say that of a test, not of the program.
"""

import os

from hypothesis import HealthCheck, settings

CHANCE = [HealthCheck.too_slow, HealthCheck.filter_too_much, HealthCheck.data_too_large]
settings.register_profile("kotrel", deadline=None, max_examples=40, suppress_health_check=CHANCE)
settings.register_profile("faults", settings.get_profile("kotrel"), derandomize=True, database=None)
settings.load_profile("faults" if "KOTREL_FAULTS" in os.environ else "kotrel")
