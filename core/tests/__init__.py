"""Tests of the core; the folders mirror nibble_core's. Properties run the same examples every time."""

from hypothesis import settings

settings.register_profile("nibble", deadline=None, derandomize=True)
settings.load_profile("nibble")
