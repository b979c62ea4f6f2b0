"""Carved signs: grooves against brute-force distances, a sign and a drawing planned, the surface out of the router."""

from __future__ import annotations

import time

import numpy as np
import shapely
from tests.carve.test_carving import EDGE, RACK, WORDS, board, engaged_by

from nibble_core.carve import Board, Flat, Pointed, cleared, grooves, reachable, surface
from nibble_core.geometry import Path, Region
from nibble_core.geometry.regions import union
from nibble_core.pipeline.files import make_files
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.simulators import router
from nibble_core.text import set_line, shipped_font
from nibble_core.ticket.piece import Element, Figure, Lettering

V60 = Pointed(60.0)
PLACES = 10_000
FONTS = ("slab", "script", "condensed", "sans")
NODES = 20_000


def run() -> None:
    depths()
    surfaces()
    clearing()
    drawing()
    sign()


def depths() -> None:
    """Depth at places drawn at random in letters of several faces, against the distance to the edge told by brute
    force; a board of 0.02 mm a pixel about each place is cut for it."""
    off: list[float] = []
    spent = 0.0
    for font in FONTS:
        regions = list(set_line(shipped_font(font), "OWLS&Rg8", 40.0).regions)
        start = time.process_time()
        courses = grooves(regions, V60, 60.0)
        spent += time.process_time() - start
        off += _off(regions, courses)
    found = np.abs(off)
    print(f"depth at {len(off)} places of letters in {len(FONTS)} faces: median {np.median(found):.4f}, 99.9 of 100 in "
          f"{np.percentile(found, 99.9):.4f}, worst {found.max():.4f} mm (0.01 wanted); {spent:.2f} s")  # fmt: skip


def _off(regions: list[Region], courses) -> list[float]:
    """Of a share of the places, mm of depth that the courses leave too much or too little: the lowest of all cones
    over a place, each found along its move."""
    area = union(regions, 1e-4)
    edge = shapely.boundary(area)
    chance = np.random.default_rng(7)
    left, top, right, bottom = area.bounds
    places = np.column_stack([chance.uniform(left, right, 60_000), chance.uniform(top, bottom, 60_000)])
    places = places[shapely.contains_xy(area, *places.T)][: PLACES // len(FONTS)]
    ideal = shapely.distance(shapely.points(places), edge) * V60.rise
    moves = np.vstack([np.hstack([one[:-1], one[1:]]) for one in courses])
    found = np.zeros(len(places))
    for move in np.array_split(moves, max(1, len(moves) // 40)):
        found = np.maximum(found, _deepest(places, move))
    return (found - ideal).tolist()


def _deepest(places: np.ndarray, moves: np.ndarray) -> np.ndarray:
    """How deep cones that run some straight moves cut at places, mm: where each stands lowest over a place."""
    best = np.zeros(len(places))
    for x0, y0, z0, x1, y1, z1 in moves.tolist():
        length = float(np.hypot(x1 - x0, y1 - y0))
        if length < 1e-9:
            continue
        ux, uy, climb = (x1 - x0) / length, (y1 - y0) / length, (z1 - z0) / length
        along = (places[:, 0] - x0) * ux + (places[:, 1] - y0) * uy
        aside = np.abs((places[:, 1] - y0) * ux - (places[:, 0] - x0) * uy)
        share = climb / V60.rise
        lean = (
            aside * share / np.sqrt(1 - share**2) if abs(share) < 1 else np.full(len(places), np.sign(climb) * length)
        )
        t = np.clip(along - lean, 0, length)
        best = np.maximum(best, -(z0 + climb * t + V60.rise * np.hypot(aside, along - t)))
    return best


def surfaces() -> None:
    """What the pointed cutter of the rack, whose tip is 0.1 mm wide, leaves of a sign's grooves as the stand-in ran the
    file's own moves, against the deepest that it can reach there within the outline, at places drawn at random."""
    off: list[float] = []
    for face in FONTS:
        words = Element("e2", Lettering("Owl&R8", face, "", 34.0), way="apart", across="centred", down="centred")
        plate = Element("e1", content=Figure("rounded rectangle", 220.0, 70.0, 8.0))
        ticket = board(WORDS, EDGE, elements=(plate, words))
        work = work_out(ticket, {}.__getitem__, MemoryStore())
        content = next(one.content for one in make_files(ticket, work).files if one.name.endswith("gcode"))
        laid = work.sheets["s1"].laid.value
        ran = router.fed(content, router.Stage(laid.width, laid.height, 18.0), RACK)
        pointed = np.array(ran.moves)[np.array(ran.tools) == 3]
        area = next(one.area for one in work.layers["l1"].laid.value.lines if one.id == "k2")
        area = shapely.transform(area, laid.placements[0].at.map)
        off += _missed(area, pointed * [1, -1, 1, 1, -1, 1] + [0, laid.height, 0, 0, laid.height, 0])
    found = np.array(off)
    print(f"out of the router, {len(off)} places of words in {len(FONTS)} faces: 99 of 100 within "
          f"{np.percentile(np.abs(found), 99):.4f} mm of the deepest that its tip reaches, all within "
          f"{np.abs(found).max():.4f} (0.03 wanted), too deep by {max(0.0, found.max()):.4f} (0.02)")  # fmt: skip


def _missed(area: shapely.geometry.base.BaseGeometry, moves: np.ndarray) -> list[float]:
    """mm by which grooves are too deep, below nothing too shallow. moves: of the tip, (m, 6), in the sheet's axes."""
    edge, tip = shapely.boundary(area), RACK[3].tip / 2
    chance = np.random.default_rng(5)
    left, top, right, bottom = area.bounds
    places = np.column_stack([chance.uniform(left, right, 40_000), chance.uniform(top, bottom, 40_000)])
    places = places[shapely.contains_xy(area, *places.T)][: PLACES // len(FONTS)]
    # a flat tip reaches as deep as the best of the places that it covers lets it
    round_it = [
        (r * np.cos(a), r * np.sin(a)) for r in (0.0, tip / 2, tip) for a in np.arange(0, 2 * np.pi, np.pi / 12)
    ]
    near = places[:, None] + np.array(round_it)
    away = shapely.distance(shapely.points(near), edge) * shapely.contains_xy(area, near[..., 0], near[..., 1])
    ideal = np.maximum(away.max(1) - tip, 0.0) * V60.rise
    counted = ideal < WORDS.process.deepest - 0.01  # what is deeper is flat
    stops = [np.linspace(one[:3], one[3:], max(2, int(np.hypot(*(one[3:5] - one[:2])) / 0.004))) for one in moves
             if min(one[2], one[5]) < 0]  # fmt: skip
    ran = np.vstack(stops)
    tree = shapely.STRtree(shapely.points(ran[:, :2]))
    reach = ideal.max() / V60.rise + 0.2
    of, which = tree.query(shapely.points(places[counted]), predicate="dwithin", distance=reach)
    apart = np.hypot(*(places[counted][of] - ran[which, :2]).T)
    depth = np.zeros(len(places[counted]))
    np.maximum.at(depth, of, -ran[which, 2] - np.maximum(apart - tip, 0.0) * V60.rise)
    return (depth - ideal[counted]).tolist()


def clearing() -> None:
    """What rings and lanes leave of all that a cutter can reach, and how wide it is engaged against its step-over from
    the first move to the last, away from corners of rings: measured across it each half mm. The screw down which it is
    entered is left out."""
    plate = shapely.box(0, 0, 160, 60)
    letters = shapely.affinity.translate(union(list(set_line(shipped_font("slab"), "OAR", 34.0).regions)), 80, 47)
    dumbbell = shapely.union_all(
        [shapely.box(0, 0, 50, 50), shapely.box(100, 0, 150, 50), shapely.box(40, 18, 110, 32)]
    )
    star = zip((75, 30) * 5, np.arange(10) * np.pi / 5, strict=True)
    shapes = {"a plate": plate, "round an island": plate.difference(shapely.box(60, 20, 90, 30)),
              "round letters": plate.difference(letters), "two rooms and a way between": dumbbell,
              "a ring": shapely.Point(40, 40).buffer(38).difference(shapely.Point(40, 40).buffer(27)),
              "a star": shapely.Polygon(80 + np.array([(r * np.sin(a), -r * np.cos(a)) for r, a in star]))}  # fmt: skip
    for called, area in shapes.items():
        for lanes in (False, True):
            start = time.process_time()
            cutter = Flat(6.0, 0.4)
            tracks = cleared(area, cutter, lanes=lanes)
            took = time.process_time() - start
            engaged = engaged_by(tracks, cutter)
            cut = shapely.union_all([shapely.LineString(one.points).buffer(3.01, quad_segs=32) for one in tracks])
            left = reachable(area, Flat(6.01)).difference(cut).area
            long = sum(shapely.LineString(one.points).length for one in tracks)
            print(f"cleared {called}, {'in lanes' if lanes else 'in rings'}: {left:.3f} mm² of what can be reached are "
                  f"left; engaged at most {engaged.max():.2f} times the step-over (1.1 wanted), 99 % of the way within "
                  f"{np.percentile(engaged, 99):.2f}; {long:.0f} mm, {long * 2.4 / area.area:.2f} times the area over "
                  f"the step-over; {took:.2f} s")  # fmt: skip


def drawing() -> None:
    """A made-up drawing of many nodes."""
    chance = np.random.default_rng(3)
    regions = []
    for k in range(100):
        angle = np.linspace(0, 2 * np.pi, NODES // 100, endpoint=False)
        radius = 22 + np.cumsum(chance.normal(0, 0.25, len(angle)))
        radius += (radius[0] - radius[-1]) * np.linspace(0, 1, len(angle))
        x, y = (k % 10) * 60 + 30, (k // 10) * 60 + 30
        points = np.column_stack([x + radius * np.cos(angle), y + radius * np.sin(angle)])
        regions.append(Region(Path.polygon(points)))
    start = time.process_time()
    courses = grooves(regions, V60, 6.0)
    took = time.process_time() - start
    print(f"a drawing of {NODES} nodes: {len(courses)} courses in {took:.1f} s (20 wanted)")


def sign() -> None:
    """A sign of 600 x 200 mm with twenty letters: planned, written, and cut by the stand-in."""
    elements = (
        Element("e1", content=Figure("rounded rectangle", 600.0, 200.0, 12.0)),
        Element("e2", content=Lettering("LITTLE OWL READS ALL", "slab", "", 30.0), way="apart", across="centred",
                down="centred"),
    )  # fmt: skip
    ticket = board(WORDS, EDGE, elements=elements)
    start = time.process_time()
    work = work_out(ticket, {}.__getitem__, MemoryStore())
    took = time.process_time() - start
    content = next(one.content for one in make_files(ticket, work).files if one.name.endswith("gcode"))
    laid = work.sheets["s1"].laid.value
    ran = router.fed(content, router.Stage(laid.width, laid.height, 18.0), RACK)
    start = time.process_time()
    made = router.cut(ran, 0.1)
    cut = time.process_time() - start
    told, own = work.sheets["s1"].router_run.value.minutes * 60, router.seconds(ran) + 17 * ran.changes
    print(f"a sign of twenty letters: planned in {took:.1f} s of processor (4 wanted); {len(ran.moves)} moves on a "
          f"board of {made.shape[1]} x {made.shape[0]} pixels in {cut:.1f} s (5 for 100,000 moves wanted)")  # fmt: skip
    print(f"its minutes against the stand-in's clock: {100 * abs(told - own) / own:.1f} % off (3 wanted); complaints: "
          f"{len(ran.complaints)}; loose: {len(router.loose(made, 18.0, 0.1))}")  # fmt: skip
    shown = Board(0.0, 0.0, laid.width, laid.height, 0.35)
    courses = [course for one in work.sheets["s1"].carved["l1"].value.cuttings for course in one.courses]
    start = time.process_time()
    surface(shown, shown.fresh(), courses, rise=V60.rise, radius=0.0)
    print(f"its surface for the table: {1000 * (time.process_time() - start):.0f} ms")
