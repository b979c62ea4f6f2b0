"""Jobs on round things, from the ticket to what a simulated machine leaves on them."""

import hashlib
import io
import math
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np
import pikepdf
import shapely

from nibble_core.errors import CannotMake, InvalidTicket
from nibble_core.pipeline.files import make_files
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.results import Work
from nibble_core.pipeline.round_walls import wall_of
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.turn_trial import test_turn as turn_trial
from nibble_core.pipeline.turn_trial import turn_learnt
from nibble_core.pipeline.work import work_out
from nibble_core.simulators import burnt, turned
from nibble_core.simulators.laser import Body
from nibble_core.ticket import STARTING, Change, Ticket, apply, sentences
from nibble_core.ticket.artwork import Artwork, Trace
from nibble_core.ticket.goods import Faces, Label, Made, OnRound, Seen
from nibble_core.ticket.library import MACHINES, STOCKS
from nibble_core.ticket.line import AS_THEY_ARE, Engraving, Hatching, Line, Rings, Source, line_of
from nibble_core.ticket.model import Held, Machine, Sheet
from nibble_core.ticket.piece import Element, Figure, FromArtwork, Layer, Piece, Prints, prints_of
from nibble_core.ticket.round_shape import FreePart, Girth, RoundShape
from nibble_core.ticket.steps import BringLayer, CopyPiece
from nibble_core.ticket.turners import Chuck, Rollers
from tests.machines import with_head

CUP = replace(STOCKS["steel-cup"], wall=RoundShape("tapered", 80.0, None, 60.0, None, None, 110.0))
LASER = MACHINES["small-laser"]
ALONG = Line("k1", Source(kind="the shapes"), AS_THEY_ARE, Engraving())
PEAR = ((0.0, 40.0), (30.0, 44.0), (60.0, 78.0), (90.0, 84.0))
BED = Body(600, 400, acceleration=4000, fastest=600, jump=12, turns=True)


def job(
    goods: OnRound, *lines: Line, element: Figure | None = None, machine: Machine = LASER, stock: Any = None,
    prints: Any = None, quantity: int = 1,
) -> Ticket:  # fmt: skip
    shape = element or Figure("rectangle", 30.0, 30.0)
    layer = Layer("l1", prints or Prints(), lines or (ALONG,))
    piece = Piece("p1", "square", quantity, (Element("e1", shape),), (layer,), goods=goods)
    on = stock or goods.thing
    settings = STARTING.settings_of("small-laser", "steel-cup") if machine.turns else ()
    sheet = Sheet("s1", (Held("h1", "l1"),), on, machine, settings=settings, marks=4 if stock else 0)
    return Ticket(pieces=(piece,), sheets=(sheet,))


def worked(ticket: Ticket) -> Work:
    return work_out(ticket, {}.__getitem__, MemoryStore())


def gcode(ticket: Ticket) -> bytes:
    made = make_files(ticket, worked(ticket), formats=["gcode"])
    return next(one.content for one in made.files if one.name.endswith("gcode"))


def on_wall(content: bytes, thing: turned.Thing, body: Body = BED) -> tuple[Any, list[turned.Burn]]:
    laser = burnt.fed(content, body)
    return laser, list(turned.burns(laser.steps, thing))


def thing(ticket: Ticket, **more: Any) -> turned.Thing:
    wall = wall_of(ticket.pieces[0].goods.thing.wall)  # type: ignore[attr-defined]
    made = turned.Thing(wall.heights, wall.radii, 2 * math.pi * wall.largest, wall.largest)
    return replace(made, **more)


def seen(burns: list[turned.Burn], of: turned.Thing, level: float, facing: float, distance: float) -> np.ndarray:
    """What was burnt as a pinhole sees it from the front: mm, from the middle that faces it."""
    angle, along = (np.concatenate([getattr(one, name) for one in burns]) for name in ("angle", "along"))
    height, radius = np.interp(along, of.slants, of.heights), np.interp(along, of.slants, of.radii)
    off = angle - math.radians(facing)
    depth = float(np.interp(level, of.heights, of.radii)) + distance - radius * np.cos(off)
    return np.column_stack([radius * np.sin(off), height - level]) * (distance / depth)[:, None]


class TurnedTest(TestCase):
    def test_a_square_on_a_cone_is_a_square_to_the_eye(self):
        """From the G-code, rolled by the simulated rollers, through a pinhole: four straight sides of 30 mm."""
        ticket = job(OnRound(CUP, Seen("true to the eye", 600.0), Faces(55.0)))
        _, burns = on_wall(gcode(ticket), thing(ticket))
        points = seen(burns, thing(ticket), 55.0, 180.0, 600.0)
        self.assertLess(np.abs(np.abs(points).max(1) - 15.0).max(), 0.03)
        self.assertLess(np.abs(np.ptp(points, axis=0) - 30.0).max(), 0.05)

    def test_nothing_is_mirrored_whichever_way_the_rim_points(self):
        letter = Figure("star", 20.0, count=3)  # its point is above
        for rim, way in (("to the left", -1), ("to the right", 1)):
            machine = with_head(LASER, turner=Rollers(rim))
            goods = OnRound(CUP, Seen("true on the surface"), Faces(55.0, "a quarter to the right"))
            ticket = job(goods, element=letter, machine=machine)
            _, burns = on_wall(gcode(ticket), thing(ticket, rim=way))
            along = np.concatenate([one.along for one in burns])
            angle = np.degrees(np.concatenate([one.angle for one in burns]))
            with self.subTest(rim):
                self.assertAlmostEqual(float(angle[along.argmin()]), 90.0, delta=0.1)
                self.assertLess(abs(angle.max() + angle.min() - 180.0), 0.1)
                laid = worked(ticket).layers["l1"].laid.value.box
                self.assertAlmostEqual(float(along.min()), laid.top, delta=0.01)

    def test_a_chuck_turns_as_far_in_its_own_units_and_takes_as_long(self):
        goods = OnRound(CUP, Seen("true on the surface"), Faces(55.0))
        plain = job(goods)
        chuck = job(goods, machine=with_head(LASER, turner=Chuck(a_turn=360.0)))
        (one, rolled), (other, held) = (
            on_wall(gcode(plain), thing(plain)), on_wall(gcode(chuck), thing(chuck, turn=360.0))
        )  # fmt: skip
        for name in ("angle", "along"):
            ends = [np.concatenate([getattr(burn, name) for burn in some]) for some in (rolled, held)]
            self.assertAlmostEqual(ends[0].min(), ends[1].min(), delta=3e-4)
            self.assertAlmostEqual(ends[0].max(), ends[1].max(), delta=3e-4)
        minutes = [
            burnt.clocked(turned.on_surface(laser.steps, of), BED)[-1]
            for laser, of in ((one, thing(plain)), (other, thing(chuck, turn=360.0)))
        ]  # fmt: skip
        self.assertAlmostEqual(minutes[0], minutes[1], delta=0.03 * minutes[0])
        told = worked(chuck).sheets["s1"].beam_run.value.timed.seconds
        self.assertAlmostEqual(minutes[1], told, delta=0.03 * told)

    def test_opposite_sides_are_opposite_once_a_test_turn_was_read(self):
        """Rollers that slip by 1.5 per cent: the gap is read off the test, and typed in."""
        ticket = job(OnRound(CUP, Seen(), Faces(55.0, "a quarter to the left", around="at equal angles", times=2)))
        slips = thing(ticket, slip=0.015)

        def apart(of: Ticket) -> float:
            _, burns = on_wall(gcode(of), slips)
            angles = np.degrees(np.concatenate([one.angle for one in burns]))
            low = angles < (angles.min() + angles.max()) / 2
            return float(angles[~low].mean() - angles[low].mean())

        self.assertGreater(abs(apart(ticket) - 180), 2)
        _, burns = on_wall(turn_trial(ticket, ticket.sheets[0]), slips)
        first, second = burns[0], burns[-1]
        missing = 2 * math.pi - float(second.angle.mean() - first.angle.mean())
        gap = missing * float(slips.radius(first.along[-1:])[0])
        _, changes = turn_learnt(ticket, ticket.sheets[0], round(gap, 2), "2026-12-01")
        self.assertLess(abs(apart(apply(ticket, changes)) - 180), 0.05)

    def test_the_letter_of_the_test_turn_reads_upright(self):
        ticket = job(OnRound(CUP))
        _, burns = on_wall(turn_trial(ticket, ticket.sheets[0]), thing(ticket))
        arms = burns[1:4]  # its stem, then upward and to the right
        self.assertLess(float(arms[0].along[-1]), float(arms[0].along[0]))
        self.assertGreater(float(arms[1].angle[-1]), float(arms[1].angle[0]))

    def test_engraving_is_as_dense_everywhere_on_a_cone(self):
        """Strokes along the wall, across it, and rings: neighbours lie an interval apart where the cone is wide and
        where it is narrow, within two per cent, measured on the wall as it lies flat."""
        goods = OnRound(CUP, Seen("true on the surface"), Faces(55.0))
        for fill in (Hatching(0.5), Hatching(0.5, hatch_angle=90.0), Hatching(0.5, hatch_angle=30.0), Rings(0.5)):
            line = Line("k1", Source(kind="the shapes"), AS_THEY_ARE, Engraving(fill))
            ticket = job(goods, line, element=Figure("rectangle", 40.0, 80.0))
            wall = wall_of(CUP.wall)
            _, burns = on_wall(gcode(ticket), thing(ticket))
            slope = (wall.radii[1] - wall.radii[0]) / wall.slant
            lines = []
            for one in burns:
                apex = np.interp(one.along, wall.slants, wall.radii) / slope
                turn = (one.angle - math.pi) * slope
                lines.append(shapely.LineString(np.column_stack([apex * np.sin(turn), apex * np.cos(turn)])))
            length = sum(one.length for one in lines)
            area = shapely.union_all([one.buffer(0.26, cap_style="flat") for one in lines]).buffer(-0.01).area
            with self.subTest(fill):
                self.assertAlmostEqual(length * 0.5 / area, 1.0, delta=0.02)
                tree = shapely.STRtree(lines)
                wide = [k for k, one in enumerate(lines) if one.length > 3]
                for k in wide[3 : len(wide) - 3 : 7]:
                    middle = lines[k].interpolate(0.5, normalized=True)
                    near = sorted(middle.distance(lines[n]) for n in tree.query(middle.buffer(0.8)) if n != k)
                    if near and not isinstance(fill, Rings):
                        self.assertAlmostEqual(near[0], 0.5, delta=0.01)

    def test_circles_lie_as_far_apart_along_a_wall_as_is_asked_however_it_leans(self):
        """On a pear in a chuck, whose wall leans by up to half of a right angle, and on a cone that is not levelled."""
        pear = RoundShape("a profile", girths=tuple(Girth(f"q{k}", *place) for k, place in enumerate(PEAR)))
        for wall in (pear, CUP.wall):
            lies = Made(level="with its axis level")
            goods = OnRound(replace(CUP, wall=wall), Seen("true on the surface"), Faces(45.0), lies)
            line = Line("k1", Source(kind="the shapes"), AS_THEY_ARE, Engraving(Hatching(0.5)))
            ticket = job(goods, line, element=Figure("rectangle", 15.0, 50.0))
            of = thing(ticket, level=False)
            _, burns = on_wall(gcode(ticket), of)
            heights = np.unique(np.round([float(one.along.mean()) for one in burns], 3))
            rows = np.interp(heights, of.heights, of.slants)
            with self.subTest(wall.shape):
                self.assertGreater(len(rows), 90)
                np.testing.assert_allclose(np.diff(rows), 0.5, atol=0.006)

    def test_power_falls_with_the_speed_of_the_wall_where_that_is_asked_for(self):
        line = Line("k1", Source(kind="the shapes"), AS_THEY_ARE, Engraving(Hatching(1.0)))
        goods = OnRound(CUP, Seen("true on the surface"), Faces(55.0), Made(power="less where it is narrow"))
        ticket = job(goods, line)
        laser, _ = on_wall(gcode(ticket), thing(ticket))
        by_row = {round(-step.start[0] * -1, 1): step.beam for step in laser.steps if step.beam > 0}
        wall = wall_of(CUP.wall)
        for along, beam in by_row.items():
            self.assertAlmostEqual(beam, 0.6 * float(wall.radius_along(along)) / 40.0, delta=0.002)

    def test_one_run_makes_one_thing(self):
        work = worked(job(OnRound(CUP), quantity=36))
        self.assertEqual((work.sheets["s1"].laid.value.times, work.sheets["s1"].laid.value.copies), (36, 1))


class LabelTest(TestCase):
    PAIL = STOCKS["honey-pail"]

    def label(self, **label: Any) -> Ticket:
        goods = OnRound(self.PAIL, Seen("true on the surface"), Faces(55.0), Label(**label))
        cut = line_of("k1", "through cut", 0.0, close_gaps=0.0)
        return job(
            goods, cut, element=Figure("rectangle", 500.0, 90.0), machine=MACHINES["wide-camera-cutter"],
            stock=STOCKS["matt-white-vinyl-1370"], prints=prints_of("the shapes"),
        )  # fmt: skip

    def test_a_band_closes_on_its_cone(self):
        """Its arcs are the pail's girths, with the lap; its ends lie on each other once it is wrapped."""
        work = worked(self.label(edge="cut as a band all round", lap=9.0, upper=20.0, lower=92.0))
        (region,) = work.layers["l1"].laid.value.lines[0].regions
        slope = (100 - 118) / 2 / math.hypot(110, 9)
        points = region.outer.flattened(1e-4)
        apex = np.array([0.0, -59 / slope])
        radii = np.hypot(*(points - apex).T)
        upper, lower = (float((59 - 9 * z / 110) / abs(slope)) for z in (20, 92))
        self.assertLess(min(abs(radii.max() - upper), 1), 0.01)
        self.assertLess(abs(radii.min() - lower), 0.01)
        edge = points[np.abs(radii - upper) < 0.005]
        turn = np.arctan2(edge[:, 0], -(edge[:, 1] - apex[1]))
        girth = 2 * math.pi * (59 - 9 * 20 / 110)
        self.assertAlmostEqual(float(np.ptp(turn)) * upper, girth + 9.0, delta=0.02)

    def test_print_goes_on_under_the_lap_and_no_further_than_its_bleed(self):
        ticket = self.label(edge="cut as a band all round", lap=9.0, upper=20.0, lower=92.0)
        work = worked(ticket)
        edge = work.layers["l1"].laid.value.lines[0].area
        printed = work.layers["l1"].print_laid.value.area
        self.assertLess(edge.difference(printed.buffer(0.01)).area, 0.5)
        self.assertLess(printed.difference(edge.buffer(2.1, join_style="mitre")).area, 0.5)
        self.assertFalse(work.problems)

    def test_a_ground_that_goes_round_more_than_once_covers_nothing_that_stands_on_it(self):
        ticket = self.label(edge="cut as a band all round", lap=9.0, upper=20.0, lower=92.0)
        red = Figure("circle", 10.0, colour="#aa0000")
        dot = Element("e2", red, "apart", across="centred", down="centred", x=-200.0)
        (piece,) = ticket.pieces
        ticket = replace(ticket, pieces=(replace(piece, elements=(*piece.elements, dot)),))
        work = worked(ticket)
        colours = [item.colour for item in work.layers["l1"].print_laid.value.items]
        dots = [k for k, colour in enumerate(colours) if colour == (170, 0, 0)]
        self.assertTrue(dots)
        self.assertGreater(min(dots), max(k for k, colour in enumerate(colours) if colour != (170, 0, 0)))
        self.assertTrue(any("lies over itself" in note.text for one in stations(ticket, work) for note in one.notes))

    def test_files_of_a_label_are_read_back_and_rehearsed_like_any(self):
        ticket = self.label(edge="cut as its lines say")
        size = {"width": 120.0, "height": 60.0}
        ticket = apply(ticket, [Change(f"pieces/p1/elements/e1/content/{name}", to) for name, to in size.items()])
        made = make_files(ticket, worked(ticket))
        self.assertFalse(made.refused)
        self.assertEqual({one.purpose for one in made.files}, {"print", "cut", "manifest"})

    def test_a_clients_page_is_bent_with_its_label(self):
        """A square of 20 mm in the middle of a page: its ink lies in the sector that the closed formula says."""
        pdf, out = pikepdf.new(), io.BytesIO()
        pdf.add_blank_page(page_size=(170.0787, 113.3858))  # 60 by 40 mm
        pdf.pages[0].Contents = pdf.make_stream(b"0.8 0.1 0.1 rg 56.6929 28.3465 56.6929 56.6929 re f")
        pdf.save(out)
        content = out.getvalue()
        page = Element("e1", FromArtwork("a1"))
        ticket = self.label(edge="cut as its lines say")
        (piece,) = ticket.pieces
        layer = replace(piece.layers[0], prints=prints_of("the client’s page"))
        artwork = Artwork("a1", hashlib.sha256(content).hexdigest(), "page.pdf", width=60.0, trace=Trace(mode="paths"))
        ticket = replace(ticket, artworks=(artwork,), pieces=(replace(piece, elements=(page,), layers=(layer,)),))
        work = work_out(ticket, lambda _: content, MemoryStore())
        self.assertFalse(work.problems)
        (item,) = work.layers["l1"].print_laid.value.items
        inked = np.argwhere(item.raster.alpha > 127)[:, ::-1] + 0.5
        places = item.places[0].map(inked * item.width / item.raster.width)
        slope = (100 - 118) / 2 / math.hypot(110, 9)
        apex = np.array([0.0, -59 / slope])
        radii = np.hypot(*(places - apex).T)
        level = 59 / abs(slope) - math.hypot(110, 9) / 2
        np.testing.assert_allclose((radii.max(), radii.min()), (level + 10, level - 10), atol=0.1)
        row = np.abs(radii - level) < 0.1
        turn = np.arctan2(places[row, 0], -(places[row, 1] - apex[1]))
        self.assertAlmostEqual(float(np.ptp(turn)) * level, 20.0, delta=0.2)
        self.assertTrue(any("becomes pixels" in note.text for one in stations(ticket, work) for note in one.notes))

    def test_a_bottle_takes_a_label_on_its_body_and_not_over_its_shoulder(self):
        """A neck, a shoulder, and a body 70 mm wide from 80 mm below the rim on."""
        bottle = RoundShape("a profile", girths=tuple(
            Girth(f"g{k}", z, d) for k, (z, d) in enumerate(((0, 28), (40, 30), (80, 70), (120, 70), (200, 70)))
        ))  # fmt: skip
        ticket = self.label(edge="cut as its lines say")
        (piece,) = ticket.pieces
        square = replace(piece.elements[0], content=Figure("rectangle", 60.0, 80.0))
        for below, fits in ((140.0, True), (100.0, False)):
            goods = replace(piece.goods, thing=replace(self.PAIL, wall=bottle), faces=Faces(below))
            work = worked(replace(ticket, pieces=(replace(piece, goods=goods, elements=(square,)),)))
            with self.subTest(below):
                self.assertEqual(not work.problems, fits, work.problems)
                if fits:  # on a straight wall a label is as it was drawn
                    box = work.layers["l1"].laid.value.lines[0].regions[0].bounds()
                    self.assertAlmostEqual(box.width, 60.0, delta=0.05)
                    self.assertAlmostEqual(box.height, 80.0, delta=0.05)
                else:
                    self.assertRegex(work.problems[0].error.message, "straight from (7[6-9]|80) to 200 mm")

    def test_a_belly_takes_no_label(self):
        pear = RoundShape("a profile", girths=(Girth("g1", 0, 60), Girth("g2", 40, 90), Girth("g3", 100, 70)))
        ticket = self.label()
        goods = replace(ticket.pieces[0].goods, thing=replace(self.PAIL, wall=pear))
        ticket = replace(ticket, pieces=(replace(ticket.pieces[0], goods=goods),))
        self.assertIn("crease", worked(ticket).problems[0].error.message + worked(ticket).problems[0].error.sentence)


class BadInputTest(TestCase):
    def test_measures_that_contradict_each_other_are_told(self):
        for shape, said in (
            (RoundShape("straight", 84.0, 250.0), "79.6"),
            (RoundShape("tapered", 84.0, None, 64.0, None, 12.0, 110.0), "5.2°"),
            (RoundShape("tapered", 84.0, None, 64.0, None, None, 110.0, 130.0), "110.5"),
            (RoundShape("tapered", 84.0, None, None, None, 40.0, 110.0), "nothing"),
            (RoundShape("tapered", 84.0), "foot"),
            (RoundShape("straight", None), "rim"),
        ):
            with self.subTest(said), self.assertRaises(InvalidTicket) as caught:
                wall_of(shape)
            self.assertIn(said, caught.exception.message)

    def test_any_two_measures_describe_the_same_wall(self):
        lean = math.degrees(math.atan(10 / 110))
        along = math.hypot(10, 110)
        for shape in (
            RoundShape("tapered", 80.0, None, 60.0, None, None, 110.0),
            RoundShape("tapered", None, 80 * math.pi, None, 60 * math.pi, None, None, along),
            RoundShape("tapered", 80.0, None, None, None, lean, 110.0),
            RoundShape("tapered", 80.0, None, None, None, lean, None, along),
            RoundShape("tapered", None, (80 + 0.3) * math.pi, 60.0, None, None, 110.0, None, 0.3),
        ):
            with self.subTest(shape):
                wall = wall_of(shape)
                self.assertTrue(np.allclose([*wall.radii, wall.height], [40, 30, 110], atol=1e-6))

    def blocked(self, goods: OnRound, **more: Any) -> Any:
        work = worked(job(goods, **more))
        self.assertTrue(work.problems)
        return work.problems[0]

    def test_work_beyond_the_wall_is_moved_or_refused(self):
        problem = self.blocked(OnRound(CUP, Seen(), Faces(10.0)))
        self.assertIn("above the rim", problem.error.message)
        ticket = apply(job(OnRound(CUP, Seen(), Faces(10.0))), problem.mends[0].changes)
        self.assertFalse(worked(ticket).problems)
        tall = self.blocked(OnRound(CUP, Seen(), Faces(55.0)), element=Figure("rectangle", 10.0, 130.0))
        self.assertFalse(tall.mends)

    def test_work_wider_than_the_turn_and_places_on_each_other_are_refused(self):
        wide = self.blocked(OnRound(CUP, Seen("true on the surface"), Faces(55.0)),
                            element=Figure("rectangle", 300.0, 10.0))  # fmt: skip
        self.assertIn("times round", wide.error.message)
        many = self.blocked(OnRound(CUP, Seen("true on the surface"), Faces(55.0, around="at equal angles", times=9)))
        self.assertIn("on itself", many.error.message)

    def test_work_on_a_handle_is_turned_away(self):
        handle = replace(CUP, wall=replace(CUP.wall, free=(FreePart("f1", "the handle", 0.0, 70.0, 10.0, 90.0),)))
        problem = self.blocked(OnRound(handle, Seen(), Faces(55.0, "the handle")))
        self.assertIn("the handle", problem.error.message)
        ticket = apply(job(OnRound(handle, Seen(), Faces(55.0, "the handle"))), problem.mends[0].changes)
        self.assertFalse(worked(ticket).problems)

    def test_a_machine_that_turns_nothing_and_one_too_small_are_told(self):
        for machine, said in (
            (MACHINES["torch-table"], "turns nothing"),
            (with_head(LASER, turner=Rollers(widest=70.0)), "70 mm at most"),
            (with_head(LASER, turner=Rollers(longest=100.0)), "100 mm at most"),
        ):
            with self.subTest(said):
                self.assertIn(said, self.blocked(OnRound(CUP), machine=machine).error.message)

    def test_a_cut_that_would_spoil_the_thing_is_engraved_instead(self):
        cut = line_of("k1", "through cut", 2.0, close_gaps=0.0)
        work = worked(job(OnRound(CUP), cut))
        problem = next(one for one in work.problems if "spoil" in one.error.message)
        ticket = apply(job(OnRound(CUP), cut), problem.mends[0].changes)
        self.assertEqual(ticket.pieces[0].layers[0].lines[0].process.kind, "engrave")
        self.assertFalse(worked(ticket).problems)

    def test_a_gap_that_no_rollers_are_off_by_is_refused(self):
        ticket = job(OnRound(CUP))
        for gap in (120.0, -90.0, math.nan, math.inf):
            with self.subTest(gap), self.assertRaises(InvalidTicket):
                turn_learnt(ticket, ticket.sheets[0], gap, "")
        flat = replace(ticket, pieces=(replace(ticket.pieces[0], goods=Piece("p9").goods),))
        with self.assertRaises(CannotMake):
            turn_trial(flat, flat.sheets[0])


class SayingTest(TestCase):
    def test_a_flat_job_put_on_a_cup_is_engraved_and_turned_and_comes_off_it_again(self):
        flat = job(OnRound(CUP))
        cut = line_of("k1", "through cut", 2.0)
        layer = replace(flat.pieces[0].layers[0], lines=(cut,), prints=prints_of("the shapes"))
        piece = replace(flat.pieces[0], goods=Piece("p9").goods, layers=(layer,))
        sheet = Sheet("s1", (Held("h1", "l1"),), STOCKS["matt-white-vinyl-1370"], MACHINES["wide-camera-cutter"])
        flat = replace(flat, pieces=(piece,), sheets=(sheet,))
        put = apply(flat, [Change("pieces/p1/goods", "a round thing")])
        self.assertEqual(put.sheets[0].machine.key, "small-laser")
        self.assertFalse(worked(put).problems)
        back = apply(put, [Change("pieces/p1/goods/made", "a label wrapped round it")])
        self.assertFalse(back.sheets[0].stock.is_round)

    def test_every_slot_of_a_round_job_can_be_set_to_what_it_shows(self):
        for goods in (
            OnRound(CUP, Seen("stretched by hand"), Faces(55.0, "a stated angle", 30.0, "at stated angles")),
            OnRound(CUP, Seen(), Faces(55.0, around="as a band"), Label("cut as a band all round")),
        ):
            ticket = job(goods)
            for sentence in sentences(ticket):
                for part in (*sentence.parts, *sentence.more):
                    if not isinstance(part, str) and part.path.startswith("pieces") and part.kind != "auto":
                        if part.path.endswith(("goods/thing", "/stock", "/machine")):
                            continue
                        with self.subTest(part.path):
                            self.assertEqual(apply(ticket, [Change(part.path, part.value)]), ticket)

    def test_what_faces_away_is_told_with_the_size_that_does_not(self):
        ticket = job(OnRound(CUP, Seen(), Faces(55.0)), element=Figure("rectangle", 66.0, 10.0))
        notes = [note.text for station in stations(ticket, worked(ticket)) for note in station.notes]
        said = next(note for note in notes if "faces away" in note)
        wide = float(said.split("At ")[1].split(" mm")[0])
        smaller = job(OnRound(CUP, Seen(), Faces(55.0)), element=Figure("rectangle", wide, 10.0 * wide / 66))
        notes = [note.text for station in stations(smaller, worked(smaller)) for note in station.notes]
        self.assertFalse([note for note in notes if "faces away" in note])
        self.assertGreater(wide, 40)

    def test_the_scale_at_which_a_band_meets_itself_makes_it_meet_itself(self):
        def notes(wide: float) -> list[str]:
            goods = OnRound(CUP, Seen("true on the surface"), Faces(55.0, around="as a band"))
            ticket = job(goods, element=Figure("rectangle", wide, 10.0))
            return [note.text for station in stations(ticket, worked(ticket)) for note in station.notes]

        said = next(note for note in notes(20.0) if "goes round" in note)
        share = float(said.split("at ")[1].split(" %")[0]) / 100
        self.assertTrue([note for note in notes(20.0 * share) if "meets itself" in note], said)

    def test_two_pieces_on_one_cup_lie_on_it_together_and_stay_in_step(self):
        ticket = job(OnRound(CUP, Seen(), Faces(40.0)))
        ticket = apply(ticket, CopyPiece("p1").changes(ticket))
        other = ticket.pieces[1]
        ticket = apply(ticket, BringLayer("s1", other.layers[0].id).changes(ticket))
        ticket = apply(ticket, [Change(f"pieces/{other.id}/goods/faces/facing", "a quarter to the left")])
        ticket = apply(ticket, [Change("pieces/p1/goods/made/ring", 70.0)])
        work = worked(ticket)
        self.assertFalse(work.problems)
        self.assertEqual(len(work.sheets["s1"].laid.value.placements), 2)
        _, burns = on_wall(gcode(ticket), thing(ticket, turn=math.pi * 70, ring=35.0))
        angles = np.degrees(np.concatenate([one.angle for one in burns]))
        self.assertAlmostEqual(float(np.median(angles[angles < 225])), 180.0, delta=1)
        self.assertAlmostEqual(float(np.median(angles[angles > 225])), 270.0, delta=1)
