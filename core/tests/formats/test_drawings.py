"""Traced drawings as SVG and JSON, read by others."""

import io
import json
import unittest

import numpy as np
import resvg_py
from lxml import etree
from PIL import Image

from nibble_core.formats import shapes_json, svg
from nibble_core.formats.svg_path import parse_path_data
from nibble_core.geometry import Path, Region
from nibble_core.graphics import Drawing, Shape

RING = Shape(Region(Path.circle(20, 15, 10), (Path.circle(20, 15, 4).reversed(),)), (200, 30, 40))
BAR = Shape(Region(Path.polygon([(35, 2), (38, 2), (38, 28), (35, 28)])), (20, 40, 90))
DRAWING = Drawing(40, 30, (RING, BAR))


class DrawingTest(unittest.TestCase):
    def test_resvg_paints_the_areas_that_were_meant(self):
        text = svg.write_drawing(DRAWING).decode()
        png = bytes(resvg_py.svg_to_bytes(svg_string=text, dpi=254))
        pixels = np.asarray(Image.open(io.BytesIO(png)).convert("RGBA")).astype(float)
        self.assertEqual(pixels.shape[:2], (300, 400))
        share = pixels[..., 3].sum() / 255 / 100
        self.assertAlmostEqual(share, np.pi * (100 - 16) + 3 * 26, delta=0.5)
        self.assertEqual(pixels[150, 200, 3], 0)
        self.assertLess(np.abs(pixels[60, 200, :3] - [200, 30, 40]).max(), 3)

    def test_one_path_a_shape_in_millimetres(self):
        root = etree.fromstring(svg.write_drawing(DRAWING))
        self.assertEqual((root.get("width"), root.get("height"), root.get("viewBox")), ("40mm", "30mm", "0 0 40 30"))
        paths = list(root)
        self.assertEqual([p.get("fill") for p in paths], ["#c81e28", "#14285a"])
        self.assertEqual({p.get("fill-rule") for p in paths}, {"evenodd"})

    def test_json_says_the_same(self):
        told = json.loads(shapes_json.write_drawing(DRAWING))
        self.assertEqual((told["unit"], told["width"], told["height"]), ("mm", 40, 30))
        self.assertEqual(len(told["shapes"][0]["nodes"]), 4)
        outer, hole = parse_path_data(told["shapes"][0]["path"])
        self.assertAlmostEqual(outer.area() + hole.area(), np.pi * 84, delta=0.1)
