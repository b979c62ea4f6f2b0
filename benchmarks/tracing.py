"""Two-tone tracing of pictures whose outlines are known, against a general-purpose tracer (potracer) and bounds.

The held-out half of the corpus is reported; ``tuning`` shows the other half, by which constants may be chosen.
"""

from __future__ import annotations

import io
import time
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
import potrace
from PIL import Image

from benchmarks.corpus import Known, corpus
from nibble_core.artwork.threshold import suggested_threshold
from nibble_core.geometry import CUBIC, LINE, Path
from nibble_core.graphics import Raster
from nibble_core.pipeline.clean import PREVIEW_PX
from nibble_core.tracing import measured_noise, trace_two_tone
from nibble_core.tracing.deviation import SMOOTH_TURN, corner_points, distances, evenly
from nibble_core.tracing.polish import turns
from nibble_core.tracing.two_tone import outline_paths

Rings = list[Path]
Degrade = Callable[[Raster], Raster]


def run() -> None:
    _report(held_out=True)
    speed()


def tuning() -> None:
    """The same figures of the half that may be tuned on."""
    _report(held_out=False)


def _report(*, held_out: bool) -> None:
    print(
        "px from the true outline, both ways; nodes and turning as ratios to the true outline's; corners: straight and"
    )
    print(
        "curved ones' distance in px (95th percentile), missed in %, false per 100 nodes; kinks: joints that turn by 3°"
    )
    print("to 20° where the truth runs on smoothly, per 100 nodes; specks: rings too many")
    heads = ["mean", "p95", "max", "nodes", "turn", "straight", "curved", "missed", "false", "kinks", "specks"]
    widths = [7, 7, 7, 7, 7, 9, 8, 8, 7, 7, 7]
    print(" " * 20 + "".join(f"{head:>{width}}" for head, width in zip(heads, widths, strict=True)))
    for title, size, degrade in SERIES:
        scores = []
        for known in corpus(size, held_out=held_out):
            raster = degrade(known.raster())
            level = suggested_threshold(raster.grey()) if degrade is not as_it_is else 0.5
            rings = outline_paths(trace_two_tone(raster.grey(), raster, level=level))
            one = score(known, rings)
            scores.append(one)
            print(f"    {known.name:16}{one.line()}")
        print(f"  {title:18}{summary(scores).line()}   worst {max(s.mean for s in scores):.3f}, "
              f"{max(s.nodes for s in scores):.2f}")  # fmt: skip
        if degrade is as_it_is and size in (256, 1024):
            theirs = [score(known, general_purpose(known.raster())) for known in corpus(size, held_out=held_out)]
            a, b = summary(scores), summary(theirs)
            print(f"  {'  the library':18}{b.line()}")
            print(f"    mean {a.mean / b.mean:.3f} and nodes {a.nodes / b.nodes:.2f} of the general-purpose tracer's")


def as_it_is(raster: Raster) -> Raster:
    return raster


def jpeg(quality: int) -> Degrade:
    def degrade(raster: Raster) -> Raster:
        stream = io.BytesIO()
        Image.fromarray(raster.pixels[..., :3]).save(stream, "JPEG", quality=quality)
        pixels = np.asarray(Image.open(stream).convert("RGB"))
        return Raster(np.dstack([pixels, np.full(pixels.shape[:2], 255, np.uint8)]))

    return degrade


def without_greys(raster: Raster) -> Raster:
    """Saved as black and white: edges in steps."""
    pixels = np.where(raster.pixels[..., :3] < 128, 0, 255).astype(np.uint8)
    return Raster(np.dstack([pixels, raster.pixels[..., 3]]))


def photographed(raster: Raster) -> Raster:
    """Soft, noisy and saved with losses, as from a phone."""
    soft = cv2.GaussianBlur(raster.pixels[..., :3].astype(np.float32), (0, 0), 0.9)
    noise = np.random.default_rng(11).normal(0, 3, soft.shape[:2])[..., None]
    pixels = np.clip(25 + soft * 0.86 + noise, 0, 255).astype(np.uint8)
    return jpeg(70)(Raster(np.dstack([pixels, np.full(pixels.shape[:2], 255, np.uint8)])))


SERIES: list[tuple[str, int, Degrade]] = [
    ("PNG 256", 256, as_it_is), ("PNG 1024", 1024, as_it_is), ("PNG 3000", 3000, as_it_is),
    ("JPEG q75 256", 256, jpeg(75)), ("JPEG q75 1024", 1024, jpeg(75)), ("phone 700", 700, photographed),
    ("no greys 256", 256, without_greys), ("PNG 100", 100, as_it_is), ("JPEG q30 160", 160, jpeg(30)),
    ("JPEG q30 500", 500, jpeg(30)),
]  # fmt: skip


@dataclass(frozen=True)
class Score:
    """How one trace compares with the truth; see ``_report``."""

    mean: float
    p95: float
    most: float
    nodes: float
    turning: float
    straight: tuple[float, ...]
    curved: tuple[float, ...]
    missed: int
    false: int
    kinks: int
    made_nodes: int
    specks: int

    def line(self) -> str:
        corners = len(self.straight) + len(self.curved) + self.missed
        p95 = [float(np.percentile(some, 95)) if some else 0.0 for some in (self.straight, self.curved)]
        return (
            f"{self.mean:7.3f}{self.p95:7.3f}{self.most:7.2f}{self.nodes:7.2f}{self.turning:7.2f}{p95[0]:9.3f}"
            f"{p95[1]:8.3f}{100 * self.missed / max(corners, 1):8.1f}{100 * self.false / self.made_nodes:7.1f}"
            f"{100 * self.kinks / self.made_nodes:7.1f}{self.specks:7d}"
        )


def summary(scores: list[Score]) -> Score:
    """Medians of ratios and distances, the largest of the largest distances, corners taken together."""
    middle = lambda name: float(np.median([getattr(s, name) for s in scores]))  # noqa: E731
    return Score(
        middle("mean"), middle("p95"), max(s.most for s in scores), middle("nodes"), middle("turning"),
        sum((s.straight for s in scores), ()), sum((s.curved for s in scores), ()), sum(s.missed for s in scores),
        sum(s.false for s in scores), sum(s.kinks for s in scores),
        sum(s.made_nodes for s in scores), sum(s.specks for s in scores),
    )  # fmt: skip


def score(known: Known, rings: Rings) -> Score:
    true = [evenly(ring.flattened(0.01), 0.25) for ring in known.rings]
    made = [evenly(ring.flattened(0.01), 0.25) for ring in rings]
    apart = np.concatenate([distances(np.vstack(true), made), distances(np.vstack(made), true)])
    nodes = sum(len(ring) for ring in rings)
    straight, curved, missed, false = _corners(known.rings, rings)
    return Score(
        float(apart.mean()), float(np.percentile(apart, 95)), float(apart.max()), nodes / known.nodes,
        turning(rings) / turning(list(known.rings)), straight, curved, missed, false,
        _kinks(known.rings, rings), nodes, max(0, len(rings) - len(known.rings)),
    )  # fmt: skip


def turning(rings: Rings) -> float:
    """Total turning of closed paths in radians: 2 pi for every convex one."""
    total = 0.0
    for ring in rings:
        steps = np.diff(np.vstack([points := ring.flattened(0.02), points[:2]]), axis=0)
        steps = steps[np.hypot(*steps.T) > 1e-9]
        before, after = steps[:-1], steps[1:]
        turn = np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], np.sum(before * after, 1))
        total += float(np.abs(turn).sum())
    return total


def _corners(true: tuple[Path, ...], made: Rings) -> tuple[tuple[float, ...], tuple[float, ...], int, int]:
    """Distances of straight and curved corners found, how many are missed (none within 3 px), how many are false."""
    places = np.vstack([corner_points(ring) for ring in made] + [np.empty((0, 2))])
    straight: list[float] = []
    curved: list[float] = []
    missed, taken = 0, set()
    for ring in true:
        flat = ring.kinds == LINE
        at = {tuple(node): i for i, node in enumerate(ring.rows[:, :2])}
        for corner in corner_points(ring):
            off = np.hypot(*(places - corner).T)
            if not len(off) or off.min() > 3:
                missed += 1
                continue
            taken.add(int(off.argmin()))
            index = at[tuple(corner)]
            (straight if flat[index] and flat[index - 1] else curved).append(float(off.min()))
    return tuple(straight), tuple(curved), missed, len(places) - len(taken)


def _kinks(true: tuple[Path, ...], made: Rings) -> int:
    """Joints that turn visibly where the truth has nothing of the kind within 3 px."""
    bends = np.vstack([ring.rows[np.abs(turns(ring)) > np.radians(1), :2] for ring in true])
    at = []
    for ring in made:
        turn = np.abs(turns(ring))
        at.append(ring.rows[(turn > np.radians(3)) & (turn < SMOOTH_TURN), :2])
    return sum(1 for place in np.vstack(at) if not len(bends) or np.hypot(*(bends - place).T).min() > 3)


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
    """Previews against thresholding and following pixel borders at twice the size; large traces at the same size."""
    print(f"re-trace preview at {PREVIEW_PX} px against cv2.threshold + cv2.findContours at {2 * PREVIEW_PX} px")
    ratios = []
    for small, large in zip(corpus(PREVIEW_PX), corpus(2 * PREVIEW_PX), strict=True):
        raster, grey = small.raster(), small.raster().grey()
        noise = measured_noise(grey, 0.5)  # once for all moves of a slider

        def preview(grey: np.ndarray = grey, raster: Raster = raster, noise: float = noise) -> None:
            trace_two_tone(grey, raster, level=0.5, polished=False, noise=noise)

        ratios.append(median_seconds(preview) / median_seconds(_bare(large.raster().grey())))
    print(f"  ratio: median {np.median(ratios):.1f}, worst {max(ratios):.1f}")
    print("whole trace at 4096 px against cv2.threshold + cv2.findContours at 4096 px")
    ratios = []
    for known in corpus(4096, held_out=True):
        raster = known.raster()
        grey = raster.grey()
        taken = median_seconds(lambda grey=grey, raster=raster: trace_two_tone(grey, raster, level=0.5), 3)
        ratios.append(taken / median_seconds(_bare(grey)))
    print(f"  ratio: median {np.median(ratios):.1f}, worst {max(ratios):.1f}")


def _bare(grey: np.ndarray) -> Callable[[], None]:
    levels = np.rint(grey * 255).astype(np.uint8)

    def bare() -> None:
        _, mask = cv2.threshold(levels, 127, 255, cv2.THRESH_BINARY_INV)
        cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)

    return bare


def median_seconds(work: Callable[[], object], times: int = 7) -> float:
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        taken.append(time.perf_counter() - start)
    return float(np.median(taken))
