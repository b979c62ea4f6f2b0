"""Where ink ends and paper begins."""

from __future__ import annotations

import cv2
import numpy as np

from nibble_core.graphics import Grey

ENOUGH = 1_000_000  # pixels to measure noise in
STRIP = 48  # rows


def suggested_threshold(grey: Grey) -> float:
    """A grey level between ink and paper, 0 to 1.

    Otsu's split finds the two classes; the level returned is half-way between their medians, which is where
    the edge of an anti-aliased shape truly lies.
    """
    values = np.clip(np.rint(grey * 255), 0, 255).astype(np.uint8)
    split, _ = cv2.threshold(values, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    ink, paper = grey[values <= split], grey[values > split]
    if not len(ink) or not len(paper):
        return 0.5
    return float((np.median(ink) + np.median(paper)) / 2)


def edge_noise(grey: Grey, level: float) -> float:
    """How far noise moves the edge, in pixels: the ripple beside edges over the contrast across them.

    Measured two to four pixels off the edge, where an anti-aliased edge is over and JPEG ringing is not; in strips of
    a large picture, for a spread needs no more.
    """
    apart = max(1, grey.size // ENOUGH)
    if apart > 1:
        grey = np.concatenate([grey[top : top + STRIP] for top in range(0, len(grey), STRIP * apart)])
    inside = (grey < level).astype(np.uint8)
    three, five = np.ones((3, 3), np.uint8), np.ones((5, 5), np.uint8)
    edge = cv2.morphologyEx(inside, cv2.MORPH_GRADIENT, three)
    band = (cv2.dilate(edge, five) - cv2.dilate(edge, three)).astype(bool)
    ink, paper = grey[band & (inside == 1)], grey[band & (inside == 0)]
    if len(ink) < 20 or len(paper) < 20:
        return 0.0
    contrast = max(float(np.median(paper) - np.median(ink)), 1 / 255)

    def spread(values: Grey) -> float:
        low, high = np.percentile(values, [16, 84])
        return float(high - low) / 2

    return 0.5 * (spread(ink) + spread(paper)) / contrast
