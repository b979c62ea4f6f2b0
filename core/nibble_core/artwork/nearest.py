"""The colour of the nearest pixel that is to be trusted."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.graphics import Pixels

Numbers = NDArray[np.float64]


def nearest_colours(
    picture: Pixels, source: NDArray[np.uint8], rows: NDArray[np.int64], columns: NDArray[np.int64]
) -> tuple[Numbers, Numbers]:
    """For each asked pixel the colour (n, 3) of the nearest pixel in ``source``, and its distance in px."""
    if not source.any():
        return picture[rows, columns].astype(np.float64), np.full(len(rows), np.inf)
    distance, labels = cv2.distanceTransformWithLabels(1 - source, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    table = np.zeros((int(labels.max()) + 1, 3), picture.dtype)
    table[labels[source > 0]] = picture[source > 0]
    return table[labels[rows, columns]].astype(np.float64), distance[rows, columns].astype(np.float64)
