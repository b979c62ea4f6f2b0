"""What a run of the simulated laser leaves: the burnt picture, what dropped and when, and a report."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.simulators.laser import Body, Complaint, Laser, Step, clocked

MEETS = 0.005  # mm at which the end of a cut meets another: a beam is ten times as wide
SNAP = 0.02  # mm that a cut lies from the edge of what it frees, at most
CHORD = 0.02  # mm
LEAST = 0.02  # mm² of a part
AS_FAST = 250.0  # mm/s at which full power chars


@dataclass(frozen=True)
class Dropped:
    """A part that fell: seconds from the start, its area, its box (left, bottom, right, top) in the machine's axes."""

    second: float
    area: float
    box: tuple[float, float, float, float]


def course(step: Step) -> NDArray[np.float64]:
    """Places along a step, (n, 2)."""
    if step.centre is None:
        return np.array([step.start, step.end])
    radius = max(math.dist(step.start, step.centre), CHORD)
    count = max(2, math.ceil(abs(step.sweep) / (2 * math.acos(1 - min(CHORD / radius, 0.9) / 4))))
    inner = [step.place(k / count) for k in range(1, count)]
    return np.array([step.start, *inner, step.end])  # ends as they were said, so that steps meet


def parts_dropped(
    steps: Sequence[Step], ends: Sequence[float], through: Sequence[str]
) -> tuple[list[Dropped], list[Complaint]]:
    """Parts in the order in which they fell, and burns on what had fallen already. through: what goes right through
    the material."""
    lines: list[Any] = []
    when: list[float] = []
    for step, end in zip(steps, ends, strict=True):
        if step.beam > 0 and step.process in through and step.length > 0:
            lines.append(shapely.LineString(np.round(course(step), 3)))
            when.append(end)
    if not lines:
        return [], []
    joined = shapely.union_all(np.array(lines), grid_size=MEETS)
    rings = [
        shapely.Polygon(part.exterior) for part in shapely.get_parts(shapely.polygonize(shapely.get_parts(joined)))
    ]
    solids = np.array([one for one in rings if one.area > LEAST])
    if not len(solids):
        return [], []
    tree = shapely.STRtree(np.array(lines))
    times = np.array(when)
    found = []
    for solid in solids:
        edges = tree.query(solid.exterior, predicate="dwithin", distance=SNAP)
        middles = shapely.line_interpolate_point(np.array(lines)[edges], 0.5, normalized=True)
        own = edges[shapely.distance(middles, solid.exterior) < 2 * SNAP]
        found.append(float(times[own].max()) if len(own) else math.inf)
    over = _stroke_ends(steps, ends)
    free = np.array([over.get(second, second) for second in found])
    dropped = [
        Dropped(round(second, 3), round(float(solid.area), 3), tuple(round(v, 3) for v in solid.bounds))
        for second, solid in zip(found, solids, strict=True)
    ]
    return sorted(dropped, key=lambda one: one.second), _burnt_later(steps, ends, solids, free)


def _stroke_ends(steps: Sequence[Step], ends: Sequence[float]) -> dict[float, float]:
    """For the end of each burn, when the beam goes off behind it: a lead-out still belongs to its cut."""
    found: dict[float, float] = {}
    off = ends[-1]
    for step, end in zip(reversed(steps), reversed(ends), strict=True):
        if step.beam <= 0:
            off = end
        else:
            found[end] = max(off - 1e-9, end)
    return found


def _burnt_later(
    steps: Sequence[Step], ends: Sequence[float], solids: NDArray[np.object_], fell: NDArray[np.float64]
) -> list[Complaint]:
    """The first burn within each part after it fell."""
    burns = [(step, end) for step, end in zip(steps, ends, strict=True) if step.beam > 0 and step.length > 2 * SNAP]
    if not burns:
        return []
    middles = shapely.points(np.array([step.place(0.5) for step, _ in burns]))
    inner = np.array([solid.buffer(-2 * SNAP) for solid in solids])
    at, of = shapely.STRtree(inner).query(middles, predicate="within")
    late = np.array([burns[k][1] for k in at.tolist()]) > fell[of] + 1e-6 if len(at) else np.empty(0, bool)
    first: dict[int, int] = {}
    for k, part in zip(at[late].tolist(), of[late].tolist(), strict=True):
        first[part] = min(first.get(part, 1 << 60), burns[k][0].line)
    return [Complaint(line, "burns on a part that has dropped") for line in sorted(first.values())]


def picture(steps: Sequence[Step], body: Body, *, px_per_mm: float = 4.0, spot: float = 0.15) -> NDArray[np.uint8]:
    """The bed from above, (h, w) in grey: 255 where nothing was burnt. spot: mm that the beam is wide."""
    import cv2

    h, w = max(1, round(body.height * px_per_mm)), max(1, round(body.width * px_per_mm))
    image = np.full((h, w), 255, np.uint8)
    thick = max(1, round(spot * px_per_mm))
    for step in steps:
        if step.beam <= 0:
            continue
        points = course(step) - [body.left, body.bottom]
        points = np.stack([points[:, 0], body.height - points[:, 1]], 1) * px_per_mm - 0.5
        strength = min(1.0, step.beam * AS_FAST / max(step.feed, 1e-6))
        tone = 20 if step.process in body.through else 215 - round(150 * strength)
        cv2.polylines(image, [np.rint(points * 16).astype(np.int32)], False, tone, thick, cv2.LINE_AA, 4)
    return image


@dataclass(frozen=True)
class Report:
    """seconds: by its own clock. burnt, travelled, drawn: mm by process; drawn with the head down and no beam."""

    seconds: float
    burnt: dict[str, float]
    travelled: dict[str, float]
    dropped: list[Dropped]
    complaints: list[Complaint]
    drawn: dict[str, float]

    def plain(self) -> dict[str, Any]:
        """For JSON."""
        return {
            "minutes": round(self.seconds / 60, 4),
            "burnt_mm": {name: round(length, 3) for name, length in self.burnt.items()},
            "drawn_mm": {name: round(length, 3) for name, length in self.drawn.items()},
            "travelled_mm": {name: round(length, 3) for name, length in self.travelled.items()},
            "dropped": [{"second": one.second, "area_mm2": one.area, "box_mm": list(one.box)} for one in self.dropped],
            "complaints": [{"line": one.line, "says": one.words} for one in self.complaints],
        }


def report(laser: Laser) -> Report:
    """All that is to be said of a run."""
    ends = clocked(laser.steps, laser.body)
    burnt: dict[str, float] = {}
    travelled: dict[str, float] = {}
    drawn: dict[str, float] = {}
    for step in laser.steps:
        to = burnt if step.beam > 0 else drawn if step.touches and not step.rapid else travelled
        to[step.process] = to.get(step.process, 0.0) + step.length
    dropped, late = parts_dropped(laser.steps, ends, laser.body.through)
    complaints = [*laser.complaints, *late]
    if not laser.ended:
        complaints.append(Complaint(laser._line, "the file ends before the run does (M2)"))
    return Report(ends[-1] if ends else 0.0, burnt, travelled, dropped, sorted(complaints), drawn)


def fed(program: bytes, body: Body) -> Laser:
    """A machine that took a whole file."""
    laser = Laser(body)
    for line in program.decode("ascii", "replace").splitlines():
        laser.take(line)
    return laser


def run(program: bytes, body: Body) -> tuple[Laser, Report]:
    """A whole file."""
    laser = fed(program, body)
    return laser, report(laser)
