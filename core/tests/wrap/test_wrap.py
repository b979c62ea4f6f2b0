"""Walls, looks and charts, against closed formulas and mathematics of their own."""

import math
from unittest import TestCase

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from nibble_core.errors import CannotMake, InvalidTicket
from nibble_core.geometry import Affine, Bundle, Path
from nibble_core.graphics import Raster
from nibble_core.wrap import (
    Bend,
    ByHand,
    Grid,
    Label,
    OnSurface,
    Relaid,
    ToTheEye,
    Turning,
    Wall,
    bent,
    bent_pixels,
    cone,
    profile,
)

PEAR = ((0.0, 60.0), (20.0, 70.0), (45.0, 92.0), (70.0, 88.0), (90.0, 70.0), (110.0, 50.0))
WALLS = {"straight": cone(80, 80, 110), "to the foot": cone(84, 60, 110), "to the rim": cone(60, 84, 110),
         "pear": profile(PEAR)}  # fmt: skip


def grid(wide: float = 40.0, high: float = 36.0, n: int = 15) -> np.ndarray:
    x, y = np.meshgrid(np.linspace(-wide / 2, wide / 2, n), np.linspace(-high / 2, high / 2, n))
    return np.column_stack([x.ravel(), y.ravel()])


def in_space(wall: Wall, places: np.ndarray) -> np.ndarray:
    """Places on a wall as points in space, the axis upright, what faces the eye at +x."""
    angle, slant = places.T
    height = np.interp(slant, wall.slants, wall.heights)
    radius = np.interp(height, wall.heights, wall.radii)
    return np.column_stack([radius * np.cos(angle), radius * np.sin(angle), height])


class WallTest(TestCase):
    def test_a_profile_runs_as_the_monotone_cubic_of_another_library(self):
        z, d = np.array(PEAR).T
        wall = profile(PEAR)
        self.assertLess(np.abs(wall.radii - PchipInterpolator(z, d / 2)(wall.heights)).max(), 1e-9)

    def test_between_its_stations_a_profile_is_straight_within_a_hundredth(self):
        z, d = np.array(PEAR).T
        at = np.linspace(0, 110, 5000)
        true = PchipInterpolator(z, d / 2)(at)
        self.assertLess(np.abs(profile(PEAR).radius_at(at) - true).max(), 0.002)

    def test_walls_that_cannot_be_are_refused(self):
        for places in ([(0, 80)], [(0, 80), (10, 70), (5, 60)], [(0, 80), (10, 0)], [(5, 80), (10, 70)]):
            with self.subTest(places), self.assertRaises(InvalidTicket):
                profile(places)
        with self.assertRaises(InvalidTicket):
            cone(80, 0, 100)


class LookTest(TestCase):
    def test_seen_from_the_front_artwork_has_its_own_proportions(self):
        """Projected from space through the eye, by a plain pinhole, the grid is the grid again."""
        for name, wall in WALLS.items():
            for distance in (250.0, 600.0):
                with self.subTest(name, distance=distance):
                    points = in_space(wall, ToTheEye(wall, 55.0, distance).onto(grid()))
                    front = float(wall.radius_at(55.0))
                    depth = front + distance - points[:, 0]
                    seen = np.column_stack([points[:, 1], points[:, 2] - 55.0]) * (distance / depth)[:, None]
                    self.assertLess(np.abs(seen - grid()).max(), 0.001)

    def test_from_far_away_depth_does_not_count(self):
        for name, wall in WALLS.items():
            with self.subTest(name):
                points = in_space(wall, ToTheEye(wall, 55.0, math.inf).onto(grid()))
                self.assertLess(np.abs(points[:, 1:] - [0, 55.0] - grid()).max(), 1e-6)

    def test_what_lies_behind_the_horizon_is_told(self):
        wall = WALLS["straight"]
        wide = np.array([[-60.0, 0.0], [0.0, 0.0], [39.0, 0.0], [45.0, 0.0]])
        self.assertEqual(ToTheEye(wall, 55.0, math.inf).passed_by(wide).tolist(), [True, False, False, True])

    def test_on_the_surface_lengths_stay_round_the_thing_and_along_its_wall(self):
        for name, wall in WALLS.items():
            with self.subTest(name):
                look = OnSurface(wall, 55.0)
                for line, along in ((np.column_stack([np.linspace(-30, 30, 4001), np.full(4001, 12.0)]), 60.0),
                                    (np.column_stack([np.zeros(4001), np.linspace(-25, 25, 4001)]), 50.0)):  # fmt: skip
                    points = in_space(wall, look.onto(line))
                    self.assertAlmostEqual(np.linalg.norm(np.diff(points, axis=0), axis=1).sum(), along, delta=0.005)

    def test_by_hand_the_top_is_as_wide_as_it_is_said_and_so_is_the_bottom(self):
        wall = WALLS["to the foot"]
        look = ByHand(OnSurface(wall, 55.0), 1.2, 0.9, 40.0)
        plain = OnSurface(wall, 55.0)
        ends = np.array([[10.0, -20.0], [10.0, 20.0]])
        ratio = look.onto(ends)[:, 0] / plain.onto(ends)[:, 0]
        self.assertTrue(np.allclose(ratio, [1.2, 0.9]))
        self.assertTrue(np.allclose(look.off(look.onto(grid())), grid()))


class ChartTest(TestCase):
    @given(
        rim=st.floats(20, 200), foot=st.floats(20, 200), height=st.floats(20, 200), angle=st.floats(-3, 3),
        down=st.floats(0, 1),
    )  # fmt: skip
    @settings(max_examples=60, deadline=None)
    def test_a_label_keeps_all_lengths_of_the_wall_it_lies_on(self, rim, foot, height, angle, down):
        wall = cone(rim, foot, height)
        chart, at = Label(wall), np.array([angle, down * wall.slant])
        step = 1e-4
        for way in ((step / float(wall.radius_along(at[1])), 0.0), (0.0, step), (step / 40, step)):
            ends = np.array([at, at + way])
            flat, space = chart.lay(ends), in_space(wall, ends)
            if at[1] + way[1] <= wall.slant:
                self.assertAlmostEqual(np.linalg.norm(np.diff(flat, axis=0)) / np.linalg.norm(np.diff(space, axis=0)),
                                       1.0, delta=2e-3)  # fmt: skip
        self.assertTrue(np.allclose(chart.lift(chart.lay(at[None])), at[None], atol=1e-6))

    def test_the_ring_has_the_radii_and_the_angle_of_the_closed_formula(self):
        wall = cone(118, 100, 110)
        chart, slant = Label(wall), math.hypot(110, 9)
        apex = 59 * slant / 9  # by similar triangles
        angles = np.linspace(-math.pi, math.pi, 9)
        for down in (0.0, 40.0, slant):
            flat = chart.lay(np.column_stack([angles, np.full(9, down)]))
            radii = np.hypot(flat[:, 0], flat[:, 1] - apex)
            self.assertLess(np.abs(radii - (apex - down)).max(), 1e-6)
        seam = chart.lay(np.array([[-math.pi, 0.0], [math.pi, 0.0]]))
        turn = 2 * math.asin(float(np.ptp(seam[:, 0])) / 2 / apex)
        self.assertAlmostEqual(turn, 2 * math.pi * 9 / slant, places=9)

    def test_a_turn_of_the_thing_is_a_turn_of_its_label(self):
        for name in ("straight", "to the foot", "to the rim"):
            chart = Label(WALLS[name])
            places = np.array([[0.2, 10.0], [-0.4, 60.0]])
            further = chart.lay(places + np.array([0.7, 0.0]))
            self.assertTrue(np.allclose(chart.turned(0.7).map(chart.lay(places)), further))

    def test_no_label_lies_on_a_belly(self):
        with self.assertRaises(CannotMake):
            Label(WALLS["pear"])


class BendingTest(TestCase):
    def bend(self, name: str) -> Bend:
        wall = WALLS[name]
        return Bend(wall, ToTheEye(wall, 55.0, 600.0), Turning(wall, 42.0, wall.is_cone), (3.0, -2.0))

    def test_bent_paths_lie_where_their_places_do_with_few_nodes(self):
        star = [(math.cos(k * 0.8) * (18 if k % 2 else 9), math.sin(k * 0.8) * 15) for k in range(8)]
        paths = Bundle.of([Path.circle(0, 0, 14), Path.polygon(star), Path.polygon([(-15, 3), (15, 3)], closed=False)])
        for name in WALLS:
            with self.subTest(name):
                bend = self.bend(name)
                made = bent(paths, bend)
                points, _ = paths.flattened(1e-5)
                lines = shapely.union_all([shapely.LineString(one) for one in made.arrays_of_points(1e-5)])
                self.assertLess(shapely.distance(lines, shapely.points(bend(points))).max(), 0.01)
                self.assertLessEqual(made.segments, 3 * paths.as_cubics().segments)
                self.assertEqual(len(made), len(paths))
                self.assertTrue((made.closed == paths.closed).all())

    def test_rows_that_run_round_stay_straight(self):
        wall = WALLS["to the foot"]
        bend = Bend(wall, OnSurface(wall, 55.0), Turning(wall, 42.0))
        row = Bundle.of([Path.polygon([(-20, 7), (20, 7)], closed=False)])
        self.assertEqual(bent(row, bend).segments, 1)

    def test_strokes_of_a_label_are_as_far_apart_on_the_wall_as_they_are_flat(self):
        """Brought to the turned wall, neighbours lie an interval apart in space, everywhere."""
        wall = WALLS["to the foot"]
        flat, turning = Label(wall), Turning(wall, 42.0)
        rows = [Path.polygon([(x, 20.0), (x, 90.0)], closed=False) for x in (10.0, 10.1)]
        made = bent(Bundle.of(rows), Relaid(flat, turning))
        one, other = (in_space(wall, turning.lift(points)) for points in made.arrays_of_points(1e-5))
        apart = [_to_line(place, other) for place in one[1:-1]]
        self.assertAlmostEqual(max(apart), 0.1, delta=0.002)

    def test_a_picture_is_read_once_where_each_pixel_comes_from(self):
        wall = WALLS["straight"]
        bend = Bend(wall, OnSurface(wall, 55.0), Turning(wall, 40.0))
        pixels = np.zeros((40, 60, 4), np.uint8)
        pixels[..., 3] = 255
        pixels[10:20, 15:45, 0] = 200
        # on a straight wall at its own ring nothing is bent: the picture comes out as it was
        to_pixels = Affine.translation(15.0, 10.0).then(Affine.scale(2.0))
        made = bent_pixels(Raster(pixels), bend, Grid(-15.0, 45.0, 0.5, 60, 40), to_pixels)
        self.assertLessEqual(np.abs(made.pixels.astype(int) - pixels).max(), 1)


def _to_line(place: np.ndarray, line: np.ndarray) -> float:
    a, b = line[:-1], line[1:]
    way = b - a
    t = np.clip(((place - a) * way).sum(1) / (way**2).sum(1), 0, 1)
    return float(np.linalg.norm(a + t[:, None] * way - place, axis=1).min())
