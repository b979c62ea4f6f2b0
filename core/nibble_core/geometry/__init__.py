"""Geometry in millimetres: points, affine maps, paths of lines, arcs and cubics, regions, and fitting.

A path is one array of segments and a bundle is many paths packed as one, so that mapping, flattening and measuring a
sheet of thousands is a few numpy calls; a region is an outer ring with holes. Areas are positive for outer rings with
y downward. Set operations and buffers go through shapely polygons and come back through ``fitting``.
"""

from nibble_core.geometry.bundle import Bundle
from nibble_core.geometry.paths import Path
from nibble_core.geometry.points import Affine, Box, Point, Points, run_lengths
from nibble_core.geometry.regions import Region
from nibble_core.geometry.segments import ARC, CUBIC, LINE

__all__ = ["ARC", "CUBIC", "LINE", "Affine", "Box", "Bundle", "Path", "Point", "Points", "Region", "run_lengths"]
