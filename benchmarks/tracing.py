"""Two-tone tracing: distance from the true outline and nodes, against a general-purpose tracer (potracer)."""

from __future__ import annotations

import time

import cv2
import numpy as np
import potrace

from benchmarks.corpus import Known, corpus
from nibble_core.geometry import CUBIC, LINE, Path
from nibble_core.graphics import Raster
from nibble_core.pipeline.clean import PREVIEW_PX
from nibble_core.tracing import measured_noise, trace_two_tone
from nibble_core.tracing.deviation import distances, evenly
from nibble_core.tracing.two_tone import outline_paths

Rings = list[Path]


def run() -> None:
    for size in (256, 1024):
        print(f"tracing at {size} px: distance from the true outline in px, nodes as a ratio to the true outline's")
        print(f"  {'':14}{'mean':>8}{'p95':>8}{'max':>8}{'nodes':>8}   general-purpose: mean, p95, nodes")
        ours, theirs = [], []
        for known in corpus(size):
            raster = known.raster()
            one = score(known, outline_paths(trace_two_tone(raster.grey(), raster, level=0.5)))
            other = score(known, general_purpose(raster))
            ours.append(one)
            theirs.append(other)
            print(f"  {known.name:14}{one[0]:8.3f}{one[1]:8.3f}{one[2]:8.2f}{one[3]:8.2f}"
                  f"   {other[0]:8.3f}{other[1]:8.3f}{other[3]:8.2f}")  # fmt: skip
        a, b = np.median(ours, 0), np.median(theirs, 0)
        print(f"  {'median':14}{a[0]:8.3f}{a[1]:8.3f}{a[2]:8.2f}{a[3]:8.2f}   {b[0]:8.3f}{b[1]:8.3f}{b[3]:8.2f}")
        print(f"  against the general-purpose tracer: mean {a[0] / b[0]:.2f}, nodes {a[3] / b[3]:.2f}")
    speed()


def score(known: Known, rings: Rings) -> tuple[float, float, float, float]:
    true = [evenly(ring.flattened(0.01), 0.25) for ring in known.rings]
    made = [evenly(ring.flattened(0.01), 0.25) for ring in rings]
    apart = np.concatenate([distances(np.vstack(true), made), distances(np.vstack(made), true)])
    nodes = sum(len(ring) for ring in rings) / known.nodes
    return float(apart.mean()), float(np.percentile(apart, 95)), float(apart.max()), nodes


def general_purpose(raster: Raster) -> Rings:
    """The same picture, made black and white at the half and traced with the library's default settings."""
    rings = []
    for curve in potrace.Bitmap(np.rint(raster.grey() * 255).astype(np.uint8)).trace():
        rows, kinds, at = [], [], curve.start_point
        for piece in curve.segments:
            if piece.is_corner:
                rows += [[at.x, at.y, 0, 0, 0, 0, piece.c.x, piece.c.y],
                         [piece.c.x, piece.c.y, 0, 0, 0, 0, piece.end_point.x, piece.end_point.y]]  # fmt: skip
                kinds += [LINE, LINE]
            else:
                rows.append(
                    [at.x, at.y, piece.c1.x, piece.c1.y, piece.c2.x, piece.c2.y, piece.end_point.x, piece.end_point.y]
                )
                kinds.append(CUBIC)
            at = piece.end_point
        rings.append(Path(np.array(kinds, np.uint8), np.array(rows)))
    return rings


def speed() -> None:
    """A re-trace preview against thresholding and following pixel borders at twice the size."""
    print(f"re-trace preview at {PREVIEW_PX} px against cv2.threshold + cv2.findContours at {2 * PREVIEW_PX} px")
    ratios = []
    for small, large in zip(corpus(PREVIEW_PX), corpus(2 * PREVIEW_PX), strict=True):
        raster, grey = small.raster(), small.raster().grey()
        levels = np.rint(large.raster().grey() * 255).astype(np.uint8)

        def bare(levels: np.ndarray = levels) -> None:
            _, mask = cv2.threshold(levels, 127, 255, cv2.THRESH_BINARY_INV)
            cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)

        noise = measured_noise(grey, 0.5)  # once for all moves of a slider

        def preview(grey: np.ndarray = grey, raster: Raster = raster, noise: float = noise) -> None:
            trace_two_tone(grey, raster, level=0.5, polished=False, noise=noise)

        ratios.append(median_seconds(preview) / median_seconds(bare))
    print(f"  ratio: median {np.median(ratios):.1f}, worst {max(ratios):.1f}")


def median_seconds(work, times: int = 7) -> float:
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        taken.append(time.perf_counter() - start)
    return float(np.median(taken))
