"""Hypothesis strategies and odd shapes shared by every property test."""

import math

import numpy as np
import shapely
from hypothesis import strategies as st
from shapely.geometry import Polygon

from nibble_core.geometry import ARC, CUBIC, LINE, Affine, Path, Region

coordinates = st.floats(-500, 500, allow_nan=False, allow_infinity=False).map(lambda v: round(v, 3))
distances = st.floats(0.1, 15).map(lambda v: round(v, 2))


@st.composite
def similarities(draw):
    """Turns, scales, shifts and mirrors: what copies on a sheet undergo."""
    angle, size = draw(st.floats(0, 6.28)), draw(st.floats(0.2, 5))
    c, s = size * math.cos(angle), size * math.sin(angle)
    turn = Affine(c, s, -s, c, draw(coordinates), draw(coordinates))
    return Affine.mirror(100).then(turn) if draw(st.booleans()) else turn


@st.composite
def stars(draw, least=3, most=14):
    """A polygon seen whole from its middle: simple, of any spikiness, positively wound."""
    count = draw(st.integers(least, most))
    radii = draw(st.lists(st.floats(4, 40), min_size=count, max_size=count))
    start = draw(st.floats(0, 6.28))
    angles = start + np.arange(count) * 2 * math.pi / count
    return np.stack([radii * np.cos(angles), radii * np.sin(angles)], 1)


@st.composite
def paths(draw):
    """Closed chains of lines, arcs and cubics."""
    count = draw(st.integers(3, 7))
    nodes = draw(st.lists(st.tuples(coordinates, coordinates), min_size=count, max_size=count, unique=True))
    kinds, rows = [], []
    for (ax, ay), (bx, by) in zip(nodes, [*nodes[1:], nodes[0]], strict=True):
        kind = draw(st.sampled_from([LINE, ARC, CUBIC]))
        chord = math.hypot(bx - ax, by - ay)
        if chord < 1:
            kind = LINE
        row = [ax, ay, 0, 0, 0, 0, bx, by]
        if kind == CUBIC:
            row[2:6] = [draw(coordinates) for _ in range(4)]
        elif kind == ARC:
            sweep = draw(st.floats(0.3, 5.5)) * draw(st.sampled_from([-1, 1]))
            rise = chord / 2 / math.tan(sweep / 2)
            row[2:5] = [(ax + bx) / 2 - rise * (by - ay) / chord, (ay + by) / 2 + rise * (bx - ax) / chord, sweep]
        kinds.append(kind)
        rows.append(row)
    return Path(np.array(kinds, np.uint8), np.array(rows, float))


def polygon_region(polygon: Polygon) -> Region:
    ring = lambda r: Path.polygon(np.asarray(r.coords)[:-1])  # noqa: E731
    return Region(ring(polygon.exterior), tuple(ring(hole) for hole in polygon.interiors))


def zoo() -> dict[str, Polygon]:
    """Odd shapes every function must survive."""
    angles = np.linspace(0, 2 * math.pi, 4000, endpoint=False)
    lobes = 20 + 6 * np.abs(np.cos(3.5 * angles)) ** 0.5
    ripple = 20 + 1.5 * np.sin(9 * angles) + 0.7 * np.cos(23 * angles)
    dense = np.linspace(0, 2 * math.pi, 20_000, endpoint=False)
    spiral = [(r * math.cos(r), r * math.sin(r)) for r in np.linspace(2, 22, 300)]
    return {
        "square": shapely.box(0, 0, 30, 20),
        "circle": shapely.Point(0, 0).buffer(15, quad_segs=128),
        "cusps": Polygon(np.stack([lobes * np.cos(angles), lobes * np.sin(angles)], 1)),
        "ripple": Polygon(np.stack([ripple * np.cos(angles), ripple * np.sin(angles)], 1)),
        "dense": Polygon(np.stack([30 * np.cos(dense), 18 * np.sin(dense)], 1)),
        "needle": Polygon([(0, 0), (60, 0.4), (0, 0.8)]),
        "dumbbell": shapely.union_all(
            [shapely.Point(0, 0).buffer(9), shapely.Point(40, 0).buffer(9), shapely.box(0, -0.2, 40, 0.2)]
        ),
        "spiral": shapely.LineString(spiral).buffer(0.9),
        "bow tie": shapely.make_valid(Polygon([(0, 0), (20, 20), (20, 0), (0, 20)])).geoms[0],
        "comb": shapely.union_all(
            [shapely.box(0, 0, 41, 4), *(shapely.box(4 * k, 0, 4 * k + 1, 20) for k in range(11))]
        ),
        "tiny": shapely.Point(0, 0).buffer(0.05),
        "twin": shapely.Polygon([(0, 0), (10, 0), (10, 10), (5, 0.001), (0, 10)]),
    }
