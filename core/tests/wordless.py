"""Drawings without a word in them, as areas about 100 wide: what is boxed as lettering there is boxed wrongly.

Shared by tests and benchmarks.
"""

from __future__ import annotations

import math

import numpy as np
import shapely
from shapely.affinity import rotate, scale, translate
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

from tests import zoo


def drawing(name: str) -> BaseGeometry:
    return _DRAWINGS[name]()


def _join(*parts: BaseGeometry) -> BaseGeometry:
    return shapely.union_all(parts)


def _pen(points: object, width: float = 1.2) -> BaseGeometry:
    return LineString(points).buffer(width / 2)


def _ringed(area: BaseGeometry, width: float = 1.2) -> BaseGeometry:
    return area.boundary.buffer(width / 2)


def _leaf(x: float, y: float, long: float, wide: float, turn: float) -> BaseGeometry:
    half = (long / 2) ** 2 / wide + wide / 4
    made = (
        Point(0, -half + wide / 2)
        .buffer(half, quad_segs=90)
        .intersection(Point(0, half - wide / 2).buffer(half, quad_segs=90))
    )
    return translate(rotate(translate(made, long / 2, 0), turn, origin=(0, 0)), x, y)


def _ornament() -> BaseGeometry:
    """A stem that winds, with leaves at both sides, cut apart from it."""
    x = np.linspace(0, 100, 200)
    parts = [_pen(np.stack([x, 20 + 5 * np.sin(x / 8)], 1), 1.4)]
    for k in range(13):
        at = 4 + 7.4 * k
        y = 20 + 5 * math.sin(at / 8)
        parts.append(
            _leaf(at, y + (2 if k % 2 else -2), 8 + 2 * math.sin(k), 3.2, (62 if k % 2 else -58) + 9 * math.sin(2 * k))
        )
    return _join(*parts)


def _branches(
    x: float, y: float, turn: float, long: float, parts: list[BaseGeometry], leaves: list[BaseGeometry]
) -> None:
    end = (x + long * math.cos(turn), y + long * math.sin(turn))
    parts.append(_pen([(x, y), end], max(0.7, long / 6)))
    if long < 7:
        leaves.append(_leaf(end[0] + 1.2 * math.cos(turn), end[1] + 1.2 * math.sin(turn), 4.4, 2.2, math.degrees(turn)))
        return
    for bend in (-0.5, 0.42):
        _branches(*end, turn + bend, long * 0.72, parts, leaves)


def _leafy_tree() -> BaseGeometry:
    parts: list[BaseGeometry] = []
    leaves: list[BaseGeometry] = []
    _branches(50, 100, -math.pi / 2, 24, parts, leaves)
    return _join(*parts, *leaves)


def _house() -> BaseGeometry:
    """A front with panes, a door, tiles and a fence, drawn with a pen."""
    parts = [
        _ringed(box(10, 40, 90, 90)),
        _ringed(Polygon([(4, 40), (50, 8), (96, 40)])),
        _ringed(box(44, 64, 57, 90)),
        Point(54, 78).buffer(0.9),
    ]
    for x in (16, 29, 62, 75):
        for y in (46, 66):
            parts += [
                _ringed(box(x, y, x + 10, y + 13), 0.9),
                _pen([(x + 5, y), (x + 5, y + 13)], 0.8),
                _pen([(x, y + 6), (x + 10, y + 6)], 0.8),
            ]
    for row in range(4):
        for k in range(3 + 3 * row):
            parts.append(
                _pen(
                    LineString(
                        Point(50 + 5 * (k - (2 + 3 * row) / 2), 18 + 5.4 * row).buffer(2).exterior.coords[16:49]
                    ).coords,
                    0.7,
                )
            )
    for k in range(9):
        parts.append(
            _ringed(
                Polygon([(1 + 4 * k, 99), (1 + 4 * k, 92), (2.4 + 4 * k, 90), (3.8 + 4 * k, 92), (3.8 + 4 * k, 99)]),
                0.7,
            )
        )
    return _join(*parts)


def _oval_sign() -> BaseGeometry:
    """A whole oval sign: double rim, a boat on waves, gulls."""
    rim = [
        _ringed(scale(Point(50, 35).buffer(1, quad_segs=120), a, b, origin=(50, 35)), 1.6)
        for a, b in ((49, 34), (45, 30))
    ]
    hull = Polygon([(28, 42), (72, 42), (64, 51), (36, 51)])
    sails = [Polygon([(49, 12), (49, 40), (30, 40)]), Polygon([(51, 15), (51, 40), (68, 40)])]
    x = np.linspace(0, 16, 40)
    waves = [_pen(np.stack([14 + 15 * k + x, 55 + 1.4 * np.sin(x * 1.2)], 1), 1.1) for k in range(5)]
    gulls = [
        _pen(
            [
                (20 + 9 * k, 20 - 2 * k),
                (23 + 9 * k, 18 - 2 * k),
                (24 + 9 * k, 19.6 - 2 * k),
                (27 + 9 * k, 17.6 - 2 * k),
            ],
            0.8,
        )
        for k in range(3)
    ]
    return _join(*rim, hull, *sails, *waves, *gulls)


def _wreath() -> BaseGeometry:
    parts = []
    for k in range(26):
        turn = 2 * math.pi * k / 26
        parts.append(
            _leaf(
                50 + 38 * math.cos(turn),
                50 + 38 * math.sin(turn),
                11 + (k % 3),
                4,
                math.degrees(turn) + (50 if k % 2 else 115),
            )
        )
    return _join(
        *parts, *(Point(50 + 41 * math.cos(t), 50 + 41 * math.sin(t)).buffer(1.5) for t in np.linspace(0.1, 6.2, 9))
    )


def _paws() -> BaseGeometry:
    parts = []
    for k in range(6):
        paw = _join(
            scale(Point(0, 2).buffer(2.4), 1.2, 1),
            *(scale(Point(x, y).buffer(1.05), 1, 1.3) for x, y in ((-3, -1), (-1.1, -3), (1.1, -3), (3, -1))),
        )
        parts.append(translate(rotate(paw, 60 + 14 * k, origin=(0, 0)), 8 + 16 * k, 16 + 7 * (k % 2) + 0.8 * k))
    return _join(*parts)


def _ear_of_wheat() -> BaseGeometry:
    parts = [_pen([(50, 20), (50, 100)], 1.4)]
    for k in range(8):
        y = 26 + 6.5 * k
        parts += [
            _leaf(51.5, y, 9 + 0.4 * k, 3.8, -52),
            _leaf(48.5, y, 9 + 0.4 * k, 3.8, -128),
            _pen([(56, y - 8), (60, y - 20)], 0.6),
        ]
    return _join(*parts, _leaf(50, 24, 10, 4, -90))


def _forest() -> BaseGeometry:
    parts = []
    for k, tall in enumerate((26, 34, 22, 30, 38, 24, 28)):
        x = 8 + 14 * k
        tiers = [
            Polygon(
                [
                    (x - 2 - 1.6 * n, 60 - tall + 8 * n + 9),
                    (x + 2 + 1.6 * n, 60 - tall + 8 * n + 9),
                    (x, 60 - tall + 8 * n),
                ]
            )
            for n in range(round(tall / 9))
        ]
        parts += [*tiers, box(x - 0.8, 56, x + 0.8, 62)]
    return _join(*parts)


def _skeleton_fish() -> BaseGeometry:
    parts = [
        _pen([(12, 30), (84, 30)], 1.6),
        _ringed(Polygon([(12, 30), (2, 20), (2, 40)])),
        _ringed(Point(90, 30).buffer(9)),
        Point(92, 27).buffer(1.2),
    ]
    for k in range(9):
        x, high = 20 + 6.6 * k, 6 + 8 * math.sin(math.pi * (k + 1) / 10)
        parts.append(_pen([(x - 2, 30 - high), (x, 30), (x - 2, 30 + high)], 1.3))
    return _join(*parts)


def _machine() -> BaseGeometry:
    parts = []
    for x, y, r in ((24, 30, 18), (56, 24, 12), (80, 38, 15)):
        cogs = [
            rotate(box(x + r - 1, y - 1.6, x + r + 3, y + 1.6), 360 * k / round(r * 1.1), origin=(x, y))
            for k in range(round(r * 1.1))
        ]
        parts.append(_join(Point(x, y).buffer(r).difference(Point(x, y).buffer(r * 0.45)), *cogs))
        parts += [
            Point(x + r * 0.7 * math.cos(t), y + r * 0.7 * math.sin(t)).buffer(0.9) for t in np.linspace(0, 5.2, 6)
        ]
    return _join(*parts[:1], *parts[1:])


def _cat() -> BaseGeometry:
    """Sitting, drawn with a pen, stripes on its back and whiskers."""
    body = _join(
        scale(Point(50, 66).buffer(1), 22, 30),
        Point(50, 28).buffer(15),
        Polygon([(37, 20), (36, 4), (47, 14)]),
        Polygon([(63, 20), (64, 4), (53, 14)]),
    )
    stripes = [
        _pen([(30 + a, y), (36 + a, y + 2), (43 + a, y - 1)], 1.6) for y, a in ((52, 2), (60, 0), (68, -1), (76, 0))
    ] + [_pen([(58 - a, y), (64 - a, y + 2), (70 - a, y - 1)], 1.6) for y, a in ((52, 1), (60, -1), (68, -1), (76, 0))]
    face = [
        _ringed(Point(44, 26).buffer(2.6), 0.9),
        _ringed(Point(56, 26).buffer(2.6), 0.9),
        Point(44, 26).buffer(1),
        Point(56, 26).buffer(1),
        Polygon([(48, 31), (52, 31), (50, 33.5)]),
    ]
    whiskers = [_pen([(50 + s * 8, 33 + d), (50 + s * 22, 31 + 2.4 * d)], 0.6) for s in (-1, 1) for d in (-1, 0, 1)]
    return _join(_ringed(body, 1.5), *stripes, *face, *whiskers)


_DRAWINGS = {
    "lizard": lambda: zoo.shape("lizard"), "ornament": _ornament, "leafy tree": _leafy_tree, "house": _house,
    "oval sign": _oval_sign, "wreath": _wreath, "paws": _paws, "ear of wheat": _ear_of_wheat, "forest": _forest,
    "fish bones": _skeleton_fish, "cog wheels": _machine, "cat": _cat,
}  # fmt: skip
NAMES = tuple(_DRAWINGS)
