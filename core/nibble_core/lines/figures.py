"""Simple shapes a piece may need, centred on their own origin, mm, and simple shapes drawn round a piece."""

from __future__ import annotations

import math

import cv2
import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import InvalidTicket
from nibble_core.geometry import ARC, LINE, Affine, Box, Path, Points, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import ring_points

ROUND = 8  # arcs in a circle that becomes an ellipse: as cubics they are true within 5e-6 of the radius


def figure(
    kind: str,
    width: float,
    height: float,
    *,
    radius: float = 0.0,
    count: int = 5,
    wall: float = 5.0,
    depth: float = 0.5,
) -> list[Region]:
    """A circle, ellipse, ring, rectangle, rounded rectangle, regular polygon, star or line, centred on the origin.

    width: of its box, the diameter of circle and ring, the length of a line. height: of its box, the thickness of a
    line. radius: of rounded corners. count: corners or points. wall: of a ring. depth: a star's inner radius as a share
    of its outer one. Raises InvalidTicket for shapes without area.
    """
    if width <= 0 or (height <= 0 and kind in ("ellipse", "rectangle", "rounded rectangle", "line")):
        raise InvalidTicket(f"This {kind} has no size.", "Give it a width and a height.")
    if kind == "circle":
        return [Region(Path.circle(0, 0, width / 2))]
    if kind == "ellipse":
        return [Region(ellipse(width / 2, height / 2))]
    if kind == "ring":
        if not 0 < wall < width / 2:
            raise InvalidTicket(
                f"A ring {width:g} mm wide cannot have a wall of {wall:g} mm.", "Make the wall thinner."
            )
        return [Region(Path.circle(0, 0, width / 2), (Path.circle(0, 0, width / 2 - wall).reversed(),))]
    if kind == "rectangle":
        return [Region(_rectangle(width, height, 0.0))]
    if kind == "rounded rectangle":
        return [Region(_rectangle(width, height, min(radius, width / 2, height / 2)))]
    if kind == "line":
        return [Region(_rectangle(width, height, 0.0))]
    if kind in ("regular polygon", "star"):
        return [Region(_pointed(width / 2, count, depth if kind == "star" else None))]
    raise InvalidTicket(f"There is no simple shape “{kind}”.", "Choose circle, ellipse, ring, rectangle or star.")


def ellipse(a: float, b: float) -> Path:
    """An upright ellipse about the origin with semi-axes ``a`` and ``b``; a circle stays arcs."""
    angles = np.linspace(0, 2 * math.pi, ROUND + 1)
    rows = np.zeros((ROUND, 8))
    rows[:, 0], rows[:, 1] = np.cos(angles[:-1]), np.sin(angles[:-1])
    rows[:, 6], rows[:, 7] = np.cos(angles[1:]), np.sin(angles[1:])
    rows[-1, 6:] = rows[0, :2]
    rows[:, 4] = 2 * math.pi / ROUND
    return Path(np.full(ROUND, ARC, np.uint8), rows).mapped(Affine.scale(a, b))


def _rectangle(width: float, height: float, radius: float) -> Path:
    x, y = width / 2, height / 2
    if radius <= 0:
        return Path.polygon([(-x, -y), (x, -y), (x, y), (-x, y)])
    kinds: list[int] = []
    rows: list[list[float]] = []
    at = (-x + radius, -y)
    for cx, cy, into, out in (
        (x - radius, -y + radius, (x - radius, -y), (x, -y + radius)),
        (x - radius, y - radius, (x, y - radius), (x - radius, y)),
        (-x + radius, y - radius, (-x + radius, y), (-x, y - radius)),
        (-x + radius, -y + radius, (-x, -y + radius), (-x + radius, -y)),
    ):
        if math.hypot(into[0] - at[0], into[1] - at[1]) > 1e-9:
            kinds.append(LINE)
            rows.append([*at, 0, 0, 0, 0, *into])
        kinds.append(ARC)
        rows.append([*into, cx, cy, math.pi / 2, 0, *out])
        at = out
    return Path(np.array(kinds, np.uint8), np.array(rows))


def _pointed(radius: float, count: int, depth: float | None) -> Path:
    """The first point upward, then clockwise on screen."""
    corners = count if depth is None else 2 * count
    angles = -math.pi / 2 + 2 * math.pi * np.arange(corners) / corners
    reach = np.full(corners, radius)
    if depth is not None:
        reach[1::2] *= depth
    return Path.polygon(np.stack([reach * np.cos(angles), reach * np.sin(angles)], 1))


def surrounding(kind: str, area: BaseGeometry, *, radius: float = 5.0) -> Region:
    """The smallest simple shape round an area that is upright: rectangle, rounded rectangle, circle, ellipse (the
    proportions of the area's box), hexagon, or smooth hull (the convex hull, grown by ``radius`` mm so that its
    corners are round)."""
    box = Box(*area.bounds)
    middle = Affine.translation((box.left + box.right) / 2, (box.top + box.bottom) / 2)
    hull = ring_points(shapely.convex_hull(area).exterior, outer=True)
    if kind == "rectangle":
        return Region(_rectangle(box.width, box.height, 0).mapped(middle))
    if kind == "rounded rectangle":
        # the corners must not cut into the area: grow until it fits
        for share in np.linspace(0, 1, 21):
            grow = 2 * share * radius * (1 - math.sqrt(0.5))
            made = Region(_rectangle(box.width + grow, box.height + grow, radius).mapped(middle))
            if made.polygon().buffer(1e-3).contains(area):
                return made
        return made
    if kind == "circle":
        # in single precision, from the box's middle; GEOS takes seconds over a hull of 20,000 nodes
        (x, y), _ = cv2.minEnclosingCircle((hull - (middle.e, middle.f)).astype(np.float32))
        cx, cy = middle.e + x, middle.f + y
        return Region(Path.circle(cx, cy, float(np.hypot(*(hull - (cx, cy)).T).max())))
    if kind == "ellipse":
        scaled = (hull - (middle.e, middle.f)) / (box.width / 2, box.height / 2)
        reach = float(np.hypot(*scaled.T).max())
        return Region(ellipse(reach * box.width / 2, reach * box.height / 2).mapped(middle))
    if kind == "hexagon":
        return Region(_hexagon(hull, middle))
    if kind == "smooth hull":
        quarter = 64
        rounded = shapely.Polygon(hull).buffer(radius, quad_segs=quarter)
        return refit_polygon(rounded)
    raise InvalidTicket(
        f"There is no shape “{kind}” to draw round a piece.", "Choose rectangle, circle or smooth hull."
    )


def _hexagon(hull: Points, middle: Affine) -> Path:
    """A regular one, a point upward, as small as holds the hull."""
    normals = np.array([[math.cos(k * math.pi / 3), math.sin(k * math.pi / 3)] for k in range(6)])
    apothem = float(((hull - (middle.e, middle.f)) @ normals.T).max())
    return _pointed(apothem / math.cos(math.pi / 6), 6, None).mapped(middle)
