"""Tests of the core; the folders mirror nibble_core's. Properties run the same examples every time, but for
``HYPOTHESIS_PROFILE=night``: new ones each time, and many where a test names no number of its own."""

import os

from hypothesis import settings

settings.register_profile("nibble", deadline=None, derandomize=True)
settings.register_profile("night", deadline=None, derandomize=False, max_examples=2000)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "nibble"))
