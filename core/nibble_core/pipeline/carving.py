"""Stage *carve*: what a router's cutters do on one copy of a layer, in space: clear, then groove, then drill, then cut
out; and what no cutter reaches."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from nibble_core.carve import (
    Course,
    Edge,
    Flat,
    Pointed,
    Tabs,
    cleared,
    drilled,
    freed,
    grooves,
    led,
    lowered,
    opened,
    passes_to,
    ramped,
    screwed,
)
from nibble_core.carve.clearing import left_over
from nibble_core.errors import CannotMake, NibbleError
from nibble_core.geometry import Affine, Box, Point, Region
from nibble_core.geometry.regions import courses as courses_of
from nibble_core.geometry.regions import polygons
from nibble_core.pipeline.carve_results import CarvedLayer, CarveNote, Cutting
from nibble_core.pipeline.lines import DrawnLine, LayerResult
from nibble_core.pipeline.store import Keyed, ResultStore, stage
from nibble_core.processes import is_sent
from nibble_core.ticket.cutters import BALL, Cutter
from nibble_core.ticket.heads import RouterHead
from nibble_core.ticket.line import ALONG_GRAIN, Carving, Clearing, Line, ThroughCut
from nibble_core.ticket.model import Machine
from nibble_core.ticket.piece import Layer
from nibble_core.ticket.stock import Stock

FLIP = Affine.mirror(0.0)
PINS, CLEARS, GROOVES, DRILLS, OPENS, FREES = -1, 0, 1, 2, 3, 4
"""When courses are run: holes for pins, what is taken down, then holes, what falls out last."""
ROUND = 0.05  # mm that a hole may be off a circle, and off the width of a drill
LEAST_LEFT = 0.5  # mm² that no cutter reaches, from which it is told
RIDGE = 0.02  # mm that ridges between rings of a pointed cutter stand above a flat bottom
MOST_RINGS = 6000
COARSE = 0.004  # mm
SLIVER = 0.02  # mm by which what is left grows, so that slivers of it are run over
ON_EDGE = 0.2  # mm from an edge that a tab's place may be off
HAIRLINE = 0.02  # mm: half the width of what is no corner, but the noise of two outlines
WALL_HAIR, WALL_LEAST = 0.05, 0.3  # mm, mm²: of a wall that is too thin, from which it is told

_Through = Callable[[BaseGeometry, float, float, float, Tabs], list[Course]]


@dataclass(frozen=True)
class Carvings:
    """What the carving of a layer depends on, beside its lines. thick: of the board; thinnest: wall that it holds.
    mirrored: for copies that lie mirrored, which a cutter that turns the same way goes round the other way."""

    lines: tuple[Line, ...]
    cutters: tuple[Cutter, ...]
    below: float
    thick: float
    thinnest: float
    mirrored: bool


def carve_layer(
    store: ResultStore, layer: Layer, machine: Machine, stock: Stock, drawn: Keyed[LayerResult], *, mirrored: bool
) -> Keyed[CarvedLayer]:
    """What a router does on a layer: on copies that lie mirrored, or on the others. A line that it cannot make is told
    in ``failed``."""
    lines = tuple(line for line in layer.lines if line.on)
    head = machine.head_as(RouterHead)
    by = Carvings(lines, head.cutters, head.below, stock.thickness, stock.thinnest, mirrored)
    return stage(store, _carved, by, drawn)


def _carved(by: Carvings, drawn: LayerResult) -> CarvedLayer:
    if not by.mirrored:
        return _carved_lines(by, drawn.lines)
    seen = [
        replace(
            line, regions=tuple(region.mapped(FLIP) for region in line.regions), paths=line.paths.mapped(FLIP),
            places=tuple(Point(-x, y) for x, y in line.places),
        )
        for line in drawn.lines
    ]  # fmt: skip
    made = _carved_lines(by, seen)
    return replace(made, notes=tuple(replace(note, place=(-note.place[0], note.place[1])) for note in made.notes))


def _carved_lines(by: Carvings, lines: Sequence[DrawnLine]) -> CarvedLayer:
    rules = {line.id: line for line in by.lines}
    areas = {line.id: line.area for line in lines if line.regions}
    made: list[Cutting] = []
    notes: list[CarveNote] = []
    failed: list[tuple[str, NibbleError]] = []
    carved: list[DrawnLine] = []
    for line in lines:
        rule = rules.get(line.id)
        try:
            match rule.process if rule else None:
                case Carving() | Clearing() if not line.regions:
                    raise CannotMake(
                        "This line is open: it encloses nothing that could be carved.",
                        "Follow shapes, or cut it through, a slot as wide as the cutter.",
                    )
                case ThroughCut() if not line.regions:
                    cuttings, told = _slots(by, line)
                case Carving() as own if own.up_to:
                    cuttings, told = _stood(by, own, line, areas)
                case Carving() as own:
                    carved.append(line)
                    cuttings, told = _grooved(by, own, line, sunk=_is_sunk(line, own.start, rules, areas))
                case Clearing() as own:
                    cuttings, told = _taken_down(by, own, line, areas)
                case ThroughCut() as own:
                    cuttings, told = _cut_out(by, own, line)
                case _ if rule is None or not is_sent(line.process):
                    continue
                case _:
                    raise CannotMake("A router does not make such lines.", "Carve, clear or cut through.")
        except NibbleError as error:
            failed.append((line.id, error))
            continue
        made += cuttings
        notes += told
    notes += _thin_walls(by, carved)
    places = [course[:, :2] for one in made for course in (*one.courses, *(edge.ring for edge in one.edges))]
    corners = np.vstack(places) if places else np.zeros((1, 2))
    box = Box(*corners.min(0).tolist(), *corners.max(0).tolist())
    return CarvedLayer(tuple(made), tuple(notes), tuple(failed), box)


def _thin_walls(by: Carvings, carved: Sequence[DrawnLine]) -> list[CarveNote]:
    """Places between two grooves where less material is left than the board holds."""
    if not carved or by.thinnest <= 0:
        return []
    area = shapely.union_all([line.area for line in carved])
    half = by.thinnest / 2
    # what closes up over gaps so narrow, but for the slivers that rounding leaves in corners
    walls = area.buffer(half).buffer(-half).difference(area).buffer(-WALL_HAIR)
    found = [part for part in polygons(walls) if part.area > WALL_LEAST]
    if not found:
        return []
    return [CarveNote(carved[0].id, "thin wall", float(len(found)), _within(max(found, key=lambda part: part.area)))]


def _chosen(by: Carvings, id: str, kinds: Sequence[str]) -> int:
    """The number of a cutter in the rack: the one that is named, else the first of a kind. Raises CannotMake."""
    found = next((k for k, one in enumerate(by.cutters) if one.id == id), None)
    if id and found is None:
        raise CannotMake("The cutter that this line is made with is not in the rack any more.", "Choose another.")
    if found is not None and by.cutters[found].kind not in kinds:
        raise CannotMake(
            f"The {by.cutters[found].name} is {by.cutters[found].kind}; this is made with one that is "
            f"{' or '.join(kinds)}.",
            "Choose another.",
        )
    if found is None:
        found = next((k for kind in kinds for k, one in enumerate(by.cutters) if one.kind == kind), None)
    if found is None:
        raise CannotMake(
            f"There is no cutter that is {' or '.join(kinds)} in the rack.", "Add one to the machine’s record."
        )
    return found


def pointed_of(cutter: Cutter) -> Pointed:
    """Raises CannotMake for an angle that no cutter has."""
    if not 5 <= cutter.angle <= 170:
        raise CannotMake(
            f"A point of {cutter.angle:g}° carves no groove.", "Pointed cutters include 5° to 170°: correct its record."
        )
    return Pointed(cutter.angle, cutter.tip, cutter.kind == BALL)


def tallest(cutter: Cutter) -> float:
    """mm that a pointed cutter can go in before its shank does."""
    return float(pointed_of(cutter).depth(np.array(cutter.diameter / 2)))


def _is_sunk(
    line: DrawnLine, start: float, rules: dict[str, Line], areas: dict[str, BaseGeometry]
) -> bool:  # fmt: skip
    """Whether other lines clear all that a line encloses, down to where its groove begins."""
    lowered = []
    for id, rule in rules.items():
        made = rule.process
        if isinstance(made, Clearing) and made.depth >= start - 1e-6 and id in areas:
            lowered.append(areas[made.up_to].difference(areas[id]) if made.up_to in areas else areas[id])
    return start <= 0 or line.area.within(shapely.union_all(lowered).buffer(ROUND))


def _grooved(
    by: Carvings, own: Carving, line: DrawnLine, *, sunk: bool
) -> tuple[list[Cutting], list[CarveNote]]:  # fmt: skip
    """Grooves in passes, behind a flat cutter where the bottom is flat and it fits. sunk: whether the board is as low
    as they begin; else they are cut down to there in passes of their own."""
    _require_within(own.deepest, by.thick)
    if own.start >= own.deepest:
        raise CannotMake(
            f"A groove that begins {own.start:g} mm down cannot be {own.deepest:g} mm deep.", "Begin it higher."
        )
    number = _chosen(by, own.cutter, ("pointed", BALL))
    cutter, rack = pointed_of(by.cutters[number]), by.cutters[number]
    _require_narrower(line, own, rack)
    made: list[Cutting] = []
    notes: list[CarveNote] = []
    low = own.start if sunk else 0.0
    half = cutter.half_width(own.deepest - own.start)
    bottom = line.area.buffer(-half, quad_segs=24)
    if not bottom.is_empty and bottom.area > LEAST_LEFT:
        notes.append(CarveNote(line.id, "flat bottom", float(bottom.area), _within(bottom)))
        made, _ = _flattened(by, line, bottom, _narrower(by, np.inf), own.deepest, start=low)
        rest = _finished(bottom.difference(_swept(by, made, own.deepest)), bottom, cutter)
        if rest:
            flat = tuple(np.column_stack([ring, np.full(len(ring), -own.deepest)]) for ring in rest)
            made += _in_passes(Cutting(line.id, GROOVES, number, flat), own.deepest - low, rack.deepest_pass)
    passes = passes_to(own.deepest - own.start, rack.deepest_pass)
    deepest = 0.0
    for k in range(1, passes + 1):
        to = own.start + (own.deepest - own.start) * k / passes
        if k < passes and deepest and deepest < to - 1e-6:
            continue  # the pass before went as deep as any stroke is wide
        courses = grooves(line.regions, cutter, to, start=own.start)
        if not courses:
            break
        reached = max(float(-one[:, 2].min()) for one in courses)
        if k > 1 and reached <= deepest + 1e-6:
            break
        deepest = reached
        made += _in_passes(
            Cutting(line.id, GROOVES, number, tuple(courses)), reached - low if k == 1 else 0.0, rack.deepest_pass
        )
    if not deepest:
        raise CannotMake(
            f"Every stroke is narrower than the tip of the {rack.name}, {rack.tip:g} mm.",
            "Choose a finer one, or make the artwork larger.",
        )
    fine = _thin_share(line, cutter)
    if fine > LEAST_LEFT:
        notes.append(CarveNote(line.id, "finer than the tip", fine, _within(line.area)))
    return made, notes


def _stood(
    by: Carvings, own: Carving, line: DrawnLine, areas: dict[str, BaseGeometry]
) -> tuple[list[Cutting], list[CarveNote]]:  # fmt: skip
    """What lies between a line and another taken down, so that what the first encloses stands with walls that lean: as
    wide as the line is where it begins, ``start`` below the surface. Flat cutters clear as far out as they cut when it
    is cut out; the pointed one follows the walls."""
    _require_within(own.deepest, by.thick)
    around = _area_up_to(own.up_to, areas)
    if own.start >= own.deepest:
        raise CannotMake(
            f"Walls that begin {own.start:g} mm down cannot be {own.deepest:g} mm deep.", "Begin them higher."
        )
    number = _chosen(by, own.cutter, ("pointed",))
    cutter, rack = pointed_of(by.cutters[number]), by.cutters[number]
    tall = tallest(rack)
    if own.deepest > tall + 1e-9:
        raise CannotMake(
            f"The point of the {rack.name} is {tall:.1f} mm tall: its shank rubs on walls {own.deepest:g} mm high.",
            f"Carve {tall - 0.05:.1f} mm deep at most, or put a wider cutter into the rack.",
        )
    flats = _flats(by)
    wall = line.area.buffer(cutter.half_width(own.deepest - own.start), quad_segs=24)
    beyond = around.buffer(by.cutters[flats[0]].diameter, join_style="mitre")
    made, _ = _flattened(by, line, beyond.difference(wall), flats, own.deepest)
    bottom = around.difference(wall)
    rest = _finished(bottom.difference(_swept(by, made, own.deepest)), bottom, cutter)
    finished = [np.column_stack([ring, np.full(len(ring), -own.deepest)]) for ring in rest]
    outward = [
        Region(region.outer.reversed(), tuple(hole.reversed() for hole in region.holes)) for region in line.regions
    ]
    finished += grooves(outward, cutter, own.deepest, start=own.start)
    whole = Cutting(line.id, GROOVES, number, tuple(finished))
    return made + _in_passes(whole, own.deepest, rack.deepest_pass), []


def _in_passes(cutting: Cutting, depth: float, deepest_pass: float) -> list[Cutting]:
    """Courses of a pointed cutter that go ``depth`` mm into what is there, in passes: held higher it cuts nothing that
    is to stay."""
    passes, top = passes_to(depth, deepest_pass), np.array([np.inf, np.inf, 0.0])
    made = []
    for k in range(1, passes + 1):
        up = np.array([0.0, 0.0, depth * (passes - k) / passes])
        courses = [np.minimum(course + up, top) for course in cutting.courses]
        made.append(replace(cutting, courses=tuple(one for one in courses if one[:, 2].min() < -1e-6)))
    return made


def _area_up_to(up_to: str, areas: dict[str, BaseGeometry]) -> BaseGeometry:
    if up_to not in areas:
        raise CannotMake("The line that it goes up to is not there any more.", "Choose another line.")
    return areas[up_to]


def _thin_share(line: DrawnLine, cutter: Pointed) -> float:
    """mm² that are finer than the cutter's tip."""
    if not cutter.tip or cutter.ball:  # a ball goes into anything, however little
        return 0.0
    area = line.area
    kept = area.buffer(-cutter.tip / 2 * 0.98).buffer(cutter.tip / 2)
    return float(area.difference(kept).area)


def _require_narrower(line: DrawnLine, groove: Carving, cutter: Cutter) -> None:
    """Raises CannotMake where a groove would be wider at the surface than the cutter itself."""
    widest = tallest(cutter)
    if groove.deepest - groove.start <= widest + 1e-9 or line.area.buffer(-cutter.diameter / 2).is_empty:
        return
    raise CannotMake(
        f"The {cutter.name} is {cutter.diameter:g} mm wide: it carves {widest:.1f} mm deep at most, "
        "and strokes here are wider.",
        f"Carve {groove.start + widest - 0.05:.1f} mm deep at most, or put a wider cutter into the rack.",
    )


def _swept(by: Carvings, cuttings: Sequence[Cutting], depth: float) -> BaseGeometry:
    """What flat cutters took down to a depth."""
    taken = []
    for cutting in cuttings:
        radius = by.cutters[cutting.cutter].diameter / 2
        at_depth = [course[course[:, 2] < COARSE - depth, :2] for course in cutting.courses]
        taken += [shapely.LineString(one).buffer(radius, quad_segs=24) for one in at_depth if len(one) > 1]
    return shapely.union_all(taken)


def _finished(left: BaseGeometry, bottom: BaseGeometry, cutter: Pointed) -> list[np.ndarray]:
    """Rings of a pointed cutter over what flat ones left of a flat bottom, so near to each other that the ridges
    between them are no higher than ``RIDGE``. bottom: where the middle of its tip may run."""
    # slivers between two rings of flat cutters are thinner than any ring would be
    area = left.buffer(SLIVER, quad_segs=2).intersection(bottom)
    step, sharp = cutter.stride(RIDGE), 4 * RIDGE / cutter.rise
    found: list[np.ndarray] = []
    inside = area.buffer(-COARSE, quad_segs=4)
    while not inside.is_empty and len(found) < MOST_RINGS:
        for part in polygons(inside.simplify(COARSE)):
            found += [np.asarray(shapely.get_coordinates(ring)) for ring in (part.exterior, *part.interiors)]
        inner = inside.buffer(-step, quad_segs=4)
        inside = inside.buffer(-step / 2) if inner.is_empty and step > sharp else inner
        step = step / 2 if inner.is_empty else step
    return found


def _flat(cutter: Cutter, *, climb: bool = False) -> Flat:
    return Flat(cutter.diameter, cutter.step_over, climb)


def _flat_courses(
    area: BaseGeometry, cutter: Cutter, depth: float, *, start: float, lanes: bool, climb: bool
) -> list[Course]:
    """Passes over an area, from ``start`` down to a depth."""
    tracks = cleared(area, _flat(cutter, climb=climb), lanes=lanes)
    passes = passes_to(depth - start, cutter.deepest_pass)
    step = (depth - start) / passes
    made = []
    for z in (-start - step * k for k in range(1, passes + 1)):
        for track in tracks:
            course = np.column_stack([track.points, np.full(len(track.points), z)])
            made.append(ramped(course, z + step) if track.lap is None else screwed(course, track.lap, z + step))
    return made


def _flattened(
    by: Carvings, line: DrawnLine, area: BaseGeometry, cutters: Sequence[int], depth: float, *, start: float = 0.0,
    lanes: bool = False, climb: bool = False,
) -> tuple[list[Cutting], BaseGeometry]:  # fmt: skip
    """An area taken down by one cutter after another, each of what those before it left; and what all of them
    leave."""
    made: list[Cutting] = []
    for k in cutters:
        courses = _flat_courses(area, by.cutters[k], depth, start=start, lanes=lanes, climb=climb)
        if courses:
            made.append(Cutting(line.id, CLEARS, k, tuple(courses)))
            area = left_over(area, _flat(by.cutters[k]))
    return made, area


def _taken_down(
    by: Carvings, own: Clearing, line: DrawnLine, areas: dict[str, BaseGeometry]
) -> tuple[list[Cutting], list[CarveNote]]:
    _require_within(own.depth, by.thick)
    area: BaseGeometry = line.area
    if own.up_to:
        area = _area_up_to(own.up_to, areas).difference(area)
    number = _chosen(by, own.cutter, ("flat", "round"))
    cutters = [number, *_narrower(by, by.cutters[number].diameter)]
    lanes, climb = own.way == "in lanes", own.meets == "climb"
    made, left = _flattened(by, line, area, cutters, own.depth, lanes=lanes, climb=climb)
    if not made:
        raise CannotMake(f"The {by.cutters[number].name} is wider than all of this area.", "Choose a narrower cutter.")
    return made, _not_reached(line, left)


def _not_reached(line: DrawnLine, left: BaseGeometry) -> list[CarveNote]:
    return [CarveNote(line.id, "not reached", float(left.area), _within(left))] if left.area > LEAST_LEFT else []


def _cut_out(by: Carvings, own: ThroughCut, line: DrawnLine) -> tuple[list[Cutting], list[CarveNote]]:
    """Round the outlines, on the waste side, with tabs; a round hole as wide as a drill is drilled, others are opened
    by the widest cutter that fits. What lies within a hole is cut before the hole, and that before what it is in."""
    by_drill, outlines, holes = _by_kind(by, line.area)
    made = [Cutting(line.id, DRILLS, drill, tuple(courses)) for drill, courses in by_drill.items()]
    if not outlines:
        return made, []
    flats = _flats(by)
    gap = _least_gap(line.area)
    number = next((k for k in flats if by.cutters[k].diameter + own.last_pass <= gap + ROUND), None)
    if number is None:
        raise CannotMake(
            f"Two parts lie {gap:.1f} mm apart, and no flat cutter in the rack is so narrow.",
            f"Set them {by.cutters[flats[-1]].diameter + own.last_pass:g} mm apart, or add a narrower cutter.",
        )
    left: list[BaseGeometry] = []
    notes: list[CarveNote] = []
    for shape in sorted([*outlines, *holes], key=lambda one: float(one.area)):
        inner = any(one is not shape and one.contains(shape) for one in holes)
        if shape not in holes:
            made.append(_through(by, own, line, OPENS if inner else FREES, number, shape, freed))
            if line.places and not _tabs_on(line, shape):
                notes.append(CarveNote(line.id, "no tab", 1.0, _within(shape)))
            radius = by.cutters[number].diameter / 2
            left.append(shape.buffer(radius, quad_segs=24).buffer(-radius, quad_segs=24).difference(shape))
            continue
        holds = any(shape.contains(one) for one in outlines)
        narrow = flats[flats.index(number) :] if holds else flats
        fits = next((k for k in narrow if _passes(shape.buffer(-own.last_pass), by.cutters[k])), None)
        if fits is None:
            wide = 2 * shapely.maximum_inscribed_circle(shape, tolerance=0.01).length
            raise CannotMake(
                f"A hole is {wide:.1f} mm wide, and no flat cutter in the rack goes through all of it.",
                "Make it wider, add a narrower cutter, or a drill of its width.",
            )
        made.append(_through(by, own, line, OPENS, fits, shape, opened))
        left.append(left_over(shape, _flat(by.cutters[fits])))
    missed = shapely.union_all([one.buffer(-HAIRLINE).buffer(HAIRLINE) for one in left])
    return made, [*notes, *_not_reached(line, missed)]


def _slots(by: Carvings, line: DrawnLine) -> tuple[list[Cutting], list[CarveNote]]:
    """Open lines, cut through as wide as the flat cutter is."""
    number, depth = _flats(by)[0], by.thick + by.below
    cutter = by.cutters[number]
    made: list[Course] = []
    for course in (shapely.get_coordinates(one) for one in courses_of(line.paths)):
        above = 0.0
        for one in lowered([course], depth, cutter.deepest_pass):
            made.append(ramped(one if len(made) % 2 else one[::-1], above))
            above = float(one[0, 2])
    return ([Cutting(line.id, FREES, number, tuple(made))] if made else []), []


def _by_kind(by: Carvings, area: BaseGeometry) -> tuple[dict[int, list[Course]], list[Polygon], list[Polygon]]:
    """What each drill makes of an area, the outlines of its parts, and their holes."""
    by_drill: dict[int, list[Course]] = {}
    outlines: list[Polygon] = []
    holes: list[Polygon] = []
    for part in polygons(area):
        within = [Polygon(ring) for ring in part.interiors]
        alone = [] if within else [part]
        if within or _drill_for(by, part) is None:
            outlines.append(Polygon(part.exterior))
        for shape in (*within, *alone):
            drill = _drill_for(by, shape)
            if drill is not None:
                middle = shape.centroid
                course = drilled(middle.x, middle.y, by.thick + by.below, by.cutters[drill].deepest_pass)
                by_drill.setdefault(drill, []).append(course)
            elif within:
                holes.append(shape)
    return by_drill, outlines, holes


def _through(
    by: Carvings, own: ThroughCut, line: DrawnLine, when: int, number: int, area: BaseGeometry, way: _Through
) -> Cutting:
    """What goes through the board with one cutter, along the edge of an area; tabs stand where they are on that
    edge."""
    cutter, depth = by.cutters[number], by.thick + by.below
    tabs = Tabs(_tabs_on(line, area), max(own.tie_width, 0.1), own.tab_height + by.below)
    left = own.last_pass if way is freed else -own.last_pass
    courses = way(area.buffer(left, quad_segs=24) if left else area, cutter.diameter, depth, cutter.deepest_pass, tabs)
    step = depth / passes_to(depth, cutter.deepest_pass)
    entered = [ramped(one, min(0.0, float(one[:, 2].min()) + step)) for one in courses]
    if left:
        rough = shapely.union_all([shapely.LineString(one[:, :2]) for one in courses])
        last = way(area, cutter.diameter, depth, depth, tabs)
        if own.last_way == ALONG_GRAIN:  # which stretches that makes is known where it lies on the board
            edges = tuple(Edge(one, rough, abs(left), way is freed, cutter.diameter) for one in last)
            return Cutting(line.id, when, number, tuple(entered), edges)
        entered += [led(one, rough, abs(left)) for one in last]
    return Cutting(line.id, when, number, tuple(entered))


def _tabs_on(line: DrawnLine, area: BaseGeometry) -> list[tuple[float, float]]:
    """Where tabs stand on the edge of an area."""
    return [(p.x, p.y) for p in line.places if area.boundary.distance(shapely.Point(p.x, p.y)) <= ON_EDGE]


def _flats(by: Carvings) -> list[int]:
    """The flat cutter that is used unless another is needed, and narrower ones, the widest first."""
    first = _chosen(by, "", ("flat",))
    return [first, *_narrower(by, by.cutters[first].diameter)]


def _narrower(by: Carvings, wide: float) -> list[int]:
    """Flat cutters that are narrower than that, mm, the widest first."""
    found = [k for k, one in enumerate(by.cutters) if one.kind == "flat" and one.diameter < wide]
    return sorted(found, key=lambda k: -by.cutters[k].diameter)


def _passes(hole: BaseGeometry, cutter: Cutter) -> bool:
    """Whether a cutter goes through a hole, all of it in one ring."""
    return len(polygons(hole.buffer(ROUND / 2 - cutter.diameter / 2))) == 1


def _least_gap(area: BaseGeometry) -> float:
    """mm between the two nearest parts of an area; without end where there is one alone."""
    parts = polygons(area)
    if len(parts) < 2:
        return float("inf")
    tree = shapely.STRtree(parts)
    _, far = tree.query_nearest(parts, exclusive=True, return_distance=True, all_matches=False)
    return float(far.min())


def _drill_for(by: Carvings, hole: BaseGeometry) -> int | None:
    """The drill that makes a hole, where that is a circle so wide."""
    wide = 2 * float(np.sqrt(hole.area / np.pi))
    middle = hole.centroid
    off = shapely.distance(shapely.points(shapely.get_coordinates(hole.exterior)), middle) - wide / 2
    if np.abs(off).max() > ROUND:
        return None
    return next(
        (k for k, one in enumerate(by.cutters) if one.kind == "a drill" and abs(one.diameter - wide) <= ROUND), None
    )


def _require_within(depth: float, thick: float) -> None:
    """Raises CannotMake for a depth that goes through the board."""
    if depth >= thick:
        raise CannotMake(
            f"{depth:g} mm is as deep as the board is thick ({thick:g} mm).", f"Carve less deep than {thick:g} mm."
        )


def _within(area: BaseGeometry) -> tuple[float, float]:
    """A place in an area, to show it by."""
    place = area.representative_point()
    return place.x, place.y
