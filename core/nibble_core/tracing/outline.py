"""One iso-line ring as few lines and cubics within a stated deviation."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import CUBIC, LINE, Affine, Path, Points
from nibble_core.geometry.corner_kernels import CRISP
from nibble_core.geometry.ring_kernels import STUB, fit_ring
from nibble_core.geometry.segments import evaluate
from nibble_core.geometry.span_kernels import MOST, free_cubic, thinned
from nibble_core.geometry.stretches import nearest_on, split_row
from nibble_core.geometry.tolerances import TRACE_PX
from nibble_core.tracing.deviation import furthest_off
from nibble_core.tracing.polish import CORNER_HOLD, CRISP_HOLD, polish

LEAST_CORNER_DEGREES = 22.0
RIPPLES_TURN = 10.0  # degrees, at most
BOW = 1.0  # times the noise by which a straight side may seem to bow
FINEST = 0.1  # px: below this a fit follows the staircase of the pixels, not the shape
SHY = 0.02  # px: more where there is any noise, which is told a little too low
SLACK = 1.25  # a worst place within this many tolerances is not worth more nodes
ROUNDS = 4  # of improving where an outline is divided
MOST_REPAIRS = 4
FEW_CORNERS, NO_CORNERS = 3, 181.0  # a ring with so few may be smooth all the same; a turn in degrees that none makes
WORTH_IT = 0.9  # of the worst distance before: what a node more must bring it below
MUCH_BETTER = 0.5  # the same for joints that may turn
LEAST_WINDOW = 80.0  # px of outline that tell a turn of a few degrees from a bend
MUCH_WORSE = 1.1  # a polish may let one place stray so much more, for what it wins everywhere else
Fit = tuple[NDArray[np.uint8], Points, NDArray[np.bool_]]  # kinds, rows and corners of ``fit_ring``
BLUNT = 1.3  # times as wide as crisp, from which corners are rounded visibly


def tolerance_for(noise: float) -> float:
    """The deviation, px, that an outline needs to pass between the ripples of its noise."""
    return TRACE_PX + 1.5 * noise + min(2 * noise, SHY)


def corner_from(least: float, noise: float) -> float:
    """Degrees a bend must turn to be a corner where noise (px) bends edges besides: ripples of a compressed picture
    turn its short arms by some ten degrees."""
    return least + min(RIPPLES_TURN, 600 * noise) + 60 * noise


class RoughFits:
    """Unpolished fits of rings, each made once: the trial fit that tells the noise is mostly the one that a trace
    begins with."""

    def __init__(self) -> None:
        self._made: dict[tuple[int, float, float, float, int], tuple[Points, Fit]] = {}

    def fit(self, ring: Points, tolerance: float, noise: float, degrees: float, rounds: int) -> Fit:
        """See ``fit_ring``."""
        key = (id(ring), tolerance, noise, degrees, rounds)
        if key not in self._made:
            self._made[key] = ring, fit_ring(ring, tolerance, noise, degrees, rounds)  # the ring keeps its id taken
        return self._made[key][1]


def fit_outline(
    ring: Points,
    *,
    tolerance: float,
    noise: float,
    polished: bool = True,
    least_corner: float = LEAST_CORNER_DEGREES,
    blunt: float = 1.0,
    fits: RoughFits | None = None,
) -> Path:
    """A closed path, in pixels, whose smooth stretches stay within ``tolerance`` px of the ``ring``.

    ``noise`` (px) is how far pixel noise moves the ring: it widens what counts as straight and what counts as
    a corner. Near a corner the path goes to the true apex, which the iso-line rounds off; that is not counted
    as deviation. ``least_corner``: degrees a bend must turn to be one. ``blunt``: how many times wider than crisp the
    picture's edges are; corners are looked for at that scale, over which they are rounded. ``fits``: made already, of
    this ring. Where the outline strays too far all the same it gets a node more.
    """
    if blunt > BLUNT:
        finest = max(tolerance / blunt, FINEST)
        reduced = partial(fit_outline, ring / blunt, noise=noise / blunt, polished=polished, least_corner=least_corner)
        return reduced(tolerance=finest).mapped(Affine.scale(blunt))
    ring = np.ascontiguousarray(ring)
    corner_degrees = corner_from(least_corner, noise)
    rough_fit = (fits or RoughFits()).fit
    kinds, rows, corners = rough_fit(ring, tolerance, noise, corner_degrees, ROUNDS if polished else 0)
    rough = Path(kinds, rows)
    if not polished:
        return rough
    stubless, left = without_stubs(rough, corners)
    if len(stubless) < len(rough) and furthest_off(stubless, ring)[0] <= furthest_off(rough, ring)[0]:
        rough, corners = stubless, left
    path, (worst, place) = rough, furthest_off(rough, ring)
    if noise >= CRISP and 0 < corners.sum() <= FEW_CORNERS:
        kinds, rows, none = rough_fit(ring, tolerance, noise, NO_CORNERS, ROUNDS)
        smooth = Path(kinds, rows)
        off, where = furthest_off(smooth, ring)
        if len(smooth) <= len(rough) and off <= SLACK * max(worst, tolerance):
            path, corners, worst, place = smooth, none, off, where
    hold = CRISP_HOLD if noise < CRISP else CORNER_HOLD
    polished_one = polish(path, corners, ring, hold=hold)
    off, where = furthest_off(polished_one, ring)
    if off <= MUCH_WORSE * worst:
        path, worst, place = polished_one, off, where
    if worst > SLACK * tolerance and noise < CRISP:
        slight = slight_corners(rough, ring, tolerance) & ~corners
        if slight.any():
            bent = polish(rough, corners | slight, ring, hold=hold)
            off, where = furthest_off(bent, ring)
            if off <= WORTH_IT * worst:
                path, corners, worst, place = bent, corners | slight, off, where
    if noise >= CRISP:
        straight = with_straight_sides(path, corners, BOW * noise)
        path, (worst, place) = straight, furthest_off(straight, ring)
    return repaired(
        path, corners, (worst, place), tolerance,
        lambda trial, sharp, changed: polish(trial, sharp, ring, hold=hold, changed=changed),
        lambda trial: furthest_off(trial, ring),
    )  # fmt: skip


def repaired(
    path: Path,
    corners: NDArray[np.bool_],
    furthest: tuple[float, Points],
    tolerance: float,
    polished: Callable[[Path, NDArray[np.bool_], NDArray[np.bool_]], Path],
    furthest_of: Callable[[Path], tuple[float, Points]],
) -> Path:
    """A path with nodes more where it strays too far, as long as they are worth it.

    ``furthest``: its worst distance and the place of that, as ``furthest_of`` tells of any path. ``polished`` improves
    a path, given its corners and which nodes are new.
    """
    worst, place = furthest
    for _ in range(MOST_REPAIRS):
        if worst <= SLACK * tolerance:
            break
        trial, at = divided(path, place)
        sharp = np.insert(corners, at, False) if len(trial) > len(path) else corners
        trial = polished(trial, sharp, np.arange(len(trial)) == at)
        off, place = furthest_of(trial)
        if off > WORTH_IT * worst:
            break
        path, corners, worst = trial, sharp, off
    return path


def with_straight_sides(path: Path, corners: NDArray[np.bool_], bow: float) -> Path:
    """The path with each curve from corner to corner as a line that bows by less than ``bow`` px: what moved its edge
    may have done that."""
    rows, kinds = path.rows, path.kinds.copy()
    chord = rows[:, 6:] - rows[:, :2]
    along = chord / np.maximum(np.hypot(*chord.T), 1e-9)[:, None]
    off = [
        np.abs(along[:, 0] * (rows[:, k + 1] - rows[:, 1]) - along[:, 1] * (rows[:, k] - rows[:, 0])) for k in (2, 4)
    ]
    # a cubic lies within three quarters of its handles' distances from its chord
    bent = 0.75 * np.maximum(*off)
    flat = (kinds == CUBIC) & corners & np.roll(corners, -1) & (bent < bow)
    if not flat.any():
        return path
    kinds[flat] = LINE
    straight = rows.copy()
    straight[flat, 2:6] = 0.0
    return Path(kinds, straight, path.closed)


def without_stubs(path: Path, corners: NDArray[np.bool_]) -> tuple[Path, NDArray[np.bool_]]:
    """The path and its corners without lines of a few pixels between a corner and a curve that runs on smoothly: the
    curve goes to the corner itself. What a corner leaves of its other side looks like such a line, and would lead the
    curve."""
    rows, count = path.rows.copy(), len(path)
    short = (path.kinds == LINE) & (np.hypot(*(rows[:, 6:] - rows[:, :2]).T) < STUB)
    kept = np.ones(count, bool)
    for k in np.nonzero(short)[0]:
        before, after = k - 1, (k + 1) % count
        if corners[k] and not corners[after] and path.kinds[after] == CUBIC:
            rows[after, :2], kept[k] = rows[k, :2], False
        elif corners[after] and not corners[k] and path.kinds[before] == CUBIC:
            rows[before, 6:], kept[k] = rows[k, 6:], False
    left = corners | np.roll(~kept & corners, 1)
    return (Path(path.kinds[kept], rows[kept]), left[kept]) if kept.sum() > 1 else (path, corners)


def slight_corners(path: Path, ring: Points, tolerance: float) -> NDArray[np.bool_]:
    """Which joints (n,) of a path fitted to a clean ring are corners, however little they turn: no single cubic keeps
    within ``tolerance`` of the ring from the middle of the segment before to the middle of the one after.

    A shape may turn by a degree or two where two of its curves meet. Led smoothly through such a joint they stray along
    their whole length, and the joint slides away from its place; where the outline was divided it lies well.
    """
    halves = evaluate(path.kinds, path.rows, np.full(len(path), 0.5))
    middles = [int(np.argmin(np.sum((ring - place) ** 2, 1))) for place in halves]
    found = np.zeros(len(path), bool)
    samples, row = np.empty((MOST, 2)), np.empty(8)
    for k, after in enumerate(middles):
        first, n = middles[k - 1], len(ring)
        window = ring[np.arange(first, first + (after - first) % n + 1) % n]
        if float(np.hypot(*np.diff(window, axis=0).T).sum()) > LEAST_WINDOW:
            count = thinned(window, 0, len(window) - 1, samples)
            found[k] = free_cubic(samples, count, row)[1] > tolerance
    return found


def divided(path: Path, place: Points) -> tuple[Path, int]:
    """The path with a smooth node more where it comes nearest to a place, and the index of that node; a line there
    becomes a curve instead, whose index that is."""
    found = nearest_on(path, (float(place[0]), float(place[1])))
    kinds, rows, i = path.kinds.copy(), path.rows.copy(), found.segment
    if kinds[i] == LINE:
        kinds[i] = CUBIC
        rows[i, 2:4], rows[i, 4:6] = rows[i, :2] * 2 / 3 + rows[i, 6:] / 3, rows[i, :2] / 3 + rows[i, 6:] * 2 / 3
        return Path(kinds, rows, path.closed), i
    first, second = split_row(CUBIC, rows[i], min(max(found.t, 0.2), 0.8))
    rows = np.insert(rows, i + 1, second, 0)
    rows[i] = first
    return Path(np.insert(kinds, i, CUBIC), rows, path.closed), i + 1
