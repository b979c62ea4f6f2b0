"""Patches of a picture that share their edges, fitted: one path a border, used by both patches beside it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Path, Points, Region
from nibble_core.geometry.points import shoelace
from nibble_core.graphics import Colour
from nibble_core.tracing.deviation import deviation
from nibble_core.tracing.jitter import price, raised_to_making, sample_distances, suspected_jitter
from nibble_core.tracing.making import EdgeMaking
from nibble_core.tracing.outline import BLUNT, fit_outline, tolerance_for
from nibble_core.tracing.planar import Border, rings_of
from nibble_core.tracing.stretch import fit_stretch
from nibble_core.tracing.two_tone import TracedRegion, inside_place

MIXED_ENDS = 2  # places beside a junction where pixels show three colours
PROBES = 10

Junctions = dict[tuple[int, int], tuple[float, float]]


@dataclass(frozen=True, eq=False)
class TracedAreas:
    """Flat colour areas, in pixels: ``regions`` tile the whole picture, largest first.

    places: polylines (n, 2) where colours truly meet, one a border; noise: of the edges; palette: the colours; seams:
    the borders between two areas, each with the indices of both regions.
    """

    regions: tuple[TracedRegion, ...]
    places: tuple[Points, ...]
    noise: float
    palette: tuple[Colour, ...]
    seams: tuple[tuple[Path, int, int], ...]

    def deviation(self) -> tuple[float, float]:
        """Worst and mean distance from the borders to where the colours meet, px. See ``deviation.off_along``."""
        return deviation([path for path, _, _ in self.seams], self.places)


def probes_of(borders: Sequence[Border]) -> list[Border]:
    """The longest borders within the picture, by which its making is judged."""
    inner = [border for border in borders if not border.at_edge and len(border.places) > 40]
    return sorted(inner, key=lambda border: len(border.places))[-PROBES:]


def raised(
    probes: Sequence[Border], junctions: Junctions, noise: float, edges: EdgeMaking
) -> float:  # fmt: skip
    """``noise``, raised to what the picture's making did to the longest borders."""

    def trial(noise: float) -> tuple[float, NDArray[np.float64]]:
        paths = [fitted(border, junctions, tolerance_for(noise), noise, False, edges.blunt) for border in probes]
        apart = [sample_distances(path, border.places) for path, border in zip(paths, probes, strict=True)]
        return sum(map(price, paths)), np.concatenate(apart)

    return raised_to_making(trial, noise, suspected_jitter([border.places for border in probes], edges))


def fitted(
    border: Border,
    junctions: Junctions,
    tolerance: float,
    noise: float,
    polished: bool,
    blunt: float,
) -> Path:
    """A border as a path between where its ends truly meet others; along the picture's edge as that runs."""
    if border.closed:
        if border.at_edge:
            return _along_edge(border, (border.corners[0][::-1], border.corners[-1][::-1]))
        if len(border.places) < 4:
            return Path.polygon(border.corners[:-1, ::-1].astype(np.float64))
        return fit_outline(border.places, tolerance=tolerance, noise=noise, polished=polished, blunt=blunt)
    ends = tuple(
        np.array(junctions[(int(corner[0]), int(corner[1]))]) for corner in (border.corners[0], border.corners[-1])
    )
    if border.at_edge:
        return _along_edge(border, ends)
    points = np.vstack([ends[0][None], border.places, ends[1][None]])
    mixed = 1 + round(MIXED_ENDS * max(1.0, blunt / BLUNT))
    return fit_stretch(points, tolerance=tolerance, noise=noise, trusted_from=mixed, polished=polished, blunt=blunt)


def _along_edge(border: Border, ends: Sequence[Points]) -> Path:
    """The straight way along the picture's edge, with its corners."""
    line = border.corners[:, ::-1].astype(np.float64)
    step = np.diff(line, axis=0)
    turns = 1 + np.nonzero((step[1:] != step[:-1]).any(1))[0]
    if not border.closed:
        return Path.polygon(np.vstack([ends[0], line[turns], ends[1]]), closed=False)
    round_start = [] if (step[0] == step[-1]).all() else [line[0]]
    return Path.polygon(np.vstack([*round_start, line[turns]]))


def regions_of(
    borders: Sequence[Border], paths: Sequence[Path], owners: NDArray[np.int64], colours: NDArray[np.float64]
) -> list[tuple[int, TracedRegion]]:
    """Patch numbers and their regions, largest first."""
    found = []
    for patch, rings in rings_of(borders).items():
        made = [_joined([paths[i] if forward else paths[i].reversed() for i, forward in ring]) for ring in rings]
        dense = [ring.flattened(0.02) for ring in made]
        areas = [shoelace(points) for points in dense]
        outer = int(np.argmax(areas))
        order = [outer, *(k for k in range(len(made)) if k != outer)]
        region = Region(made[outer], tuple(made[k] for k in order[1:]))
        red, green, blue = np.rint(colours[owners[patch]]).astype(int).tolist()
        place = inside_place(dense[outer], [dense[k] for k in order[1:]])
        found.append((patch, TracedRegion(region, place, (red, green, blue), sum(areas))))
    return sorted(found, key=lambda one: (-one[1].area, one[0]))


def _joined(parts: Sequence[Path]) -> Path:
    if len(parts) == 1 and parts[0].closed:
        return parts[0]
    kinds = np.concatenate([part.kinds for part in parts])
    rows = np.concatenate([part.rows for part in parts])
    return Path(kinds, rows)
