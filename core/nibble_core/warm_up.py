"""Run once after installing: compiles every loop, so that no first trace, nest or file has to wait for it.

``python -m nibble_core.warm_up outlines`` and ``… rest`` compile about as long, beside each other on two cores: what
outlines need of each other, and what stands for itself.
"""

from __future__ import annotations

import sys

import cv2
import numpy as np

from nibble_core.artwork.blended import blend_of
from nibble_core.carve import Board, Pointed, grooves, surface
from nibble_core.geometry import CUBIC, Affine, Box, Bundle, Path, Region
from nibble_core.geometry.helices import helices
from nibble_core.graphics import Raster
from nibble_core.lines.bleed import bleed_pixels
from nibble_core.lines.contour import contour, outer_shape
from nibble_core.lines.necks import necks
from nibble_core.processes import ENGRAVE, KISS_CUT
from nibble_core.sheet import LaidSheet, Limits, Marks, Part, Placement, interlocked, nest, room
from nibble_core.toolpaths import Definition, by_process
from nibble_core.toolpaths.beam import Beam, moves_of
from nibble_core.toolpaths.dithering import halftone, strokes_of
from nibble_core.toolpaths.hatching import hatched
from nibble_core.toolpaths.motion import Drive, seconds_in_space, timed
from nibble_core.toolpaths.planning import planned_job
from nibble_core.toolpaths.plotting import Knife, plotted
from nibble_core.tracing import trace_two_tone
from nibble_core.tracing.centre_lines import trace_centre_lines
from nibble_core.tracing.colours import trace_colours
from nibble_core.tracing.panes import trace_panes
from nibble_core.tracing.polish import polish
from nibble_core.wrap import bent

STAR = Path.polygon([(0, 0), (30, 4), (60, 0), (50, 20), (30, 40), (10, 20)])
WAIST = Path.polygon([(0, 0), (20, 0), (30, 8), (40, 0), (60, 0), (60, 20), (40, 20), (30, 12), (20, 20), (0, 20)])


def outlines() -> None:
    """Trace a small picture in every way."""
    picture = np.full((120, 120, 4), 255, np.uint8)
    cv2.circle(picture, (44, 50), 30, (200, 40, 30, 255), -1, cv2.LINE_AA)
    cv2.ellipse(picture, (62, 66), (40, 22), 20, 0, 360, (30, 40, 160, 255), -1, cv2.LINE_AA)
    cv2.rectangle(picture, (70, 12), (108, 60), (20, 20, 20, 255), 5, cv2.LINE_AA)
    cv2.line(picture, (8, 112), (112, 100), (20, 20, 20, 255), 4, cv2.LINE_AA)
    raster = Raster(picture)
    smooth = cv2.resize(picture, (240, 240), interpolation=cv2.INTER_LINEAR)
    blend_of(Raster(np.asarray(smooth, np.uint8)))
    trace_two_tone(raster.grey(), raster, level=0.5)
    trace_colours(raster, count=4)
    trace_centre_lines(raster.grey(), raster, level=0.5)
    trace_panes(raster.grey(), raster, level=0.5)


def rest() -> None:
    """Polish an outline, grow a print, offset, bend, nest, plot and burn small shapes."""
    polish(*_arch())
    _a_beam()
    _a_groove()
    bent(Bundle.of([STAR, Path.circle(9, 5, 3)]), lambda places: places * 2)
    contour(outer_shape([Region(STAR), Region(Path.circle(80, 20, 10))]), 3.0)
    necks(Region(WAIST).polygon(), 6.0)
    bleed_pixels(Raster(np.full((40, 40, 4), (40, 90, 200, 255), np.uint8)), 2.0, mm_per_px=1.0)
    parts = [Part("l1", Box(0, 0, 60, 40), 6, Region(STAR).polygon())]
    within = room(spacing=2.0, usable_width=300.0, usable_length=900.0)
    interlocked(parts, within)
    nest(parts, within, turns="by any turn", limits=Limits(0.1))
    laid = LaidSheet(100.0, 100.0, (Placement("l1", Affine()),), Marks())
    program = by_process(laid, {"l1": (Definition("k1", KISS_CUT, Bundle.of([STAR])),)})
    plotted(program, lambda _: Knife(offset=0.25, overcut=0.5), height=100.0, unit=0.025)


def _arch() -> tuple[Path, np.ndarray, np.ndarray]:
    """Two cubics and a line, their corners, and dense points a little beside them."""
    rows = np.array([
        [0.0, 0.0, 0.0, 20.0, 10.0, 30.0, 30.0, 30.0], [30.0, 30.0, 50.0, 30.0, 60.0, 20.0, 60.0, 0.0],
        [60.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0],
    ])  # fmt: skip
    path = Path(np.array([CUBIC, CUBIC, 0], np.uint8), rows)
    return path, np.array([True, False, True]), path.flattened(0.05) + 0.1


def _a_groove() -> None:
    """Carve a small shape, and look at it."""
    cutter = Pointed(60.0)
    courses = grooves([Region(STAR)], cutter, 3.0)
    board = Board(-1.0, -1.0, 62.0, 42.0, 0.5)
    surface(board, board.fresh(), courses, rise=cutter.rise, radius=0.0)
    helices(courses[0], np.ones(len(courses[0]) - 1, bool))
    seconds_in_space(courses[0][:-1], courses[0][1:], np.ones(len(courses[0]) - 1), Drive())


def _a_beam() -> None:
    """Engrave and cut a small shape."""
    hatched(Region(STAR).polygon(), 0.5)
    strokes_of(np.eye(8, dtype=np.uint8), 0.1, 0.0, 0.0)
    halftone(np.full((8, 8), 99, np.uint8), screen=8, angle=45)
    both = (Definition("k1", ENGRAVE, Bundle.of([Path.circle(9.0 * k, 5, 3) for k in range(6)])),)
    laid = LaidSheet(100.0, 100.0, (Placement("l1", Affine()),), Marks())
    job = planned_job(laid, by_process(laid, {"l1": both}), lambda one: Beam(one.process, 0.5, 100.0))
    timed(moves_of(job), Drive())


PARTS = {"outlines": outlines, "rest": rest}


if __name__ == "__main__":
    for name in sys.argv[1:] or PARTS:
        PARTS[name]()
