"""Pictures that were enlarged smoothly: between their true pixels lie blends of these.

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

from nibble_core.artwork.blended_kernels import factored, fit_lines
from nibble_core.graphics import Raster

Levels = NDArray[np.float32]
Weights = NDArray[np.float64]
LARGEST, LEAST = 8.0, 1.75  # times enlarged
FEWEST_PIXELS = 32  # of the picture that was enlarged, each way
LINES = 32  # that are asked
PEAKS = 4  # lines of the spectrum that are asked for
USUAL = (2.0, 3.0, 4.0, 2.5)  # times, which are asked for always
CALM = 4.0  # px over which the spectrum's ground is evened
BESIDE = 0.03  # share more and fewer pixels, against which a number is held
NEARBY = 3  # more and fewer, among which the best is taken
RIVALS = 5  # of which are looked at closely
AROUND = 0.25  # share more and fewer, among which the best must stand alone
THINNED = 3  # every so many lines tell as well what is likely
CLEAR = 0.2  # product of both dips, below which nothing else is looked for
SHARPER = 0.7  # times what those leave unexplained
LIKELY = 0.85  # the same by a kernel that may not be the right one
UNEXPLAINED, OF_CONTRAST = 0.7, 0.02  # levels at most, and share of the contrast on top
CHANGE = 2.0  # levels from pixel to pixel, from which something changes
FEWEST_CHANGING = 300  # pixels near a change that tell anything
SUDDEN = 0.7  # share of a line's contrast that edges of a picture that was not enlarged cross within one pixel
PLACES, MOST_PLACES = 8, 6  # parts of a true pixel, and in how many of them edges must lie and be explained
EDGE = 1.5  # true pixels to either side that an edge changes
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
    grey = np.asarray(cv2.cvtColor(np.ascontiguousarray(raster.over_white()), cv2.COLOR_RGB2GRAY), np.uint8)
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
        across, _ = _around(rows, across, FIRST)
        down = _nearby(few_columns, round(raster.height * across / raster.width), FIRST)
        kernel = min(KERNELS, key=lambda name: _left(few_rows, across, name) + _left(few_columns, down, name))
        across, of_next = _around(rows, across, kernel)
        if of_next > LIKELY or raster.width < LEAST * across:
            continue
        down = _nearby(few_columns, round(raster.height * across / raster.width), kernel)
        if not _is_uniform(raster, across, down):
            continue
        if _is_explained(rows, across, kernel) and _is_explained(columns, down, kernel):
            blend = Blend(across, down, raster.width / across, kernel)
            found[blend] = _dip(few_rows, across, kernel) * _dip(few_columns, down, kernel)
            if found[blend] < CLEAR:
                return blend
    return min(found, key=lambda blend: found[blend], default=None)


def _is_uniform(raster: Raster, across: int, down: int) -> bool:
    """Whether a picture was enlarged as much in height as in width, but for whole pixels of what was made."""
    times = raster.width / across
    return abs(raster.height / times - down) <= max(1.0, down / across) / times


def unblended(raster: Raster, blend: Blend) -> Raster:
    """The picture that was enlarged, as near as rounding and losses in saving let it be found."""
    found = np.full((blend.down, blend.across, 4), 255, np.float32)
    pixels = _by_alpha(raster)
    for channel in range(4 if raster.is_see_through else 3):
        down = _unblended_lines(np.ascontiguousarray(pixels[..., channel].T), blend.down, blend.kernel).T
        found[..., channel] = _unblended_lines(np.ascontiguousarray(down), blend.across, blend.kernel)
    return _without_alpha(found)


def blended(raster: Raster, width: int, height: int, kernel: str) -> Raster:
    """A picture enlarged by one of the kernels."""
    down = _blended_rows(_by_alpha(raster), height, kernel)
    return _without_alpha(_blended_rows(down.swapaxes(0, 1), width, kernel).swapaxes(0, 1))


def _by_alpha(raster: Raster) -> Levels:
    """Colours times how solid they are, so that what cannot be seen is not mixed in."""
    pixels = raster.pixels.astype(np.float32)
    if raster.is_see_through:
        pixels[..., :3] *= pixels[..., 3:] / np.float32(255)
    return pixels


def _without_alpha(pixels: Levels) -> Raster:
    pixels[..., :3] *= 255 / np.maximum(pixels[..., 3:], 1)
    return Raster(np.ascontiguousarray(np.rint(np.clip(pixels, 0, 255)).astype(np.uint8)))


def _blended_rows(pixels: Levels, count: int, kernel: str) -> Levels:
    """So many rows of blends of those of a picture (rows, columns, channels)."""
    first, weights = _weights(count, len(pixels), kernel)
    made = np.zeros((count, *pixels.shape[1:]), np.float32)
    for tap in range(weights.shape[1]):
        rows = pixels[np.clip(first + tap, 0, len(pixels) - 1)]
        made += np.asarray(weights[:, tap], np.float32)[:, None, None] * rows
    return made


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
    first, weights = _weights(length, count, kernel)
    return first, weights, factored(first, weights, count)


def _weights(length: int, count: int, kernel: str) -> tuple[NDArray[np.int64], Weights]:
    """The first of ``count`` true pixels that each of ``length`` pixels looks at, and the weights of these."""
    weight, reach = KERNELS[kernel]
    middles = (np.arange(length) + 0.5) * count / length - 0.5
    first = np.floor(middles).astype(np.int64) + 1 - reach
    weights = weight(np.abs(middles[:, None] - first[:, None] - np.arange(2 * reach)))
    return first, weights / weights.sum(1, keepdims=True)


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


def _edges(lines: Levels) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Lines and places, in px, where these cross the middle of their levels."""
    above = lines - (lines.max(1, keepdims=True) + lines.min(1, keepdims=True)) / 2
    line, before = np.nonzero((above[:, :-1] < 0) != (above[:, 1:] < 0))
    return line, before + 0.5 + above[line, before] / (above[line, before] - above[line, before + 1])


def _parts(places: NDArray[np.float64], length: int, count: int) -> NDArray[np.int64]:
    """In which of PLACES parts of a true pixel places lie."""
    return np.floor(places * count / length * PLACES % PLACES).astype(np.int64)


def _is_spread(lines: Levels, count: int) -> bool:
    """Whether edges lie at nearly all parts of a true pixel: else many numbers of them go with the same lines."""
    return len(np.unique(_parts(_edges(lines)[1], lines.shape[1], count))) >= MOST_PLACES


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


def _around(lines: Levels, count: int, kernel: str) -> tuple[int, float]:
    """The number of true pixels that leaves least, of all that are not far off, and its share of what the next leaves.

    Straight sides that lie far apart go with several numbers.
    """
    fewest, most = max(FEWEST_PIXELS, int(count * (1 - AROUND))), min(lines.shape[1], int(count * (1 + AROUND)))
    numbers = np.arange(fewest, most + 1)
    few = lines[::THINNED]
    likely = np.array([_left(few, number, kernel, 1) for number in numbers])
    rivals: list[int] = []
    for k in np.argsort(likely, kind="stable"):
        if all(abs(numbers[k] - other) > NEARBY for other in rivals):
            rivals.append(int(numbers[k]))
        if len(rivals) == RIVALS:
            break
    left = sorted((_left(lines, number, kernel), number) for number in rivals)
    return left[0][1], left[0][0] / max(left[1][0], 1e-6) if len(left) > 1 else 1.0


def _dip(lines: Levels, count: int, kernel: str, rounds: int = ROUNDS) -> float:
    """What is left unexplained against a few pixels more and fewer."""
    off = max(2, round(BESIDE * count))
    beside = _left(lines, count - off, kernel, rounds) * _left(lines, count + off, kernel, rounds)
    return _left(lines, count, kernel, rounds) / float(max(beside**0.5, 1e-6))


def _is_explained(lines: Levels, count: int, kernel: str) -> bool:
    most = UNEXPLAINED + OF_CONTRAST * float(np.ptp(lines))
    if _left(lines, count, kernel) > most or _dip(lines, count, kernel) > SHARPER:
        return False
    by_part = np.sort(_dips(lines, count, kernel))
    return bool(by_part[MOST_PLACES - 1] <= LIKELY)


def _dips(lines: Levels, count: int, kernel: str) -> Weights:
    """The dip near the edges in each part of a true pixel, 1 where there are none.

    Where many edges lie at the same part, as in a drawing on a grid, they alone go with a wrong number; the others do
    not.
    """
    length = lines.shape[1]
    line, places = _edges(lines)
    reach = EDGE * length / count
    start, end = np.maximum(places - reach, 0).astype(np.int64), np.minimum(np.ceil(places + reach), length)
    parts = _parts(places, length, count)

    def left(number: int) -> Weights:
        squares = np.square(_fitted(lines, number, kernel, ROUNDS)[1], dtype=np.float64)
        sums = np.concatenate((np.zeros((len(lines), 1)), np.cumsum(squares, axis=1)), axis=1)
        return np.asarray(np.bincount(parts, sums[line, end.astype(np.int64)] - sums[line, start], PLACES), np.float64)

    off = max(2, round(BESIDE * count))
    beside = (left(count - off) + left(count + off)) / 2
    return np.sqrt(np.divide(left(count), beside, out=np.ones(PLACES), where=beside > 0))
