"""Pieces from ticket to files: elements, lines of every source and process, layers, what cannot be drawn, and print."""

import itertools
import json
import math
import unittest
from dataclasses import replace

import shapely

from nibble_core.errors import InvalidTicket
from nibble_core.formats import pdf, pdf_reader
from nibble_core.geometry.regions import union
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.pages import parts_of
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.ticket import Change, apply, scaled_distances, sentences, ticket_from_plain, to_plain
from nibble_core.ticket.library import MACHINES, STOCKS
from nibble_core.ticket.line import OneElement, line_of
from nibble_core.ticket.model import Held, Sheet
from nibble_core.ticket.piece import Element, Figure, Hanger, Layer, Lettering, Prints, Stencil, prints_of
from nibble_core.ticket.places import Anchor, Chosen, HoleMark, Span
from tests.machines import sheet_on
from tests.sample import badge_ticket, badge_work

DISC = Element("e1", content=Figure("circle", 60.0, colour="#cc2222"))
RING = Element("e1", content=Figure("ring", 60.0, wall=10.0, colour="#cc2222"))


def ticket_of(elements, lines, *, prints="nothing", machine="wide-camera-cutter", **piece):
    """A job of one piece made of text and simple shapes, without any client's file."""
    plain = badge_ticket()
    own = replace(
        plain.pieces[0], elements=tuple(elements), layers=(Layer("l1", prints_of(prints), tuple(lines)),), **piece
    )
    sheets = (sheet_on(plain.sheets[0], MACHINES[machine]),)
    return replace(plain, artworks=(), pieces=(own,), sheets=sheets)


LAYER = "pieces/p1/layers/l1"


def drawn(ticket, id="k1"):
    work = badge_work(ticket)
    return next(line for layer in work.layers.values() for line in layer.laid.value.lines if line.id == id)


def area(line) -> float:
    return float(union(line.regions).area)


def shapes(**more):
    return {"source": "the shapes", "distance": 0.0, "close_gaps": 0.0, "holes": "kept", "smallest_hole": 0.0, **more}


class SourceTest(unittest.TestCase):
    def test_each_source_has_its_area(self):
        bar = Element("e2",  way="apart", content=Figure("rectangle", 10.0, 10.0, colour="#2222cc"),
                      across="centred", down="centred")  # fmt: skip
        for options, wanted in (
            ({}, math.pi * 32**2),
            ({"distance": 0.0}, math.pi * 900),
            ({"distance": -3.0}, math.pi * 27**2),
            (shapes(), math.pi * 900 + 100),
            (shapes(source="one element", of="e2"), 100),
            (shapes(source="chosen colours", colours=(Chosen("c", "#2020d0"),)), 100),
            (shapes(source="chosen regions", regions=(Anchor("r", 0.1, 0.5),)), math.pi * 900),
            ({"source": "a simple shape", "surround": "rectangle", "distance": 0.0}, 3600),
            ({"source": "a simple shape", "surround": "circle", "distance": 5.0}, math.pi * 35**2),
        ):
            with self.subTest(options.get("source", "outer"), wanted=wanted):
                made = drawn(ticket_of([DISC, bar], [line_of("k1", **options)]))
                self.assertAlmostEqual(sum(region.area() for region in made.regions), wanted, delta=0.9)

    def test_a_line_follows_another(self):
        lines = [line_of("k1", source="another line", of="k2", distance=2.0), line_of("k2", "kiss cut", 1.0)]
        self.assertAlmostEqual(area(drawn(ticket_of([DISC], lines))), math.pi * 33**2, delta=0.6)

    def test_fold_lines_are_where_they_were_drawn(self):
        line = line_of("k1", "score", source="fold lines", folds=(Span("f", 0.0, 0.5, 1.0, 0.5),))
        path = drawn(ticket_of([DISC], [line])).paths[0]
        self.assertAlmostEqual(path.length(), 60, places=3)
        self.assertFalse(path.closed)

    def test_a_circle_of_lines_is_refused(self):
        with self.assertRaises(InvalidTicket) as caught:
            ticket_from_plain(to_plain(ticket_of([DISC], [
                line_of("k1", source="another line", of="k2"), line_of("k2", source="another line", of="k1"),
            ])))  # fmt: skip
        self.assertIn("circle", caught.exception.message)
        with self.assertRaises(InvalidTicket):
            ticket_from_plain(to_plain(ticket_of([replace(DISC, beside="e1")], [line_of("k1")])))

    def test_what_lost_its_source_is_blocked_and_the_rest_is_drawn(self):
        lines = [line_of("k1", "kiss cut", 1.0), line_of("k2", source="another line", of="gone")]
        ticket = ticket_of([DISC], lines)
        work = badge_work(ticket)
        self.assertEqual([line.id for line in work.layers["l1"].laid.value.lines], ["k1"])
        told = next(station for station in stations(ticket, work) if station.key == "lines")
        self.assertEqual(told.state, "blocked")
        self.assertTrue(told.notes[0].where.endswith("/lines/k2"))

    def test_every_way_to_leave_nothing_is_said(self):
        for options in (
            {"distance": -20.0, "source": "one element", "of": "e1"}, {"source": "chosen colours"},
            {"source": "chosen regions"}, {"source": "centre-lines"}, {"source": "fold lines"},
            {"smallest": 50.0, "distance": -8.0},
        ):  # fmt: skip
            small = replace(DISC, content=Figure("circle", 20.0))
            work = badge_work(ticket_of([small], [line_of("k1", **options)]))
            with self.subTest(options):
                self.assertEqual(len(work.problems), 1)
                self.assertTrue(work.problems[0].error.what_to_do)


class RestTest(unittest.TestCase):
    """What no other line names by colour, element or place."""

    plate = Element("e1", content=Figure("rectangle", 60.0, 40.0, colour="#3a9d5d"))
    dot = Element("e2", content=Figure("circle", 10.0, colour="#cc2222"),
                  across="centred", down="centred")  # fmt: skip
    side = Element("e3", content=Figure("rectangle", 8.0, 8.0, colour="#223388"), x=70.0)

    def rest(self, *others):
        lines = [*others, line_of("k9", "engrave", **shapes(source="the rest", fill="by hatching", interval=0.5))]
        return ticket_of([self.plate, self.dot, self.side], lines, machine="small-laser")

    def test_it_is_all_that_others_do_not_take(self):
        plate, dot, side = 2400.0, math.pi * 25, 64.0
        red = line_of("k1", "score", **shapes(source="chosen colours", colours=(Chosen("c1", "#cc2222"),)))
        one = line_of("k2", "through cut", **shapes(source="one element", of="e3"))
        region = line_of("k3", "score", **shapes(source="chosen regions", regions=(Anchor("r1", 0.01, 0.5),)))
        board = replace(one, source=OneElement("e1"))
        outer = line_of("k4", "through cut", **shapes(source="the outer shape"))
        for others, wanted in (
            ((), plate + side), ((outer,), plate + side), ((red,), plate - dot + side), ((red, one), plate - dot),
            ((one,), plate), ((replace(red, on=False), one), plate), ((region,), side), ((board,), dot + side),
        ):  # fmt: skip
            with self.subTest([one.source.kind for one in others]):
                made = drawn(self.rest(*others), "k9")
                self.assertAlmostEqual(area(made), wanted, delta=0.4)
                self.assertTrue(made.filled)
        self.assertTrue(any(s.text.startswith("Engrave the rest by hatching") for s in sentences(self.rest(red))))

    def test_nothing_left_is_said(self):
        own = [line_of(f"k{n}", "score", **shapes(source="one element", of=f"e{n}")) for n in (1, 2, 3)]
        told = [problem.error.message for problem in badge_work(self.rest(*own)).problems]
        self.assertTrue(any("name every shape" in one for one in told), told)


class HoleTest(unittest.TestCase):
    def line(self, **options):
        return area(drawn(ticket_of([RING], [line_of("k1", distance=1.0, **options)])))

    def test_holes_are_filled_kept_and_chosen(self):
        solid, ring = math.pi * 31**2, math.pi * (31**2 - 19**2)
        self.assertAlmostEqual(self.line(), solid, delta=0.5)
        self.assertAlmostEqual(self.line(holes="kept"), ring, delta=0.8)
        self.assertAlmostEqual(self.line(holes="kept", smallest_hole=41.0), solid, delta=0.5)
        self.assertAlmostEqual(self.line(holes="kept", hole_distance=3.0), math.pi * (31**2 - 17**2), delta=0.8)
        middle = HoleMark("h", 0.5, 0.5, "kept", 5.0)
        self.assertAlmostEqual(self.line(hole_marks=(middle,)), math.pi * (31**2 - 15**2), delta=0.8)
        self.assertAlmostEqual(
            self.line(holes="kept", hole_marks=(HoleMark("h", 0.5, 0.5, "filled"),)), solid, delta=0.5
        )

    def test_what_lies_in_a_kept_hole_stays_with_its_own_hole(self):
        centred = {"across": "centred", "down": "centred"}
        island = Element("e2", way="apart", content=Figure("circle", 16.0), **centred)
        pool = Element("e3", way="cut out", content=Figure("circle", 6.0), **centred)
        for distance, preview in itertools.product((0.0, 1.0, -1.0), (False, True)):
            with self.subTest(distance=distance, preview=preview):
                ticket = ticket_of(
                    [RING, island, pool], [line_of("k1", distance=distance, holes="kept", corners="mitred")]
                )
                made = area(badge_work(ticket, preview=preview).layers["l1"].laid.value.lines[0])
                edges = [(30, 1), (20, -1), (8, 1), (3, -1)]
                self.assertAlmostEqual(
                    made, math.pi * sum(sign * (r + sign * distance) ** 2 for r, sign in edges), delta=1.5
                )
        one = drawn(ticket_of([RING, island, pool], [line_of("k1", distance=1.0, holes="kept", smallest_hole=7.0)]))
        self.assertEqual(sorted(len(region.holes) for region in one.regions), [0, 1])  # the pool is filled

    def test_a_hole_that_its_distance_swallows_falls_away(self):
        made = drawn(ticket_of([RING], [line_of("k1", distance=25.0, holes="kept")]))
        self.assertEqual((len(made.regions[0].holes), made.leftovers), (0, 1))


class BayTest(unittest.TestCase):
    """A frame with a slit in its side: closing the slit closes off what it held."""

    frame = (
        Element("e1", content=Figure("rectangle", 60.0, 40.0)),
        Element("e2", content=Figure("rectangle", 40.0, 20.0), across="centred", down="centred",
                way="cut out"),
        Element("e3", content=Figure("rectangle", 20.0, 1.0), across="right", down="centred",
                way="cut out"),
    )  # fmt: skip

    def line(self, **more):
        return drawn(ticket_of(self.frame, [line_of("k1", **{"distance": 0.0, "close_gaps": 0.0, **more})]))

    def test_what_the_line_closes_off_is_a_hole_like_others(self):
        for closing in ({"distance": 1.0}, {"close_gaps": 1.5}):
            with self.subTest(closing):
                shut = self.line(**closing)
                self.assertEqual(len(shut.regions[0].holes), 0)
                (bay,) = shut.bays
                self.assertTrue(bay.contains(shapely.Point(bay.centroid)))
                clicked = self.line(hole_marks=(HoleMark("h1", 0.5, 0.5, "kept"),), **closing)
                (region,) = clicked.regions
                (hole,) = region.holes
                room = closing.get("distance", 0.0)
                self.assertAlmostEqual(abs(hole.area()), (40 - 2 * room) * (20 - 2 * room), delta=2.0)

    def test_what_lies_in_a_bay_stays(self):
        island = Element("e4",  way="apart", content=Figure("rectangle", 10.0, 10.0),
                         across="centred", down="centred")  # fmt: skip
        ticket = ticket_of((*self.frame, island), [line_of("k1", distance=1.0, holes="kept", close_gaps=0.0)])
        _, inner = sorted((region.polygon() for region in drawn(ticket).regions), key=lambda one: -one.area)
        self.assertAlmostEqual(inner.area, 100 + 40 + math.pi, delta=0.3)

    def test_its_size_decides_as_with_others(self):
        for closing in ({"distance": 1.0}, {"close_gaps": 1.5}):
            kept = self.line(holes="kept", smallest_hole=15.0, **closing)
            filled = self.line(holes="kept", smallest_hole=25.0, **closing)
            by_hand = self.line(
                holes="kept", smallest_hole=15.0, hole_marks=(HoleMark("h1", 0.5, 0.5, "filled"),), **closing
            )
            self.assertEqual([len(one.regions[0].holes) for one in (kept, filled, by_hand)], [1, 0, 0])


class OwnNodesTest(unittest.TestCase):
    def test_at_no_distance_the_shapes_keep_their_own_nodes(self):
        words = Element("e1", content=Lettering("Kite", "serif", cap_height=20.0))
        ticket = ticket_of(
            [words],
            [
                line_of("k1", distance=0.0, close_gaps=0.0),
                line_of("k2", source="the shapes", distance=0.0, close_gaps=0.0, crossings="may cross"),
            ],
        )
        outer, shapes = (drawn(ticket, id) for id in ("k1", "k2"))
        own = {region.outer.rows.tobytes() for region in shapes.regions}
        self.assertEqual({region.outer.rows.tobytes() for region in outer.regions}, own)

    def test_dropping_small_parts_leaves_the_others_as_they_are(self):
        words = Element("e1", content=Lettering("Mid-ocean.", "serif", cap_height=20.0))
        plain = drawn(ticket_of([words], [line_of("k1", **shapes())]))
        dropped = drawn(ticket_of([words], [line_of("k1", **shapes(smallest=3.2))]))
        self.assertLess(len(dropped.regions), len(plain.regions))
        known = {region.outer.rows.tobytes() for region in plain.regions}
        self.assertLessEqual({region.outer.rows.tobytes() for region in dropped.regions}, known)


class ContourChoiceTest(unittest.TestCase):
    def test_islands_are_joined_only_when_they_are_near(self):
        pair = lambda gap: [DISC, replace(DISC, id="e2", way="apart", across="right of it", down="centred", x=gap)]  # noqa: E731
        for gap, parts in ((2.0, 1), (3.2, 2)):
            made = drawn(ticket_of(pair(gap), [line_of("k1", distance=0.0, close_gaps=0.0, join_islands=3.0)]))
            with self.subTest(gap):
                self.assertEqual(len(made.regions), parts)

    def test_inside_corners_get_their_radius(self):
        cross = [
            Element("e1", content=Figure("rectangle", 60.0, 20.0)),
            Element("e2", content=Figure("rectangle", 20.0, 60.0), across="centred", down="centred"),
        ]
        sharp = area(drawn(ticket_of(cross, [line_of("k1", distance=0.0, close_gaps=0.0)])))
        round_ = area(drawn(ticket_of(cross, [line_of("k1", distance=0.0, close_gaps=0.0, inside_radius=2.0)])))
        self.assertAlmostEqual(sharp, 2000, delta=0.01)
        self.assertAlmostEqual(round_ - sharp, 4 * (4 - math.pi), delta=0.12)

    def test_smoothing_takes_nodes_away_within_its_deviation(self):
        words = Element("e1", content=Lettering("Kite", "serif", cap_height=20.0))
        plain = drawn(ticket_of([words], [line_of("k1", distance=1.0)]))
        smooth = drawn(ticket_of([words], [line_of("k1", distance=1.0, smooth=0.1)]))
        self.assertLess(smooth.nodes, plain.nodes)
        apart = shapely.hausdorff_distance(plain.area.boundary, smooth.area.boundary)
        self.assertLessEqual(apart, 0.11)


class ProcessTest(unittest.TestCase):
    def test_perforations_leave_as_dashes_or_as_one_line(self):
        dashed = drawn(ticket_of([DISC], [line_of("k1", "perforate", 3.0, cut=3.0, tie=1.0)]))
        plain = drawn(ticket_of([DISC], [line_of("k1", "perforate", 3.0, leaves="as one plain line")]))
        self.assertEqual(dashed.dashes, round(2 * math.pi * 33 / 4))
        self.assertAlmostEqual(plain.length - dashed.length, dashed.dashes, delta=0.01)
        self.assertEqual(len(plain.paths), 1)

    def test_ties_by_rule_and_by_hand(self):
        ruled = drawn(ticket_of([DISC], [line_of("k1", distance=0.0, ties=4, tie_width=1.0)]))
        self.assertEqual(len(ruled.places), 4)
        self.assertAlmostEqual(ruled.length, 60 * math.pi - 4, delta=0.01)
        by_hand = line_of("k1", distance=0.0, ties=4, tie_marks=(Anchor("t", 1.0, 0.5),))
        self.assertAlmostEqual(drawn(ticket_of([DISC], [by_hand])).places[0].x, 60, delta=0.01)

    def test_guides_are_never_sent_and_order_follows_process_and_rank(self):
        lines = [
            line_of("k1", "through cut", 4.0), line_of("k2", "guide", 6.0), line_of("k3", "engrave", 0.0, rank=2),
            line_of("k4", "engrave", -5.0, rank=1), line_of("k5", "score", 1.0), line_of("k6", "kiss cut", 2.0),
        ]  # fmt: skip
        ticket = ticket_of([DISC], lines, machine="small-laser")
        cut = parts_of(ticket, ticket.sheets[0], badge_work(ticket))[0].cut
        self.assertEqual([one.layer for one in cut.stroked], ["engrave", "engrave", "score", "kiss cut", "through cut"])
        self.assertEqual([one.ink.name for one in cut.stroked][:2], ["Laser Engrave", "Laser Engrave 2"])

    def test_a_hanger_is_cut_with_the_edge(self):
        ticket = ticket_of([DISC], [line_of("k1", distance=0.0)], hanger=Hanger("a loop", 4.0, 3.0))
        work = badge_work(ticket)
        made, hung = drawn(ticket), work.layers["l1"].laid.value.hanging
        self.assertEqual(len(made.regions[0].holes), 1)
        self.assertAlmostEqual(hung.balance.x, 30, delta=0.01)
        self.assertAlmostEqual(hung.place.y, -2, delta=0.02)
        self.assertAlmostEqual(made.regions[0].holes[0].area(), -math.pi * 4, delta=0.03)

    def test_ties_are_left_in_the_edge_with_its_loop(self):
        line = line_of("k1", distance=0.0, ties=3, tie_width=1.0)
        tied = drawn(ticket_of([DISC], [line], hanger=Hanger("a loop", 4.0, 3.0)))
        plain = drawn(ticket_of([DISC], [line_of("k1", distance=0.0)], hanger=Hanger("a loop", 4.0, 3.0)))
        self.assertAlmostEqual(plain.length - tied.length, 3, delta=0.01)
        self.assertEqual(len([path for path in tied.paths if path.closed]), 1)  # the hole itself is cut whole

    def test_a_stencils_islands_are_held(self):
        words = Element("e1", content=Lettering("BOARD", cap_height=30.0))
        lines = [line_of("k1", **shapes()), line_of("k2", source="a simple shape", distance=10.0)]
        for kind, islands, lost in (("a piece", 6, 1), ("a stencil", 0, 0)):
            ticket = ticket_of([words], lines, stencil=Stencil(kind, 1.5, 2))
            work = badge_work(ticket)
            with self.subTest(kind):
                self.assertEqual(work.pieces["p1"].value.islands, islands)
                found = [f.kind for _, f in work.layers["l1"].examined[0].value.findings]
                self.assertEqual(found.count("lost part"), lost)


class LayerTest(unittest.TestCase):
    def two_layers(self):
        bar = Element("e2",  way="apart", content=Figure("rectangle", 20.0, 20.0, colour="#2222cc"),
                      across="centred", down="centred")  # fmt: skip
        line = line_of("k1", "kiss cut", **shapes())
        layers = tuple(
            Layer(f"l{n}", Prints(), (replace(line, id=f"k{n}"),), shows="chosen colours",
                  colours=(Chosen(f"c{n}", colour),), overlap=0.5)
            for n, colour in enumerate(("#cc2222", "#2222cc"), 1)
        )  # fmt: skip
        ticket = ticket_of([DISC, bar], [])
        piece = replace(ticket.pieces[0], layers=layers, alignment="three triangles")
        sheets = tuple(
            Sheet(f"s{n}", (Held("h", f"l{n}"),), STOCKS["shirt-film-navy-500"], MACHINES["desk-cutter"])
            for n in (1, 2)
        )
        return replace(ticket, pieces=(piece,), sheets=sheets)

    def test_colours_are_split_with_overlap_and_shared_marks(self):
        ticket = self.two_layers()
        work = badge_work(ticket)
        self.assertAlmostEqual(area(drawn(ticket, "k2")), 400, delta=0.1)
        self.assertAlmostEqual(area(drawn(ticket, "k1")), math.pi * 900 - 19 * 19, delta=0.8)
        marks = [[mark.svg() for mark in work.layers[id].laid.value.marks] for id in ("l1", "l2")]
        self.assertEqual(len(marks[0]), 3)
        self.assertEqual(marks[0], marks[1])

    def test_the_lower_layer_follows_a_new_colour_of_the_one_above(self):
        ticket, store = self.two_layers(), MemoryStore()
        at = "pieces/p1/elements/e2"
        ticket = apply(
            ticket,
            [
                Change("pieces/p1/layers/l1/lines/k1/source", "the outer shape"),
                Change(f"{at}/across", "right of it"), Change(f"{at}/x", -5.0),
            ],
        )  # fmt: skip
        lower = lambda ticket, store: area(badge_work(ticket, store).layers["l1"].laid.value.lines[0])  # noqa: E731
        reached = lower(ticket, store)
        other = apply(ticket, [Change("pieces/p1/layers/l2/colours/c2/colour", "#22cc22")])
        self.assertAlmostEqual(lower(other, store), lower(other, MemoryStore()), places=6)
        self.assertGreater(reached - lower(other, store), 1)

    def test_a_layer_may_hold_regions_chosen_by_clicks(self):
        ticket = self.two_layers()
        upper = replace(
            ticket.pieces[0].layers[1], shows="chosen regions", colours=(), regions=(Anchor("r", 0.5, 0.5),)
        )
        lower = ticket.pieces[0].layers[0]
        chosen = replace(ticket, pieces=(replace(ticket.pieces[0], layers=(lower, upper)),))
        whole = badge_work(ticket).layers["l2"].laid.value.shown
        self.assertAlmostEqual(
            badge_work(chosen).layers["l2"].laid.value.shown.symmetric_difference(whole).area, 0, places=6
        )
        # the lower layer reaches under what is chosen above, wherever that is chosen
        self.assertAlmostEqual(area(drawn(chosen, "k1")), math.pi * 900 - 19 * 19, delta=0.8)
        none = apply(chosen, [Change(f"pieces/p1/layers/l2/regions/{upper.regions[0].id}", operation="remove")])
        self.assertIn("Click its colours or regions", badge_work(none).problems[0].error.what_to_do)

    def test_each_layer_gets_its_files(self):
        files = [file.name for file in write_files(self.two_layers(), badge_work(self.two_layers()))]
        self.assertEqual(
            [name for name in files if name.endswith(".pdf")],
            ["badge-sheet-1-sticker-mirrored-cut.pdf", "badge-sheet-2-sticker-mirrored-cut.pdf"],
        )


class PrintTest(unittest.TestCase):
    def test_painted_shapes_are_printed_in_their_colours_and_read_back(self):
        words = Element("e2", way="apart", content=Lettering("OK", colour="#113355"), across="centred",
                        down="centred")  # fmt: skip
        ticket = ticket_of([DISC, words], [line_of("k1")], prints="the shapes")
        files = {file.name: file.content for file in write_files(ticket, badge_work(ticket))}
        found = pdf_reader.read_page(files["badge-print.pdf"])
        self.assertEqual({one.colour for one in found.painted}, {(0xCC, 0x22, 0x22), (0x11, 0x33, 0x55)})

    def test_painted_bleed_goes_outward_under_the_shapes(self):
        ticket = ticket_of([RING], [line_of("k1", distance=0.0)], prints="the shapes")
        bled = apply(ticket, [Change("pieces/p1/layers/l1/prints/bleed", 2.0)])
        items = badge_work(bled).layers["l1"].print_laid.value.items
        self.assertAlmostEqual(items[0].region.area(), math.pi * (32**2 - 30**2), delta=15)  # a hair more on both sides
        self.assertAlmostEqual(items[-1].region.area(), math.pi * (30**2 - 20**2), delta=0.5)

    def test_bleed_reaches_into_holes_that_are_cut_and_no_others(self):
        for line, inner in (
            (line_of("k1", distance=0.0), 0.0),
            (line_of("k1", distance=0.0, holes="kept"), 2.0),
            (line_of("k1", distance=0.0, hole_marks=(HoleMark("h", 0.5, 0.5),)), 2.0),
            (line_of("k1", distance=0.0, holes="kept", smallest_hole=41.0), 0.0),
        ):
            with self.subTest(line.offset.holes, marks=len(line.offset.hole_marks)):
                ticket = apply(ticket_of([RING], [line], prints="the shapes"), [Change(f"{LAYER}/prints/bleed", 2.0)])
                under = badge_work(ticket).layers["l1"].print_laid.value.items[:-1]
                wanted = math.pi * (32**2 - 30**2 + 20**2 - (20 - inner) ** 2)
                self.assertAlmostEqual(sum(one.region.area() for one in under), wanted, delta=22)

    def test_bleed_never_thickens_what_lies_inside_the_cut(self):
        bar = Element("e2",  way="apart", content=Figure("rectangle", 3.0, 20.0, colour="#113355"),
                      across="centred", down="centred")  # fmt: skip
        ticket = apply(
            ticket_of([DISC, bar], [line_of("k1", distance=0.0)], prints="the shapes"),
            [Change(f"{LAYER}/prints/bleed", 2.0)],
        )
        blue = [
            one for one in badge_work(ticket).layers["l1"].print_laid.value.items if one.colour == (0x11, 0x33, 0x55)
        ]
        self.assertAlmostEqual(sum(one.region.area() for one in blue), 60, places=3)
        outside = apply(
            ticket, [Change(f"{LAYER}/lines/k1/offset/distance", 3.0)]
        )  # the stock shows as a border: nothing bleeds
        self.assertEqual(len(badge_work(outside).layers["l1"].print_laid.value.items), 2)

    def test_what_is_dropped_at_trace_leaves_the_print(self):
        plain = badge_ticket()
        whole = badge_work(plain).layers["l1"].print_laid.value
        drop = {"id": "t1", "kind": "drop", "x": 102 / 120, "y": 0.5, "colour": [0, 0, 0], "size": 0.066}
        left = badge_work(apply(plain, [Change("artworks/a1/touch_ups", drop, "add")])).layers["l1"].print_laid.value
        self.assertAlmostEqual(whole.area.area - left.area.area, 12 * 80 / 4, delta=3)
        self.assertFalse(left.items[0].raster.alpha[:, 95:110].any())

    def test_pixels_go_where_a_shape_is_cut_out_of_them(self):
        bar = Element("e2",  way="cut out", content=Figure("rectangle", 14.0, 14.0),
                      across="centred", down="centred")  # fmt: skip
        plain = badge_ticket()
        cut = replace(plain, pieces=(replace(plain.pieces[0], elements=(*plain.pieces[0].elements, bar)),))
        before = badge_work(plain).layers["l1"].print_laid.value.items[0]
        mm2 = (before.width / before.raster.width) ** 2
        ink = lambda item: float(item.raster.alpha.sum()) / 255 * mm2  # noqa: E731
        for way, bleed, taken in (("cut out", 0.0, 14 * 14), ("cut out", 3.0, 14 * 14)):
            with self.subTest(way, bleed=bleed):
                at = [Change("pieces/p1/elements/e2/way", way), Change(f"{LAYER}/prints/bleed", bleed)]
                whole = badge_work(apply(plain, at[1:])).layers["l1"].print_laid.value.items[0]
                left = badge_work(apply(cut, at)).layers["l1"].print_laid.value.items[0]
                self.assertAlmostEqual(ink(whole) - ink(left), taken, delta=2)
        left = (
            badge_work(apply(cut, [Change("pieces/p1/elements/e2/way", "common part")]))
            .layers["l1"]
            .print_laid.value.items[0]
        )
        self.assertAlmostEqual(ink(left), 14 * 14, delta=2)

    def test_pixel_bleed_keeps_size_and_place(self):
        line = Change("pieces/p1/layers/l1/lines/k1/offset/distance", 0.0)
        plain, bled = badge_ticket(line), badge_ticket(line, Change("pieces/p1/layers/l1/prints/bleed", 1.5))
        one, other = (badge_work(t).layers["l1"].print_laid.value for t in (plain, bled))
        grown = [b - a for a, b in zip(one.box, other.box, strict=True)]
        for side, way in zip(grown, (-1, -1, 1, 1), strict=True):
            self.assertAlmostEqual(side, way * 1.5, delta=2.6)  # pixels of half a millimetre, and what is filled beyond
        made = parts_of(bled, bled.sheets[0], badge_work(bled))[0]
        self.assertAlmostEqual(made.printed.width, made.cut.width)

    def test_a_worst_case_is_told_and_its_bleed_mends_it(self):
        tight = badge_ticket(Change("pieces/p1/layers/l1/lines/k1/offset/distance", 0.0))
        told = lambda t: next(s for s in stations(t, badge_work(t)) if s.key == "lines").notes  # noqa: E731
        note = next(note for note in told(tight) if "slivers" in note.text)
        mended = apply(tight, note.mends[0].changes)
        self.assertFalse(any("slivers" in note.text for note in told(mended)))

    def test_copies_of_an_element_share_one_picture(self):
        ticket = badge_ticket()
        piece = replace(ticket.pieces[0], elements=(replace(ticket.pieces[0].elements[0], columns=3, rows=2, gap=4.0),))
        ticket = replace(ticket, pieces=(piece,))
        printed = parts_of(ticket, ticket.sheets[0], badge_work(ticket))[0].printed
        self.assertEqual((len(printed.pictures), len(printed.pictures[0].placements)), (1, 6 * 6))
        content = pdf.write_page(printed)
        self.assertEqual(len(pdf_reader.read_page(content).pictures), 1)


class CrossingTest(unittest.TestCase):
    """A kiss cut round the disc, and a through cut on a box that stands across it."""

    box = Element("e2",  way="apart", content=Figure("rectangle", 20.0, 80.0),
                  across="centred", down="centred")  # fmt: skip

    def ticket(self, **options):
        kiss = line_of("k1", "kiss cut", **shapes(source="one element", of="e1"))
        through = line_of("k2", source="one element", of="e2", distance=1.0, close_gaps=0.0, **options)
        return ticket_of([DISC, self.box], [through, kiss])

    def test_a_line_with_room_is_led_round_one_that_has_none(self):
        ticket = self.ticket()
        kiss, through = drawn(ticket, "k1"), drawn(ticket, "k2")
        self.assertAlmostEqual(area(kiss), math.pi * 900, delta=0.5)
        self.assertGreater(through.led, 0)
        self.assertAlmostEqual(union(through.regions).boundary.distance(union(kiss.regions).boundary), 0.5, delta=0.01)
        lines = next(s for s in stations(ticket, badge_work(ticket)) if s.key == "lines")
        note = next(note for note in lines.notes if "led round" in note.text)
        crossing = apply(ticket, note.mends[0].changes)
        self.assertAlmostEqual(area(drawn(crossing, "k2")), 22 * 82 - (4 - math.pi), delta=0.5)
        said = [note.text for s in stations(crossing, badge_work(crossing)) for note in s.notes]
        self.assertFalse(any("cross." in text or "led round" in text for text in said))


class WordsTest(unittest.TestCase):
    def test_words_on_a_circle_go_round_what_they_stand_beside(self):
        plate = Element("e1", content=Figure("rectangle", 80.0, 40.0))
        low = Element("e2", way="apart", content=Lettering("Pony"), across="centred", down="below it", y=4.0)
        ticket = ticket_of([plate, low], [line_of("k1")])
        path = "pieces/p1/elements/e2"
        for along, is_above in (("over a circle", True), ("under a circle", False)):
            round_it = apply(ticket, [Change(f"{path}/content/along", along)])
            composed = badge_work(round_it).pieces["p1"].value.composed
            whole = shapely.union_all([one.region.polygon(0.001) for id, one in composed.painted if id == "e1"])
            letters = shapely.union_all([one.region.polygon(0.001) for id, one in composed.painted if id == "e2"])
            middle = whole.centroid
            corner = math.hypot(40.0, 20.0)
            self.assertGreaterEqual(middle.distance(letters), corner + 3.9)
            self.assertLess(middle.distance(letters), corner + 8.0)
            self.assertEqual(letters.centroid.y < middle.y, is_above)
            straight = apply(round_it, [Change(f"{path}/content/along", "a straight line")])
            self.assertEqual(straight, ticket)

    def test_every_slot_of_a_rich_piece_can_be_set_to_what_it_shows(self):
        lines = [
            line_of("k1", "perforate", 3.0), line_of("k2", source="another line", of="k1"), 
            line_of("k3", corners="mitred", ties=3),
            line_of("k4", "score", source="fold lines", folds=(Span("f"),)), line_of("k5", "engrave", **shapes()),
            line_of("k6", source="a simple shape", surround="smooth hull", holes="kept", hole_marks=(HoleMark("h"),)),
            line_of("k7", source="one element", of="e2"),
        ]  # fmt: skip
        others = [
            Element(f"e{n}", content=Figure(kind), across="centred", beside="e1")
            for n, kind in enumerate(("ring", "star", "regular polygon", "rounded rectangle", "ellipse"), 3)
        ]
        words = Element("e2", way="cut out", content=Lettering(along="over a circle"), columns=2)
        ticket = ticket_of([DISC, words, *others], lines, hanger=Hanger("a loop"), stencil=Stencil("a stencil"))
        slots = [part for s in sentences(ticket) for part in (*s.parts, *s.more) if not isinstance(part, str)]
        self.assertGreater(len(slots), 120)
        for slot in slots:
            with self.subTest(slot.path):
                self.assertEqual(apply(ticket, [Change(slot.path, slot.value)]), ticket)

    def test_joins_are_told_in_words(self):
        far = replace(DISC, id="e2", across="right of it", down="centred", x=3.0, content=Figure("circle", 20.0))
        ticket = ticket_of([DISC, far], [line_of("k1")])
        notes = next(s for s in stations(ticket, badge_work(ticket)) if s.key == "lines").notes
        note = next(note for note in notes if "falls short" in note.text)
        self.assertIn("3.00 mm", note.text)
        mended = apply(ticket, note.mends[0].changes)
        after = next(s for s in stations(mended, badge_work(mended)) if s.key == "lines").notes
        self.assertTrue(any("touches in 1 place" in note.text for note in after))

    def test_distances_are_scaled_all_at_once(self):
        ticket = ticket_of([DISC], [line_of("k1", distance=2.0, close_gaps=1.0, hole_distance=0.5)])
        line = apply(ticket, scaled_distances(ticket, 1.5)).pieces[0].layers[0].lines[0]
        self.assertEqual((line.offset.distance, line.offset.close_gaps, line.offset.hole_distance), (3.0, 1.5, 0.75))
        with self.assertRaises(InvalidTicket):
            scaled_distances(ticket, 0.0)

    def test_a_rich_ticket_survives_json(self):
        ticket = ticket_of([DISC], [line_of("k1", tie_marks=(Anchor("t", 0.5, 0.5),))], hanger=Hanger("a plain hole"))
        self.assertEqual(ticket_from_plain(json.loads(json.dumps(to_plain(ticket)))), ticket)
