# ruff: noqa: E501 - a table of shapes is read best a line each
"""Forty shapes that have made trouble, or may: combs, gears, spirals, flat ovals, lace, soft wings. About 100 mm wide.

Shared by tests and benchmarks: areas in mm (y down), and their pictures by exact coverage.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Callable

import numpy as np
import shapely
from shapely.affinity import rotate, scale, translate
from shapely.geometry import LineString, MultiPolygon, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

from nibble_core.geometry.regions import oriented_rings, polygons
from nibble_core.graphics import Raster
from nibble_core.graphics.coverage import covered
from nibble_core.text import set_line, shipped_font

WIDTH = 100.0
MARGIN = 0.04  # of the picture's width, on every side


@functools.cache
def shape(name: str) -> MultiPolygon:
    """One of ``NAMES``, fitted into a box 100 mm wide with its corner at the origin."""
    made = MultiPolygon(polygons(shapely.make_valid(_SHAPES[name]())))
    left, top, right, _ = made.bounds
    grow = WIDTH / (right - left)
    return MultiPolygon(polygons(scale(translate(made, -left, -top), grow, grow, origin=(0, 0))))


def picture(area: BaseGeometry, width: int, *, soft: float = 0.0, noise: float = 0.0) -> Raster:
    """Black on white paper, ``width`` px wide with a margin. soft: blur, px. noise: levels, one standard deviation."""
    left, top, right, bottom = area.bounds
    px = width * (1 - 2 * MARGIN) / (right - left)
    height = round((bottom - top) * px + 2 * MARGIN * width)
    rings = [
        (ring - (left, top)) * px + MARGIN * width
        for part in polygons(area)
        for ring in (lambda pair: (pair[0], *pair[1]))(oriented_rings(part))
    ]
    level = 255 * (1 - np.clip(covered(rings, width, height), 0, 1))
    return grey_picture(level, soft=soft, noise=noise)


def grey_picture(level: np.ndarray, *, soft: float = 0.0, noise: float = 0.0) -> Raster:
    if soft:
        import cv2

        level = cv2.GaussianBlur(level, (0, 0), soft)
    if noise:
        level = level + np.random.default_rng(5).normal(0, noise, level.shape)
    grey = np.rint(np.clip(level, 0, 255)).astype(np.uint8)
    return Raster(np.dstack([grey, grey, grey, np.full_like(grey, 255)]))


def noise_picture(width: int) -> Raster:
    """A picture of nothing but noise, in grains of a few pixels."""
    random = np.random.default_rng(11)
    return grey_picture(random.uniform(0, 255, (width, width)), soft=1.5)


def brushed_picture(width: int) -> Raster:
    """A scan of brushed metal: long grey streaks over the page, some words' worth of ink on it."""
    import cv2

    random = np.random.default_rng(13)
    streaks = cv2.GaussianBlur(random.normal(0, 1, (width, width)), (0, 0), sigmaX=width / 60, sigmaY=0.9)
    level = 150 + 45 * streaks / streaks.std()
    ink = covered(
        [_circle(width / 2, width / 2, width / 4), _circle(width / 2, width / 2, width / 6)[::-1]], width, width
    )
    return grey_picture(level * (1 - ink))


def specks_picture(width: int, count: int = 5000) -> Raster:
    """Paper with thousands of specks round a disc."""
    random = np.random.default_rng(17)
    level = np.full((width, width), 255.0)
    at = random.integers(8, width - 8, (count, 2))
    for (x, y), r in zip(at.tolist(), random.integers(1, 5, count).tolist(), strict=True):
        level[y - r : y + r, x - r : x + r] = 0
    disc = covered([_circle(width / 2, width / 2, width / 5)], width, width)
    return grey_picture(level * (1 - disc), soft=0.7)


def _circle(x: float, y: float, r: float, count: int = 400) -> np.ndarray:
    a = np.linspace(0, 2 * math.pi, count, endpoint=False)
    return np.stack([x + r * np.cos(a), y + r * np.sin(a)], 1)


def _oval(x: float, y: float, a: float, b: float, turn: float = 0.0) -> BaseGeometry:
    return translate(rotate(scale(Point(0, 0).buffer(1, quad_segs=90), a, b), turn, origin=(0, 0)), x, y)


def _polar(radius: Callable[[np.ndarray], np.ndarray], count: int = 2400) -> BaseGeometry:
    a = np.linspace(0, 2 * math.pi, count, endpoint=False)
    r = radius(a)
    return shapely.make_valid(Polygon(np.stack([r * np.cos(a), r * np.sin(a)], 1)))


def _join(*parts: BaseGeometry) -> BaseGeometry:
    return shapely.union_all(list(parts))


def lamp() -> BaseGeometry:
    """A solid triangle crossed by six flat ovals, and a bar with oval arms."""
    body = Polygon([(0, -40), (34, 40), (-34, 40)])
    ovals = [_oval(0, y, 44 - 0.2 * abs(y), 1.6, 0.0) for y in (-24, -12, 0, 12, 24, 34)]
    bar = box(-2, 40, 2, 70)
    arms = [_oval(side * 20, 58, 22, 2.2, side * 12.0) for side in (-1, 1)]
    return _join(body, bar, *ovals, *arms)


def winged_badge() -> BaseGeometry:
    """A shield between two wings of long soft feathers."""
    parts: list[BaseGeometry] = [_polar(lambda a: 16 + 1.5 * np.cos(3 * a + 1.5))]
    for side in (-1, 1):
        for k in range(9):
            reach, turn = 44 - 2.6 * k, -24 + 9.5 * k
            feather = _oval(reach / 2, 0, reach / 2, 2.6 - 0.1 * k)
            parts.append(scale(rotate(feather, turn, origin=(0, 0)), side, 1, origin=(0, 0)))
    return _join(*parts).buffer(0.9, quad_segs=32).buffer(-1.6, quad_segs=32).buffer(0.7, quad_segs=32)


def lizard() -> BaseGeometry:
    """A line drawing: a winding body with scales, four legs with toes, drawn with a pen of changing width."""
    t = np.linspace(0, 1, 240)
    spine = np.stack([100 * t, 14 * np.sin(5.2 * t) + 3 * np.sin(17 * t)], 1)
    half = 0.6 + 7 * np.sin(np.pi * np.clip(t * 1.15, 0, 1)) ** 0.8 * (1 - 0.55 * t)
    way = np.gradient(spine, axis=0)
    normal = np.stack([-way[:, 1], way[:, 0]], 1) / np.hypot(*way.T)[:, None]
    parts = [LineString(spine + normal * half[:, None] * side).buffer(0.35, quad_segs=6) for side in (-1, 1)]
    for k in range(14, 200, 6):
        across = LineString(
            [spine[k] - normal[k] * half[k] * 0.85, spine[k + 3], spine[k] + normal[k] * half[k] * 0.85]
        )
        parts.append(across.buffer(0.14 + 0.08 * math.sin(k), quad_segs=4))
    for k in (40, 120):
        for side in (-1, 1):
            foot = spine[k] + normal[k] * side * (half[k] + 11)
            parts.append(LineString([spine[k] + normal[k] * side * half[k] * 0.9, foot]).buffer(0.8, quad_segs=8))
            for toe in range(4):
                a = math.atan2(normal[k][1] * side, normal[k][0] * side) + (toe - 1.5) * 0.45
                tip = foot + 4.5 * np.array([math.cos(a), math.sin(a)])
                parts.append(LineString([foot, tip]).buffer(0.3, quad_segs=6))
    return _join(*parts)


def _comb(teeth: int) -> BaseGeometry:
    pitch = 100 / teeth
    return _join(box(0, 0, 100, 8), *(box(k * pitch, 4, (k + 0.55) * pitch, 40) for k in range(teeth)))


def _gear(teeth: int) -> BaseGeometry:
    a = np.arange(4 * teeth) * math.pi / (2 * teeth)
    r = np.tile([40, 46, 46, 40], teeth)
    return Polygon(np.stack([r * np.cos(a), r * np.sin(a)], 1)).difference(Point(0, 0).buffer(9, quad_segs=60))


def _spiral(turns: float, width: float) -> BaseGeometry:
    a = np.linspace(0.6, turns * 2 * math.pi, int(240 * turns))
    r = 45 * a / a[-1]
    return LineString(np.stack([r * np.cos(a), r * np.sin(a)], 1)).buffer(width, quad_segs=16)


def plate(holes: int = 500) -> BaseGeometry:
    """A plate with holes of many sizes."""
    random = np.random.default_rng(3)
    side = math.ceil(math.sqrt(holes))
    step = 92 / side
    discs = [
        Point(6 + step * (k % side), 6 + step * (k // side)).buffer(random.uniform(0.15, 0.42) * step, quad_segs=12)
        for k in range(holes)
    ]
    return box(0, 0, 100, 100).difference(shapely.union_all(discs))


def _tree(x: float, y: float, turn: float, length: float, width: float) -> list[BaseGeometry]:
    if length < 2.2:
        return [_oval(x, y, 1.6, 0.9, math.degrees(turn))]
    tip = x + length * math.cos(turn), y + length * math.sin(turn)
    own: list[BaseGeometry] = [LineString([(x, y), tip]).buffer(width, quad_segs=6)]
    for bend in (-0.5, 0.42):
        own += _tree(*tip, turn + bend, length * 0.72, width * 0.74)
    return own


def _snowflake() -> BaseGeometry:
    arm = [LineString([(0, 0), (45, 0)]).buffer(1.2, quad_segs=4)]
    for at in (12, 22, 31, 39):
        for side in (-1, 1):
            tip = (at + 0.32 * (46 - at), side * 0.55 * (46 - at))
            arm.append(LineString([(at, 0), tip]).buffer(0.8, quad_segs=4))
    one = _join(*arm)
    return _join(*(rotate(one, 60 * k, origin=(0, 0)) for k in range(6)))


def _koch(depth: int) -> BaseGeometry:
    points = [complex(math.cos(a), math.sin(a)) for a in (math.pi / 2, math.pi * 7 / 6, math.pi * 11 / 6)]
    for _ in range(depth):
        longer = []
        for a, b in zip(points, [*points[1:], points[0]], strict=True):
            third = (b - a) / 3
            longer += [a, a + third, a + third + third * complex(0.5, -math.sqrt(3) / 2), a + 2 * third]
        points = longer
    return Polygon([(50 * p.real, 50 * p.imag) for p in points])


def _words(words: str, font: str) -> BaseGeometry:
    return shapely.union_all([shapely.make_valid(r.polygon()) for r in set_line(shipped_font(font), words, 20).regions])


def _flame() -> BaseGeometry:
    t = np.linspace(0, 1, 300)
    left = np.stack([-22 * np.sin(np.pi * t) ** 0.7 - 5 * np.sin(9 * t) * t, 60 * t], 1)
    right = np.stack([20 * np.sin(np.pi * t) ** 0.9 + 4 * np.sin(12 * t) * t, 60 * t], 1)
    return Polygon(np.vstack([left, right[::-1]])).buffer(0)


def _feather() -> BaseGeometry:
    spine = LineString([(0, 0), (50, -8), (100, 0)]).buffer(0.7)
    barbs = []
    for k in range(44):
        x = 16 + 1.9 * k
        y = -8 * (1 - abs(x - 50) / 50)
        long = 15 * math.sin(math.pi * (k + 4) / 50)
        barbs += [LineString([(x, y), (x + long * 0.7, y + s * long)]).buffer(0.62, quad_segs=4) for s in (-1, 1)]
    return _join(spine, *barbs)


def _chain() -> BaseGeometry:
    links = [
        _oval(16 * k, 0, 11, 6, 25 * (-1) ** k).difference(_oval(16 * k, 0, 8, 3.2, 25 * (-1) ** k)) for k in range(6)
    ]
    return _join(*links)


def _lattice() -> BaseGeometry:
    bars = [box(10 * k, 0, 10 * k + 1.4, 101.4) for k in range(11)] + [
        box(0, 10 * k, 101.4, 10 * k + 1.4) for k in range(11)
    ]
    return _join(*bars)


def _scribble(seed: int) -> BaseGeometry:
    random = np.random.default_rng(seed)
    t = np.linspace(0, 1, 900)
    xy = sum(
        np.stack(
            [
                random.normal() * np.sin(k * 6 * t + random.uniform(0, 6)),
                random.normal() * np.cos(k * 5 * t + random.uniform(0, 6)),
            ],
            1,
        )
        * 20
        / k
        for k in range(1, 7)
    )
    return LineString(xy).buffer(0.9, quad_segs=8)


def _blob(seed: int, rough: float) -> BaseGeometry:
    random = np.random.default_rng(seed)
    waves = [(k, random.normal() * rough / k, random.uniform(0, 6)) for k in range(2, 18)]
    return _polar(lambda a: 30 * np.exp(sum(h * np.sin(k * a + p) for k, h, p in waves)))


def _dots() -> BaseGeometry:
    random = np.random.default_rng(23)
    return _join(
        *(
            Point(*at).buffer(r)
            for at, r in zip(random.uniform(0, 90, (120, 2)), random.uniform(0.6, 5, 120), strict=True)
        )
    )


_SHAPES: dict[str, Callable[[], BaseGeometry]] = {
    "lamp": lamp, "winged badge": winged_badge, "lizard": lizard,
    "coarse comb": lambda: _comb(9), "fine comb": lambda: _comb(60),
    "gear of 24": lambda: _gear(24), "gear of 200": lambda: _gear(200),
    "thin spiral": lambda: _spiral(7, 0.9), "wide spiral": lambda: _spiral(4, 4.6),
    "plate of 500 holes": plate,
    "star": lambda: _polar(lambda a: 20 + 25 * (np.floor(a / math.pi * 5 + 1e-9) % 2), 10),
    "burst": lambda: _polar(lambda a: 44 + 4 * np.sign(np.sin(40 * a)), 80),
    "leaf": lambda: Point(-20, 0).buffer(40, quad_segs=200).intersection(Point(20, 0).buffer(40, quad_segs=200)),
    "tree": lambda: _join(*_tree(0, 0, -math.pi / 2, 20, 1.8)),
    "needle": lambda: Polygon([(0, 0), (100, 3), (0, 6)]),
    "crescent": lambda: Point(0, 0).buffer(40, quad_segs=200).difference(Point(14, 2).buffer(36, quad_segs=200)),
    "thin ring": lambda: Point(0, 0).buffer(50, quad_segs=200).difference(Point(0, 0).buffer(49.2, quad_segs=200)),
    "key": lambda: _join(Point(0, 0).buffer(14).difference(Point(-3, 0).buffer(5)), box(10, -3, 70, 3), box(56, 0, 60, 14), box(64, 0, 68, 11)),
    "snowflake": _snowflake, "koch": lambda: _koch(4),
    "ribbon": lambda: LineString([(x, 9 * math.sin(x / 5)) for x in np.linspace(0, 100, 400)]).buffer(3, cap_style="flat"),
    "dumbbell": lambda: _join(Point(0, 0).buffer(20), Point(70, 0).buffer(20), box(0, -0.3, 70, 0.3)),
    "oars": lambda: _join(*(rotate(_join(box(-1, -40, 1, 40), _oval(0, -34, 5, 12)), turn, origin=(0, 0)) for turn in (-35, 35))),
    "cloud": lambda: _join(*(Point(x, y).buffer(r, quad_segs=60) for x, y, r in ((0, 0, 14), (16, -8, 18), (38, -6, 16), (54, 2, 12), (26, 4, 14)))),
    "flower": lambda: _polar(lambda a: 26 + 14 * np.cos(7 * a)).difference(Point(0, 0).buffer(6)),
    "flame": _flame, "feather": _feather, "chain": _chain, "lattice": _lattice, "dots": _dots,
    "word": lambda: _words("Orrinmouth", "sans"), "script": lambda: _words("Tansy Lane", "script"),
    "angle": lambda: Polygon([(0, 0), (20, 0), (20, 60), (60, 60), (60, 80), (0, 80)]),
    "zigzag": lambda: LineString([(6 * k, 20 * (k % 2)) for k in range(17)]).buffer(2, join_style="mitre", mitre_limit=10),
    "arrow": lambda: Polygon([(0, 10), (60, 10), (60, 0), (100, 20), (60, 40), (60, 30), (0, 30), (14, 20)]),
    "hook": lambda: _spiral(1.4, 5).union(box(40, -4, 90, 4)),
    "scribble": lambda: _scribble(1), "knot": lambda: _scribble(8),
    "soft blob": lambda: _blob(2, 0.22), "rough blob": lambda: _blob(9, 0.75),
}  # fmt: skip
NAMES = tuple(_SHAPES)
