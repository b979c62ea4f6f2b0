"""Tests of the core; the folders mirror nibble_core's. Properties run the same examples every time, but for
``HYPOTHESIS_PROFILE=night``: new ones each time, and many where a test names no number of its own, or that of a
day."""

import os

from hypothesis import settings

settings.register_profile("nibble", deadline=None, derandomize=True)
settings.register_profile("night", deadline=None, derandomize=False, max_examples=2000)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "nibble"))


def by_day(count: int) -> settings:
    """So many examples, and at night as many as the profile says."""
    return settings() if settings.get_current_profile_name() == "night" else settings(max_examples=count)
