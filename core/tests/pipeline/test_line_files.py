"""The finished lines of a layer as files: true size, origin at the work, each line and its length, dashes or plain."""

import io
import re
import unittest
from dataclasses import replace

import ezdxf
import pypdfium2
from fontTools.pens.recordingPen import RecordingPen
from fontTools.svgLib.path import parse_path
from lxml import etree

from nibble_core.errors import NothingToCut
from nibble_core.formats.registry import OUTLINE_FORMATS
from nibble_core.pipeline.line_files import lines_drawing
from nibble_core.ticket.line import line_of
from nibble_core.ticket.piece import Element, Figure
from tests.pipeline.test_pieces import ticket_of
from tests.sample import badge_work

PLATE = Element("e1", content=Figure("rectangle", 60.0, 40.0))
LINES = (
    line_of("k1", "kiss cut", 2.0, corners="mitred", close_gaps=0.0, name="die"),
    line_of("k2", "perforate", 5.0, corners="mitred", close_gaps=0.0, cut=3.0, tie=1.0),
    line_of("k3", "guide", 9.0, close_gaps=0.0),
)


def layer(lines=LINES):
    return badge_work(ticket_of([PLATE], list(lines))).layers["l1"].laid.value


class LineFilesTest(unittest.TestCase):
    def test_the_svg_holds_each_line_at_true_size_and_no_guide(self):
        for plain in (False, True):
            content = OUTLINE_FORMATS["svg"].outlines(lines_drawing(layer(), plain_perforation=plain))
            root = etree.fromstring(content)
            self.assertEqual((root.get("width"), root.get("height")), ("70mm", "50mm"))
            ids = [node.get("id") for node in root.iter() if node.get("id")]
            self.assertEqual(len(ids), len(set(ids)))
            self.assertTrue(all(re.fullmatch(r"[A-Za-z_][\w.-]*", id) for id in ids), ids)
            paths = {
                node.getparent().get("data-name") or node.getparent().get("id"): [] for node in root.iter("{*}path")
            }
            for node in root.iter("{*}path"):
                paths[node.getparent().get("data-name") or node.getparent().get("id")].append(node.get("d"))
            self.assertEqual(set(paths), {"kiss cut die", "perforate"})
            self.assertEqual(len(paths["perforate"]) > 20, not plain)
            pen = RecordingPen()
            parse_path(paths["kiss cut die"][0], pen)
            xs = [x for _, points in pen.value for x, _ in points]
            self.assertAlmostEqual(min(xs), 3.0, delta=0.001)
            self.assertAlmostEqual(max(xs), 67.0, delta=0.001)

    def test_the_dxf_is_in_mm_with_a_layer_a_process(self):
        content = OUTLINE_FORMATS["dxf"].outlines(lines_drawing(layer(), plain_perforation=True))
        document = ezdxf.read(io.StringIO(content.decode("cp1252")))
        self.assertEqual(document.header["$INSUNITS"], 4)
        found = {line.dxf.layer: [point[:2] for point in line.get_points()] for line in document.modelspace()}
        self.assertEqual(set(found), {"kiss cut die", "perforate"})
        xs = [x for x, _ in found["perforate"]]
        self.assertAlmostEqual(min(xs), 0.0, delta=0.001)
        self.assertAlmostEqual(max(xs), 70.0, delta=0.001)

    def test_the_pdf_is_as_large_as_the_work(self):
        page = pypdfium2.PdfDocument(OUTLINE_FORMATS["pdf"].outlines(lines_drawing(layer())))[0]
        self.assertAlmostEqual(page.get_width() / 72 * 25.4, 70.0, delta=0.01)

    def test_nothing_to_write_is_said(self):
        with self.assertRaises(NothingToCut):
            lines_drawing(layer([replace(LINES[2])]))
