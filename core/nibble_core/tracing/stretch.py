"""An open stretch of dense points as few lines and cubics between its two ends."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from nibble_core.geometry import CUBIC, LINE, Path, Points
from nibble_core.geometry.corner_kernels import BOWED, LEAST_NOISE, RIPPLED, RIPPLED_MEAN, crossing, find_corners
from nibble_core.geometry.distance_kernels import beside
from nibble_core.geometry.kernels import fit_line
from nibble_core.geometry.ring_kernels import scatter
from nibble_core.geometry.span_kernels import lay_open
from nibble_core.tracing.outline import LEAST_CORNER_DEGREES, MUCH_WORSE, ROUNDS, repaired
from nibble_core.tracing.polish import polish_open

STEP = 0.7  # px between samples, as rings have it
CLEAR = 5.0  # px beside an end where no corner is looked for
PAD = 24  # samples a stretch is run on beyond its ends, so that corners are judged alike everywhere


def fit_stretch(
    points: Points, *, tolerance: float, noise: float, trusted_from: int = 1, blunt: float = 1.0, polished: bool = True
) -> Path:
    """An open path from ``points[0]`` to ``points[-1]`` exactly, within ``tolerance`` px of those between.

    ``trusted_from``: how many points beside each end are passed over, because pixels there show more than two colours.
    ``blunt``: px over which the source rounds a corner; the middle of a thick line rounds it by half its width. Without
    ``polished`` the pieces are fitted one by one only: for previews.
    """
    start, end = points[0], points[-1]
    inner = points[trusted_from:-trusted_from] if len(points) > 2 * trusted_from + 3 else points[1:-1]
    line = np.vstack([start[None], inner, end[None]])
    chords = np.hypot(*np.diff(line, axis=0).T)
    length = float(chords.sum())
    if len(inner) < 2 or length < 2.0:
        return Path.polygon(np.stack([start, end]), closed=False)
    if _straight(line, noise, tolerance):
        return Path.polygon(np.stack([start, end]), closed=False)
    along = np.concatenate([[0.0], np.cumsum(chords)])
    count = max(4, round(length / STEP))
    at = np.linspace(0, length, count + 1)
    samples = np.stack([np.interp(at, along, line[:, k]) for k in (0, 1)], 1)
    step = length / count
    cuts, places = _corners(samples, step, noise, blunt)
    kinds = np.full(count + 32, CUBIC, np.uint8)
    rows = np.empty((count + 32, 8))
    made = 0
    skip = max(1, int(np.ceil(1.2 * blunt / step)))
    for (a, from_), (b, to) in pairwise(zip(cuts, places, strict=True)):
        first = a if a == 0 else min(a + skip, b)
        last = b if b == count else max(b - skip, first)
        side = np.vstack([from_[None], samples[first + (a == 0) : last + (b != count)], to[None]])
        if len(side) < 4 or _straight(side, noise, tolerance):
            rows[made] = [*from_, 0, 0, 0, 0, *to]
            kinds[made] = LINE
            made += 1
        else:
            side = np.ascontiguousarray(side)
            spread, rounds = scatter(noise, tolerance), ROUNDS if polished else 0
            made = lay_open(side, step, spread, tolerance, rows, kinds, made, rounds)
    rough = Path(kinds[:made].copy(), rows[:made].copy(), closed=False)
    if not polished:
        return rough
    trusted = samples[skip:-skip] if len(samples) > 4 * skip else samples
    path, furthest = rough, furthest_from(rough, samples)
    better = polish_open(rough, trusted)
    better_off = furthest_from(better, samples)
    if better_off[0] <= MUCH_WORSE * furthest[0]:
        path, furthest = better, better_off
    return repaired(
        path, np.zeros(len(path), bool), furthest, tolerance,
        lambda trial, _corners, _new: polish_open(trial, trusted), lambda trial: furthest_from(trial, samples),
    )  # fmt: skip


def furthest_from(path: Path, samples: Points) -> tuple[float, Points]:
    """Largest distance, px, of the samples from an open path they run along with, and the sample (2,) there."""
    apart = beside(np.ascontiguousarray(samples), path.flattened(0.02), False)
    top = int(np.argmax(apart))
    return float(apart[top]), samples[top]


def _straight(line: Points, noise: float, tolerance: float) -> bool:
    """All points lie close to the chord, and not all on one side of it as a gentle bend's would; in a noisy picture,
    off it by noise alone, which is small in the mean."""
    chord = line[-1] - line[0]
    size = float(np.hypot(*chord))
    if size < 1e-9:
        return False
    off = ((line[1:-1] - line[0]) @ np.array([-chord[1], chord[0]])) / size
    limit, worst = 0.12 + noise, float(np.abs(off).max())
    if worst > limit and (
        noise < LEAST_NOISE
        or worst > RIPPLED * tolerance
        or float(np.sqrt(np.mean(off * off))) > RIPPLED_MEAN * tolerance
    ):
        return False
    # the sagitta of a parabola through the stretch
    t = ((line[1:-1] - line[0]) @ chord) / size**2
    bump = 4 * t * (1 - t)
    return abs(float(off @ bump) / max(float(bump @ bump), 1e-9)) <= (
        0.5 * limit if worst <= limit else BOWED * tolerance
    )


def _corners(samples: Points, step: float, noise: float, blunt: float) -> tuple[list[int], list[Points]]:
    """Indices where a stretch is cut, ends included, and the place of each cut."""
    last = len(samples) - 1
    cuts, apexes = [0], [samples[0]]
    every = max(1, round(blunt))  # corners are looked for at the scale they are rounded at
    few, scale = samples[::every] / every, step
    if (len(few) - 1) * scale > 2 * CLEAR:
        pad = min(PAD, len(few) - 1)
        # run on by turning the stretch half round its ends, which keeps direction and bend
        ring = np.vstack([2 * few[0] - few[pad:0:-1], few, 2 * few[-1] - few[-2 : -2 - pad : -1]])
        found, apex, _ = find_corners(
            np.ascontiguousarray(ring), scale, noise / every, LEAST_CORNER_DEGREES + 60 * noise
        )
        for index in found.tolist():
            at = (index - pad) * every
            if CLEAR * every <= at * step <= last * step - CLEAR * every:
                cuts.append(at)
                apexes.append(apex[index] * every)
    cuts.append(last)
    apexes.append(samples[-1])
    return cuts, _settled(samples, step, noise, cuts, apexes, blunt)


def _settled(
    samples: Points, step: float, noise: float, cuts: list[int], apexes: list[Points], blunt: float
) -> list[Points]:
    """Apexes where two straight sides meet moved to the crossing of their lines."""
    skip = max(1, int(np.ceil(1.2 * blunt / step)))
    lines = []
    for a, b in pairwise(cuts):
        count = b - a - 2 * skip + 1
        fitted = fit_line(samples, a + skip, count, 1) if count >= 3 else None
        lines.append(fitted if fitted is not None and fitted[4] <= 0.12 + noise else None)
    places = list(apexes)
    for k in range(1, len(cuts) - 1):
        before, after = lines[k - 1], lines[k]
        if before is not None and after is not None:
            found, x, y = crossing(*before[:4], *after[:4])
            if found and np.hypot(x - places[k][0], y - places[k][1]) < 2 * blunt:
                places[k] = np.array([x, y])
    return places
