"""Grooves, clearings and parts cut free: against distances told by brute force, and out of a simulated router."""

import math
import re
from dataclasses import replace
from itertools import pairwise, product
from typing import Any
from unittest import TestCase

import cv2
import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.carve import (
    Board,
    Flat,
    Pointed,
    Tabs,
    Track,
    cleared,
    freed,
    grooves,
    ramped,
    reachable,
    screwed,
    surface,
)
from nibble_core.errors import FileDisagrees, UnreadableFile
from nibble_core.formats.gcode import Dialect
from nibble_core.formats.router_gcode import read_route, write_route
from nibble_core.geometry import Path, Region
from nibble_core.geometry.regions import union
from nibble_core.pipeline.carving import DRILLS, FREES, GROOVES, OPENS
from nibble_core.pipeline.files import make_files
from nibble_core.pipeline.names import slug
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.route_files import check_route, on_machine, write_route_frame
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.simulators import router
from nibble_core.text import set_line, shipped_font
from nibble_core.ticket import Change, Ticket, apply, sentences
from nibble_core.ticket.cutters import BALL, Cutter
from nibble_core.ticket.library import MACHINES, STOCKS
from nibble_core.ticket.line import (
    ALONG_GRAIN,
    AS_THEY_ARE,
    Carving,
    Clearing,
    FoldLines,
    Line,
    OneElement,
    Perforation,
    Source,
    ThroughCut,
)
from nibble_core.ticket.model import Held, Machine, Placed, Sheet, Zone
from nibble_core.ticket.piece import Element, Figure, Layer, Lettering, Piece, Prints
from nibble_core.ticket.places import Anchor, Span
from nibble_core.ticket.steps import GiveSecondSide, MakePlug
from tests.distances import from_lines
from tests.machines import with_head

V60, FLAT6 = Pointed(60.0), Flat(6.0)
RACK = {
    1: router.Cutter("flat", 6.0, feed=40, plunge=10), 2: router.Cutter("flat", 3.175, feed=30, plunge=8),
    3: router.Cutter("pointed", 12.7, 60.0, 0.1, feed=35, plunge=10), 4: router.Cutter("a drill", 5.0),
}  # fmt: skip


def letters(font: str, words: str, high: float) -> list[Region]:
    return list(set_line(shipped_font(font), words, high).regions)


def carved_depths(regions: list[Region], cutter: Pointed, deepest: float, pitch: float = 0.1):
    """Heights that the courses leave, and at each pixel's middle the depth of the ideal groove, by brute force."""
    courses = grooves(regions, cutter, deepest)
    area = union(regions, 1e-4)
    left, top, right, bottom = area.buffer(1).bounds
    board = Board(left, top, right - left, bottom - top, pitch)
    made = surface(board, board.fresh(), courses, rise=cutter.rise, radius=cutter.tip / 2)
    rows, columns = board.shape
    x, y = np.meshgrid(left + (np.arange(columns) + 0.5) * pitch, top + (np.arange(rows) + 0.5) * pitch)
    inside = covers(area, x, y)
    ideal = np.zeros(board.shape)
    ideal[inside] = from_lines(np.column_stack([x[inside], y[inside]]), shapely.boundary(area))
    return -made, ideal, inside


class GrooveTest(TestCase):
    def test_letters_are_as_deep_everywhere_as_they_are_wide(self):
        """Within what a pixel's middle can tell, at places drawn at random."""
        for font, words in (("slab", "OWL"), ("script", "Little"), ("condensed", "MRX"), ("sans", "S&8")):
            with self.subTest(font):
                made, ideal, inside = carved_depths(letters(font, words, 18.0), V60, 20.0)
                want = ideal * V60.rise
                off = (made - want)[inside]
                self.assertLess(off.max(), 0.02)
                self.assertGreater(np.percentile(off, 0.5), -0.02)
                self.assertLess(made[~inside].max(), 0.02 * V60.rise)

    def test_what_is_wider_than_the_deepest_groove_is_cut_along_its_edge(self):
        square = [Region(Path.polygon([(0, 0), (30, 0), (30, 30), (0, 30)]))]
        made, ideal, inside = carved_depths(square, V60, 4.0)
        half = V60.half_width(4.0)
        near = inside & (ideal < half)
        self.assertLess(np.abs(made - ideal * V60.rise)[near].max(), 0.02)
        self.assertAlmostEqual(float(made.max()), 4.0, delta=0.05 * V60.rise)

    def test_sharp_corners_run_up_to_the_surface(self):
        star = [Region(Path.polygon([(0, 0), (20, 6), (40, 0), (34, 20), (40, 40), (20, 34), (0, 40), (6, 20)]))]
        ends = [place for course in grooves(star, V60, 30.0) for place in (course[0], course[-1], *course)]
        for corner in ((0, 0), (40, 0), (40, 40), (0, 40)):
            nearest = min(ends, key=lambda p: math.dist(p[:2], corner))
            self.assertLess(math.dist(nearest[:2], corner), 0.01)
            self.assertLess(abs(nearest[2]), 0.01)

    @given(angle=st.floats(20, 120), tip=st.floats(0, 0.5), wide=st.floats(2, 20), turn=st.floats(0, 90))
    @settings(max_examples=25, deadline=None)
    def test_a_bar_is_carved_along_its_middle_at_half_its_width(self, angle, tip, wide, turn):
        cutter = Pointed(angle, tip)
        c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        corners = [(x * c - y * s, x * s + y * c) for x, y in ((0, 0), (60, 0), (60, wide), (0, wide))]
        courses = grooves([Region(Path.polygon(corners))], cutter, 500.0)
        deepest = min(float(one[:, 2].min()) for one in courses)
        self.assertAlmostEqual(-deepest, max(wide / 2 - tip / 2, 0) * cutter.rise, delta=0.01 * cutter.rise + 1e-6)

    @given(angle=st.floats(20, 120), tip=st.floats(0.2, 3), wide=st.floats(0.3, 8))
    @settings(max_examples=25, deadline=None)
    def test_a_tapered_ball_is_as_wide_as_the_stroke_at_the_surface(self, angle, tip, wide):
        cutter = Pointed(angle, tip, ball=True)
        depth = float(cutter.depth(np.array(wide / 2)))
        half = math.radians(angle) / 2
        # its outline, drawn: the ball up to where its tangent leans as the cone does, then straight on
        lean = np.linspace(0, math.pi / 2 - half, 400)
        along, up = tip / 2 * np.sin(lean), tip / 2 * (1 - np.cos(lean))
        far = along[-1] + np.linspace(0, 10, 2)
        along, up = np.append(along, far[1:]), np.append(up, up[-1] + (far[1:] - far[0]) / math.tan(half))
        self.assertAlmostEqual(depth, float(np.interp(wide / 2, along, up)), delta=2e-4 + 1e-4 * depth)
        self.assertAlmostEqual(cutter.half_width(depth), wide / 2, delta=1e-9)

    @given(
        st.tuples(*[st.floats(-3, 3)] * 2), st.floats(-4, -0.5), st.floats(-4, -0.5), st.floats(20, 120),
        st.floats(0.2, 2),
    )  # fmt: skip
    @settings(max_examples=25, deadline=None)
    def test_what_a_climbing_tapered_ball_takes_is_its_lowest_place_over_each_pixel(self, to, z0, z1, angle, tip):
        cutter = Pointed(angle, tip, ball=True)
        board = Board(-8.0, -8.0, 16.0, 16.0, 0.25)
        way = [np.array([(0.0, 0.0, z0), (*to, z1)])]
        made = surface(board, board.fresh(), way, rise=cutter.rise, radius=tip / 2, round_tip=True)
        x, y = (one - 8.0 for one in pixels(made, 0.25))
        lowest = np.zeros(made.shape)
        for t in np.linspace(0, 1, 600):
            away = np.hypot(x - t * to[0], y - t * to[1])
            lowest = np.minimum(lowest, z0 + t * (z1 - z0) + cutter.depth(away))
        steep = cutter.rise * math.hypot(*to) / 600 + abs(z1 - z0) / 600
        self.assertLess(np.abs(made - lowest).max(), 1e-3 + steep)

    def test_each_middle_is_run_once(self):
        bar = [Region(Path.polygon([(0, 0), (100, 0), (100, 6), (0, 6)]))]
        flat = sum(float(np.hypot(*np.diff(one[:, :2], axis=0).T).sum()) for one in grooves(bar, V60, 30.0))
        self.assertAlmostEqual(flat, 94 + 4 * 3 * math.sqrt(2), delta=1.5)


class TipTest(TestCase):
    def test_a_wide_tip_and_a_ball_go_nowhere_deeper_than_they_fit(self):
        """Also on the way into a corner, where a flat tip comes up before it."""
        regions = letters("condensed", "Rk", 34.0)
        edge = shapely.boundary(union(regions, 1e-4))
        for cutter in (Pointed(60.0, 0.4), Pointed(90.0, 1.0), Pointed(60.0, 1.0, ball=True)):
            with self.subTest(cutter):
                courses = grooves(regions, cutter, 6.0)
                ran = np.vstack([
                    np.linspace(one[k], one[k + 1], 24) for one in courses for k in range(len(one) - 1)
                ])  # fmt: skip
                fits = cutter.depth(from_lines(ran[:, :2], edge))
                self.assertLess(float((-ran[:, 2] - fits).max()), 0.02)
                self.assertGreater(float(-ran[:, 2].min()), 2.0)


def engaged_by(tracks: list[Track], cutter: Flat) -> np.ndarray:
    """How wide a cutter is engaged against its step-over, at places along what it runs, counted in pixels. What it cut
    less than its radius ago is not counted as cut: that is under it."""
    pitch, stride = 0.04, 0.1
    low = np.min([one.points.min(0) for one in tracks], axis=0) - cutter.diameter
    high = np.max([one.points.max(0) for one in tracks], axis=0) + cutter.diameter
    wood = np.ones([int(one) for one in np.ceil((high - low)[::-1] / pitch)], np.uint8)

    def cut(place: np.ndarray) -> None:
        middle = ((place - low) / pitch * 16).astype(int)
        cv2.circle(wood, (int(middle[0]), int(middle[1])), int(cutter.radius / pitch * 16), 0, -1, shift=4)

    found = []
    across = np.arange(-cutter.radius + pitch, cutter.radius, pitch)
    for track in tracks:
        if track.lap is not None:
            for place in track.lap:
                cut(place)
        line = shapely.LineString(track.points)
        stops = np.arange(0.0, line.length, stride)
        places = shapely.get_coordinates(line.interpolate(stops))
        counted = ~near_corners(track, places, cutter)
        way = np.gradient(places, axis=0) if len(places) > 1 else np.zeros_like(places)
        aside = np.column_stack([-way[:, 1], way[:, 0]]) / np.maximum(np.hypot(*way.T), 1e-9)[:, None]
        lag = int(cutter.radius / stride)
        for k, place in enumerate(places):
            if k >= lag:
                cut(places[k - lag])
            if counted[k] and k % 5 == 0:
                at = ((place + across[:, None] * aside[k] - low) / pitch).astype(int)
                found.append(wood[at[:, 1], at[:, 0]].sum() * pitch / (cutter.diameter * cutter.step))
        for place in places[-lag:]:
            cut(place)
    return np.array(found)


def near_corners(track: Track, places: np.ndarray, cutter: Flat) -> np.ndarray:
    """Which places of a ring lie about one of its corners; none of loops do."""
    if track.lap is not None or len(track.points) < 3:
        return np.zeros(len(places), bool)
    way = np.diff(track.points, axis=0)
    way = way[np.hypot(*way.T) > 1e-9]
    angle = np.arctan2(way[:, 1], way[:, 0])
    turn = np.abs(np.angle(np.exp(1j * (angle - np.roll(angle, 1)))))
    corners = shapely.MultiPoint(track.points[:-1][: len(turn)][turn > np.radians(15)])
    if corners.is_empty:
        return np.zeros(len(places), bool)
    return np.asarray(shapely.distance(shapely.points(places), corners) < cutter.diameter)


class ClearingTest(TestCase):
    def test_rings_and_lanes_clear_all_that_the_cutter_can_reach_and_nothing_else(self):
        shape = union(letters("slab", "E", 90.0)).buffer(2)
        for lanes in (False, True):
            with self.subTest(lanes=lanes):
                courses = cleared(shape, FLAT6, lanes=lanes)
                swept = shapely.union_all([shapely.LineString(one.points).buffer(3.0, quad_segs=48) for one in courses])
                self.assertLess(swept.difference(shape).area, 0.05)
                self.assertLess(reachable(shape, FLAT6).difference(swept).area, 0.004 * shape.length)  # a skin is kept

    def test_climb_cuts_have_what_stays_to_their_right_conventional_ones_to_their_left(self):
        area = shapely.box(0, 0, 40, 40).difference(shapely.box(15, 15, 25, 25))
        for climb, side in ((True, -1), (False, 1)):
            for lanes in (True, False):
                edges = 0
                tracks = cleared(area, Flat(6.0, climb=climb), lanes=lanes)
                for ring in (one.points for one in tracks if one.lap is None):
                    up = ring * [1, -1]  # y away from the operator
                    way = np.diff(up, axis=0)
                    left = np.column_stack([-way[:, 1], way[:, 0]]) / np.hypot(*way.T)[:, None]
                    beside = (up[:-1] + up[1:]) / 2 + side * 3.1 * left
                    if len(ring) > 2 and shapely.boundary(area).distance(shapely.LineString(ring)) < 3.1:
                        edges += 1
                        self.assertFalse(covers(area, *(beside * [1, -1]).T).any())
                self.assertGreaterEqual(edges, 2)

    def test_a_cutter_is_never_engaged_wider_than_its_step_where_there_is_room(self):
        """From the first move to the last, but for the screw down and corners of rings: rooms with a way between them,
        an island as far from the edge as rings leave nothing, a ring hardly two steps wide."""
        rooms = [shapely.box(0, 0, 30, 30), shapely.box(60, 0, 90, 30), shapely.box(25, 9, 65, 21)]
        shapes = [shapely.union_all(rooms), shapely.box(0, 0, 70, 40).difference(shapely.box(25, 14, 50, 22.8))]
        shapes.append(shapely.Point(20, 20).buffer(24).difference(shapely.Point(20, 20).buffer(14)))
        for shape, lanes in product(shapes, (False, True)):
            with self.subTest(shape=shape.area, lanes=lanes):
                tracks = cleared(shape, Flat(6.0, climb=lanes), lanes=lanes)
                self.assertLess(float(engaged_by(tracks, Flat(6.0)).max()), 1.3 if lanes else 1.1)
                swept = shapely.union_all([shapely.LineString(one.points).buffer(3.0) for one in tracks])
                self.assertLess(swept.difference(shape).area, 0.05)

    @settings(max_examples=12, deadline=None)
    @given(
        wide=st.floats(16, 60), high=st.floats(12, 40), turn=st.floats(0, 90), step=st.floats(0.15, 0.5),
        climb=st.booleans(),
    )  # fmt: skip
    def test_any_oblong_is_opened_without_a_slot_and_cleared_whole(self, wide, high, turn, step, climb):
        shape = shapely.affinity.rotate(shapely.box(0, 0, wide, high), turn)
        cutter = Flat(6.0, step, climb)
        tracks = cleared(shape, cutter)
        swept = shapely.union_all([shapely.LineString(one.points).buffer(3.0, quad_segs=48) for one in tracks])
        self.assertLess(swept.difference(shape).area, 0.05)
        self.assertLess(reachable(shape, cutter).difference(swept).area, 0.004 * shape.length)
        # a pixel on either side of what is counted in pixels of 0.04 mm, against a small step
        self.assertLess(float(engaged_by(tracks, cutter).max()), 1.1 + 0.08 / (6.0 * step))
        for track in tracks:
            if track.lap is not None:
                self.assertTrue(np.allclose((track.lap[0], track.lap[-1]), track.points[0]))

    def test_a_screw_goes_down_no_steeper_than_four_degrees_and_once_round_at_its_depth(self):
        around = np.linspace(0, 2 * math.pi, 41)
        lap = np.column_stack([np.cos(around), np.sin(around)])
        way = np.array([(1.0, 0.0, -3.0), (9.0, 0.0, -3.0)])
        made = screwed(way, lap, -0.5)
        steps = np.diff(made, axis=0)
        self.assertEqual(float(made[0, 2]), -0.5)
        slope = steps[:, 2] / np.hypot(*steps[:, :2].T)
        self.assertLessEqual(float(slope.max()), 1e-9)
        self.assertGreaterEqual(float(slope.min()), -0.0701)
        level = np.hypot(*steps[made[:-1, 2] <= -3.0 + 1e-9][:, :2].T)
        self.assertAlmostEqual(float(level.sum()), 2 * 40 * math.sin(math.pi / 40) + 8.0, places=6)
        self.assertTrue(np.allclose(made[-1], way[-1]))

    def test_loops_go_round_as_rings_do(self):
        shape = shapely.box(0, 0, 60, 11)  # hardly wider than the cutter: loops alone
        for climb in (False, True):
            (track, *_) = cleared(shape, Flat(6.0, climb=climb))
            self.assertIsNotNone(track.lap)
            for points in (track.lap, track.points):
                turn = np.diff(np.unwrap(np.arctan2(*np.diff(points, axis=0).T[::-1])))
                self.assertEqual(np.median(np.sign(turn)), -1 if climb else 1)

    def test_a_slope_leads_into_a_course_no_steeper_than_four_degrees(self):
        ring = np.array([(0, 0, -3.0), (10, 0, -3.0), (10, 10, -3.0), (0, 10, -3.0), (0, 0, -3.0)])
        made = ramped(ring, 0.0)
        way = np.diff(made, axis=0)
        self.assertEqual(float(made[0, 2]), 0.0)
        self.assertGreaterEqual(float((way[:, 2] / np.maximum(np.hypot(*way[:, :2].T), 1e-9)).min()), -0.0701)
        self.assertTrue(np.allclose(made[-4:], ring[1:]))

    def test_tabs_stand_as_wide_and_high_as_is_asked(self):
        disc = shapely.Point(0, 0).buffer(40)
        courses = freed(disc, 6.0, 18.3, 4.0, Tabs([(40, 0), (-40, 0)], 8.0, 3.0))
        last = courses[-1]
        self.assertAlmostEqual(float(last[:, 2].min()), -18.3)
        high = last[last[:, 2] >= -15.3 - 1e-9]
        for side in (1, -1):
            own = high[np.sign(high[:, 0]) == side]
            across = np.ptp(np.degrees(np.arctan2(own[:, 1], side * own[:, 0])))
            self.assertAlmostEqual(math.radians(float(across)) * 43 - 6, 8.0, delta=0.2)


def board(*lines: Line, elements: tuple[Element, ...] = (), machine: Machine | None = None) -> Ticket:
    made = elements or (
        Element("e1", content=Figure("rounded rectangle", 160.0, 70.0, 8.0)),
        Element("e2", content=Lettering("OAR", "slab", "", 34.0), way="apart", across="centred", down="centred"),
    )
    piece = Piece("p1", "board", 1, made, (Layer("l1", Prints(), lines),))
    sheet = Sheet("s1", (Held("h1", "l1"),), STOCKS["oak-18mm"], machine or MACHINES["board-router"], marks=0)
    return Ticket(pieces=(piece,), sheets=(sheet,))


WORDS = Line("k2", OneElement("e2"), AS_THEY_ARE, Carving(6.0))
EDGE = Line("k4", OneElement("e1"), AS_THEY_ARE, ThroughCut(ties=4, tie_width=8.0, tab_height=3.0))
RAISED = Line("k1", OneElement("e2"), AS_THEY_ARE, Clearing(2.5, "k4"))


STORE = MemoryStore()
"""What one test worked out, others need not."""


def worked(ticket: Ticket) -> Work:
    return work_out(ticket, {}.__getitem__, STORE)


def cut(
    ticket: Ticket, pitch: float = 0.1, *, sheet: int = 0, cutters: dict[int, router.Cutter] = RACK, **stage: Any
) -> tuple[np.ndarray, router.Router, Work]:  # fmt: skip
    work = worked(ticket)
    files = make_files(ticket, work, formats=["gcode"]).files
    content = [one.content for one in files if one.name.endswith("gcode")][sheet]
    laid = work.sheets[ticket.sheets[sheet].id].laid.value
    run = router.fed(content, router.Stage(laid.width, laid.height, 18.0, **stage), cutters)
    return router.cut(run, pitch), run, work


def covers(area: shapely.Geometry, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Which places lie in an area, one of a board's millions of pixels as quickly as a few."""
    shapely.prepare(area)
    return shapely.contains_xy(area, x, y)


def within(surface: np.ndarray, area: shapely.Geometry, pitch: float = 0.1) -> np.ndarray:
    """Which pixels of a board have their middles in an area of it."""
    return covers(area, *pixels(surface, pitch))


def on_board(work: Work, line: str, surface: np.ndarray, pitch: float = 0.1) -> tuple[np.ndarray, np.ndarray]:
    """Which pixels of a board a line's area covers, and how far each lies from its edge, mm."""
    area = area_on_sheet(work, "l1", line, "s1")
    inside = within(surface, area, pitch)
    x, y = pixels(surface, pitch)
    away = np.zeros(surface.shape)
    away[inside] = from_lines(np.column_stack([x[inside], y[inside]]), shapely.boundary(area))
    return inside, away


def area_on_sheet(work: Work, layer: str, line: str, sheet: str) -> shapely.Geometry:
    """What a line encloses, where its first copy lies."""
    area = next(one.area for one in work.layers[layer].laid.value.lines if one.id == line)
    return shapely.transform(area, work.sheets[sheet].laid.value.placements[0].at.map)


def at(surface: np.ndarray, x: np.ndarray, y: np.ndarray, pitch: float = 0.1) -> np.ndarray:
    """Heights of a surface at places, mm."""
    places = [np.asarray(one / pitch - 0.5, np.float32) for one in (x, y)]
    return cv2.remap(surface.astype(np.float32), *places, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def pixels(surface: np.ndarray, pitch: float = 0.1) -> tuple[np.ndarray, np.ndarray]:
    """Middles of a surface's pixels, mm."""
    x, y = np.meshgrid((np.arange(surface.shape[1]) + 0.5) * pitch, (np.arange(surface.shape[0]) + 0.5) * pitch)
    return x, y


def hole_area(surface: np.ndarray, inside: np.ndarray, pitch: float = 0.1) -> float:
    """mm² that went through the board within the outline of what an area covers."""
    rows, columns = np.nonzero(inside)
    box = np.zeros(surface.shape, bool)
    box[rows.min() + 20 : rows.max() - 20, columns.min() + 20 : columns.max() - 20] = True
    return float((box & (surface < -17.9)).sum()) * pitch**2


class RouterTest(TestCase):
    def test_copies_that_lie_mirrored_are_milled_the_same_way_round(self):
        """As the cutter turns the same way: what is conventional on one is on the other."""
        lines = (replace(RAISED, process=Clearing(2.5, "k4", meets="climb")), EDGE)
        rounds = []
        for facing in ("as its stock says", "mirrored"):
            ticket = board(*lines)
            ticket = replace(ticket, sheets=(replace(ticket.sheets[0], facing=facing),))
            work = worked(ticket)
            run = work.sheets["s1"].router_run.value
            area = next(one.area for one in work.layers["l1"].laid.value.lines if one.id == "k4")
            noted = [note.place for note in work.sheets["s1"].carved["l1"].value.notes]
            self.assertTrue(noted and covers(area, *np.array(noted).T).all())  # on the piece, either way
            areas: dict[int, list[float]] = {}
            for number, when in enumerate(run.when):
                x, y = run.moves.xyz[run.moves.course == number][:, :2].T
                areas.setdefault(when, []).append(float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1))) / 2)
            rounds.append({when: [sum(one), np.abs(one).sum()] for when, one in areas.items()})
        self.assertEqual(rounds[0].keys(), rounds[1].keys())
        for when, (turned, area) in rounds[0].items():
            self.assertAlmostEqual(rounds[1][when][0], turned, delta=0.03 * area)

    def test_carved_words_come_out_of_the_router_as_they_were_meant(self):
        made, run, work = cut(board(WORDS, EDGE))
        self.assertEqual(run.complaints, [])
        inside, away = on_board(work, "k2", made)
        want = np.minimum(away * V60.rise, 6.0)
        off = (-made - want)[inside]
        # on the middle itself the tip is flat, so that it misses what a point would reach
        self.assertLess(np.percentile(np.abs(off), 99.0), 0.03)
        self.assertLess(off.max(), 0.02)
        self.assertGreater(off.min(), -0.06 * V60.rise - 0.03)
        # beyond the outline nothing is cut: a pixel's middle lies half a pixel within
        rim = within(made, area_on_sheet(work, "l1", "k2", "s1").buffer(0.02))
        edge = within(made, area_on_sheet(work, "l1", "k4", "s1"))
        self.assertGreater(made[edge & ~rim].min(), -0.02)
        told = work.sheets["s1"].router_run.value
        by_router = router.seconds(run) + 20 * run.changes - 3 * run.changes
        self.assertAlmostEqual(told.minutes * 60, by_router, delta=0.03 * by_router)

    def test_a_tapered_ball_carves_words_with_a_soft_bottom(self):
        soft = Cutter("ball", "tapered ball 1 mm", BALL, 12.7, 60.0, 1.0, feed=35, plunge=10, deepest_pass=6.0)
        machine = MACHINES["board-router"]
        rack = tuple(soft if one.kind == "pointed" else one for one in machine.head.cutters)
        cutters = RACK | {3: router.Cutter(BALL, 12.7, 60.0, 1.0, feed=35, plunge=10)}
        made, run, work = cut(board(WORDS, EDGE, machine=with_head(machine, cutters=rack)), cutters=cutters)
        self.assertEqual(run.complaints, [])
        inside, away = on_board(work, "k2", made)
        # by brute force: over each place the deepest that the cutter comes when it stands anywhere as deep as it may
        cutter = Pointed(60.0, 1.0, ball=True)
        rows, columns = np.nonzero(inside)
        top, left = rows.min() - 5, columns.min() - 5
        part = np.s_[top : top + 320, left : left + 320]
        may = np.where(inside[part], np.minimum(cutter.depth(away[part]), 6.0), -99.0)
        ideal, reach = np.zeros(may.shape), 40
        padded = np.pad(may, reach, constant_values=-99.0)
        for dy in range(-reach, reach + 1):
            for dx in range(-reach, reach + 1):
                there = padded[reach + dy : reach + dy + 320, reach + dx : reach + dx + 320]
                np.maximum(ideal, there - cutter.depth(np.array(math.hypot(dx, dy) / 10)), out=ideal)
        inner = np.s_[reach:-reach, reach:-reach]
        off = (-made[part] - ideal)[inner][inside[part][inner]]
        self.assertLess((-made - away * cutter.rise)[inside].max(), 0.02)  # nowhere beyond the outline
        # the brute force knows edges and middles to half a pixel
        self.assertLess(np.percentile(np.abs(off), 99.0), 0.05 * cutter.rise)
        self.assertLess(off.max(), 0.05 * cutter.rise + 0.02)

    def test_a_flat_bottom_keeps_no_pillar_between_cutters(self):
        """Where rings of two flat cutters and those of the pointed one meet; ridges stand in corners of rings alone."""
        words = Element("e2", Lettering("Ra", "serif", "", 40.0), "apart", across="centred", down="centred")
        plate = Element("e1", content=Figure("rounded rectangle", 160.0, 90.0, 8.0))
        made, _, work = cut(board(replace(WORDS, process=Carving(1.2)), EDGE, elements=(plate, words)))
        bottom = area_on_sheet(work, "l1", "k2", "s1").buffer(-V60.half_width(1.2) - 0.1)
        heights = made[covers(bottom, *pixels(made))]
        self.assertLess(heights.max(), -1.2 + 0.15)
        self.assertLess((heights > -1.2 + 0.03).mean(), 0.005)

    def test_a_plug_fits_into_its_groove_when_it_is_turned_over(self):
        """Both boards cut by the router, the plug laid into the groove, mirrored: nothing meets, the walls are as far
        apart as the glue needs, and beside the letters the plug stays clear of the board."""
        ticket = board(replace(WORDS, process=Carving(4.0)), EDGE)
        ticket = apply(ticket, MakePlug("l1", "k2").changes(ticket))
        plug = ticket.pieces[1].layers[0]
        self.assertTrue(ticket.sheets[1].is_mirrored)
        groove, stands = (cut(ticket, sheet=number)[:2] for number in (0, 1))
        self.assertEqual((groove[1].complaints, stands[1].complaints), ([], []))
        work = worked(ticket)
        boxes = [area_on_sheet(work, layer, line, sheet).bounds
                 for layer, line, sheet in (("l1", "k2", "s1"), (plug.id, "k1", "s2"))]  # fmt: skip
        (left, top, right, bottom), (left2, top2, right2, bottom2) = boxes
        reach = 8.0  # mm of board round the letters that are looked at
        x, y = np.meshgrid(np.arange(left - reach, right + reach, 0.1), np.arange(top - reach, bottom + reach, 0.1))
        pocket = at(groove[0], x, y)
        mirrored = (left2 + right2 + left + right) / 2 - x, (top2 + bottom2 - top - bottom) / 2 + y
        standing = at(stands[0], *mirrored)
        gap = -3.5 - standing - pocket  # it goes in by 3.5 of the 4 mm
        self.assertGreater(gap.min(), -0.03)
        area = area_on_sheet(work, "l1", "k2", "s1")
        inside = covers(area.buffer(-0.3), x, y) & ~covers(area.buffer(-1.5), x, y)
        self.assertAlmostEqual(float(np.median(gap[inside])), 0.05 * V60.rise, delta=0.03)
        self.assertAlmostEqual(float(np.median(gap[covers(area.buffer(-2.6), x, y)])), 0.5, delta=0.03)
        beside = ~covers(area.buffer(1.0), x, y)
        self.assertGreater(np.percentile(gap[beside], 0.2), 1.45)  # but for a speck between two rings

    def test_raised_letters_stand_in_a_recess_of_one_depth(self):
        made, run, work = cut(board(RAISED, EDGE))
        self.assertEqual(run.complaints, [])
        inside = within(made, area_on_sheet(work, "l1", "k1", "s1"))
        self.assertGreater(made[inside].min(), -0.02)
        recess = within(made, area_on_sheet(work, "l1", "k4", "s1").buffer(-4)) & ~inside
        self.assertGreater(float((np.abs(made[recess] + 2.5) < 0.01).mean()), 0.985)
        self.assertGreater(float(made[recess].min()), -2.52)

    def test_the_board_comes_off_when_its_tabs_are_broken_and_not_before(self):
        made, _, _ = cut(board(WORDS, EDGE), 0.25)
        self.assertEqual(router.loose(made, 18.0, 0.25), [])
        free = replace(EDGE, process=ThroughCut())
        made, _, work = cut(board(WORDS, free), 0.25)
        (part,) = router.loose(made, 18.0, 0.25)
        self.assertAlmostEqual(part["area_mm2"], 160 * 70 - (4 - math.pi) * 64, delta=30)
        notes = [note.text for one in stations(board(free), worked(board(free))) for note in one.notes]
        self.assertIn("No tab", " ".join(notes))
        self.assertEqual(work.problems, [])

    def test_a_hole_as_wide_as_a_drill_is_drilled(self):
        hole = Element(
            "e3", content=Figure("circle", 5.0), way="cut out", across="left edges", down="top edges", x=8, y=8
        )
        plate = Element("e1", content=Figure("rounded rectangle", 160.0, 70.0, 8.0))
        ticket = board(Line("k4", Source(kind="the shapes"), AS_THEY_ARE, ThroughCut(ties=4)), elements=(plate, hole))
        _, run, work = cut(ticket)
        self.assertEqual([one.when for one in work.sheets["s1"].carved["l1"].value.cuttings], [DRILLS, FREES])
        self.assertEqual(run.complaints, [])

    def test_no_hole_and_no_gap_is_passed_over_because_the_cutter_is_too_wide(self):
        def holed(figure: Figure, *more: Element) -> tuple[Element, ...]:
            plate = Element("e1", content=Figure("rounded rectangle", 160.0, 70.0, 8.0))
            hole = Element("e3", content=figure, way="cut out", across="centred", down="centred")
            return (plate, hole, *more)

        disc = Element("e4", content=Figure("circle", 20.0), way="joined", across="centred", down="centred")
        line = Line("k4", Source(kind="the shapes"), AS_THEY_ARE, ThroughCut(ties=4, tab_height=0.0))
        surface, run, work = cut(board(line, elements=holed(Figure("circle", 4.0))))
        inside = within(surface, area_on_sheet(work, "l1", "k4", "s1"))
        self.assertEqual(
            [one.cutter for one in work.sheets["s1"].carved["l1"].value.cuttings], [1, 0]
        )  # opened by the narrow
        self.assertAlmostEqual(hole_area(surface, inside), math.pi * 4, delta=0.9)  # a pixel round about
        self.assertIn("2.0 mm wide", self.said(board(line, elements=holed(Figure("circle", 2.0)))))
        # a disc within a window: what lies innermost is cut first
        surface, run, work = cut(board(line, elements=holed(Figure("rectangle", 60.0, 40.0), disc)))
        self.assertEqual([one.when for one in work.sheets["s1"].carved["l1"].value.cuttings], [OPENS, OPENS, FREES])
        inside = within(surface, area_on_sheet(work, "l1", "k4", "s1").buffer(-0.15))
        self.assertGreater(float(surface[inside].min()), -0.02)
        self.assertEqual(run.complaints, [])
        near = holed(Figure("rectangle", 24.0, 24.0), disc)  # the disc 2 mm from the window's edge
        self.assertIn("2.0 mm apart", self.said(board(line, elements=near)))

    def test_a_last_pass_takes_off_what_the_others_left_beside_the_edge(self):
        edge = replace(EDGE, process=replace(EDGE.process, last_pass=0.5))
        work = worked(board(edge))
        (cutting,) = [one for one in work.sheets["s1"].carved["l1"].value.cuttings if one.when == FREES]
        boundary = work.layers["l1"].laid.value.lines[0].area.boundary
        *rough, last = [from_lines(one[:, :2], boundary) for one in cutting.courses]
        self.assertGreater(min(float(one.min()) for one in rough), 3.49)
        lead = 6 * 0.5  # it comes from where the others ran, and goes back to there
        self.assertAlmostEqual(float(last[0]), 3.5, delta=0.02)
        self.assertAlmostEqual(float(last[-1]), 3.5, delta=0.02)
        np.testing.assert_allclose(last[5:-5], 3.0, atol=0.02)
        start = cutting.courses[-1][:6, :2]
        self.assertLess(float(np.hypot(*(start[5] - start[0]))), lead + 0.6)
        turns = np.diff(np.arctan2(*np.diff(cutting.courses[-1][:8, :2], axis=0).T[::-1]))
        self.assertLess(np.abs(np.degrees(turns)).max(), 20)  # smoothly onto the edge
        self.assertAlmostEqual(float(cutting.courses[-1][:, 2].min()), -18.3, places=3)
        made, run, _ = cut(board(edge))
        self.assertEqual(run.complaints, [])
        beside = apply(board(edge), [Change("pieces/p1/quantity", 2), Change("sheets/s1/spacing", 3.0)])
        one, other = worked(beside).sheets["s1"].laid.value.placements[:2]
        self.assertAlmostEqual(other.at.e - one.at.e - 160.0, 6.5, places=3)  # a cutter's width and what is left
        inside = covers(area_on_sheet(work, "l1", "k4", "s1").buffer(-0.1), *pixels(made))
        self.assertTrue((made[inside] == 0).all())

    def test_a_last_pass_along_the_grain_runs_downhill_on_every_copy_however_it_lies(self):
        """Of an oval with a hole: two copies, one of them turned, on a board whose fibres run either way."""
        way = dict(last_pass=0.5, last_way=ALONG_GRAIN, ties=0)
        edge = replace(EDGE, source=Source(kind="the shapes"), process=replace(EDGE.process, **way))
        hole = Element("e3", content=Figure("circle", 24.0), way="cut out", across="centred", down="centred")
        oval = (Element("e1", content=Figure("ellipse", 110.0, 60.0)), hole)
        placed = (Placed("n1", "l1", 60.0, 60.0, 0.0), Placed("n2", "l1", 420.0, 140.0, 62.0))
        plain = replace(edge, process=replace(edge.process, last_way="all round"))
        for grain in ("from left to right", "from front to back"):
            made = {}
            for name, line in (("along", edge), ("round", plain)):
                ticket = board(line, elements=oval)
                (sheet,) = ticket.sheets
                own = dict(arrangement="as placed", placed=placed, stock=replace(sheet.stock, grain=grain))
                made[name], run, work = cut(replace(ticket, sheets=(replace(sheet, **own),)), 0.2)
                self.assertEqual([one for one in run.complaints if "loose" not in one.words], [])
                if name == "along":
                    self.runs_downhill(work, 0.0 if grain == "from left to right" else math.pi / 2)
            other = ((made["along"] < 0) ^ (made["round"] < 0)).astype(np.uint8)
            self.assertEqual(int(cv2.erode(other, np.ones((2, 2), np.uint8)).sum()), 0)  # a pixel at an edge at most

    def test_leads_of_a_last_pass_along_the_grain_leave_tabs_whole(self):
        made = []
        for way in ("all round", ALONG_GRAIN):
            edge = replace(EDGE, process=replace(EDGE.process, last_pass=0.5, last_way=way))
            surface, run, work = cut(board(edge, elements=(Element("e1", content=Figure("ellipse", 160.0, 70.0)),)))
            self.assertEqual(run.complaints, [])
            made.append(surface)
            tabs = shapely.MultiPoint([(p.x, p.y) for p in work.layers["l1"].laid.value.lines[0].places])
            at = work.sheets["s1"].laid.value.placements[0].at
            near = covers(shapely.transform(tabs, at.map).buffer(3.0), *pixels(surface))
            self.assertGreater(float(surface[near].min()), -15.31)  # 3 mm of wood below each of the four
        other = (np.abs(made[0] - made[1]) > 0.05).astype(np.uint8)
        self.assertEqual(int(cv2.erode(other, np.ones((3, 3), np.uint8)).sum()), 0)

    def runs_downhill(self, work: Work, grain: float) -> None:
        """Every move along an edge, at full depth, but for what overlaps between two stretches."""
        moves, laid = work.sheets["s1"].router_run.value.moves, work.sheets["s1"].laid.value
        area = work.layers["l1"].laid.value.lines[0].area
        edges = shapely.union_all([shapely.transform(area.boundary, at.map) for _, at in laid.placements])
        starts, ends = moves.xyz[:-1], moves.xyz[1:]
        low = (starts[:, 2] < -18.2) & (ends[:, 2] < -18.2)
        middles = (starts[:, :2] + ends[:, :2])[low] / 2
        way = (ends - starts)[low, :2]
        long = np.hypot(*way.T)
        there = (np.abs(shapely.distance(shapely.points(middles), edges) - 3.0) < 0.02) & (long > 1e-6)
        near = shapely.get_coordinates(shapely.shortest_line(edges, shapely.points(middles[there]))).reshape(-1, 2, 2)
        outward = (near[:, 1] - near[:, 0]) / np.hypot(*(near[:, 1] - near[:, 0]).T)[:, None]
        fibre = np.array([math.cos(grain), math.sin(grain)])
        slope = 2 * (way[there] / long[there, None] @ fibre) * (outward @ fibre)
        uphill = slope < -math.sin(math.radians(14))
        self.assertGreater(float(long[there].sum()), 0.95 * (edges.length + 6 * math.pi * 2))
        self.assertLess(float(long[there][uphill].sum()), 0.01 * float(long[there].sum()))

    def test_a_groove_that_begins_below_is_cut_down_to_there_in_passes(self):
        """On an untouched board; one in a recess begins at its bottom."""
        low = replace(WORDS, process=Carving(9.0, 6.0))
        pointed = next(one for one in MACHINES["board-router"].head.cutters if one.kind == "pointed")
        around = Line("k1", OneElement("e1"), AS_THEY_ARE, Clearing(6.0))
        deep, sunk = (
            [float(-min(course[:, 2].min() for course in one.courses)) for one in self.grooves(*lines)]
            for lines in ((low, EDGE), (around, low, EDGE))
        )
        self.assertLessEqual(max(np.diff([0.0, *deep])), pointed.deepest_pass + 1e-6)
        self.assertGreater(min(sunk), 6.0)
        self.assertEqual(deep[-1], sunk[-1])

    def grooves(self, *lines: Line) -> list[Any]:
        cuttings = worked(board(*lines)).sheets["s1"].carved["l1"].value.cuttings
        return [one for one in cuttings if one.when == GROOVES and one.line == "k2"]

    def test_a_stock_gives_its_share_of_the_feeds(self):
        ticket = board(WORDS, EDGE)
        slow = apply(ticket, [Change("sheets/s1/stock/feeds", 0.5)])
        whole, half = (worked(one).sheets["s1"].router_run.value.moves.feed for one in (ticket, slow))
        np.testing.assert_allclose(half[half > 0], whole[whole > 0] / 2, atol=0.51)  # whole mm a second
        self.assertTrue(any("50 %" in one.text and "cutters" in one.text for one in sentences(slow)))

    def test_a_part_without_a_tab_of_its_own_is_told(self):
        disc = Element("e2", content=Figure("circle", 30.0), way="apart", across="centred", down="centred")
        ring = (Element("e1", content=Figure("ring", 160.0, wall=40.0)), disc)
        for process, told in (
            (ThroughCut(ties=2, tie_width=8.0), False),
            (ThroughCut(tie_width=8.0, tie_marks=(Anchor("t1", 1.0, 0.5), Anchor("t2", 0.0, 0.5))), True),
        ):
            ticket = board(Line("k4", Source(kind="the shapes"), AS_THEY_ARE, process), elements=ring)
            notes = [note.text for one in stations(ticket, worked(ticket)) for note in one.notes]
            with self.subTest(process):
                self.assertEqual(any("no tab of its own" in one for one in notes), told)

    def test_an_open_line_is_cut_as_a_slot_and_not_left_out(self):
        fold = Line("k4", FoldLines((Span("f1", 0.1, 0.5, 0.9, 0.5),)), process=ThroughCut())
        surface, run, _ = cut(board(fold))
        through = surface < -17.9
        self.assertEqual(run.complaints, [])
        self.assertAlmostEqual(through.sum() * 0.01, 128 * 6 + math.pi * 9, delta=0.1 * 2 * 134)
        for process in (Carving(), Clearing()):
            self.assertIn("This line is open", self.said(board(replace(fold, process=process))))

    def said(self, ticket: Ticket) -> str:
        return " ".join(one.error.sentence for one in worked(ticket).problems)

    def test_a_clamp_in_the_way_is_told_before_and_by_the_router(self):
        clamped = replace(MACHINES["board-router"], clamps=(Zone("z1", 0.0, 540.0, 30.0, 60.0),))
        (problem,) = worked(board(EDGE, machine=clamped)).problems
        self.assertIn("clamp", problem.error.message)
        held = board(EDGE)
        held = replace(held, sheets=(replace(held.sheets[0], clamps=clamped.clamps),))  # on this job alone
        self.assertEqual(worked(held).problems[0].error.message, problem.error.message)
        _, run, _ = cut(board(EDGE), 0.5, clamps=((0.0, 0.0, 30.0, 60.0, 10.0),))
        self.assertEqual([one.words for one in run.complaints], ["hits a clamp"])

    def test_a_board_turned_over_on_its_pins_is_cut_where_its_first_side_is(self):
        """Words on the first side, the edge cut from the second; pins drilled, or milled where no drill is as wide."""
        for turned, wide, flip in (("left to right", 5.0, np.fliplr), ("head to foot", 8.0, np.flipud)):
            with self.subTest(turned):
                ticket = board(WORDS)
                ticket = apply(ticket, GiveSecondSide("s1").changes(ticket))
                second = replace(ticket.sheets[1], turned=turned, pins="two pins", pin_diameter=wide)
                (piece,) = ticket.pieces
                layers = (piece.layers[0], replace(piece.layers[1], lines=(EDGE,)))
                first = replace(ticket.sheets[0], arrangement="as placed", placed=(Placed("n1", "l1", 60.0, 190.0),))
                ticket = replace(ticket, pieces=(replace(piece, layers=layers),), sheets=(first, second))
                front, ran, work = cut(ticket, 0.2, spoil=10.0)
                back, run, _ = cut(ticket, 0.2, sheet=1, spoil=10.0)
                self.assertEqual([*ran.complaints, *run.complaints], [])
                pins = front < -25.9
                self.assertAlmostEqual(float(pins.sum()) * 0.04, 2 * math.pi * wide**2 / 4, delta=1.5)
                off = (pins ^ flip(pins)).astype(np.uint8)  # turned as it says they are where they were
                self.assertEqual(int(cv2.erode(off, np.ones((2, 2), np.uint8)).sum()), 0)
                other = np.flipud if flip is np.fliplr else np.fliplr
                self.assertEqual(int((pins & other(pins)).sum()), 0)  # and turned otherwise they are not
                kerf = flip(back) < -17.9
                area = area_on_sheet(work, "l1", "k2", "s1")
                plate = shapely.transform(
                    shapely.box(0, 0, 160, 70).buffer(-8).buffer(8), work.sheets["s1"].laid.value.placements[0].at.map
                )
                x, y = (np.arange(n) * 0.2 + 0.1 for n in front.shape[::-1])
                x, y = np.meshgrid(x, y)
                self.assertFalse((kerf & covers(plate.buffer(-0.3), x, y)).any())
                self.assertFalse((kerf & ~covers(plate.buffer(6.3), x, y)).any())
                self.assertGreater(float(kerf.sum()) * 0.04, 0.8 * 6.0 * plate.length)
                self.assertTrue(plate.contains(area))
                head = next(one.content for one in make_files(ticket, work, formats=["gcode"]).files)[:900].decode()
                self.assertIn(f"two pins {wide:g} mm wide at X", head)

    def test_what_meets_between_two_sides_is_told(self):
        front = Line("k1", OneElement("e1"), AS_THEY_ARE, Clearing(7.0))
        ticket = board(front, elements=(Element("e1", content=Figure("rounded rectangle", 60.0, 40.0, 8.0)),))
        ticket = apply(ticket, GiveSecondSide("s1").changes(ticket))
        said = {}
        for deep in (8.0, 10.0, 12.0):
            layers = (ticket.pieces[0].layers[0], replace(
                ticket.pieces[0].layers[1], lines=(replace(front, process=Clearing(deep)),)
            ))  # fmt: skip
            own = replace(ticket, pieces=(replace(ticket.pieces[0], layers=layers),))
            said[deep] = " ".join(note.text for note in self.notes(own))
            left = worked(own).sheets["s2"].between.value
            self.assertAlmostEqual(left.least, 18.0 - 7.0 - deep, places=3)
            self.assertAlmostEqual(left.area, 0.0 if deep < 9 else 60 * 40 - (4 - math.pi) * 64, delta=12)
        self.assertNotIn("both sides", said[8.0])
        self.assertIn("Between both sides 1 mm of wood", said[10.0])
        self.assertIn("Both sides meet", said[12.0])

    def test_a_board_without_room_or_cutter_for_pins_is_told(self):
        ticket = board(WORDS, EDGE)
        ticket = apply(ticket, GiveSecondSide("s1").changes(ticket))
        first, second = ticket.sheets
        noted = replace(ticket, sheets=(first, second))
        said = " ".join(note.text for note in self.notes(noted))
        self.assertIn("Nothing holds the board", said)
        self.assertIn("not in the board any more", said)
        odd = replace(ticket, sheets=(first, replace(second, pins="two pins", pin_diameter=3.0)))
        self.assertIn("pins 3 mm wide", self.said(odd))
        in_the_way = replace(first, arrangement="as placed", placed=tuple(
            Placed(f"n{k}", "l1", 265.0, 6.5 + 70.0 * k + 14 * k) for k in range(3)
        ))  # fmt: skip
        full = replace(ticket, sheets=(in_the_way, replace(second, pins="two pins")))
        self.assertIn("no room for two pins", self.said(full))

    def notes(self, ticket: Ticket) -> list:
        work = worked(ticket)
        return [note for one in stations(ticket, work) for note in one.notes]

    def test_a_router_whose_cutters_are_changed_by_hand_gets_a_file_for_each(self):
        machine = MACHINES["board-router"]
        lines = (WORDS, EDGE, replace(RAISED, id="k5", process=Clearing(1.0), source=OneElement("e2")))
        before, _, _ = cut(board(*lines), 0.2)
        ticket = board(*lines, machine=with_head(machine, changes="by hand"))
        files = [one for one in make_files(ticket, worked(ticket)).files if one.name.endswith(".gcode")]
        surface, fitted = None, []
        for number, file in enumerate(files, 1):
            names = [one.name for one in machine.head.cutters]
            name = next(one for one in names if file.name.endswith(f"-{number}-{slug(one)}.gcode"))
            fitted.append(names.index(name) + 1)
            self.assertNotIn(b"M6", file.content)
            ran = router.fed(file.content, router.Stage(690, 290, 18.0), RACK, fitted[-1])
            surface = router.cut(ran, 0.2, surface)
            self.assertEqual(ran.complaints, [])
        self.assertGreater(len(files), 2)
        self.assertTrue(all(one != other for one, other in pairwise(fitted)))
        self.assertLess(float(np.abs(surface - before).max()), 1e-9)
        bare = router.fed(files[0].content, router.Stage(690, 290, 18.0), RACK)
        router.cut(bare)
        self.assertIn("no cutter was put in", bare.complaints[0].words)

    def test_a_trial_goes_round_the_work_above_the_board_and_turns_nothing(self):
        ticket = board(WORDS, EDGE)
        work = worked(ticket)
        reached = work.sheets["s1"].router_run.value
        cuts = reached.to_machine.map(reached.moves.xyz[reached.moves.xyz[:, 2] < 0, :2])
        for shape in ("a box", "the hull"):
            content = write_route_frame(ticket, ticket.sheets[0], work, shape)
            self.assertNotRegex(content.decode(), r"(?m)^[^(;]*(M3|M4|M6|S|T)")
            run = router.fed(content, router.Stage(690, 290, 18.0), RACK)
            surface = router.cut(run)
            went = np.array(run.moves)
            self.assertEqual((run.complaints, float(surface.min())), ([], 0.0))
            self.assertGreater(float(went[:, [2, 5]].min()), 1.0)
            for wrong, words in ((b"M3 S9000\n", "starts a tool"), (b"G1 Z-1 F600\n", "down to the board")):
                spoilt = router.fed(content.replace(b"M2", wrong + b"M2"), router.Stage(690, 290, 18.0), RACK)
                self.assertIn(words, " ".join(one.words for one in spoilt.complaints))
            for side in (np.min, np.max):
                self.assertTrue(np.allclose(side(went[1:, 3:5], axis=0), side(cuts, axis=0), atol=0.01))

    def test_depths_may_be_counted_from_the_bed(self):
        bed = with_head(MACHINES["board-router"], zero="the bed")
        made, run, _ = cut(board(WORDS, EDGE, machine=bed), 0.25, top=18.0)
        other, _, _ = cut(board(WORDS, EDGE), 0.25)
        self.assertEqual(run.complaints, [])
        self.assertLess(np.abs(made - other).max(), 0.003)

    def test_the_stand_in_says_what_an_owner_would(self):
        stage = router.Stage(100.0, 100.0, 18.0)
        head = "G21\nG90\nG17\nT1 M6\nS18000 M3\nG0 X20 Y20 Z5\n"
        for body, said in (
            ("G0 Z-3\nG0 X60\n", "travels through"), ("G1 Z-25 F600\n", "below the board"),
            ("G1 Z-3 F6000\n", "40 at most"), ("M5\nG1 Z-1 F600\n", "cutter stands"), ("T9 M6\n", "no cutter 9"),
            ("G1 X5 Y5 Z\n", "not understood"), ("G2 X60 Y20 I3 J0 F600\n", "circle"),
        ):  # fmt: skip
            run = router.fed((head + body + "G0 Z5\nM5\nM2\n").encode(), stage, RACK)
            router.cut(run, 0.5)
            with self.subTest(body):
                self.assertIn(said, " ".join(one.words for one in run.complaints))
        run = router.fed(head.encode(), stage, RACK)
        self.assertIn("before the run does", run.complaints[-1].words)


class BadInputTest(TestCase):
    def said(self, *lines: Line, **more: Any) -> str:
        return " ".join(one.error.sentence for one in worked(board(*lines, **more)).problems)

    def test_what_cannot_be_carved_is_told_with_what_would_fit(self):
        thick = replace(WORDS, process=Carving(20.0))
        self.assertIn("as deep as the board is thick", self.said(thick))
        self.assertIn("begins 5 mm down", self.said(replace(WORDS, process=Carving(4.0, 5.0))))
        self.assertIn("not in the rack any more", self.said(replace(WORDS, process=Carving(4.0, cutter="gone"))))
        self.assertIn("this is made with one", self.said(replace(WORDS, process=Carving(4.0, cutter="flat6"))))
        self.assertIn("not there any more", self.said(replace(RAISED, process=Clearing(2.0, "k9"))))
        fine = (Element("e2", content=Figure("line", 40.0, 0.4)),)
        thin = Line("k2", OneElement("e2"), AS_THEY_ARE, Clearing(1.0))
        self.assertIn("wider than all of this area", self.said(thin, elements=fine))
        machine = MACHINES["board-router"]
        blunt = tuple(replace(one, tip=30.0) if one.kind == "pointed" else one for one in machine.head.cutters)
        self.assertIn("narrower than the tip", self.said(WORDS, machine=with_head(machine, cutters=blunt)))
        for angle in (0.0, 180.0, -20.0):
            odd = tuple(replace(one, angle=angle) if one.kind == "pointed" else one for one in machine.head.cutters)
            self.assertIn("carves no groove", self.said(WORDS, machine=with_head(machine, cutters=odd)))
        slim = tuple(replace(one, diameter=3.0) if one.kind == "pointed" else one for one in machine.head.cutters)
        self.assertIn("carves 2.5 mm deep at most", self.said(WORDS, machine=with_head(machine, cutters=slim)))
        self.assertEqual(self.said(replace(WORDS, process=Carving(2.45)), machine=with_head(machine, cutters=slim)), "")
        self.assertIn("has no cutters", self.said(EDGE, machine=with_head(machine, cutters=())))
        only = (Cutter("v", "point", "pointed"),)
        self.assertIn("no cutter that is flat", self.said(EDGE, machine=with_head(machine, cutters=only)))

    def test_what_a_router_does_not_make_is_refused_though_its_record_names_it(self):
        machine = MACHINES["board-router"]
        spots = (
            *machine.spots,
            *(replace(machine.spots[0], process=one, ink=one) for one in ("perforate", "weed cut")),
        )
        machine = replace(machine, spots=spots)
        self.assertIn("does not make such lines", self.said(replace(EDGE, process=Perforation()), machine=machine))
        ticket = board(EDGE, machine=machine)
        self.assertEqual(worked(ticket).problems, [])
        bordered = replace(ticket.sheets[0], border="a weed border round all")
        problems = worked(replace(ticket, sheets=(bordered,))).problems
        self.assertIn("no film to weed", problems[0].error.sentence)

    def test_a_knife_carves_nothing(self):
        work = worked(board(WORDS, machine=MACHINES["wide-camera-cutter"]))
        self.assertIn("cannot carve", " ".join(one.error.message for one in work.problems))

    def test_a_line_made_a_groove_follows_the_shapes(self):
        ticket = apply(board(Line("k1")), [Change("pieces/p1/layers/l1/lines/k1/process", "carve")])
        line = ticket.pieces[0].layers[0].lines[0]
        self.assertEqual((line.source.kind, line.offset.distance), ("the shapes", 0.0))

    def test_files_that_were_damaged_are_not_read(self):
        run = worked(board(WORDS)).sheets["s1"].router_run.value
        content = write_route(run.moves, Dialect(), safe=12.0)
        self.assertLess(len(read_route(content).ends), len(run.moves))
        moves = on_machine(run := worked(board(WORDS, EDGE)).sheets["s1"].router_run.value)
        whole = write_route(moves, Dialect(), safe=12.0)
        check_route(moves, whole, "file")
        arc = re.search(rb"G[23] X(.*?) Y(.*?) Z(.*?) I(.*?) J(.*?)\n", whole)
        other = [whole.replace(arc[0], arc[0].replace(b"G2" if b"G2" in arc[0] else b"G3",
                                                      b"G3" if b"G2" in arc[0] else b"G2"), 1),
                 whole.replace(arc[0], b"", 1), whole.replace(arc[0], re.sub(rb" I.*", b" I9.000 J9.000", arc[0]), 1),
                 whole.replace(arc[0], re.sub(rb"G.", b"G1", re.sub(rb" I.*", b"", arc[0])), 1)]  # fmt: skip
        for hurt in other:
            with self.assertRaises(FileDisagrees):
                check_route(moves, hurt, "file")
        half, odd, still = (
            content[: len(content) // 2],
            content.replace(b"G1 X", b"G1 Q", 1),
            content.replace(b" M3", b""),
        )
        for hurt in (half, odd, still):
            with self.assertRaises(UnreadableFile):
                read_route(hurt)
        for rack in (b"", b"[]", b'{"1": {"kind": "spoon", "diameter_mm": 3}}', b'{"1": {"kind": "flat"}}'):
            with self.assertRaises(UnreadableFile):
                router.cutters_of(rack)
