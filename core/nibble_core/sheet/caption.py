"""A printed line beside the copies, between the marks at the sheet's end: what it is, and which way it is fed."""

from __future__ import annotations

from itertools import pairwise

from nibble_core.geometry import Affine, Path, Region
from nibble_core.sheet.laid import LaidSheet
from nibble_core.text.fonts import Font
from nibble_core.text.lettering import set_line

TALL = 3.0  # mm, capitals where there is room
LEAST = 1.2  # mm, that can still be read
CLEAR = 1.0  # mm between the line and a mark


def caption(words: str, font: Font, laid: LaidSheet, band: float) -> tuple[Region, ...]:
    """Outlines of an arrow towards the top edge and of ``words``, in the middle of the longest stretch between marks
    within the ``band`` mm that are free at the sheet's foot; nothing where they could not be read."""
    reach = laid.marks.diameter / 2 + CLEAR
    stops = sorted(x for x, y in laid.marks.places if y > laid.height - band)
    free = [(a + reach, b - reach) for a, b in pairwise([CLEAR - reach, *stops, laid.width - CLEAR + reach])]
    start, end = max(free, key=lambda one: one[1] - one[0])
    long = set_line(font, words, 1.0).box.width + 2.0  # with the arrow and the gap after it, for 1 mm of capitals
    tall = min(TALL, band / 2, (end - start) / long)
    if tall < LEAST:
        return ()
    line = set_line(font, words, tall)
    baseline, left = laid.height - (band - tall) / 2, (start + end - long * tall) / 2
    place = Affine.translation(left + 2.0 * tall - line.box.left, baseline)
    return (_arrow(left, baseline, tall), *(region.mapped(place) for region in line.regions))


def _arrow(left: float, foot: float, tall: float) -> Region:
    """Pointing up, as wide as high."""
    points = [(0.5, 1.0), (1.0, 0.45), (0.65, 0.45), (0.65, 0.0), (0.35, 0.0), (0.35, 0.45), (0.0, 0.45)]
    return Region(Path.polygon([(left + x * tall, foot - y * tall) for x, y in points]))
