"""Nesting against rows of boxes and against shelves (first fit by falling height, each box laid flat), and how near two
copies come; weed lines on seeded sheets."""

from __future__ import annotations

import math
import time
from dataclasses import replace

import numpy as np
import shapely
import shapely.affinity

from benchmarks.layouts import shapes
from nibble_core.geometry import Box
from nibble_core.lines.figures import figure
from nibble_core.sheet import Limits, Nest, Part, Room, at_place, grid, nest, pieces_of_waste, room, weed_lines

GAP = 2.0
WITHIN = room(spacing=GAP, usable_width=1000.0, usable_length=1e5, mark_count=0)


def run() -> None:
    alike()
    for count, seconds in ((100, 2.0), (300, 2.0), (100, 20.0), (300, 20.0)):
        mixed(count, seconds)
    weeds()


def alike() -> None:
    """200 copies of one shape, against the better of two turns of the grid; stars and Ls also of other proportions,
    since how much they save depends on them, and Ls by any turn."""
    even = shapely.union_all([shapely.box(0, 0, 15, 60), shapely.box(0, 45, 60, 60)])
    more = {f"star, inner radius {depth}": figure("star", 60, 60, depth=depth)[0].polygon() for depth in (0.3, 0.382)}
    more["letter L, arms of 10 mm"] = shapely.union_all([shapely.box(0, 0, 10, 60), shapely.box(0, 50, 45, 60)])
    for name, shape in {**shapes(), "leaf": leaf(22.0, 50.0), **more}.items():
        one_shape(name, shape)
    for name, shape in {"letter L": shapes()["letter L"], "even L": even}.items():
        one_shape(f"{name} by any turn", shape, turns="by any turn")
    over_widths("letter L", shapes()["letter L"])
    for depth in (0.333, 0.382):
        over_widths(f"star, inner radius {depth}", figure("star", 60, 60, depth=depth)[0].polygon())
    pentagram = figure("star", 60, 60, depth=0.382)[0].polygon()
    for gap in (0.0, 0.5):  # what a gap takes of the savings: it is as wide in the notches as between boxes
        over_widths(f"star, inner radius 0.382, {gap:g} mm apart", pentagram, gap)


def one_shape(name: str, shape: shapely.Geometry, turns: str = "by quarter turns") -> None:
    start = time.process_time()
    share, found = saved(shape, WITHIN, turns)
    seconds = time.process_time() - start
    put = [at_place(shape, at) for _, at in found.placements]
    print(f"{name}: {100 * share:.0f} % of the grid's length saved, {nearest(put)}, {seconds:.2f} s of processor")


def over_widths(name: str, shape: shapely.Geometry, gap: float = GAP) -> None:
    """How many stand in a row jumps with the width, for the grid and the nest alike: the mean of ten widths."""
    within = replace(WITHIN, spacing=gap)
    rooms = [replace(within, width=width) for width in np.linspace(500.0, 1400.0, 10).tolist()]
    shares = [100 * saved(shape, within, "by any turn")[0] for within in rooms]
    print(f"{name} on ten widths, by any turn: {np.mean(shares):.1f} % in the mean, "
          f"{min(shares):.0f} to {max(shares):.0f} %")  # fmt: skip


def saved(shape: shapely.Geometry, within: Room, turns: str) -> tuple[float, Nest]:
    """The share of the better grid's length that a nest of 200 saves, and the nest."""
    turned = shapely.affinity.rotate(shape, 90)
    best = min(grid([Part("l", Box(*one.bounds), 200)], within).height for one in (shape, turned))
    found, _ = nest([Part("l", Box(*shape.bounds), 200, shape)], within, turns=turns, limits=Limits(1.0))
    return 1 - found.length / best, found


def mixed(count: int, seconds: float) -> None:
    drawn = assortment(count, seed=3)
    base = shelves(drawn)
    parts = [Part(str(i), Box(*one.bounds), 1, one) for i, one in enumerate(drawn)]
    start = time.process_time()
    found, _ = nest(parts, WITHIN, limits=Limits(seconds))
    taken = time.process_time() - start
    put = [at_place(drawn[int(layer)], at) for layer, at in found.placements]
    used = found.length - 2 * WITHIN.edge
    filled = sum(one.area for one in drawn) / (WITHIN.inner * used)
    print(f"{count} mixed pieces, {seconds:g} s: {100 * (1 - used / base):.1f} % saved against shelves, "
          f"{100 * filled:.0f} % filled, {nearest(put)}, {taken:.1f} s of processor")  # fmt: skip


def shelves(drawn: list[shapely.Geometry]) -> float:
    """Length that first-fit shelves of boxes take, mm."""
    sizes = [(right - left, bottom - top) for left, top, right, bottom in (one.bounds for one in drawn)]
    rows: list[list[float]] = []
    for wide, tall in sorted(((max(size), min(size)) for size in sizes), key=lambda size: -size[1]):
        row = next((row for row in rows if row[0] + GAP + wide <= WITHIN.inner), None)
        if row is None:
            rows.append([wide, tall])
        else:
            row[0] += GAP + wide
    return sum(tall for _, tall in rows) + GAP * (len(rows) - 1)


def nearest(put: list[shapely.Geometry]) -> str:
    tree = shapely.STRtree(put)
    pairs = zip(*tree.query(put, predicate="dwithin", distance=3 * GAP), strict=True)
    near = min((put[a].distance(put[b]) for a, b in pairs if a < b), default=math.inf)
    return f"nearest {near:.3f} mm ({GAP:g} asked)"


def assortment(count: int, *, seed: int) -> list[shapely.Geometry]:
    """Discs, triangles, stars, letters, kites, leaves, blobs and cards, 25 to 80 mm."""
    rng = np.random.default_rng(seed)
    drawn = []
    for number in range(count):
        s = float(rng.uniform(25, 80))
        kinds = (
            lambda s: shapely.Point(0, 0).buffer(s / 2),
            lambda s: shapely.Polygon([(0, 0), (s, 0), (s / 2, s * 0.86)]),
            lambda s: figure("star", s, s)[0].polygon(),
            lambda s: shapely.union_all([shapely.box(0, 0, s * 0.3, s), shapely.box(0, s * 0.7, s * 0.75, s)]),
            lambda s: shapely.Polygon([(0, s * 0.3), (s * 0.3, 0), (s * 0.6, s * 0.3), (s * 0.3, s)]),
            lambda s: leaf(s * 0.45, s),
            lambda s: blob(s / 2, rng),
            lambda s: shapely.box(0, 0, s, s * float(rng.uniform(0.3, 0.8))),
        )
        drawn.append(kinds[number % len(kinds)](s))
    return drawn


def leaf(wide: float, tall: float) -> shapely.Geometry:
    t = np.linspace(0, 1, 40)
    half = np.column_stack([wide / 2 * np.sin(np.pi * t), tall * t])
    return shapely.Polygon(np.vstack([half, half[::-1] * [-1, 1]])).buffer(0)


def blob(radius: float, rng: np.random.Generator) -> shapely.Geometry:
    t = np.linspace(0, 2 * np.pi, 90)[:-1]
    waves = sum(rng.uniform(-0.25, 0.25) * np.cos(j * t + rng.uniform(0, 6)) for j in (2, 3, 5))
    return shapely.Polygon((radius * (1 + waves))[:, None] * np.column_stack([np.cos(t), np.sin(t)])).buffer(0)


def weeds() -> None:
    """Thirty sheets of mixed pieces: cuts through a copy, cuts too near, and the largest piece of waste."""
    crossed = near = 0
    largest, asked, clear = 0.0, 120.0, 0.5
    start = time.process_time()
    for seed in range(30):
        drawn = assortment(40, seed=seed)
        parts = [Part(str(i), Box(*one.bounds), 1, one) for i, one in enumerate(drawn)]
        found, _ = nest(parts, WITHIN, limits=Limits(0.0))
        copies = [shapely.Polygon(at_place(drawn[int(layer)], at).exterior) for layer, at in found.placements]
        waste = shapely.box(0, 0, found.width, found.length)
        cuts = weed_lines(waste, copies, asked, clear)
        lines = [shapely.LineString(path.flattened(0.01)) for path in cuts]
        tree = shapely.STRtree(copies)
        crossed += len(tree.query(lines, predicate="intersects")[0])
        near += len(tree.query(lines, predicate="dwithin", distance=clear - 1e-9)[0])
        for piece in pieces_of_waste(waste, copies, cuts, clear):
            left, top, right, bottom = piece.bounds
            largest = max(largest, right - left, bottom - top)
    print(f"weed lines on 30 sheets: {crossed} copies crossed, {near} nearer than {clear:g} mm, largest piece of waste "
          f"{largest:.1f} mm ({asked:g} asked), {time.process_time() - start:.1f} s with nesting")  # fmt: skip
