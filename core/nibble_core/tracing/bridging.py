"""Measured places of a line whose middle cannot be told everywhere: gaps led across by what both sides point to."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Points
from nibble_core.geometry.corner_kernels import crossing
from nibble_core.geometry.kernels import fit_line

LEAST_TURN = np.radians(14)


def bridged(places: Points, keep: NDArray[np.bool_], half: float, closed: bool) -> Points:
    """The kept places, and in each gap what both sides point to."""
    index = np.nonzero(keep)[0]
    pieces, start = [], 0
    reach = max(4, round(3 * half))
    for gap in np.nonzero(np.diff(index) > 1)[0].tolist():
        pieces.append(places[index[start : gap + 1]])
        before, after = places[index[max(0, gap + 1 - reach) : gap + 1]], places[index[gap + 1 : gap + 1 + reach]]
        pieces.append(_across(before, after, half))
        start = gap + 1
    pieces.append(places[index[start:]])
    if closed and len(index) < len(places):
        pieces.append(_across(places[index[-reach:]], places[index[:reach]], half))
    return _spaced(np.vstack(pieces))


def _across(before: Points, after: Points, half: float) -> Points:
    """What lies between two pieces of a stroke, (n, 2): the corner that both point to, or an even bend from one to the
    other; nothing between close ones."""
    corner = _corner_between(before, after, half)
    if corner is not None:
        return corner[None]
    chord = float(np.hypot(*(after[0] - before[-1])))
    if chord < 3 or len(before) < 5 or len(after) < 5:
        return np.empty((0, 2))
    leaving, arriving = way_at_end(before), -way_at_end(after[::-1])
    along = (after[0] - before[-1]) / chord
    if min(leaving @ along, arriving @ along) < 0.3:
        return np.empty((0, 2))
    # handles of a circle's arc that turns as much
    turn = float(np.arccos(np.clip(leaving @ arriving, -1, 1)))
    handle = chord / (3 * float(np.cos(turn / 4)) ** 2)
    t = np.linspace(0, 1, int(chord) + 1)[1:-1, None]
    u = 1 - t
    return np.asarray(
        u**3 * before[-1] + 3 * u * u * t * (before[-1] + handle * leaving)
        + 3 * u * t * t * (after[0] - handle * arriving) + t**3 * after[0]
    )  # fmt: skip


def way_at_end(places: Points) -> Points:
    """Unit direction in which a piece leaves its last place, by the parabola through it."""
    t = np.arange(len(places)) - (len(places) - 1.0)
    way = np.array([np.polyfit(t, places[:, k], 2)[1] for k in (0, 1)])
    return np.asarray(way / max(float(np.hypot(*way)), 1e-9))


def _corner_between(before: Points, after: Points, half: float) -> Points | None:
    """Where the lines through two pieces of a stroke cross, if they turn and cross between the pieces."""
    if len(before) < 3 or len(after) < 3:
        return None
    ax, ay, au, av, _ = fit_line(np.ascontiguousarray(before), 0, len(before), 1)
    bx, by, bu, bv, _ = fit_line(np.ascontiguousarray(after), 0, len(after), 1)
    turn = float(np.arctan2(au * bv - av * bu, au * bu + av * bv))
    bend = (_bend(before) + _bend(after)) / 2 * float(np.hypot(*(after.mean(0) - before.mean(0))))
    if abs(turn - bend) < LEAST_TURN:
        return None
    found, x, y = crossing(ax, ay, au, av, bx, by, bu, bv)
    place = np.array([x, y])
    if not found or min(np.hypot(*(place - before[-1])), np.hypot(*(place - after[0]))) > 4 * half:
        return None
    ahead = (place - before[-1]) @ (au, av) > 0 and (place - after[0]) @ (bu, bv) < 0
    return place if ahead else None


def _bend(places: Points) -> float:
    """Signed mean curvature of a short piece, radians a px."""
    half = len(places) // 2
    if half < 2:
        return 0.0
    one, other = places[half] - places[0], places[-1] - places[half]
    turn = np.arctan2(one[0] * other[1] - one[1] * other[0], one @ other)
    return float(turn / max(0.5 * (np.hypot(*one) + np.hypot(*other)), 1e-6))


def _spaced(places: Points) -> Points:
    """Without places that crowd or fold back on the one before."""
    kept = [places[0]]
    for place in places[1:]:
        if np.hypot(*(place - kept[-1])) > 0.3:
            kept.append(place)
    return np.array(kept)
