"""Compiled loops of a head that gains and loses speed: how fast it is where moves meet, and how long each takes."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled


@compiled
def planned(lengths, wanted, corner, stops, acceleration):
    """Speeds at the start of each move and at the end of the last, mm a second.

    wanted: speed of each move. corner: the most where each begins, for its turn. stops: whether the head stands before
    it. Backward, so that it can slow down in time; forward, so that it is not faster than it could become.
    """
    n = len(lengths)
    meet = np.zeros(n + 1)
    for i in range(1, n):
        meet[i] = 0.0 if stops[i] else min(wanted[i - 1], wanted[i], corner[i])
    for i in range(n - 1, -1, -1):
        meet[i] = min(meet[i], math.sqrt(meet[i + 1] ** 2 + 2 * acceleration * lengths[i]))
    for i in range(n):
        meet[i + 1] = min(meet[i + 1], math.sqrt(meet[i] ** 2 + 2 * acceleration * lengths[i]))
    return meet
