"""Perforation: a line as dashes of equal length with exact ties between them, none of them at a corner.

All dashes of a line are worked out at once as arrays of arc lengths; 300,000 on a sheet are usual.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from nibble_core.errors import InvalidTicket
from nibble_core.geometry import Bundle, Path, Points
from nibble_core.geometry.tolerances import ARC_CHORD

CORNER = math.radians(25)  # chords of a flattened curve turn by less
PHASES = 128


@dataclass(frozen=True, eq=False)
class Dashes:
    """starts, ends: arc lengths of each dash from the path's first node, mm; an end may lie beyond the path's length,
    one round further. points (m, 2) with offsets (k + 1): dash i is points[offsets[i]:offsets[i + 1]]. length: of
    the path."""

    starts: NDArray[np.float64]
    ends: NDArray[np.float64]
    points: Points
    offsets: NDArray[np.int64]
    length: float

    def __len__(self) -> int:
        return len(self.starts)

    @property
    def bundle(self) -> Bundle:
        """Each dash as an open path of its own."""
        return Bundle.polylines(self.points, self.offsets)


def perforated(path: Path, cut: float, tie: float, *, guard: float | None = None) -> Dashes:
    """A path as dashes near ``cut`` mm long with ties of exactly ``tie`` mm.

    A whole number of dashes, all equal wherever some phase keeps every tie ``guard`` mm (half a dash unless said)
    away from every corner; else each side between two corners has equal dashes of its own, and a dash goes round
    every corner. Raises InvalidTicket unless both lengths are positive.
    """
    if cut <= 0 or tie <= 0:
        raise InvalidTicket("A perforation needs a cut and a tie.", "Give both a length.")
    points = path.flattened(ARC_CHORD)
    ring = np.vstack([points, points[:1]]) if path.closed else points
    steps = np.hypot(*np.diff(ring, axis=0).T)
    keep = np.concatenate([[True], steps > 1e-12])
    ring, steps = ring[keep], steps[steps > 1e-12]
    along = np.concatenate([[0.0], np.cumsum(steps)])
    length = float(along[-1])
    margin = tie / 2 + (min(cut / 2, 2.0) * 0.5 if guard is None else guard)
    corners = _corners(ring, along, path.closed)
    ties = _tie_middles(length, corners, path.closed, cut, tie, margin)
    if len(ties) == 0:
        starts, ends = np.array([0.0]), np.array([length])
    elif path.closed:
        starts, ends = ties + tie / 2, np.roll(ties, -1) - tie / 2
        ends[-1] += length
    else:
        starts, ends = np.concatenate([[0.0], ties + tie / 2]), np.concatenate([ties - tie / 2, [length]])
    out, offsets = _extracted(ring, along, starts, ends, path.closed)
    return Dashes(starts, ends, out, offsets, length)


def _corners(ring: Points, along: NDArray[np.float64], closed: bool) -> NDArray[np.float64]:
    d = np.diff(ring, axis=0)
    into, out = (np.roll(d, 1, 0), d) if closed else (d[:-1], d[1:])
    turn = np.abs(np.arctan2(into[:, 0] * out[:, 1] - into[:, 1] * out[:, 0], (into * out).sum(1)))
    at = along[:-1] if closed else along[1:-1]
    return np.asarray(at[turn > CORNER])


def _tie_middles(
    length: float, corners: NDArray[np.float64], closed: bool, cut: float, tie: float, margin: float
) -> NDArray[np.float64]:
    """Arc lengths of the middles of all ties, rising."""
    if closed:
        count = round(length / (cut + tie))
        if count < 1 or length / count - tie < cut / 2:
            count = math.floor(length / (tie + cut / 2))
        if count < 1:
            return np.empty(0)
        pitch = length / count
        if not len(corners):
            return np.asarray((np.arange(count) + 0.5) * pitch, np.float64)
        phases = np.arange(PHASES) * pitch / PHASES
        off = (corners[None] - phases[:, None] + pitch / 2) % pitch - pitch / 2
        clear = np.abs(off).min(1)
        best = int(np.argmax(clear))
        if clear[best] >= margin:
            return np.asarray(np.sort((phases[best] + pitch * np.arange(count)) % length))
        stops = np.concatenate([corners, [corners[0] + length]])
        ends = (0.5, 0.5)
    else:
        stops = np.concatenate([[0.0], corners, [length]])
        ends = (1.0, 1.0)
    made = []
    for k, (start, stop) in enumerate(pairwise(stops.tolist())):
        first = ends[0] if k == 0 else 0.5
        last = ends[1] if k == len(stops) - 2 else 0.5
        made.append(start + _side(stop - start, cut, tie, margin, first, last))
    middles = np.concatenate(made)
    return np.asarray(np.sort(middles % length) if closed else middles)


def _side(length: float, cut: float, tie: float, margin: float, first: float, last: float) -> NDArray[np.float64]:
    """Middles of the ties on a side that begins and ends within a dash: with ``first`` and ``last`` dashes' worth of
    line before the first and after the last tie, at least ``margin`` from its middle."""
    for count in range(round((length + (1 - first - last) * cut) / (cut + tie)), 0, -1):
        dash = (length - count * tie) / (count - 1 + first + last)
        before, after = max(first * dash, margin - tie / 2), max(last * dash, margin - tie / 2)
        inner = (length - before - after - count * tie) / (count - 1) if count > 1 else dash
        if before + after + count * tie > length + 1e-9 or inner < cut / 2:
            continue
        if count == 1:
            return np.array([before + tie / 2 + (length - before - after - tie) / 2])
        return np.asarray(before + tie / 2 + (inner + tie) * np.arange(count))
    return np.empty(0)


def _extracted(
    ring: Points, along: NDArray[np.float64], starts: NDArray[np.float64], ends: NDArray[np.float64], closed: bool
) -> tuple[Points, NDArray[np.int64]]:
    """The polyline of every dash at once: its two ends and the vertices between."""
    length, vertices = along[-1], len(ring) - 1
    both = np.stack([starts, ends], 1).ravel()
    rounds = np.floor_divide(both, length) if closed else np.zeros(len(both))
    local = np.clip(both - rounds * length, 0.0, length)
    index = np.clip(np.searchsorted(along, local, side="right") - 1, 0, vertices - 1)
    share = (local - along[index]) / (along[index + 1] - along[index])
    places = ring[index] + (ring[index + 1] - ring[index]) * share[:, None]
    walked = index + rounds.astype(np.int64) * vertices
    first, last = walked[0::2], walked[1::2]
    on_vertex = local[1::2] - along[index[1::2]] < 1e-12  # a dash that ends on a vertex holds it already
    inner = np.maximum(last - first - on_vertex, 0)
    offsets = np.concatenate([[0], np.cumsum(inner + 2)])
    out = np.empty((offsets[-1], 2))
    out[offsets[:-1]], out[offsets[1:] - 1] = places[0::2], places[1::2]
    of = np.repeat(np.arange(len(inner)), inner)
    rank = np.arange(inner.sum()) - np.repeat(np.cumsum(inner) - inner, inner)
    out[offsets[of] + 1 + rank] = ring[(first[of] + 1 + rank) % vertices]
    return out, offsets
