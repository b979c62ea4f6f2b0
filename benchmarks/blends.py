"""Pictures that were enlarged smoothly: what tracing their true pixels would give. A trial, not part of Nibble yet.

Between the true pixels of such a picture lie blends of these.

Every line of such a picture is a weighted sum of the fewer pixels it was made of. How well so many of them, blended by
one of the usual kernels, explain it is a question of least squares, which has a sharp best answer at the true number:
a few per cent more or fewer leave several times as much unexplained. Numbers worth asking for show as lines in the
spectrum of the second differences (A. C. Gallagher, "Detection of Linear and Cubic Interpolation in JPEG Compressed
Images", CRV 2005).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from benchmarks.blend_kernels import factored, fit_lines
from benchmarks.corpus import Known, corpus
from benchmarks.makings import MAKINGS, exact, opaque, sides
from benchmarks.tracing import score
from nibble_core.geometry import Affine
from nibble_core.graphics import Raster
from nibble_core.pipeline.trace import traced_raster
from nibble_core.ticket.artwork import Trace

Levels = NDArray[np.float32]
Weights = NDArray[np.float64]
LARGEST, LEAST = 8.0, 1.4  # times enlarged
FEWEST_PIXELS = 32  # of the picture that was enlarged, each way
LINES = 32  # that are asked
PEAKS = 4  # lines of the spectrum that are asked for
USUAL = (2.0, 3.0, 4.0, 1.5, 2.5)  # times, which are asked for always
CALM = 4.0  # px over which the spectrum's ground is evened
BESIDE = 0.03  # share more and fewer pixels, against which a number is held
NEARBY = 3  # more and fewer, among which the best is taken
THINNED = 3  # every so many lines tell as well what is likely
CLEAR = 0.2  # product of both dips, below which nothing else is looked for
SHARPER = 0.7  # times what those leave unexplained
LIKELY = 0.85  # the same by a kernel that may not be the right one
UNEXPLAINED, OF_CONTRAST = 0.7, 0.02  # levels at most, and share of the contrast on top
CHANGE = 2.0  # levels from pixel to pixel, from which something changes
FEWEST_CHANGING = 300  # pixels near a change that tell anything
SUDDEN = 0.7  # share of a line's contrast that edges of a picture that was not enlarged cross within one pixel
PLACES, MOST_PLACES = 8, 7  # parts of a true pixel, and in how many of them edges must lie: else chance tells as much
STRONG = 0.25  # of the most change: an edge
ROUNDS = 3  # of taking what was clipped to black and white into account
AT_ONCE = 4_000_000  # pixels


def _linear(t: Weights) -> Weights:
    return np.maximum(0.0, 1 - t)


def _cubic(b: float, c: float) -> Callable[[Weights], Weights]:
    """D. P. Mitchell and A. N. Netravali, "Reconstruction Filters in Computer Graphics", SIGGRAPH 1988."""

    def weight(t: Weights) -> Weights:
        near = (12 - 9 * b - 6 * c) * t**3 + (-18 + 12 * b + 6 * c) * t**2 + (6 - 2 * b)
        far = (-b - 6 * c) * t**3 + (6 * b + 30 * c) * t**2 + (-12 * b - 48 * c) * t + 8 * b + 24 * c
        return np.where(t < 1, near, np.where(t < 2, far, 0.0)) / 6

    return weight


def _lanczos(t: Weights) -> Weights:
    return np.where(t < 3, np.sinc(t) * np.sinc(t / 3), 0.0)


# weights by the distance in true pixels, and how many of these they reach
KERNELS: dict[str, tuple[Callable[[Weights], Weights], int]] = {
    "cubic": (_cubic(0.0, 0.5), 2),
    "linear": (_linear, 1),
    "sharp cubic": (_cubic(0.0, 0.75), 2),
    "soft cubic": (_cubic(1 / 3, 1 / 3), 2),
    "Lanczos": (_lanczos, 3),
}
FIRST = "cubic"
"""Which goes with any of them to some degree."""


@dataclass(frozen=True)
class Blend:
    """How many true pixels a picture that was enlarged smoothly has, how many px of it go onto one, and the kernel."""

    across: int
    down: int
    size: float
    kernel: str


def blend_of(raster: Raster) -> Blend | None:
    """What a picture was enlarged from; None where nothing tells that it was."""
    if min(raster.width, raster.height) < FEWEST_PIXELS * LEAST:
        return None
    grey = cv2.cvtColor(np.ascontiguousarray(raster.over_white()), cv2.COLOR_RGB2GRAY)
    rows, columns = _telling(grey), _telling(np.ascontiguousarray(grey.T))
    if _is_sudden(rows) or _is_sudden(columns) or min(_changing(rows), _changing(columns)) < FEWEST_CHANGING:
        return None
    few_rows, few_columns = rows[::THINNED], columns[::THINNED]
    found: dict[Blend, float] = {}
    for across in _numbers(rows):
        if _dip(few_rows, across, FIRST, rounds=1) > LIKELY:
            continue
        across = _nearby(few_rows, across, FIRST)
        down = round(raster.height * across / raster.width)
        if not (_is_spread(rows, across) and _is_spread(columns, down)):
            continue
        down = _nearby(few_columns, down, FIRST)
        kernel = min(KERNELS, key=lambda name: _left(few_rows, across, name) + _left(few_columns, down, name))
        across, down = _nearby(few_rows, across, kernel), _nearby(few_columns, down, kernel)
        if _is_explained(rows, across, kernel) and _is_explained(columns, down, kernel):
            blend = Blend(across, down, raster.width / across, kernel)
            found[blend] = _dip(few_rows, across, kernel) * _dip(few_columns, down, kernel)
            if found[blend] < CLEAR:
                return blend
    return min(found, key=lambda blend: found[blend], default=None)


def unblended(raster: Raster, blend: Blend) -> Raster:
    """The picture that was enlarged, as near as rounding and losses in saving let it be found."""
    pixels = raster.pixels.astype(np.float32)
    see_through = raster.is_see_through
    if see_through:
        pixels[..., :3] *= pixels[..., 3:] / np.float32(255)
    found = np.empty((blend.down, blend.across, 4), np.float32)
    for channel in range(4):
        if channel == 3 and not see_through:
            found[..., 3] = 255
            continue
        down = _unblended_lines(np.ascontiguousarray(pixels[..., channel].T), blend.down, blend.kernel).T
        found[..., channel] = _unblended_lines(np.ascontiguousarray(down), blend.across, blend.kernel)
    if see_through:
        found[..., :3] *= 255 / np.maximum(found[..., 3:], 1)
    return Raster(np.rint(np.clip(found, 0, 255)).astype(np.uint8))


def _unblended_lines(lines: Levels, count: int, kernel: str) -> Levels:
    """Each line of pixels (n, length) as ``count`` of them."""
    step = max(1, AT_ONCE // lines.shape[1])
    parts = [_fitted(lines[k : k + step], count, kernel, ROUNDS)[0] for k in range(0, len(lines), step)]
    return np.clip(np.concatenate(parts), 0, 255)


def _fitted(lines: Levels, count: int, kernel: str, rounds: int) -> tuple[Levels, Levels]:
    """True pixels (n, count) of lines, and what these do not explain of them, (n, length)."""
    first, weights, bands = _equations(lines.shape[1], count, kernel)
    found, left = np.zeros((len(lines), count), np.float32), np.zeros(lines.shape, np.float32)
    fit_lines(lines, first, weights, bands, rounds, found, left)
    return found, left


@lru_cache(maxsize=8)
def _equations(length: int, count: int, kernel: str) -> tuple[NDArray[np.int64], Weights, Weights]:
    """See ``factored``: the first true pixel, the weights, and the factor."""
    weight, reach = KERNELS[kernel]
    middles = (np.arange(length) + 0.5) * count / length - 0.5
    first = np.floor(middles).astype(np.int64) + 1 - reach
    weights = weight(np.abs(middles[:, None] - first[:, None] - np.arange(2 * reach)))
    weights /= weights.sum(1, keepdims=True)
    return first, weights, factored(first, weights, count)


def _telling(grey: NDArray[np.uint8]) -> Levels:
    """Lines spread over a picture, among those of most change."""
    every = max(1, len(grey) // 1000)
    change = cv2.absdiff(grey[::every, 1:], grey[::every, :-1]).sum(1, dtype=np.int64)
    busy = np.flatnonzero(change > STRONG * change.max())
    some = busy[np.linspace(0, len(busy) - 1, min(LINES, len(busy))).astype(int)] if len(busy) else busy
    return np.asarray(grey[every * some], np.float32)


def _steps(lines: Levels) -> Levels:
    return np.asarray(np.abs(np.diff(lines, axis=1)))


def _changing(lines: Levels) -> int:
    return int((_steps(lines) > CHANGE).sum())


def _is_sudden(lines: Levels) -> bool:
    """Whether edges are crossed within a pixel, as they never are in a picture that was enlarged smoothly."""
    if not len(lines):
        return True
    return float(np.median(_steps(lines).max(1) / np.maximum(np.ptp(lines, axis=1), 1))) > SUDDEN


def _is_spread(lines: Levels, count: int) -> bool:
    """Whether edges lie at all parts of a true pixel: those of a plain drawing go with many numbers of them."""
    above = lines - (lines.max(1, keepdims=True) + lines.min(1, keepdims=True)) / 2
    line, at = np.nonzero((above[:, :-1] < 0) != (above[:, 1:] < 0))
    places = at + 0.5 + above[line, at] / (above[line, at] - above[line, at + 1])
    parts = np.unique(np.floor(places * count / lines.shape[1] * PLACES % PLACES))
    return len(parts) >= MOST_PLACES


def _numbers(lines: Levels) -> list[int]:
    """Of how many true pixels lines may be made, the likeliest first."""
    length = lines.shape[1]
    second = np.zeros(length, np.float32)
    second[1:-1] = np.abs(np.diff(lines, 2, axis=1)).sum(0)
    ripple = second - cv2.GaussianBlur(second[None], (0, 0), CALM)[0]
    spectrum = np.abs(np.fft.rfft(ripple * np.hanning(length)))
    fewest, most = max(FEWEST_PIXELS, int(length / LARGEST)), int(length / LEAST)
    strongest = fewest + np.argsort(-spectrum[fewest:], kind="stable")[:PEAKS]
    # more than one in two pixels shows as what is left to the next whole number
    numbers = [*strongest.tolist(), *(length - strongest).tolist(), *(round(length / times) for times in USUAL)]
    return [number for number in dict.fromkeys(numbers) if fewest <= number <= most]


def _left(lines: Levels, count: int, kernel: str, rounds: int = ROUNDS) -> float:
    """Levels that so many true pixels leave unexplained, root mean square near what changes."""
    length = lines.shape[1]
    margin = int(3 * length / count) + 1  # programs differ in what they do at the borders
    changes = np.zeros(lines.shape, np.uint8)
    changes[:, 1:] = _steps(lines) > CHANGE
    near = cv2.dilate(changes, np.ones((1, 2 * margin + 1), np.uint8))[:, margin:-margin] > 0
    left = _fitted(lines, count, kernel, rounds)[1][:, margin:-margin][near]
    return float(np.sqrt((left * left).mean())) if len(left) else 0.0


def _nearby(lines: Levels, count: int, kernel: str) -> int:
    """The number of true pixels that leaves least, downhill from one."""
    left = _left(lines, count, kernel, 1)
    for step in (1, -1):
        for _ in range(NEARBY):
            further = _left(lines, count + step, kernel, 1)
            if further >= left:
                break
            left, count = further, count + step
    return count


def _dip(lines: Levels, count: int, kernel: str, rounds: int = ROUNDS) -> float:
    """What is left unexplained against a few pixels more and fewer."""
    off = max(2, round(BESIDE * count))
    beside = _left(lines, count - off, kernel, rounds) * _left(lines, count + off, kernel, rounds)
    return _left(lines, count, kernel, rounds) / float(max(beside**0.5, 1e-6))


def _is_explained(lines: Levels, count: int, kernel: str) -> bool:
    most = UNEXPLAINED + OF_CONTRAST * float(np.ptp(lines))
    return _left(lines, count, kernel) <= most and _dip(lines, count, kernel) <= SHARPER


def run() -> None:
    """How often an enlargement is told, how often one is seen where there was none, and what tracing gains."""
    kinds = {"linear": Image.Resampling.BILINEAR, "cubic": Image.Resampling.BICUBIC}
    shapes = [*corpus(128, held_out=True), *sides(128)]
    for name, how in kinds.items():
        for times in (1.5, 2.5, 3.0):
            width = round(128 * times)
            found, means, nodes = 0, [], []
            for known in shapes:
                small = Image.fromarray(np.rint(exact(known)).astype(np.uint8))
                raster = opaque(np.asarray(small.resize((width, width), how)))
                blend = blend_of(raster)
                found += blend is not None and (blend.across, blend.down) == (128, 128)
                pair = [_traced(known, one) for one in (raster, unblended(raster, blend) if blend else raster)]
                means.append([mean for mean, _ in pair])
                nodes.append([count for _, count in pair])
            was, now = np.median(means, 0)
            most, fewer = np.max(nodes, 0)
            print(
                f"  {name:7}{times:4.1f} times: told of {found} of {len(shapes)}; mean px {was:.3f} as it is, "
                f"{now:.3f} by true pixels; nodes, worst shape {most:.2f}, {fewer:.2f}"
            )
    others = [one for one in MAKINGS if "enlarged" not in one.name and "blocks" not in one.name]
    seen = sum(blend_of(one.draw(known)) is not None for one in others for known in shapes)
    print(f"  an enlargement seen where there was none: {seen} of {len(others) * len(shapes)}")


def _traced(known: Known, raster: Raster) -> tuple[float, float]:
    """Mean distance in px of the true picture, and nodes against the truth."""
    drawing, _ = traced_raster(raster, Trace(), float(known.size))
    grow = Affine.scale(known.size / drawing.width)
    found = score(known, [ring.mapped(grow).as_cubics() for one in drawing.shapes for ring in one.region.rings])
    return found.mean, found.nodes
