"""Round things: bends against a pinhole and closed formulas, nodes, drafts, and what a simulated laser leaves."""

from __future__ import annotations

import math
import statistics
import time
from collections.abc import Sequence
from datetime import date

import numpy as np
import shapely
from tests.pipeline.test_round_goods import CUP, gcode, job, on_wall, seen, thing
from tests.wrap.test_wrap import WALLS, grid, in_space

from demo.jobs import demo_jobs
from nibble_core.geometry import Affine, Bundle
from nibble_core.pipeline.bending import Bending, bend_of
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.turn_trial import test_turn, turn_learnt
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply
from nibble_core.ticket.goods import Faces, OnRound, Seen
from nibble_core.wrap import Bend, Label, OnSurface, ToTheEye, Turning, bent

DISTANCES = (250.0, 600.0, math.inf)
DRAFTS = 9


def run() -> None:
    truths()
    labels()
    nodes()
    drags()
    burnt()


def truths() -> None:
    eye = max(_back(wall, distance) for wall in WALLS.values() for distance in DISTANCES)
    line = np.column_stack([np.linspace(-30, 30, 6001), np.full(6001, 12.0)])
    up = np.column_stack([np.zeros(6001), np.linspace(-25, 25, 6001)])
    off = [
        abs(np.linalg.norm(np.diff(in_space(wall, OnSurface(wall, 55.0).onto(one)), axis=0), axis=1).sum() - long)
        for wall in WALLS.values() for one, long in ((line, 60.0), (up, 50.0))
    ]  # fmt: skip
    print(f"a grid on cylinder, cones and a six-point profile, back at the eye: {eye:.6f} mm off at most (0.01 wanted)")
    print(f"lengths round and along, true on the surface: {max(off):.4f} mm off at most (0.01 wanted)")


def _back(wall, distance: float) -> float:
    points = in_space(wall, ToTheEye(wall, 55.0, distance).onto(grid()))
    depth = float(wall.radius_at(55.0)) + distance - points[:, 0]
    share = np.ones(len(points)) if math.isinf(distance) else distance / depth
    flat = np.column_stack([points[:, 1], points[:, 2] - 55.0]) * share[:, None]
    return float(np.abs(flat - grid()).max())


def labels() -> None:
    worst = 0.0
    for wall in WALLS.values():
        if wall.is_cone:
            ends = np.array([[angle, slant] for angle in (-math.pi, math.pi) for slant in (0.0, wall.slant)])
            chart = Label(wall)
            flat = chart.lay(ends)
            wrapped = in_space(wall, chart.lift(flat))
            worst = max(worst, float(np.abs(wrapped[:2] - wrapped[2:]).max()))
    print(f"a label closes on its cone: {worst:.2e} mm apart at most (0.01 wanted)")


def nodes() -> None:
    """Traced shapes of the demo jobs, bent onto every wall: how far off, and how many segments for one."""
    off, ratios = [], []
    for made in demo_jobs(date(2026, 1, 1)):
        store = MemoryStore()
        work = work_out(made.ticket, lambda _, content=made.content: content, store, upto="lines")
        for composed in work.pieces.values():
            box = composed.value.box
            if max(box.width, box.height) > 300 or not composed.value.regions:
                continue
            paths = Bundle.of([ring for region in composed.value.regions for ring in region.rings])
            for wall in WALLS.values():
                share = min(1.0, 60 / max(box.width, box.height))
                middle = ((box.left + box.right) / 2, (box.top + box.bottom) / 2)
                small = paths.mapped(_scaled(share, middle))
                bend = Bend(wall, ToTheEye(wall, 55.0, 600.0), Turning(wall, wall.largest), middle)
                came = bent(small, bend)
                ratios.append(came.segments / small.segments)
                lines = shapely.union_all([shapely.LineString(one) for one in came.arrays_of_points(1e-4)])
                off.append(float(shapely.distance(lines, shapely.points(bend(small.flattened(1e-3)[0]))).max()))
    print(f"demo shapes bent: {max(off):.4f} mm off at most (0.01 wanted), {statistics.median(ratios):.2f} segments "
          f"for one, {max(ratios):.2f} at most (3 wanted)")  # fmt: skip


def _scaled(share: float, middle: tuple[float, float]) -> Affine:
    x, y = middle
    return Affine.translation(-x, -y).then(Affine.scale(share)).then(Affine.translation(x, y))


def drags() -> None:
    """Dragging how low a piece lies: the draft at Lines, and bending its strokes and outlines alone."""
    made = next(one for one in demo_jobs(date(2026, 1, 1)) if "cups" in one.ticket.name)
    store, spent = MemoryStore(), []
    for number in range(DRAFTS + 1):
        drafted = apply(made.ticket, [Change("pieces/p1/goods/faces/below", 58.0 + number / 7)])
        start = time.process_time()
        work = work_out(drafted, lambda _: made.content, store, preview=True, upto="sheet")
        spent.append(time.process_time() - start)
    goods = drafted.pieces[0].goods
    assert isinstance(goods, OnRound)
    composed = work.pieces["p1"].value
    bend = bend_of(Bending.of(goods), composed.box)
    drawn = work.layers["l1"].drawn.value.lines[0]
    points = drawn.paths.flattened(0.01)[0]
    bare = _median([lambda: bend(points)] * DRAFTS)
    outline = Bundle.of([ring for region in composed.regions for ring in region.rings])
    places = outline.flattened(0.01)[0]
    fit, plain = (_median([step] * DRAFTS) for step in (lambda: bent(outline, bend), lambda: bend(places)))
    print(
        f"bending its outlines as cubics: {fit / plain:.1f} times mapping their {len(places)} points alone (3 wanted)"
    )
    print(f"dragging its height: {1000 * statistics.median(spent[1:]):.0f} ms a draft with areas filled anew, mapping "
          f"the {len(points)} points of its strokes alone {1000 * bare:.1f} ms")  # fmt: skip


def _median(steps: Sequence) -> float:
    times = []
    for step in steps:
        start = time.process_time()
        step()
        times.append(time.process_time() - start)
    return statistics.median(times)


def burnt() -> None:
    ticket = job(OnRound(CUP, Seen("true to the eye", 600.0), Faces(55.0)))
    _, burns = on_wall(gcode(ticket), thing(ticket))
    sides = np.ptp(seen(burns, thing(ticket), 55.0, 180.0, 600.0), axis=0)
    print(f"a square of 30 mm on a cone of 80 to 60 mm, burnt and seen from the front: sides {sides[0]:.3f} and "
          f"{sides[1]:.3f} mm (equal within 0.05 wanted)")  # fmt: skip
    both = Faces(55.0, "a quarter to the left", around="at equal angles", times=2)
    ticket = job(OnRound(CUP, Seen(), both))
    slips = thing(ticket, slip=0.015)
    before = _apart(ticket, slips)
    _, burns = on_wall(test_turn(ticket, ticket.sheets[0]), slips)
    missing = 2 * math.pi - float(burns[-1].angle.mean() - burns[0].angle.mean())
    gap = round(missing * float(slips.radius(burns[0].along[-1:])[0]), 2)
    after = _apart(apply(ticket, turn_learnt(ticket, ticket.sheets[0], gap, "")[1]), slips)
    print(f"opposite faces on rollers that slip 1.5 %: {abs(before - 180):.2f}° off, after a test turn read to 0.01 mm "
          f"{abs(after - 180):.4f}° (0.05 wanted)")  # fmt: skip


def _apart(ticket, of) -> float:
    _, burns = on_wall(gcode(ticket), of)
    angles = np.degrees(np.concatenate([one.angle for one in burns]))
    low = angles < (angles.min() + angles.max()) / 2
    return float(angles[~low].mean() - angles[low].mean())
