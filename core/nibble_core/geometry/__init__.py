"""Geometry in millimetres: points, affine maps, paths of lines, arcs and cubics, regions, and fitting.

A path is one array of segments, so that mapping, flattening and measuring a sheet of thousands is a few numpy
calls; a region is an outer ring with holes. Areas are positive for outer rings with y downward. Set
operations and buffers go through shapely polygons and come back through ``fitting``.
"""

from nibble_core.geometry.paths import ARC, CUBIC, LINE, Path
from nibble_core.geometry.points import Affine, Box, Point, Points
from nibble_core.geometry.regions import Region

__all__ = ["ARC", "CUBIC", "LINE", "Affine", "Box", "Path", "Point", "Points", "Region"]
