"""Tests of the core. Properties are not timed: a loaded machine draws its examples as slowly as it likes.
They are the same examples every time, so that what passes here passes everywhere. Running a test again in the same process is allowed:
trials of the tests themselves do so.
"""

from hypothesis import HealthCheck, settings

settings.register_profile(
    "untimed", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow, HealthCheck.differing_executors]
)
settings.load_profile("untimed")
