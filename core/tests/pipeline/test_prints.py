"""Drawings are printed as they are drawn, and as fine as their size asks for."""

import hashlib
import io
import unittest

import numpy as np
import resvg_py
from PIL import Image

from nibble_core.geometry import Box
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, first_ticket
from tests.formats.test_client_page import painted

WIDE, HIGH = 100.0, 50.0
SHADED = b"""<svg xmlns="http://www.w3.org/2000/svg" width="400mm" height="200mm" viewBox="0 0 400 200"><defs>
<linearGradient id="g"><stop offset="0" stop-color="#123a8c"/><stop offset="1" stop-color="#e9a50c"/></linearGradient>
<clipPath id="c"><circle cx="200" cy="100" r="80"/></clipPath></defs>
<rect x="10" y="10" width="380" height="180" rx="30" fill="url(#g)"/>
<g clip-path="url(#c)"><rect x="100" y="40" width="200" height="120" fill="#fff" fill-opacity=".5"/></g>
<path d="M40 100h320" stroke="#222" stroke-width="0.6"/></svg>"""
FLAT = b"""<svg xmlns="http://www.w3.org/2000/svg" width="400mm" height="200mm" viewBox="0 0 400 200">
<rect x="10" y="10" width="380" height="180" rx="30" fill="#123a8c"/>
<path d="M40 100h320" stroke="#fff" stroke-width="0.6"/>
<circle cx="200" cy="100" r="60" fill="#e9a50c"/></svg>"""


def worked(content: bytes, *changes: Change):
    sha = hashlib.sha256(content).hexdigest()
    ticket = apply(first_ticket(name="Sign", file=sha, file_name="sign.svg", width=WIDE, quantity=1), changes)
    work = work_out(ticket, lambda _: content, MemoryStore())
    work.require_whole()
    return ticket, work


class DrawingTest(unittest.TestCase):
    def test_gradients_transparency_and_clips_print_as_drawn_and_sharp(self):
        for content, prints in ((SHADED, "the artwork"), (FLAT, "the artwork"), (SHADED, "the client’s pixels")):
            with self.subTest(prints, shaded=content is SHADED):
                ticket, work = worked(content, Change("pieces/p1/layers/l1/prints", prints))
                (item,) = work.prints["l1"].value.items
                self.assertGreater(25.4 / item.mm_per_px, 250)
                print_file = next(one for one in write_files(ticket, work) if one.purpose == "print")
                (placement,) = work.sheets["s1"].value.placements
                x, y = placement.at.e, placement.at.f
                seen = painted(print_file.content, 1, Box(x, y, x + WIDE, y + HIGH), 100)
                png = resvg_py.svg_to_bytes(svg_string=content.decode(), width=round(WIDE / 25.4 * 100), dpi=96)
                with Image.open(io.BytesIO(bytes(png))) as image:
                    flat = Image.alpha_composite(Image.new("RGBA", image.size, "white"), image.convert("RGBA"))
                    wanted = np.asarray(flat.convert("L"), float)
                high, wide = min(seen.shape[0], wanted.shape[0]), min(seen.shape[1], wanted.shape[1])
                apart = np.abs(seen[:high, :wide] - wanted[:high, :wide])
                self.assertLess((apart > 24).mean(), 0.02)  # edges, half a pixel off
                self.assertLess(np.median(apart), 3)

    def test_what_clean_takes_away_is_not_printed_however_fine(self):
        rub = {"id": "b1", "kind": "rub out", "points": [0.5, 0.5, 0.5, 0.52], "width": 40.0}
        _, work = worked(FLAT, Change("artworks/a1/clean/strokes", rub, "add"))
        item = work.prints["l1"].value.items[0]
        self.assertGreater(25.4 / item.mm_per_px, 250)
        middle = item.raster.alpha[item.raster.height // 2, item.raster.width // 2]
        self.assertEqual(
            (int(middle), int(item.raster.alpha[item.raster.height // 2, item.raster.width // 8])), (0, 255)
        )
