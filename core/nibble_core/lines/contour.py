"""Contours: the outer shape of an artwork, offset outward, as few lines, arcs and cubics."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Literal

import shapely
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import InvalidTicket, NothingToCut
from nibble_core.geometry import Path, Region
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons, ring_points, union
from nibble_core.geometry.tolerances import ARC_CHORD, SIMPLIFY

Corners = Literal["round", "mitred", "bevelled"]
PREVIEW_SAGITTA = 0.01
FEW_POINTS = 500  # fewer cost more to simplify than to buffer
_JOINS = {"round": "round", "mitred": "mitre", "bevelled": "bevel"}


def outer_shape(regions: Iterable[Region], *, close_gaps: float = 0.0) -> MultiPolygon:
    """Everything inside the outermost outlines, as one valid area without holes.

    ``close_gaps``: bays and channels narrower than this, mm, are filled. Closing (out and in again) nibbles
    at convex corners, so the original is joined to it once more: the artwork is always contained. Vertices within
    a thousandth of a millimetre of their chord are left out: over-dense rings make a buffer stray.
    """
    whole = union(regions)
    if whole.is_empty:
        raise NothingToCut("There is no shape to draw a line round.", "Choose a threshold that finds the artwork.")
    filled = shapely.union_all([Polygon(part.exterior) for part in polygons(whole)])
    if close_gaps > 0:
        half = close_gaps / 2
        tidy = filled.simplify(SIMPLIFY)
        closed = tidy.buffer(half, quad_segs=quarter_segments(half)).buffer(-half, quad_segs=quarter_segments(half))
        filled = shapely.union_all([closed, filled])
        filled = shapely.union_all([Polygon(part.exterior) for part in polygons(filled)])
    return MultiPolygon(polygons(filled.simplify(SIMPLIFY)))


def offset(
    area: MultiPolygon,
    distance: float,
    *,
    corners: Corners = "round",
    mitre_limit: float = 2.0,
    sagitta: float = ARC_CHORD,
) -> MultiPolygon:
    """An ``area`` as ``outer_shape`` gives it, grown by ``distance`` mm (shrunk when negative), true within 0.01 mm.

    Round corners are chords no further than ``sagitta`` inside the arc.
    Mitres longer than ``mitre_limit`` times the distance are cut off. Raises NothingToCut when nothing is left.
    """
    if corners not in _JOINS:
        raise InvalidTicket(f"“{corners}” is no kind of corner.", f"Choose one of {', '.join(_JOINS)}.")
    tidy: BaseGeometry = area
    if distance:
        tidy = tidy.buffer(
            distance,
            quad_segs=quarter_segments(abs(distance), sagitta),
            join_style=_JOINS[corners],
            mitre_limit=mitre_limit,
        )
    parts = polygons(tidy)
    if not parts:
        raise NothingToCut(
            f"A line {abs(distance):g} mm inside leaves nothing of the shape.", "Choose a smaller distance."
        )
    return MultiPolygon(parts)


def contour(
    area: MultiPolygon, distance: float, *, corners: Corners = "round", mitre_limit: float = 2.0
) -> list[Region]:
    """The regions a contour line encloses: the outlines of ``offset``, holes of the result filled, refitted."""
    grown = offset(area, distance, corners=corners, mitre_limit=mitre_limit)
    solid = shapely.union_all([Polygon(part.exterior) for part in polygons(grown)])
    return [refit_polygon(part) for part in polygons(solid)]


def contour_preview(
    area: MultiPolygon, distance: float, *, corners: Corners = "round", mitre_limit: float = 2.0
) -> list[Region]:
    """The same contour for a drag: straight chords within 0.02 mm, no fitting."""
    rough = area
    if shapely.get_num_coordinates(area) > FEW_POINTS:
        rough = MultiPolygon(polygons(area.simplify(PREVIEW_SAGITTA / 2, preserve_topology=False)))
    grown = offset(rough, distance, corners=corners, mitre_limit=mitre_limit, sagitta=PREVIEW_SAGITTA)
    return [Region(Path.polygon(ring_points(part.exterior, outer=True))) for part in polygons(grown)]


def quarter_segments(radius: float, sagitta: float = ARC_CHORD) -> int:
    """Chords in a quarter circle so that none is further than ``sagitta`` mm inside it."""
    if radius <= sagitta:
        return 4
    return max(4, math.ceil((math.pi / 2) / (2 * math.acos(1 - sagitta / radius))))
