"""Sizes told by the subject or the finished piece, and artwork stretched."""

import hashlib
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from nibble_core.errors import InvalidTicket
from nibble_core.formats.pixels import write_png
from nibble_core.geometry import Box
from nibble_core.pipeline.sizing import sized_to
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, first_ticket
from nibble_core.ticket.sentences import sentences
from tests import zoo

DRAWING = b"""<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm" viewBox="0 0 80 60">
<circle cx="40" cy="30" r="20" fill="#204060"/></svg>"""
PICTURE = write_png(zoo.picture(zoo.shape("leaf"), 500))
STORE = MemoryStore()


def job(content=PICTURE, *changes, name="a.png"):
    mode = "paths" if name.endswith("svg") else "two-tone"
    ticket = first_ticket(
        name="Leaf", file=hashlib.sha256(content).hexdigest(), file_name=name, width=80, mode=mode, quantity=1
    )
    return apply(ticket, changes), lambda ticket: work_out(ticket, lambda _: content, STORE)


def subject(work):
    return Box.around([shape.bounds() for shape in work.artworks["a1"].trace.value.kept])


class SizedTest(unittest.TestCase):
    @given(st.sampled_from(("subject", "piece")), st.sampled_from(("wide", "high")), st.floats(20, 300))
    @settings(max_examples=4)
    def test_what_is_asked_for_is_what_comes_out(self, what, side, wanted):
        ticket, work_of = job()
        work = work_of(apply(ticket, sized_to(ticket, "a1", what, side, wanted, work_of, None)))
        box = subject(work) if what == "subject" else work.layers["l1"].laid.value.box
        self.assertAlmostEqual(box.width if side == "wide" else box.height, wanted, delta=0.02)

    def test_a_size_that_cannot_be_is_refused(self):
        ticket, work_of = job()
        for wanted in (2.0, float("nan"), 1e9):  # 2 mm leave nothing within lines 2 mm outside
            with self.assertRaises(InvalidTicket):
                sized_to(ticket, "a1", "piece", "wide", wanted, work_of, None)


class StretchTest(unittest.TestCase):
    def test_pictures_and_drawings_are_stretched_alike(self):
        for content, name in ((PICTURE, "a.png"), (DRAWING, "b.svg")):
            plain, work_of = job(content, name=name)
            before = subject(work_of(plain))
            for stretch in (1.25, 0.8):
                with self.subTest(name, stretch=stretch):
                    ticket = apply(plain, [Change("artworks/a1/stretch", stretch)])
                    after = subject(work_of(ticket))
                    np.testing.assert_allclose(
                        after.width / after.height, stretch * before.width / before.height, rtol=0.004
                    )
                    self.assertAlmostEqual(after.width, before.width, delta=0.3)  # the width is what is stated
                    (said,) = [one.text for one in sentences(ticket) if one.id == "a1-size"]
                    self.assertIn("25 % wider" if stretch > 1 else "20 % narrower", said)
