"""Pictures that were enlarged without smoothing: each of their true pixels is a square of equal ones."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.graphics import Raster

LARGEST, LEAST = 16.0, 1.25  # times enlarged
LINES_LOOKED_AT = 600
STRONGEST = 64  # lines with the most change, by which numbers of squares are ruled out
STRONGEST_BETWEEN = 0.8  # of their change that must lie between squares
LEFT_ALONE = 0.375  # of the change that chance would leave within squares; losses in saving blur it
LEFT_ALONE_BY_TWO = 0.2  # the same of squares under 3 px, between which half of any change lies by chance
LEFT_ALONE_IN_PART = 0.05  # the same of squares that are no whole number of pixels wide
AS_GOOD = 0.03  # more of it in fewer squares is as good
FEWEST_WITHIN = 0.15  # of the lines must lie within squares, or nothing tells that they are such
LEAST_CHANGE = 0.002  # of the strongest line's: less is none
MOST_TRIED = 24  # numbers of squares: a plain drawing's few edges go with hundreds
AT_ONCE = 2_000_000  # lines times numbers of squares
FEWEST_LINES = 12  # between squares where something changes; fewer are the edges of a plain drawing
BY_CHANCE = 15.0  # nats: how much more unlikely than any one of a thousand numbers the lines must be by chance
MOSTLY = 0.3  # of the squares where anything is drawn
FEWEST_SQUARES = 8  # each way
FEWEST_GREYS, STEP = 40, 16  # squares with a tone between their neighbours', by so many levels from both
BUSY = 0.15  # share of neighbouring squares that differ, from which they are meant: a code or pixel art
DIFFERENT = 64  # levels
Change = NDArray[np.int64]  # (n - 1,) from each line of pixels to the next


MIDDLE, CORNER = "middle", "corner"  # of a pixel, whose square it shows


@dataclass(frozen=True)
class Squares:
    """How many squares a picture consists of across and down, and their side in px: 1 where it has none.

    shown_at: which place of a pixel lies in the square that it shows. meant: neighbours differ so often that it is a
    code, or art made of squares.
    """

    across: int
    down: int
    size: float
    shown_at: str = MIDDLE
    meant: bool = False

    @property
    def is_enlarged(self) -> bool:
        """Whether each square stands for one pixel."""
        return self.size > 1 and not self.meant


def squares_of(raster: Raster) -> Squares:
    """The squares a picture consists of; its own pixels when it has none. Squares of 2.5 px are 2 and 3 px wide in
    turn."""
    none = Squares(raster.width, raster.height, 1.0)
    if min(raster.width, raster.height) < FEWEST_SQUARES * LEAST:
        return none
    some_rows = _grey(raster.pixels[:: max(1, raster.height // LINES_LOOKED_AT)])
    some_columns = _grey(raster.pixels[:, :: max(1, raster.width // LINES_LOOKED_AT)])
    across = np.abs(np.diff(some_rows, axis=1)).sum(0, dtype=np.int64)
    down = np.abs(np.diff(some_columns, axis=0)).sum(1, dtype=np.int64)
    fits: list[tuple[float, Squares]] = []
    for shown_at in (MIDDLE, CORNER):
        for columns, left in itertools.islice(_counts(across, shown_at).items(), MOST_TRIED):
            size = raster.width / columns
            near = {round(raster.height / size), int(raster.height / size), math.ceil(raster.height / size)}
            rows = {count: _left_within(down, count, shown_at) for count in near if count >= FEWEST_SQUARES}
            rows = {count: ratio for count, ratio in rows.items() if ratio <= _allowed(raster.height, count)}
            if rows:
                best = min(rows, key=lambda count: rows[count])
                fits.append((max(left, rows[best]), Squares(columns, best, size, shown_at)))
    least = min((left for left, _ in fits), default=0.0)
    for left, squares in sorted(fits, key=lambda fit: (fit[1].across, fit[0])):
        if left <= least + AS_GOOD and _is_likely(raster, squares, across, down):
            return replace(squares, meant=_is_busy(raster, squares))
    return none


def single_pixels(raster: Raster, squares: Squares) -> Raster:
    """Each square as one pixel of its mean colour; the picture itself where squares are of one pixel."""
    if not squares.is_enlarged:
        return raster
    if raster.width % squares.across == 0 and raster.height % squares.down == 0:
        return raster.reduced(squares.across, squares.down)
    rows = _middles(raster.height, squares.down, squares.shown_at)
    return Raster(raster.pixels[rows][:, _middles(raster.width, squares.across, squares.shown_at)].copy())


def _grey(pixels: NDArray[np.uint8]) -> NDArray[np.int16]:
    shown = Raster(np.ascontiguousarray(pixels)).over_white()
    return cv2.cvtColor(np.ascontiguousarray(shown), cv2.COLOR_RGB2GRAY).astype(np.int16)


def _shown(
    pixels: NDArray[np.int64], length: int, counts: NDArray[np.int64], shown_at: str
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Which of so many squares pixels of a line show: at least and at most, for where a middle lies on a border
    programs differ, and even from one pixel to the next."""
    if shown_at == CORNER:
        found = np.asarray(pixels * counts // length)
        return found, found
    halves = (2 * pixels + 1) * counts
    return np.asarray((halves - 1) // (2 * length)), np.asarray(halves // (2 * length))


def _middles(length: int, count: int, shown_at: str) -> NDArray[np.int64]:
    """For each square the pixel in the middle of those that surely show it."""
    least, most = _shown(np.arange(length), length, np.array(count), shown_at)
    squares = np.arange(count)
    first, last = np.searchsorted(least, squares), np.searchsorted(most, squares, "right") - 1
    return np.asarray(np.clip((first + np.maximum(first, last)) // 2, 0, length - 1))


def _counts(change: Change, shown_at: str) -> dict[int, float]:
    """In how many squares a line of pixels may fall, and what is left of change within them."""
    length = len(change) + 1
    counts = np.arange(max(FEWEST_SQUARES, math.ceil(length / LARGEST)), int(length / LEAST) + 1)
    if not len(counts) or not change.any():
        return {}
    strongest = np.argsort(-change, kind="stable")[:STRONGEST]
    weight = change[strongest, None]
    likely = counts[(_ends(strongest, length, counts, shown_at) * weight).sum(0) >= STRONGEST_BETWEEN * weight.sum()]
    changing = np.flatnonzero(change)
    fits: dict[int, float] = {}
    for some in np.array_split(likely, max(1, len(likely) * len(changing) // AT_ONCE)):
        between = _ends(changing, length, some, shown_at)
        ratios = (change[changing, None] * ~between).sum(0) / float(change.sum()) / _within(length, some, shown_at)
        fits |= {
            count: ratio for count, ratio in zip(some.tolist(), ratios.tolist(), strict=True)
            if ratio <= _allowed(length, count)
        }  # fmt: skip
    least = min(fits.values(), default=0.0)
    return {count: ratio for count, ratio in fits.items() if ratio <= least + AS_GOOD}


def _ends(lines: NDArray[np.int64], length: int, counts: NDArray[np.int64], shown_at: str) -> NDArray[np.bool_]:
    """Whether a square ends, or may end, at some lines of pixels, for each of several numbers of squares: (n, m)."""
    here, after = lines[:, None], lines[:, None] + 1
    return np.asarray(_shown(here, length, counts, shown_at)[0] != _shown(after, length, counts, shown_at)[1])


def _within(length: int, counts: NDArray[np.int64], shown_at: str) -> NDArray[np.float64]:
    """Share of lines that lie within so many squares; infinitely little where nearly every line ends one."""
    common = np.gcd(counts, length)
    on_border = common * ((counts // common % 2 == 0) & (length // common % 2 == 1))  # middles, on either side of which
    ends = counts - 1 + (on_border if shown_at == MIDDLE else 0)
    share = 1 - ends / (length - 1)
    return np.where(share < FEWEST_WITHIN, 1e-9, share)


def _between(length: int, count: int, shown_at: str) -> NDArray[np.bool_]:
    """Of each line of pixels but the last, whether a square ends there: (length - 1,)."""
    least, most = _shown(np.arange(length), length, np.array(count), shown_at)
    return np.asarray(least[:-1] != most[1:])


def _left_within(change: Change, count: int, shown_at: str) -> float:
    """How much changes within so many squares, against what would by chance; 1 where nearly every line ends one."""
    between = _between(len(change) + 1, count, shown_at)
    within = 1 - float(between.mean())
    if within < FEWEST_WITHIN:
        return 1.0
    return float(change[~between].sum()) / max(float(change.sum()), 1.0) / within


def _allowed(length: int, count: int) -> float:
    """See ``_left_within``."""
    if length % count:
        return LEFT_ALONE_IN_PART
    return LEFT_ALONE if length / count >= 3 else LEFT_ALONE_BY_TWO


def _lines(change: Change, count: int, shown_at: str) -> int:
    """Lines between squares where anything changes."""
    return int((change[_between(len(change) + 1, count, shown_at)] > LEAST_CHANGE * change.max()).sum())


def _is_likely(raster: Raster, squares: Squares, across: Change, down: Change) -> bool:
    """Whether so many lines lie between squares, or so many squares hold the grey of an edge, that it is no chance."""
    lines = _lines(across, squares.across, squares.shown_at) + _lines(down, squares.down, squares.shown_at)
    whole = raster.width % squares.across == 0 and raster.height % squares.down == 0
    reach = sum(int(np.ptp(np.flatnonzero(change))) for change in (across, down))
    # what repeats itself may go with squares in part by more than chance, but not with most of them
    dense = whole or lines * squares.size > MOSTLY * reach
    if dense and lines >= FEWEST_LINES and lines * math.log(squares.size) > BY_CHANCE:
        return True
    if squares.size < 2:
        return False
    tones = _tones(raster, squares)
    steps = [np.diff(tones.astype(np.int32), axis=axis) for axis in (0, 1)]
    between = [
        (np.minimum(one[1:], one[:-1]) >= STEP) | (np.maximum(one[1:], one[:-1]) <= -STEP)
        for one in (steps[0], steps[1].T)
    ]
    greys = sum(int(one.sum()) for one in between)
    return greys >= FEWEST_GREYS


def _tones(raster: Raster, squares: Squares) -> NDArray[np.int16]:
    rows = _middles(raster.height, squares.down, squares.shown_at)
    return _grey(raster.pixels[rows][:, _middles(raster.width, squares.across, squares.shown_at)])


def _is_busy(raster: Raster, squares: Squares) -> bool:
    """Whether neighbouring squares differ so often that they are meant."""
    tones = _tones(raster, squares)
    return max(float((np.abs(np.diff(tones, axis=axis)) > DIFFERENT).mean()) for axis in (0, 1)) >= BUSY
