"""Flat colour areas: the demo's drawings traced and rendered back at four times the size, and time against k-means.

The pictures come from the demo's own canvas, whose polygons are drawn at any size, so that the truth at four times the
size is drawn, not enlarged.
"""

from __future__ import annotations

import time
from collections.abc import Callable

import cv2
import numpy as np

from demo.canvas import Canvas
from demo.degrade import as_boxed_jpeg, as_png
from demo.drawings import honey, kite, lighthouse, oars
from nibble_core.formats.pixels import read_picture
from nibble_core.geometry.nearest import distances_to_lines
from nibble_core.graphics import Drawing, Raster, Shape
from nibble_core.graphics.rendering import rendered
from nibble_core.tracing.areas import TracedAreas
from nibble_core.tracing.colours import trace_colours
from nibble_core.tracing.deviation import closed_line

PICTURES: dict[str, Callable[[int, str | None], Canvas]] = {
    "kite": kite, "honey": honey, "lighthouse": lighthouse, "oars": oars,
}  # fmt: skip
SIZE, LARGER, OFF = 1000, 4, 40


def run() -> None:
    print(f"colours, {SIZE} px wide: pixels off by more than {OFF} levels when rendered back {LARGER} times")
    print("as large, error of the areas' sum, regions, mean deviation in px")
    for name, draw in PICTURES.items():
        truth = Raster(np.asarray(draw(SIZE * LARGER, "#ffffff").picture().convert("RGBA")).copy()).over_white()
        for kind, content in (
            ("PNG", as_png(draw(SIZE, "#ffffff"))),
            ("q75", as_boxed_jpeg(draw(SIZE, "#ffffff"), 75)),
        ):
            traced = trace_colours(read_picture(content, name).raster, count=8)
            off, area = rendered_back(traced, truth)
            print(
                f"  {name:12}{kind}  {100 * off:6.3f} %  {area:8.1e}  {len(traced.regions):4}  {mean_off(traced):.3f}"
            )
    speed()


def mean_off(traced: TracedAreas) -> float:
    """Mean distance, px, of the places where colours meet from the borders fitted to them, corners and all; two places
    beside each junction, whose pixels show three colours, are left out."""
    lines = [closed_line(path) for path, _, _ in traced.seams]
    places = [p if np.array_equal(p[0], p[-1]) else p[2:-2] for p in traced.places if len(p) > 6]
    return float(distances_to_lines(np.vstack(places), lines).mean())


def rendered_back(traced: TracedAreas, truth: np.ndarray) -> tuple[float, float]:
    """Share of pixels that differ, and by how much the areas miss the picture's, as a share of it."""
    height, width = truth.shape[0] / LARGER, truth.shape[1] / LARGER
    shapes = tuple(Shape(region.region, region.colour) for region in traced.regions)
    shown = rendered(Drawing(width, height, shapes), truth.shape[1]).over_white()
    off = np.abs(shown[: truth.shape[0]].astype(int) - truth[: shown.shape[0]]).max(2) > OFF
    area = sum(region.region.area() for region in traced.regions)
    return float(off.mean()), abs(area / (width * height) - 1)


def speed() -> None:
    """Against OpenCV's k-means of the same pixels, 8 colours, 10 rounds, the best of three starts; processor time."""
    ratios = []
    for name, draw in PICTURES.items():
        raster = read_picture(as_boxed_jpeg(draw(SIZE, "#ffffff"), 75), name).raster
        pixels = raster.over_white().reshape(-1, 3).astype(np.float32)
        ends = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 10, 1.0)
        ours = _processor_time(lambda raster=raster: trace_colours(raster, count=8))
        theirs = _processor_time(
            lambda pixels=pixels, ends=ends: cv2.kmeans(pixels, 8, None, ends, 3, cv2.KMEANS_PP_CENTERS)
        )
        ratios.append(ours / theirs)
    print(f"whole trace against k-means: {', '.join(f'{ratio:.2f}' for ratio in ratios)}")


def _processor_time(work: Callable[[], object]) -> float:
    taken = []
    for _ in range(3):
        start = time.process_time()
        work()
        taken.append(time.process_time() - start)
    return float(np.median(taken))
