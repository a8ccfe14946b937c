"""Machines are noisy: no property test has a deadline."""

from hypothesis import settings

settings.register_profile("calm", deadline=None)
settings.load_profile("calm")
