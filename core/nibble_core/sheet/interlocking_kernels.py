"""The compiled search of a double lattice (see geometry.kernels for why in a file of its own)."""

import math

import numpy as np

from nibble_core.geometry.kernels import compiled


@compiled
def beside(most, least, shift):
    """The farthest that places ``most`` (n,) reach beyond ``least`` (n,), which lie ``shift`` strips lower; 0 at
    least."""
    n = len(most)
    found = 0.0
    for k in range(max(0, shift), min(n, n + shift)):
        found = max(found, most[k] - least[k - shift])
    return found


@compiled
def closest_rows(top, bottom, shifts, least):
    """Of some ``shifts`` (m,) of a row's upper profile (n,), round and round, the one at which it comes nearest to the
    lower profile (n,) of the row before: its index, and how far on the row is then, ``least`` at least."""
    n = len(top)
    best, found = np.inf, 0
    for j in range(len(shifts)):
        start = -shifts[j] % n
        apart = least
        for k in range(n):
            apart = max(apart, bottom[k] - top[(k + start) % n])
            if apart >= best:
                break
        if apart < best:
            best, found = apart, j
    return found, best


@compiled
def fill(corners, turned, pitch, row, slant, width, room, pairs, dx, dy):
    """Writes the first copies of a lattice in a strip, row by row: top left corners (n, 2), and which are turned (n,).
    pairs: whether every other one is turned, at (dx, dy) of the one before."""
    count = len(corners)
    lift = max(0.0, -dy) if pairs else 0.0
    done, number = 0, 0
    while done < count:
        start = (number * slant) % pitch
        for k in range(-math.ceil(start / pitch) - 1, math.ceil((room - start) / pitch) + 1):
            for half in range(2 if pairs else 1):
                x = start + k * pitch + (dx if half else 0.0)
                if x >= -1e-9 and x <= room - width + 1e-9 and done < count:
                    corners[done, 0] = x
                    corners[done, 1] = number * row + (dy if half else 0.0) + lift
                    turned[done] = half == 1
                    done += 1
        number += 1
