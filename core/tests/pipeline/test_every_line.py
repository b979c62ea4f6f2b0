"""From the ticket to the files: every line that is on and is no guide is in each file that should hold it, with its
length, whatever the process, the placements, the sheet and the format."""

import io
import math
import unittest
import xml.etree.ElementTree as etree
from dataclasses import replace
from itertools import pairwise
from unittest import mock

import ezdxf
import ezdxf.path
import numpy as np
import shapely
from fontTools.pens.recordingPen import RecordingPen
from fontTools.svgLib.path import parse_path
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.checks.readback import check_page
from nibble_core.errors import CannotMake, FileDisagrees, InvalidTicket
from nibble_core.formats import dxf_page, pdf_reader
from nibble_core.geometry import Affine, Bundle, Path, Region
from nibble_core.graphics import Filled, Ink, Page, Stroked
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.laying import WAYS, Arrangement
from nibble_core.pipeline.lines import sides_once
from nibble_core.pipeline.pages import parts_of
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.sheets import caption_of, program_of
from nibble_core.processes import PROCESSES, Process
from nibble_core.sheet import LaidSheet, Marks, Placement, at_place
from nibble_core.ticket import Change, apply, sentences, ticket_from_plain, to_plain
from nibble_core.ticket.library import MACHINES, STARTING
from nibble_core.ticket.line import Cut, Line, line_of
from nibble_core.ticket.model import ARRANGEMENTS, Held, Machine, Placed, Sheet
from nibble_core.ticket.piece import Element, Figure, Layer, Piece, Prints
from tests.machines import sheet_on
from tests.sample import badge_ticket, badge_work

ANY = replace(MACHINES["wide-camera-cutter"], spots=(), formats=("pdf", "svg", "dxf"))
FILM = badge_ticket(Change("sheets/s1/stock", "shirt-film-navy-500")).sheets[0].stock


def piece(id: str, lines: list[Line], quantity: int = 2, kind: str = "star", width: float = 30.0) -> Piece:
    element = Element(f"e{id}", content=Figure(kind, width, 18.0))
    return Piece(id, f"piece {id}", quantity, (element,), (Layer(f"l{id}", Prints(), tuple(lines)),))


def job(pieces: list[Piece], machine: Machine = ANY, **sheet) -> tuple:
    plain = badge_ticket()
    holds = tuple(Held(f"h{one.id}", one.layers[0].id) for one in pieces)
    laid = sheet_on(plain.sheets[0], machine, **({"holds": holds} | sheet))
    ticket = ticket_from_plain(to_plain(replace(plain, artworks=(), pieces=tuple(pieces), sheets=(laid,))))
    return ticket, badge_work(ticket)


def length_of_svg(content: bytes) -> dict[str, float]:
    """By process, read by fontTools: the length of every path, curves as 64 chords."""
    found: dict[str, float] = {}
    for group in etree.fromstring(content).iter("{http://www.w3.org/2000/svg}g"):
        process = group.get("data-process")
        for node in group.iter("{http://www.w3.org/2000/svg}path") if process else ():
            pen = RecordingPen()
            parse_path(node.get("d"), pen)
            found[process] = found.get(process, 0.0) + _length(pen.value)
    return found


def _length(operators: list) -> float:
    total, at, start = 0.0, 0j, 0j
    for operator, points in operators:
        to = [complex(*point) for point in points]
        if operator == "moveTo":
            at = start = to[0]
        elif operator == "curveTo":
            before = at
            for k in range(1, 65):
                t = k / 64
                place = (1 - t) ** 3 * at + 3 * (1 - t) ** 2 * t * to[0] + 3 * (1 - t) * t * t * to[1] + t**3 * to[2]
                total, before = total + abs(place - before), place
            at = to[2]
        elif operator in ("lineTo", "closePath"):
            end = to[0] if to else start
            total, at = total + abs(end - at), end
    return total


def length_of_dxf(content: bytes) -> dict[str, float]:
    """By layer, read by ezdxf."""
    found: dict[str, float] = {}
    document = ezdxf.read(io.StringIO(content.decode("cp1252")))
    for entity in document.modelspace():
        points = list(ezdxf.path.make_path(entity).flattening(0.0005))
        way = sum(a.distance(b) for a, b in pairwise(points))
        found[entity.dxf.layer] = found.get(entity.dxf.layer, 0.0) + way
    return found


sent = st.sampled_from(["through cut", "kiss cut", "perforate", "score", "engrave", "guide"])
lines = st.lists(
    st.builds(
        dict, process=sent, distance=st.integers(-3, 9).map(float), rank=st.integers(1, 2), on=st.booleans(),
        source=st.sampled_from(["the outer shape", "a simple shape", "the shapes"]),
    ),
    min_size=1, max_size=4,
)  # fmt: skip


def crossing(line: Line) -> Line:
    """A line that others do not lead round them, so that its length is known."""
    made = line.process
    return replace(line, process=replace(made, crossings="may cross")) if isinstance(made, Cut) else line


class EveryLineTest(unittest.TestCase):
    @given(
        st.lists(lines, min_size=1, max_size=2), st.booleans(), st.integers(1, 5),
        st.sampled_from(["a grid", "interlocked pairs"]),
    )  # fmt: skip
    @settings(max_examples=16, deadline=None)
    def test_is_found_with_its_length_in_each_file(self, rules, mirrored, quantity, arrangement):
        pieces = [
            piece(f"p{n}", [crossing(line_of(f"k{n}{i}", **one)) for i, one in enumerate(some)], quantity)
            for n, some in enumerate(rules)
        ]
        ticket, work = job(pieces, arrangement=arrangement, **({"stock": FILM} if mirrored else {}))
        if work.problems:
            self.assertEqual([one.station for one in work.problems if one.station != "lines"], [])
            return
        wanted: dict[str, float] = {}
        inks: dict[str, float] = {}
        for own in ticket.pieces:
            for line in work.layers[own.layers[0].id].laid.value.lines:
                if line.process != "guide":
                    whole = line.length * quantity
                    wanted[line.process] = wanted.get(line.process, 0.0) + whole
                    ink = PROCESSES[line.process].spot + ("" if line.rank == 1 else f" {line.rank}")
                    inks[ink] = inks.get(ink, 0.0) + whole
        files = {file.name.replace("-mirrored", ""): file.content for file in write_files(ticket, work)}
        for process, length in wanted.items():
            self.assertAlmostEqual(length_of_svg(files["badge-cut.svg"])[process], length, delta=0.02 * quantity)
        self.assertEqual(set(length_of_svg(files["badge-cut.svg"])), set(wanted))
        for ink, length in inks.items():
            self.assertAlmostEqual(length_of_dxf(files["badge-cut.dxf"])[ink], length, delta=0.05 * quantity)
        page = pdf_reader.read_page(files["badge-cut.pdf"])
        found: dict[str, float] = {}
        for one in page.stroked:
            found[one.layer] = found.get(one.layer, 0.0) + one.paths.length * len(one.placements)
        self.assertEqual(set(found), set(wanted))
        for process, length in wanted.items():
            self.assertAlmostEqual(found[process], length, delta=0.02 * quantity)
        self.assertAlmostEqual(program_of(ticket.sheets[0], work).length, sum(wanted.values()), delta=1e-6)


class ProcessTableTest(unittest.TestCase):
    def test_a_made_up_process_goes_from_the_ticket_to_every_file(self):
        made = Process(
            "A wheel presses a groove.", "crease", "a crease", 25, "#123456", 2.0, "Crease", (0, 0, 1, 0), (5, 1),
            step="Creasing",
        )  # fmt: skip
        with mock.patch.dict(PROCESSES, {"crease": made}):
            ticket, work = job([piece("p1", [line_of("k1", "crease", 2.0), line_of("k2", "through cut", 5.0)])])
            said = {sentence.id.split("/")[-1]: sentence for sentence in sentences(ticket)}
            self.assertTrue(said["k1"].text.startswith("Crease 2.0 mm outside"))
            self.assertIn("crease", [choice.value for choice in said["k1"].parts[0].choices])
            self.assertEqual(work.problems, [])
            lines = next(one for one in stations(ticket, work) if one.key == "lines")
            self.assertIn("crease", [figure.label for figure in lines.figures])
            files = {file.name.replace("-mirrored", ""): file.content for file in write_files(ticket, work)}
            self.assertEqual(list(length_of_svg(files["badge-cut.svg"])), ["crease", "through cut"])
            self.assertIn("Crease", length_of_dxf(files["badge-cut.dxf"]))
            self.assertEqual({one.ink.name for one in pdf_reader.read_page(files["badge-cut.pdf"]).stroked},
                             {"Crease", "Through Cut"})  # fmt: skip
            ticket, work = job([piece("p1", [line_of("k1", "crease", 2.0)])], MACHINES["desk-cutter"])
            self.assertEqual([one.error.message for one in work.problems],
                             ["The desk cutter, A3 cannot crease (piece “piece p1”)."])  # fmt: skip
        with self.assertRaises(InvalidTicket):
            job([piece("p1", [line_of("k1", "crease")])])

    def test_what_no_order_or_format_names_is_told_and_never_left_out(self):
        ticket, work = job([piece("p1", [line_of("k1", "score", 2.0)])])
        with mock.patch.dict(PROCESSES):
            del PROCESSES["score"]
            with self.assertRaises(CannotMake):
                write_files(ticket, work)
        ticket, work = job([piece("p1", [line_of("k1")])], replace(ANY, formats=("pdf", "xyz")))
        with self.assertRaises(CannotMake):
            write_files(ticket, work)


class SheetTest(unittest.TestCase):
    def test_two_pieces_share_a_sheet_in_rows_of_their_own(self):
        ticket, work = job([piece("p1", [line_of("k1")], 5), piece("p2", [line_of("k2", "kiss cut")], 3, "circle")])
        laid = work.sheets["s1"].laid.value
        self.assertEqual([laid.copies_of(layer) for layer in ("lp1", "lp2")], [5, 3])
        boxes = [
            (work.layers[layer].laid.value.box, at, layer) for layer, at in laid.placements
        ]  # fmt: skip
        places = [(b.left + at.e, b.top + at.f, b.right + at.e, b.bottom + at.f) for b, at, _ in boxes]
        for i, one in enumerate(places):
            for other in places[i + 1 :]:
                apart = max(other[0] - one[2], one[0] - other[2], other[1] - one[3], one[1] - other[3])
                self.assertGreaterEqual(apart, ticket.sheets[0].spacing - 1e-6)
        self.assertIn("Lay 5 piece p1 and 3 piece p2 on", {s.id: s.text for s in sentences(ticket)}["s1-lay"])
        self.assertIn("badge-cut.svg", [file.name for file in write_files(ticket, work)])

    def test_more_than_a_sheet_holds_is_shared_out_evenly(self):
        stock = replace(badge_ticket().sheets[0].stock, usable_length=100.0, usable_width=200.0)
        _, work = job([piece("p1", [line_of("k1")], 29), piece("p2", [line_of("k2")], 10)], stock=stock)
        laid = work.sheets["s1"].laid.value
        self.assertGreater(laid.times, 1)
        for layer, wanted in (("lp1", 29), ("lp2", 10)):
            made = laid.copies_of(layer) * laid.times
            self.assertTrue(wanted <= made < wanted + laid.times, (made, wanted))

    def test_an_arrangement_is_a_way_and_its_words_and_one_that_nobody_knows_is_refused(self):
        def column(by, parts):
            ((layer, box, count, *_),) = parts
            places = [Affine.translation(by.within.edge - box.left, 40.0 * k - box.top) for k in range(count)]
            return LaidSheet(box.width + 20, 40.0 * count, tuple(Placement(layer, at) for at in places), Marks())

        with mock.patch.dict(ARRANGEMENTS, {"a column": "One below the other."}):
            _, work = job([piece("p1", [line_of("k1")], 3)], arrangement="a column")
            self.assertIn("Nobody knows how copies are laid “a column”.", [str(one.error) for one in work.problems])
            with mock.patch.dict(WAYS, {"a column": Arrangement(column, by_shapes=False)}):
                ticket, work = job([piece("p1", [line_of("k1")], 3)], arrangement="a column")
                self.assertEqual(work.problems, [])
                places = [(round(at.e, 3), at.f) for _, at in work.sheets["s1"].laid.value.placements]
                self.assertEqual((len({x for x, _ in places}), sorted({y - places[0][1] for _, y in places})),
                                 (1, [0.0, 40.0, 80.0]))  # fmt: skip
                files = {file.name: file.content for file in write_files(ticket, work)}
                whole = 3 * work.layers["lp1"].laid.value.lines[0].length
                self.assertAlmostEqual(length_of_svg(files["badge-cut.svg"])["through cut"], whole, delta=0.06)
        with self.assertRaises(InvalidTicket):
            job([piece("p1", [line_of("k1")], 3)], arrangement="a column")

    def test_copies_lie_where_they_were_put_turned_and_mirrored(self):
        put = (Placed("a", "lp1", 60.0, 50.0, 90.0), Placed("b", "lp1", 120.0, 60.0, 0.0, "mirrored", locked=True))
        ticket, work = job([piece("p1", [line_of("k1", source="the shapes", distance=0.0)])],
                           arrangement="as placed", placed=put)  # fmt: skip
        page = parts_of(ticket, ticket.sheets[0], work)[0].cut
        shape = page.stroked[0].paths[0]
        corner = shape.rows[0, :2]
        turned, flipped = (place.map(corner[None])[0] for place in page.stroked[0].placements)
        self.assertAlmostEqual(float(abs(turned - [60 - corner[1], 50 + corner[0]]).max()), 0, places=9)
        self.assertAlmostEqual(float(abs(flipped - [120 - corner[0], 60 + corner[1]]).max()), 0, places=9)
        write_files(ticket, work)
        lonely = apply(ticket, [Change("sheets/s1/placed", [])])
        self.assertEqual([one.station for one in badge_work(lonely).problems], ["sheet"])
        off = apply(ticket, [Change("sheets/s1/placed/a/x", -5.0)])
        self.assertEqual([one.error.code for one in badge_work(off).problems], ["does-not-fit"])

    def test_a_caption_is_printed_between_the_marks_and_never_cut(self):
        for change in ([], [Change("sheets/s1/stock", "shirt-film-navy-500")]):
            ticket = badge_ticket(Change("sheets/s1/caption", "job, sheet and feed"), *change, quantity=9)
            work = badge_work(ticket)
            files = {file.name.replace("-mirrored", ""): file.content for file in write_files(ticket, work)}
            laid = work.sheets["s1"].laid.value
            found = pdf_reader.read_page(files["badge-print.pdf"]).painted[-1]
            box = found.paths.mapped(found.placements[0]).bounds()
            self.assertEqual(found.colour, (0, 0, 0))
            self.assertGreater(box.top, laid.height - 11)
            self.assertLess(box.bottom, laid.height)
            self.assertGreater(box.left, 7)
            self.assertLess(box.right, laid.width - 7)
            self.assertEqual(set(length_of_svg(files["badge-cut.svg"])), {"through cut"})
            plain = badge_work(badge_ticket(*change, quantity=9))
            self.assertAlmostEqual(
                pdf_reader.read_page(files["badge-cut.pdf"]).stroked[0].paths.length,
                program_of(ticket.sheets[0], plain).runs[0].of.paths.length, places=2,
            )  # fmt: skip
        captioned = Change("sheets/s1/caption", "job, sheet and feed")
        six = badge_ticket(captioned, Change("sheets/s1/marks", 6))
        made = badge_work(six)
        beside = caption_of(six.sheets[0], six, made.sheets["s1"].laid.value)
        self.assertTrue(beside)
        for x, y in made.sheets["s1"].laid.value.marks.places:  # none runs over a mark, wherever that stands
            self.assertGreater(min(region.polygon().distance(shapely.Point(x, y)) for region in beside), 3.0)
        for diameter, gap, distance in ((6.0, 3.0, 5.0), (2.0, 6.0, 3.0)):  # nor is one crossed by the weed border
            changed = {"mark_diameter": diameter, "mark_gap": gap, "border_distance": distance,
                       "border": "a weed border round all"}  # fmt: skip
            asked = [Change(f"sheets/s1/{key}", value) for key, value in changed.items()]
            bordered = badge_ticket(captioned, *asked, quantity=90)
            made = badge_work(bordered)
            beside = caption_of(bordered.sheets[0], bordered, made.sheets["s1"].laid.value)
            self.assertTrue(beside)
            self.assertLess(
                made.sheets["s1"].border.value.bounds().bottom, min(region.bounds().top for region in beside)
            )
        one = badge_ticket(
            Change("sheets/s1/caption", "job, sheet and feed"), Change("artworks/a1/width", 5.0), quantity=1
        )
        sheet = next(station for station in stations(one, badge_work(one)) if station.key == "sheet")
        self.assertTrue(any("no room" in note.text for note in sheet.notes))

    def test_weed_borders_run_in_the_waste_only_and_into_every_file(self):
        for border in ("a weed border round all", "a weed border round each", "a weed border along each"):
            for spacing in (1.0, 9.0):
                ticket, work = job(
                    [piece("p1", [line_of("k1", "kiss cut", 1.0)], 5),
                     piece("p2", [line_of("k2", "kiss cut")], 3, "circle")],
                    border=border, border_distance=2.5, spacing=spacing, stock=FILM,
                )  # fmt: skip
                with self.subTest(border, spacing=spacing):
                    self.assertEqual(work.problems, [])
                    files = {file.name.replace("-mirrored", ""): file.content for file in write_files(ticket, work)}
                    made, laid = work.sheets["s1"].border.value, work.sheets["s1"].laid.value
                    told = length_of_svg(files["badge-cut.svg"])
                    self.assertAlmostEqual(told["weed cut"], made.length, delta=0.2)
                    self.assertAlmostEqual(length_of_dxf(files["badge-cut.dxf"])["Weed Cut"], made.length, delta=0.2)
                    points, begins = made.flattened(0.01)
                    rings = shapely.linestrings(points, indices=np.repeat(np.arange(len(made)), np.diff(begins)))
                    box = shapely.union_all(rings).bounds
                    self.assertTrue(min(box[:2]) >= 2.4 and box[2] <= laid.width - 2.4 and box[3] <= laid.height - 2.4)
                    cuts = shapely.union_all([
                        at_place(line.area, at)
                        for layer, at in laid.placements for line in work.layers[layer].laid.value.lines
                    ])  # fmt: skip
                    self.assertGreaterEqual(min(cuts.distance(ring) for ring in rings), 2.5 - 0.03)
        ticket, work = job(
            [piece("p1", [line_of("k1")])],
            replace(MACHINES["small-laser"], formats=("svg",)),
            border="a weed border round all",
            settings=STARTING.settings_of("small-laser", "birch-3mm"),
        )
        self.assertEqual([one.error.code for one in work.problems], ["cannot-make"])

    def test_what_lies_on_no_sheet_and_a_machine_without_files_are_said(self):
        ticket, _ = job([piece("p1", [line_of("k1")]), piece("p2", [line_of("k2")])])
        alone = apply(ticket, [Change("sheets/s1/holds/hp2", operation="remove")])
        notes = next(one for one in stations(alone, badge_work(alone)) if one.key == "sheet").notes
        self.assertEqual([(note.text, note.weight) for note in notes],
                         [("“piece p2” lies on no sheet: no file holds it.", "look")])  # fmt: skip
        _, work = job([piece("p1", [line_of("k1")])], replace(ANY, formats=()))
        self.assertEqual([one.error.message for one in work.problems], [f"The {ANY.name} takes no files."])

    def test_more_of_the_same_is_a_sheet_with_a_number_of_its_own(self):
        ticket, _ = job([piece("p1", [line_of("k1")], 10)])
        again = replace(ticket.sheets[0], id="s2", own_quantity=3)
        both = replace(ticket, sheets=(*ticket.sheets, again))
        work = badge_work(both)
        self.assertEqual([work.sheets[id].laid.value.copies for id in ("s1", "s2")], [10, 3])
        self.assertIn("Sheet 2, piece p1: lay 3 more on", " ".join(s.text for s in sentences(both)))
        notes = next(one for one in stations(both, work) if one.key == "sheet").notes
        self.assertEqual([note.text for note in notes], [])

    def test_a_cross_cut_frees_the_roll_as_the_last_thing_in_every_file(self):
        ticket, work = job([piece("p1", [line_of("k1"), line_of("k2", "kiss cut", 3.0)], 4)],
                           cross_cut="a cross-cut behind it", weed_lines="weed lines", weed_size=30.0)  # fmt: skip
        laid, runs = work.sheets["s1"].laid.value, program_of(ticket.sheets[0], work).runs
        self.assertEqual([run.of.process for run in runs][-1], "cross-cut")
        self.assertGreater([run.of.process for run in runs].index("through cut"), 0)
        self.assertAlmostEqual(runs[-1].length, laid.width)
        self.assertEqual(laid.width, min(ticket.sheets[0].stock.usable_width, ANY.usable_width))
        files = {file.name: file.content for file in write_files(ticket, work)}
        for process in ("cross-cut", "weed cut"):
            self.assertGreater(length_of_svg(files["badge-cut.svg"])[process], 0)

    def test_a_layer_on_two_sheets_is_examined_against_each(self):
        ticket, _ = job([piece("p1", [line_of("k1", distance=0.0)], width=6.0)])
        rough = replace(FILM, key="rough", name="rough film", smallest_part=20.0)
        second = Sheet("s2", (Held("h", "lp1"),), rough, ANY)
        work = badge_work(replace(ticket, sheets=(*ticket.sheets, second)))
        self.assertEqual(len(work.layers["lp1"].examined), 2)
        lines = next(one for one in stations(replace(ticket, sheets=(*ticket.sheets, second)), work)
                     if one.key == "lines")  # fmt: skip
        self.assertEqual(sum("rough film" in note.text + note.what_to_do for note in lines.notes), 1)

    def test_sheets_that_hold_nothing_or_strangers_are_refused(self):
        ticket, _ = job([piece("p1", [line_of("k1")])])
        for change in (
            Change("sheets/s1/holds", []), Change("sheets/s1/holds/hp1/layer", "l9"),
            Change("sheets/s1/holds", {"id": "h9", "layer": "lp1"}, "add"),
            Change("sheets/s1/placed", [{"id": "a", "layer": "l9"}]),
        ):  # fmt: skip
            with self.subTest(change.path), self.assertRaises(InvalidTicket):
                apply(ticket, [change])


class DxfPageTest(unittest.TestCase):
    page = Page(
        120, 90, (Filled(Bundle.of([Path.circle(9, 9, 3)])),),
        (Stroked(
            Bundle.of([
                Path.polygon([(0, 0), (10, 0), (10, 7)]), Path.polygon([(1, 1), (3, 4)], closed=False),
                Path.circle(20, 20, 5), Path.circle(20, 20, 9).as_cubics(),
            ]),
            Ink("Cut", (0, 1, 0, 0)), "kiss cut", (Affine(), Affine.mirror(100), Affine.rotation(30.0)),
        ),),
    )  # fmt: skip

    def test_is_sound_and_read_back_within_its_tolerance(self):
        content = dxf_page.write_page(self.page)
        check_page(self.page, dxf_page.read_page(content), "file", tolerance=dxf_page.TOLERANCE, layers=False)
        document = ezdxf.read(io.StringIO(content.decode("cp1252")))
        self.assertEqual((document.audit().errors, document.units, len(document.modelspace())), ([], 4, 13))
        self.assertEqual(len({entity.dxf.handle for entity in document.modelspace()}), 13)
        other = replace(self.page, stroked=(replace(self.page.stroked[0], placements=(Affine(), Affine(), Affine())),))
        with self.assertRaises(FileDisagrees):
            check_page(other, dxf_page.read_page(content), "file", tolerance=dxf_page.TOLERANCE, layers=False)


class SharedSideTest(unittest.TestCase):
    def test_a_side_that_two_regions_share_is_followed_once(self):
        def box(left, top, right, bottom):
            return Path.polygon([(left, top), (right, top), (right, bottom), (left, bottom)])

        round_it = Region(Path.circle(5, 35, 4))
        crossed = [Region(Path.polygon([(0, 0), (10, 10), (0, 10)])), Region(Path.polygon([(10, 0), (0, 10), (30, 5)]))]
        cases = (
            ([Region(box(0, 0, 10, 10)), Region(box(10, 0, 20, 10)), round_it], 70 + 8 * math.pi),
            # crossed sides of one box are not the same
            (crossed, sum(region.outer.length() for region in crossed)),
            ([Region(box(0, 0, 10, 10)), Region(box(0, 0, 10, 10).reversed())], 40),
        )  # fmt: skip
        for regions, length in cases:
            made = sides_once(regions)
            self.assertAlmostEqual(made.length, length, delta=0.01)
            ways = [(shapely.LinearRing if path.closed else shapely.LineString)(path.flattened(0.01)) for path in made]
            drawn = shapely.union_all(ways)
            edges = shapely.union_all([region.polygon(0.01).boundary for region in regions])
            self.assertLess(edges.difference(drawn.buffer(0.02)).length, 1e-6)
