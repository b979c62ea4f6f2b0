"""Weed borders: cuts in the waste round the copies of a sheet, so that it peels off in handy pieces."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
import shapely.affinity
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.geometry.fitting import refit_polygon
from nibble_core.geometry.regions import polygons
from nibble_core.lines.offsetting import quarter_segments


def border_round_all(copies: Sequence[BaseGeometry], distance: float) -> Bundle:
    """One rectangle ``distance`` mm round everything."""
    bounds = np.array([copy.bounds for copy in copies])
    (left, top), (right, bottom) = bounds[:, :2].min(0) - distance, bounds[:, 2:].max(0) + distance
    return Bundle.of([Path.polygon([(left, top), (right, top), (right, bottom), (left, bottom)])])


def border_round_each(copies: Sequence[BaseGeometry], distance: float) -> Bundle:
    """A rectangle round each copy; those that meet become one outline."""
    bounds = np.array([copy.bounds for copy in copies]) + np.array([-1, -1, 1, 1]) * distance
    whole = shapely.union_all(shapely.box(*bounds.T))
    rings = [ring for part in polygons(whole) for ring in (part.exterior, *part.interiors)]
    return Bundle.of([Path.polygon(shapely.get_coordinates(ring.simplify(1e-6))[:-1]) for ring in rings])


def border_along_each(shapes: Sequence[tuple[BaseGeometry, Sequence[Affine]]], distance: float) -> Bundle:
    """``distance`` mm along each shape at each of its places; those that meet become one outline. Where none meet, the
    outline of a shape is fitted once."""
    grown = [(shape.buffer(distance, quad_segs=quarter_segments(distance)), places) for shape, places in shapes]
    whole = polygons(shapely.union_all([at_place(one, place) for one, places in grown for place in places]))
    if len(whole) < sum(len(polygons(one)) * len(places) for one, places in grown):
        return Bundle.of([ring for part in whole for ring in refit_polygon(part).rings])
    made = []
    for one, places in grown:
        fitted = Bundle.of([ring for part in polygons(one) for ring in refit_polygon(part).rings])
        made += [fitted.mapped(place) for place in places]
    return Bundle.joined(made)


def at_place(shape: BaseGeometry, place: Affine) -> BaseGeometry:
    """A shape mapped."""
    a, b, c, d, e, f = place
    return shapely.affinity.affine_transform(shape, [a, c, b, d, e, f])
