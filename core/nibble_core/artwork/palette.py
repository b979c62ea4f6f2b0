"""The few flat colours of a picture.

Pixels on soft edges are mixes and would pull colours towards each other, so only flat pixels vote. Distances are
taken in OkLab, where equal steps look equal (B. Ottosson, 2020).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.graphics import Pixels
from nibble_core.graphics.light import to_light

Numbers = NDArray[np.float64]

FLAT_RANGE = 28  # levels: a pixel whose 3 x 3 neighbourhood spans less is flat
LEAST_FLAT = 0.02  # share of flat pixels under which a picture is too soft for them alone to vote
ALIKE = 0.045  # OkLab: nearer colours are one colour with noise
ALIKE_LEVELS = 24.0  # or nearer than this in sRGB: OkLab makes much of noise in the darks
LEAST_SHARE = 0.0004  # of the voting pixels, for a colour found by itself
MOST_VOTES = 400_000
MOST_COLOURS = 24
ROUNDS = 20

_TO_CONES = np.array(
    [[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
     [0.0883024619, 0.2817188376, 0.6299787005]]
)  # fmt: skip
_TO_LAB = np.array(
    [[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
     [0.0259040371, 0.7827717662, -0.8086757660]]
)  # fmt: skip


def oklab(colours: Numbers) -> Numbers:
    """sRGB colours (n, 3), 0 to 255, in OkLab."""
    c = colours / 255.0
    linear = to_light(c)
    return np.asarray(np.cbrt(linear @ _TO_CONES.T) @ _TO_LAB.T)


def find_palette(picture: Pixels, count: int | None = None) -> Numbers:
    """The flat colours (k, 3), 0 to 255, most used first, of ``picture`` (rows, columns, 3).

    ``count``: at most so many, fewer when the picture has fewer that differ; None finds the number by itself.
    """
    weights, colours = _votes(picture)
    lab = oklab(colours)
    centres = _peaks(weights, colours, lab) if count is None else _spread_out(weights, lab, min(count, MOST_COLOURS))
    for _ in range(ROUNDS):
        nearest = _nearest(lab, centres)
        mass = np.bincount(nearest, weights, len(centres))
        sums = np.stack([np.bincount(nearest, weights * lab[:, k], len(centres)) for k in range(3)], 1)
        moved = np.asarray(sums / np.maximum(mass, 1e-9)[:, None], np.float64)
        moved[mass == 0] = centres[mass == 0]
        if np.abs(moved - centres).max() < 1e-4:
            break
        centres = moved
    return _merged(weights, colours, lab, centres)


def flat_pixels(picture: Pixels) -> NDArray[np.bool_]:
    """Pixels (rows, columns) that differ little from all round them."""
    red, green, blue = cv2.split(cv2.morphologyEx(picture, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)))
    return np.asarray(cv2.max(cv2.max(red, green), blue) < FLAT_RANGE)


def _votes(picture: Pixels) -> tuple[Numbers, Numbers]:
    """A histogram of 5 bits a channel over the flat pixels: weights (n,) and mean colours (n, 3)."""
    flat = flat_pixels(picture)
    pixels = picture[flat] if flat.mean() >= LEAST_FLAT else picture.reshape(-1, 3)
    pixels = pixels[:: max(1, len(pixels) // MOST_VOTES)]
    red, green, blue = (pixels[:, k].astype(np.int32) >> 3 for k in range(3))
    cell = (red << 10) | (green << 5) | blue
    weights = np.bincount(cell, minlength=1 << 15).astype(np.float64)
    sums = np.stack([np.bincount(cell, pixels[:, k], 1 << 15) for k in range(3)], 1)
    used = weights > 0
    return weights[used], sums[used] / weights[used][:, None]


def _apart(one: Numbers, other: Numbers) -> Numbers:
    """Euclidean distances between rows, broadcast."""
    return np.asarray(np.sqrt(((one - other) ** 2).sum(-1)))


def _peaks(weights: Numbers, colours: Numbers, lab: Numbers) -> Numbers:
    """Cluster centres, heaviest first, until what is left of any would be too small to be meant."""
    left, whole = weights.copy(), weights.sum()
    centres: list[Numbers] = []
    while len(centres) < MOST_COLOURS:
        top = int(np.argmax(left))
        if left[top] <= 0:
            break
        near = (_apart(lab, lab[top]) < ALIKE) | (_apart(colours, colours[top]) < ALIKE_LEVELS)
        if not centres or left[near].sum() >= LEAST_SHARE * whole:
            core = near & (left > 0)
            centres.append(np.average(lab[core], axis=0, weights=left[core]))
        left[near] = 0
    return np.array(centres)


def _spread_out(weights: Numbers, lab: Numbers, count: int) -> Numbers:
    """First centres for a k-means: the most used colour, then again and again the one worst served."""
    chosen = [int(np.argmax(weights))]
    far = np.sum((lab - lab[chosen[0]]) ** 2, 1)
    while len(chosen) < min(count, len(lab)):
        chosen.append(int(np.argmax(far * np.sqrt(weights))))
        far = np.minimum(far, np.sum((lab - lab[chosen[-1]]) ** 2, 1))
    return lab[chosen].copy()


def _nearest(lab: Numbers, centres: Numbers) -> NDArray[np.int64]:
    return np.asarray(np.argmin(((lab[:, None] - centres[None]) ** 2).sum(2), 1))


def _merged(weights: Numbers, colours: Numbers, lab: Numbers, centres: Numbers) -> Numbers:
    """Mean sRGB colour of each cluster, most used first; clusters that look alike are one."""
    while True:
        nearest = _nearest(lab, centres)
        mass = np.bincount(nearest, weights, len(centres))
        used = mass > 0
        sums = np.stack([np.bincount(nearest, weights * colours[:, k], len(centres)) for k in range(3)], 1)
        means = np.asarray(sums[used] / mass[used][:, None], np.float64)
        centres, mass = centres[used], mass[used]
        alike = np.minimum(
            _apart(centres[:, None], centres[None]) / ALIKE, _apart(means[:, None], means[None]) / ALIKE_LEVELS
        ) + 9 * np.eye(len(centres))
        if alike.min() >= 1:
            return np.asarray(means[np.argsort(-mass, kind="stable")])
        i, j = np.unravel_index(int(np.argmin(alike)), alike.shape)
        joined = (centres[i] * mass[i] + centres[j] * mass[j]) / (mass[i] + mass[j])
        centres = np.vstack([np.delete(centres, [i, j], 0), joined])
