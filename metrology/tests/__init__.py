"""Tests of the core. Properties are not timed: a loaded machine draws its examples as slowly as it likes."""

from hypothesis import HealthCheck, settings

settings.register_profile("untimed", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("untimed")
