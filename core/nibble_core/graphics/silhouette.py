"""The edge of a cover, such as a picture's alpha, as polygons: to about a sixth of a pixel, for checks and areas."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from nibble_core.geometry.regions import polygons

FINER = 3  # parts a pixel is divided into
MOST_FINE = 2_000_000  # pixels that are divided; larger pictures tell as much without
STEP = 0.35  # px: steps of the pixels are no corners


def silhouette(
    cover: NDArray[np.floating[Any]], level: float = 0.5, *, sliver: float = 0.0, most: int = 20_000
) -> list[Polygon]:
    """Areas, in pixels, where ``cover`` (rows, columns; 0 to 1) is at least ``level``; none where there are over
    ``most`` outlines. ``sliver``: px; what is narrower than twice this goes."""
    rows, columns = np.nonzero((cover >= level).any(1))[0], np.nonzero((cover >= level).any(0))[0]
    if not len(rows):
        return []
    top, left = max(0, int(rows[0]) - 2), max(0, int(columns[0]) - 2)
    here = np.ascontiguousarray(cover[top : int(rows[-1]) + 3, left : int(columns[-1]) + 3], np.float32)
    finer = FINER if here.size <= MOST_FINE else 1
    fine = cv2.resize(here, None, fx=finer, fy=finer, interpolation=cv2.INTER_LINEAR)
    solid = cv2.copyMakeBorder((fine >= level).astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
    found, nesting = cv2.findContours(solid, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    if len(found) > most:
        return []
    # outlines run through the middles of the outermost pixels: half a pixel further out lies the edge
    rings = [(one[:, 0].astype(float) - 0.5) / finer + (left, top) for one in found]
    made = []
    holes: dict[int, list[int]] = {}
    for k in range(len(found)):
        holes.setdefault(int(nesting[0][k][3]), []).append(k)
    for k in holes.get(-1, []):
        if len(rings[k]) < 4:
            continue
        whole = Polygon(rings[k], [rings[j] for j in holes.get(k, []) if len(rings[j]) >= 4])
        # outlines touch and cross themselves where something is a pixel wide: holes are taken off what is round them
        area = shapely.make_valid(whole, method="structure", keep_collapsed=False)
        if sliver:
            area = area.buffer(-sliver).buffer(sliver)
        made += polygons(area.buffer(0.5 / finer, quad_segs=2).simplify(STEP))
    return made
