"""Every check of lines: found where it is, silent where nothing is wrong, and mended by what it offers."""

import math
import unittest

import numpy as np
import shapely

from nibble_core.checks import lines as checks
from nibble_core.checks.lines import CutLine
from nibble_core.geometry import Bundle, Path, Region
from nibble_core.geometry.regions import union
from nibble_core.lines.contour import as_chords
from nibble_core.lines.dropout import drop_out


def line(shape, process="through cut", id="k1", distance=2.0, **more) -> CutLine:
    regions = tuple(as_chords(part) for part in getattr(shape, "geoms", [shape]))
    rings = Bundle.of([ring for region in regions for ring in region.rings])
    return CutLine(id, process, more.get("name", ""), regions, rings, union(regions), distance)


def square(x, y, half):
    return shapely.box(x - half, y - half, x + half, y + half)


class PartsAndGapsTest(unittest.TestCase):
    def test_parts_are_told_at_the_limit(self):
        for width, told in ((0.95, 1), (1.05, 0)):
            made = checks.small_parts(line(shapely.Point(3, 4).buffer(width / 2, quad_segs=64)), 1.0, "The cutter")
            with self.subTest(width):
                self.assertEqual(len(made), told)
        told = checks.small_parts(line(shapely.box(3, 4, 9, 4.4)), 1.0, "The cutter")[0]
        self.assertIn("0.40 mm wide where it is widest", told.text)
        self.assertTrue(3 < told.place.x < 9)

    def test_many_are_one_with_their_places(self):
        specks = shapely.MultiPolygon([square(4 * k, 0, 0.2) for k in range(40)])
        made = checks.small_parts(line(specks), 1.0, "The cutter")
        (told,) = made
        self.assertIn("40 parts of the through cut are 0.40 mm wide", told.text)
        self.assertEqual(len(told.more_places), 39)

    def test_narrow_waste_is_told_and_closing_it_mends_it(self):
        pair = shapely.MultiPolygon([square(0, 0, 5), square(10.3, 0, 5)])
        made = checks.narrow_gaps(line(pair), 0.5)
        self.assertEqual(len(made), 1)
        self.assertIn("0.30 mm", made[0].text)
        self.assertAlmostEqual(made[0].place.x, 5.15, delta=0.2)
        self.assertEqual(made[0].mend[1:], ("offset/inside_radius", 0.26))
        self.assertEqual(checks.narrow_gaps(line(shapely.MultiPolygon([square(0, 0, 5), square(10.7, 0, 5)])), 0.5), [])

    def test_weak_parts_are_told_with_their_width(self):
        bar = shapely.union_all([square(0, 0, 8), square(30, 0, 8), shapely.box(0, -0.3, 30, 0.3)])
        weak, made = checks.weak_parts(bar, line(bar), 0.8, "film")
        self.assertAlmostEqual(weak[0].width, 0.6, delta=0.005)
        self.assertEqual(made[0].mend[1:], ("offset/distance", 2.4))
        self.assertEqual(checks.weak_parts(square(0, 0, 8), line(square(0, 0, 8)), 0.8, "film"), ((), []))

    def test_holes_near_an_edge_or_each_other(self):
        plate = square(0, 0, 20).difference(shapely.Point(17, 0).buffer(2)).difference(shapely.Point(0, 0).buffer(2))
        made = checks.near_edge(line(plate), 1.6)
        self.assertEqual(len(made), 1)
        self.assertIn("1.00 mm", made[0].text)
        self.assertEqual(checks.near_edge(line(plate), 0.9), [])


class LinesAgainstEachOtherTest(unittest.TestCase):
    def test_two_processes_on_one_line(self):
        one = line(square(0, 0, 10), "kiss cut")
        for other, told in (
            (line(square(0, 0, 10), id="k2"), 1), (line(square(0, 0, 10.01), id="k2"), 1),
            (line(square(0, 0, 12), id="k2"), 0), (line(square(20, 0, 10), id="k2"), 1),
            (line(square(0, 0, 10), "guide", "k2"), 0),
        ):  # fmt: skip
            with self.subTest(other.area.bounds, process=other.process):
                self.assertEqual(len(checks.shared_lines([one, other])), told)

    def test_crossing_cuts_are_told_and_nested_ones_are_not(self):
        one = line(square(0, 0, 10), "kiss cut")
        self.assertEqual(len(checks.crossing_lines([one, line(square(8, 3, 9), id="k2")])), 1)
        self.assertEqual(checks.crossing_lines([one, line(square(0, 0, 14), id="k2")]), [])
        self.assertEqual(checks.crossing_lines([one, line(square(40, 0, 9), id="k2")]), [])

    @staticmethod
    def told(cut, parts, art):
        over = art.difference(parts.buffer(checks.BEYOND))
        return checks.printed_beyond(cut, parts, over, checks.BEYOND)

    def test_artwork_beyond_the_cut(self):
        art = square(0, 0, 10)
        parts = shapely.box(-11, -11, 8, 11)
        made = self.told(line(parts, distance=1.0), parts, art)
        self.assertIn("2.00 mm", made[0].text)
        self.assertEqual(made[0].mend[1:], ("offset/distance", 3.0))
        self.assertEqual(self.told(line(square(0, 0, 12)), square(0, 0, 12), art), [])
        choked = self.told(line(square(0, 0, 9.7), distance=-0.3), square(0, 0, 9.7), art)
        self.assertEqual([one.weight for one in choked], ["told"])
        far = self.told(line(parts), parts, art.union(square(40, 0, 2)))
        self.assertIsNone(far[0].mend)  # a cut 34 mm further out would ruin the piece

    def test_a_cut_within_the_bleed(self):
        self.assertEqual(len(checks.inside_bleed(line(square(0, 0, 11), distance=1.0), square(0, 0, 10), 2.0)), 1)
        for distance, bleed in ((0.0, 2.0), (3.0, 2.0), (1.0, 0.0), (-0.3, 2.0)):
            with self.subTest(distance=distance, bleed=bleed):
                self.assertEqual(
                    checks.inside_bleed(line(square(0, 0, 11), distance=distance), square(0, 0, 10), bleed), []
                )


class ShapeOfTheCutTest(unittest.TestCase):
    def test_inside_corners_sharper_than_the_knife(self):
        notched = square(0, 0, 10).difference(shapely.box(-2, 0, 2, 11))
        made = checks.sharp_insides(line(notched), 0.25)
        self.assertIn("2 inside corners", made[0].text)
        self.assertEqual(checks.sharp_insides(line(square(0, 0, 10)), 0.25), [])
        rounded = notched.buffer(0.3).buffer(-0.6).buffer(0.3)
        self.assertEqual(checks.sharp_insides(line(rounded), 0.25), [])

    def test_open_cuts_free_nothing(self):
        bare = CutLine(
            "k1", "through cut", "", (), Bundle.of([Path.polygon([(0, 0), (9, 0)], closed=False)]), shapely.Polygon(), 0
        )
        self.assertEqual([one.kind for one in checks.open_lines(bare)], ["open path"])
        self.assertEqual(checks.open_lines(CutLine("k1", "score", "", (), bare.paths, shapely.Polygon(), 0)), [])

    def test_islands_are_lost_and_parts_on_a_liner_are_not(self):
        piece, hole, island = square(0, 0, 20), square(0, 0, 8), square(0, 0, 3)
        work = piece.difference(hole).union(island)
        rings = [Path.polygon(np.asarray(one.exterior.coords)[:-1]) for one in (piece, hole, island)]
        dropped = drop_out(rings, work)
        self.assertEqual(len(checks.lost_parts(dropped, line(piece), liner=True)), 1)
        two = shapely.MultiPolygon([square(0, 0, 5), square(20, 0, 4)])
        apart = drop_out([Path.polygon(np.asarray(one.exterior.coords)[:-1]) for one in two.geoms], two)
        self.assertEqual(checks.lost_parts(apart, line(two), liner=True), [])
        self.assertEqual(len(checks.lost_parts(apart, line(two), liner=False)), 1)

    def test_thin_letters_say_how_much_to_widen(self):
        stroke = shapely.box(0, 0, 20, 0.5)
        made = checks.thin_letters(stroke, "l", 0.8, "film")
        self.assertTrue(math.isclose(made[0].mend[2], 0.16))
        self.assertEqual(checks.thin_letters(shapely.box(0, 0, 20, 1), "l", 0.8, "film"), [])

    def test_a_sound_piece_has_nothing_wrong(self):
        disc = Region(Path.circle(0, 0, 20))
        sound = CutLine("k1", "through cut", "", (disc,), Bundle.of([disc.outer]), union([disc]), 2.0)
        art = shapely.Point(0, 0).buffer(18)
        told = [
            *checks.small_parts(sound, 1, "It"), *checks.narrow_gaps(sound, 0.5), *checks.near_edge(sound, 1),
            *checks.weak_parts(sound.area, sound, 0.8, "film")[1], *checks.sharp_insides(sound, 0.3),
            *checks.open_lines(sound), *checks.printed_beyond(sound, sound.area, art.difference(sound.area), 0),
            *checks.inside_bleed(sound, art, 0),
            *checks.shared_lines([sound]), *checks.crossing_lines([sound]),
        ]  # fmt: skip
        self.assertEqual(told, [])
