"""Whether a picture was saved as JPEG at this size once, whatever it is saved as now.

JPEG codes squares of eight by eight pixels each by itself: noise round an edge ends where its square does. So where
flat tones give way to slight ones, by many more lines than chance they do so at every eighth line (Z. Fan and R. de
Queiroz, "Identification of Bitmap Compression History: JPEG Detection and Quantizer Estimation", IEEE Transactions on
Image Processing 12/2, 2003, look at steps over the borders of all squares; drawings have hardly any but these).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

SQUARE = 8  # px
FLAT, SLIGHT = 1, 24  # levels from pixel to pixel: of a flat tone at most, and of JPEG's noise at most
RUN = 3  # steps within a flat tone beside such a step
FEWEST, FEWEST_LINES = 40, 24  # places, and lines with any, that tell anything: more than a few straight sides have
TIMES_MEAN = 2.0  # by which one line counts at most: a straight side along it is no grid
ELSEWHERE = 0.2  # of the places, at least, lie at other lines: else it is a drawing on a grid
BY_CHANCE = 5.0  # standard deviations


def has_jpeg_grid(levels: NDArray[np.uint8]) -> bool:
    """Whether pixels of a grey picture (rows, columns) lie in squares of eight both ways, wherever the first begins."""
    return all(_strength(one) > BY_CHANCE for one in (levels, levels.T))


def _strength(levels: NDArray[np.uint8]) -> float:
    """By how many standard deviations more flat tones end at one in eight columns than chance has it."""
    steps = np.abs(np.diff(levels.astype(np.int16), axis=1))
    if steps.shape[1] <= RUN:
        return 0.0
    flat, slight = steps <= FLAT, (steps > FLAT) & (steps <= SLIGHT)
    ends = np.zeros(steps.shape[1])
    before, after = slight[:, RUN:].copy(), slight[:, :-RUN].copy()
    for k in range(RUN):
        before &= flat[:, k : k - RUN]
        after &= flat[:, k + 1 : flat.shape[1] - RUN + k + 1]
    ends[RUN:] += before.sum(0)
    ends[:-RUN] += after.sum(0)
    if ends.sum() < FEWEST or np.count_nonzero(ends) < FEWEST_LINES:
        return 0.0
    ends = np.minimum(ends, TIMES_MEAN * ends[ends > 0].mean())
    by_place = np.bincount(np.arange(len(ends)) % SQUARE, ends, SQUARE)
    total, share, best = float(by_place.sum()), 1 / SQUARE, int(by_place.argmax())
    elsewhere = total - float(by_place[(best + np.arange(-1, 2)) % SQUARE].sum())
    if elsewhere < ELSEWHERE * total:
        return 0.0
    return float((by_place.max() - total * share) / np.sqrt(total * share * (1 - share)))
