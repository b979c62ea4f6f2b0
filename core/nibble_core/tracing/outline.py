"""One iso-line ring as few lines and cubics within a stated deviation."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from nibble_core.geometry import Path, Points
from nibble_core.geometry.ring_kernels import fit_ring
from nibble_core.geometry.tolerances import TRACE_PX
from nibble_core.tracing.deviation import stray
from nibble_core.tracing.polish import polish

LEAST_CORNER_DEGREES = 22.0
JITTERS = (0.08, 0.2, 0.35)  # px: edges of a picture that was enlarged badly, up to one without any grey
FAR_FEWER = 0.45
PROBES = 8
FINEST = 0.1  # px: below this a fit follows the staircase of the pixels, not the shape
MORE_NODES = 1.3
SLACK = 2.0  # a worst place within this many tolerances is not worth more nodes


def tolerance_for(noise: float) -> float:
    """The deviation, px, that an outline needs to pass between the ripples of its noise."""
    return TRACE_PX + 1.5 * noise


def edge_jitter(rings: Sequence[Points], noise: float) -> float:
    """``noise``, raised to what the edges of the longest rings themselves wobble by (px)."""
    probes = sorted((ring for ring in rings if len(ring) > 60), key=len)[-PROBES:]

    def nodes(at: float) -> int:
        return sum(len(fit_ring(ring, tolerance_for(at), at, LEAST_CORNER_DEGREES + 60 * at)[0]) for ring in probes)

    return raised_to_wobble(nodes, noise) if probes else noise


def raised_to_wobble(nodes: Callable[[float], int], noise: float) -> float:
    """``noise``, or the noise at which trial fits take far fewer nodes.

    Staircases are not seen in the grey beside an edge, but they make a tight fit wind. Where lines take far fewer
    nodes at the tolerance of a higher noise, that noise is real. ``nodes``: how many a fit at a given noise takes.
    """
    fewest = nodes(noise)
    for jitter in JITTERS:
        if jitter > noise:
            count = nodes(jitter)
            if count <= FAR_FEWER * fewest:
                noise, fewest = jitter, count
    return noise


def fit_outline(
    ring: Points, *, tolerance: float, noise: float, polished: bool = True, least_corner: float = LEAST_CORNER_DEGREES
) -> Path:
    """A closed path, in pixels, whose smooth stretches stay within ``tolerance`` px of the ``ring``.

    ``noise`` (px) is how far pixel noise moves the ring: it widens what counts as straight and what counts as
    a corner. Near a corner the path goes to the true apex, which the iso-line rounds off; that is not counted
    as deviation. ``least_corner``: degrees a bend must turn to be one. Where a joint broke the tolerance a tighter
    fit is tried, and taken if it helps for few nodes.
    """
    ring = np.ascontiguousarray(ring)
    corner_degrees = least_corner + 60 * noise
    rough = Path(*fit_ring(ring, tolerance, noise, corner_degrees))
    if not polished:
        return rough
    path, worst = _better(rough, polish(rough, ring), ring)
    if worst <= SLACK * tolerance:
        return path
    rough = Path(*fit_ring(ring, max(0.75 * tolerance, FINEST), noise, corner_degrees))
    tighter, worst_of_tighter = _better(rough, polish(rough, ring), ring)
    better = worst_of_tighter < 0.8 * worst and len(tighter) <= MORE_NODES * len(path)
    return tighter if better else path


def _better(one: Path, other: Path, ring: Points) -> tuple[Path, float]:
    """The path that strays less from the ring, and how far; ``other`` where there is little between them."""
    first, second = stray(one, ring), stray(other, ring)
    return (one, first) if first < 0.9 * second else (other, second)
