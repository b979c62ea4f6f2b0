"""Clients' DXF files: each entity lies where an independent reader of the same file says, with its colour and layer."""

import io
import math
import unittest

import ezdxf
import numpy as np
import shapely
from ezdxf import disassemble
from ezdxf.enums import TextEntityAlignment
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import FileTooLarge, NothingToTrace
from nibble_core.formats.dxf_reader import join_ends, read_dxf
from nibble_core.geometry import LINE, Path
from nibble_core.graphics import HAIRLINE, Shape, Stroke

FINE = 0.0005


def document(unit: int = 4):
    made = ezdxf.new("R2010")
    made.header["$INSUNITS"] = unit
    return made, made.modelspace()


def content_of(made) -> bytes:
    stream = io.StringIO()
    made.write(stream)
    return stream.getvalue().encode()


def by_the_library(made) -> shapely.Geometry:
    """All entities as lines in mm, y down, their box at the origin, flattened by the DXF library."""
    lines = []
    for primitive in disassemble.to_primitives(disassemble.recursive_decompose(made.modelspace())):
        if primitive.path is not None:
            for sub in primitive.path.sub_paths():
                points = np.array([(v.x, -v.y) for v in sub.flattening(FINE)])
                if sub.is_closed:
                    points = np.vstack([points, points[:1]])
                lines.append(shapely.LineString(points))
    whole = shapely.union_all(lines)
    return shapely.transform(whole, lambda p: p - np.array(whole.bounds[:2]))


def ours(read) -> shapely.Geometry:
    paths = [
        ring
        for shape in read.drawing.shapes
        for ring in ([shape.path] if isinstance(shape, Stroke) else shape.region.rings)
    ]
    lines = []
    for path in paths:
        points = path.flattened(FINE)
        lines.append(shapely.LineString(np.vstack([points, points[:1]]) if path.closed else points))
    return shapely.union_all(lines)


class PlaceTest(unittest.TestCase):
    def drawn(self) -> dict[str, object]:
        """One small drawing a kind."""
        made = {}

        def add(name, draw):
            made[name], space = document()
            draw(space)
            space.add_line((-30, -30), (-20, -28))  # something to tell which way is up

        add("lines and arcs", lambda s: (s.add_line((0, 0), (30, 10)), s.add_arc((5, 5), 12, 300, 80)))
        add("an arc through zero", lambda s: s.add_arc((0, 0), 20, 350, 10))
        add("bulges both ways", lambda s: s.add_lwpolyline(
            [(0, 0, 0.5), (20, 0, -0.3), (30, 15, 0), (5, 25, 2.0)], format="xyb", close=True))  # fmt: skip
        add("an old polyline", lambda s: s.add_polyline2d([(0, 0, 0.7), (20, 5, 0), (25, 20, -0.4)], format="xyb"))
        add("part of an ellipse", lambda s: s.add_ellipse((5, 3), (20, 8, 0), 0.4, 0.5, 4.0))
        add("a spline back to its start", lambda s: s.add_spline([(0, 0), (20, 5), (25, 20), (4, 18), (0, 0)]))
        add("a rational spline", lambda s: s.add_rational_spline(
            [(0, 0), (10, 20), (20, -10), (30, 5)], [1, 3, 0.5, 1]))  # fmt: skip
        add("drawn on the back", lambda s: (
            s.add_circle((10, 4), 6, dxfattribs={"extrusion": (0, 0, -1)}),
            s.add_arc((10, 4), 12, 20, 140, dxfattribs={"extrusion": (0, 0, -1)}),
            s.add_lwpolyline([(0, 0, 0.6), (9, 2, 0), (5, 12, 0)], format="xyb", dxfattribs={"extrusion": (0, 0, -1)}),
        ))  # fmt: skip
        add("a line in space", lambda s: s.add_polyline3d([(0, 0, 5), (10, 4, 9), (22, -3, 1)]))

        def blocks(space):
            inner = space.doc.blocks.new("INNER")
            inner.add_lwpolyline([(0, 0, 0.8), (6, 0, 0), (6, 4, 0)], format="xyb", close=True)
            outer = space.doc.blocks.new("OUTER")
            outer.add_blockref("INNER", (2, 1), dxfattribs={"rotation": 30, "xscale": -1, "yscale": 2})
            outer.add_circle((0, 0), 1.5)
            space.add_blockref("OUTER", (20, 10), dxfattribs={"rotation": -70, "xscale": 1.5, "yscale": -1.5})

        add("blocks in blocks, mirrored", blocks)
        return made

    def test_every_entity_lies_where_the_library_puts_it(self):
        for name, made in self.drawn().items():
            with self.subTest(name):
                one, other = ours(read_dxf(content_of(made), "plan.dxf")), by_the_library(made)
                self.assertLess(shapely.hausdorff_distance(one, other, densify=0.02), 0.008)

    def test_a_filled_area_keeps_its_islands(self):
        made, space = document()
        hatch = space.add_hatch(color=1)
        hatch.paths.add_polyline_path([(0, 0), (40, 0), (40, 30), (0, 30)], is_closed=True)
        edge = hatch.paths.add_edge_path(flags=16)
        edge.add_arc((20, 15), 8, 0, 360)
        space.add_solid([(50, 0), (60, 0), (50, 10), (60, 10)])  # corners run as a Z
        shapes = [one for one in read_dxf(content_of(made), "plan.dxf").drawing.shapes if isinstance(one, Shape)]
        areas = sorted(shape.region.area() for shape in shapes)
        np.testing.assert_allclose(areas, [100, 1200 - math.pi * 64], rtol=1e-3)
        self.assertEqual({shape.colour for shape in shapes}, {(255, 0, 0), (0, 0, 0)})


class LookTest(unittest.TestCase):
    def test_layers_colours_and_what_is_switched_off(self):
        made, space = document()
        made.layers.add("CREASE", color=3)
        made.layers.add("NOTES", color=2).off()
        space.add_line((0, 0), (10, 0), dxfattribs={"layer": "CREASE"})
        space.add_line((0, 5), (10, 5), dxfattribs={"layer": "CREASE", "color": 5})
        space.add_line((0, 9), (10, 9), dxfattribs={"true_color": ezdxf.colors.rgb2int((12, 34, 56))})
        space.add_line((0, 99), (10, 99), dxfattribs={"layer": "NOTES"})
        space.add_line((0, 98), (10, 98), dxfattribs={"invisible": 1})
        read = read_dxf(content_of(made), "plan.dxf")
        found = {(one.layer, one.colour) for one in read.drawing.shapes}
        self.assertEqual(found, {("CREASE", (0, 255, 0)), ("CREASE", (0, 0, 255)), ("", (12, 34, 56))})
        self.assertEqual(read.leftovers, {"hidden": 2})
        self.assertAlmostEqual(read.drawing.height, 9)

    def test_what_a_block_leaves_open_its_reference_says(self):
        made, space = document()
        for name, colour in (("CUT", 1), ("CREASE", 3), ("OWN", 5)):
            made.layers.add(name, color=colour)
        inner, outer = made.blocks.new("INNER"), made.blocks.new("OUTER")
        inner.add_line((0, 0), (1, 0))
        inner.add_line((0, 1), (1, 1), dxfattribs={"color": 0})
        inner.add_line((0, 2), (1, 2), dxfattribs={"layer": "OWN"})
        outer.add_blockref("INNER", (0, 0), dxfattribs={"color": 0})
        space.add_blockref("INNER", (0, 0), dxfattribs={"layer": "CUT"})
        space.add_blockref("OUTER", (0, 10), dxfattribs={"layer": "CREASE", "color": 6, "xscale": 3})
        red, green, blue, magenta = (255, 0, 0), (0, 255, 0), (0, 0, 255), (255, 0, 255)
        found = sorted((one.layer, one.colour) for one in read_dxf(content_of(made), "plan.dxf").drawing.shapes)
        wanted = [("CUT", red), ("CUT", red), ("OWN", blue), ("CREASE", green), ("CREASE", magenta), ("OWN", blue)]
        self.assertEqual(found, sorted(wanted))
        made.layers.get("CUT").off()
        made.layers.get("CREASE").freeze()
        shown = read_dxf(content_of(made), "plan.dxf")
        self.assertEqual([(one.layer, one.colour) for one in shown.drawing.shapes], [("OWN", blue)])
        self.assertEqual(shown.leftovers, {"hidden": 3})

    def test_blocks_without_end_are_refused_before_they_are_unfolded(self):
        made, space = document()
        made.blocks.new("B0").add_line((0, 0), (1, 1))
        for k in range(1, 40):
            block = made.blocks.new(f"B{k}")
            for x in range(4):
                block.add_blockref(f"B{k - 1}", (x, k))
        space.add_blockref("B39", (0, 0))
        endless, other = document()
        endless.blocks.new("SELF").add_blockref("SELF", (1, 1))
        other.add_blockref("SELF", (0, 0))
        for one in (made, endless):
            with self.assertRaises(FileTooLarge):
                read_dxf(content_of(one), "plan.dxf")

    def test_words_are_named_and_only_words_are_refused(self):
        made, space = document()
        space.add_text("OPEN", dxfattribs={"style": "Standard"})
        space.add_mtext("till\\Plate")
        with self.assertRaises(NothingToTrace) as caught:
            read_dxf(content_of(made), "plan.dxf")
        self.assertIn("only text", caught.exception.message)
        space.add_circle((0, 0), 5)
        self.assertEqual({one.text for one in read_dxf(content_of(made), "plan.dxf").lettering}, {"OPEN", "till late"})

    def test_words_keep_their_place_beside_the_shapes(self):
        made, space = document()
        space.add_lwpolyline([(10, 10), (50, 10), (50, 40), (10, 40)], close=True)
        text = space.add_text("A", height=5, rotation=30)
        text.set_placement((30, 20), align=TextEntityAlignment.RIGHT)
        space.add_mtext("B", dxfattribs={"char_height": 4, "insert": (30, 35), "attachment_point": 2})
        found = {one.text: one for one in read_dxf(content_of(made), "plan.dxf").lettering}
        one, other = found["A"], found["B"]
        np.testing.assert_allclose((*one.at, one.cap_height, one.share, one.turn), (20, 20, 5, 1, -30), atol=1e-9)
        np.testing.assert_allclose((*other.at, other.cap_height, other.share), (20, 9, 4, 0.5), atol=1e-9)

    def test_all_layers_off_is_told(self):
        made, space = document()
        made.layers.add("CUT").freeze()
        space.add_circle((0, 0), 5, dxfattribs={"layer": "CUT"})
        with self.assertRaises(NothingToTrace) as caught:
            read_dxf(content_of(made), "plan.dxf")
        self.assertIn("switched on", caught.exception.message)


class JoinTest(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(
        st.integers(3, 9), st.floats(3, 50), st.randoms(use_true_random=False),
        st.lists(st.floats(-0.006, 0.006), min_size=36, max_size=36),
    )  # fmt: skip
    def test_a_loop_in_pieces_of_any_order_and_direction_becomes_one(self, count, radius, random, noise):
        turn = 2 * math.pi / count
        corners = np.array([(radius * math.cos(turn * k), radius * math.sin(turn * k)) for k in range(count)])
        off = np.array(noise).reshape(-1, 2, 2)[:count]
        pieces = []
        for k in range(count):
            ends = np.stack([corners[k], corners[(k + 1) % count]]) + off[k]
            pieces.append(Path.polygon(ends if random.random() < 0.5 else ends[::-1], closed=False))
        random.shuffle(pieces)
        loose = Path.polygon([(200, 200), (220, 230)], closed=False)
        joined, parts = join_ends([Stroke(path, HAIRLINE) for path in [*pieces, loose]], 0.02)
        self.assertEqual((len(joined), parts), (2, count))
        loop = next(one.path for one in joined if one.path.closed)
        self.assertEqual(len(loop), count)
        area = 0.5 * count * radius**2 * math.sin(turn)
        self.assertAlmostEqual(abs(loop.area()), area, delta=0.05 * radius)

    def test_where_three_ends_meet_nothing_is_joined(self):
        spokes = [Path.polygon([(0, 0), (math.cos(a), math.sin(a))], closed=False) for a in (0, 2, 4)]
        joined, parts = join_ends([Stroke(path, HAIRLINE) for path in spokes], 0.02)
        self.assertEqual((len(joined), parts), (3, 0))
        self.assertTrue(all((one.path.kinds == LINE).all() for one in joined))


class WhatIsLeftOut(unittest.TestCase):
    """What a drawing holds and cannot be cut is told, each kind of it."""

    def notes(self, fill, unit=4):
        made, space = document(unit)
        space.add_lwpolyline([(0, 0), (80, 0), (80, 50), (0, 50)], close=True)
        fill(made, space)
        return read_dxf(content_of(made))

    def test_missing_references_layouts_and_upright_lines_are_told(self):
        def reference(made, space):
            made.add_xref_def("C:\\jobs\\frame.dxf", "FRAME")
            space.add_blockref("FRAME", (0, 0))

        def layout(made, space):
            made.layout("Layout1").add_text("Title")
            made.layout("Layout1").add_line((0, 0), (9, 9))

        def upright(made, space):
            space.add_line((5, 5, 0), (5, 5, 30))
            space.add_line((5, 5, 0), (25, 5, 30))  # slanted, it is seen from above

        for fill, words in ((reference, "reference to “frame.dxf”"), (layout, "2 entries of its layout sheets"),
                            (upright, "Lines that stand upright are left out")):  # fmt: skip
            found = self.notes(fill)
            self.assertTrue([note for note in found.notes if words in note], (words, found.notes))
            self.assertAlmostEqual(found.drawing.width, 80)
        self.assertEqual(self.notes(lambda made, space: None).notes, ())

    def test_patterns_are_told_as_lines_or_as_solid(self):
        def hatch(scale):
            def fill(made, space):
                area = space.add_hatch()
                area.set_pattern_fill("ANSI31", scale=scale)
                area.paths.add_polyline_path([(10, 10), (40, 10), (40, 40), (10, 40)], is_closed=True)

            return fill

        lines, solid = self.notes(hatch(1.0)), self.notes(hatch(0.0005))
        self.assertTrue([note for note in lines.notes if "lines of their pattern" in note])
        self.assertTrue([note for note in solid.notes if "taken as solid" in note], solid.notes)
        self.assertTrue(any(isinstance(shape, Shape) for shape in solid.drawing.shapes))

    def test_every_unit_of_the_header_is_read(self):
        for unit, mm in ((9, 0.0254), (14, 100.0), (10, 914.4), (13, 0.001), (21, 304.8006)):
            found = self.notes(lambda made, space: None, unit)
            self.assertAlmostEqual(found.drawing.width / (80 * mm), 1.0, places=5)
            self.assertTrue(found.has_unit)
