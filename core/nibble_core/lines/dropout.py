"""Drop-out: what falls when the lines of a layer are cut, what stays, and which islands come loose.

Cut lines are noded and their faces built; a face that does not reach the sheet drops. Ends of lines nearer than 0.02 mm
are one place to a knife, so they are brought together first: gaps of a few micrometres would hide what falls.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry import Path, Points
from nibble_core.geometry.regions import polygons

SNAP = 0.02
"""mm: what a knife bridges by its own width."""
FRAME = 10.0  # mm of sheet round the work
CHORD = 0.002


@dataclass(frozen=True, eq=False)
class Face:
    """A part the cuts free. kind: “piece” (the largest part of the work), “part” (another part of it that comes loose
    by itself), “waste” (falls out of or off the piece). island: it lay wholly within another part that falls."""

    area: Polygon
    kind: str
    island: bool


@dataclass(frozen=True, eq=False)
class DropOut:
    """faces: everything that comes free. stays: what remains of the sheet round them."""

    faces: tuple[Face, ...]
    stays: BaseGeometry

    def lost(self, *, liner: bool) -> list[Face]:
        """Parts of the piece that nothing carries: those without a liner under them, and islands in what falls
        anyway."""
        return [face for face in self.faces if face.kind == "part" and (face.island or not liner)]


def drop_out(cuts: Sequence[Path], work: BaseGeometry) -> DropOut:
    """What comes free when ``cuts`` (closed or open paths, mm) go through. work: the area of the finished piece, which
    tells its parts from waste."""
    lines = _snapped([_points(path) for path in cuts])
    if not lines:
        return DropOut((), work)
    boxes = np.array([[*line.min(0), *line.max(0)] for line in lines])
    low, high = boxes[:, :2].min(0), boxes[:, 2:].max(0)
    bounds = work.bounds if not work.is_empty else (*low, *high)
    frame = shapely.box(
        min(low[0], bounds[0]) - FRAME, min(low[1], bounds[1]) - FRAME,
        max(high[0], bounds[2]) + FRAME, max(high[1], bounds[3]) + FRAME,
    )  # fmt: skip
    noded = shapely.union_all([shapely.LineString(line) for line in lines])
    faces = np.array(polygons(shapely.polygonize([noded])))
    if not len(faces):
        return DropOut((), frame)
    shapely.prepare(work)
    inside = shapely.contains(work, shapely.point_on_surface(faces))
    areas = shapely.area(faces)
    largest = int(np.argmax(np.where(inside, areas, -1.0))) if inside.any() else -1
    shells = np.array([Polygon(face.exterior) for face in faces])
    surface = shapely.point_on_surface(faces)
    around, within = shapely.STRtree(surface).query(shells, predicate="contains")
    islands = set(within[around != within].tolist())
    found = tuple(
        Face(face, "piece" if k == largest else "part" if inside[k] else "waste", k in islands)
        for k, face in enumerate(faces)
    )
    return DropOut(found, frame.difference(shapely.union_all(shells)))


def _points(path: Path) -> Points:
    points = path.flattened(CHORD)
    return np.vstack([points, points[:1]]) if path.closed else points.copy()


def _snapped(lines: list[Points]) -> list[Points]:
    """Lines whose open ends within SNAP of each other, or of another line, meet there."""
    lines = [line for line in lines if len(line) >= 2 and np.hypot(*np.ptp(line, axis=0)) > 1e-9]
    places = [(k, e) for k, line in enumerate(lines) for e in (0, -1) if np.hypot(*(line[0] - line[-1])) > 1e-12]
    if not places:
        return lines
    ends = np.array([lines[k][e] for k, e in places])
    dots = shapely.points(ends)
    one, other = shapely.STRtree(dots).query(dots, predicate="dwithin", distance=SNAP)
    first = np.arange(len(ends))
    for a, b in sorted(zip(one.tolist(), other.tolist(), strict=True)):
        if first[b] > first[a]:
            first[b] = first[a]
    met = np.bincount(first, minlength=len(ends))[first] > 1
    for index, (k, e) in enumerate(places):
        lines[k][e] = ends[first[index]]
    drawn = np.array([shapely.LineString(line) for line in lines])
    tree = shapely.STRtree(drawn)
    for index in np.nonzero(~met)[
        0
    ].tolist():  # an end near the middle of another line goes on to it, and a hair across
        k, e = places[index]
        for near in tree.query(dots[index], predicate="dwithin", distance=SNAP).tolist():
            if near == k or drawn[near].distance(dots[index]) < 1e-12:
                continue
            target = shapely.get_coordinates(shapely.shortest_line(dots[index], drawn[near]))[1]
            beyond = target + (target - ends[index]) * 1e-3
            lines[k] = np.vstack([beyond[None], lines[k]]) if e == 0 else np.vstack([lines[k], beyond[None]])
            break
    return lines
