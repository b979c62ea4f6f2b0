# ruff: noqa: E501 - pictures are read best a layer beside the other
"""Pictures of flat colour areas, as layers painted over each other in a square of 100 by 100; the truth is known.

Shared by tests and benchmarks.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
import shapely
from shapely.affinity import rotate, scale, translate
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

from nibble_core.formats.pixels import read_picture
from nibble_core.geometry.regions import oriented_rings, polygons
from nibble_core.graphics import Raster
from nibble_core.graphics.coverage import covered

Layers = list[tuple[str, BaseGeometry]]
SIDE = 100.0


def layers(name: str) -> Layers:
    return _PICTURES[name]()


def true_areas(name: str) -> int:
    """How many areas of one colour are seen, the ground's too."""
    seen: dict[str, BaseGeometry] = {"#ffffff": box(0, 0, SIDE, SIDE)}
    for colour, area in layers(name):
        seen = {own: one.difference(area) for own, one in seen.items()}
        seen[colour] = shapely.union_all([seen.get(colour, Polygon()), area.intersection(box(0, 0, SIDE, SIDE))])
    return sum(len([part for part in polygons(one.buffer(-0.01)) if part.area > 0.05]) for one in seen.values())


def drawn(name: str, width: int, *, soft: float = 0.0, jpeg: int = 0, enlarged: float = 1.0) -> Raster:
    """``width`` px square. soft: blur, px. jpeg: its quality. enlarged: drawn so many times smaller, then blown up."""
    own = round(width / enlarged)
    page = np.full((own, own, 3), 255.0)
    for colour, area in layers(name):
        rings = [
            ring * (own / SIDE)
            for part in polygons(area.intersection(box(-1, -1, SIDE + 1, SIDE + 1)))
            for ring in (lambda pair: (pair[0], *pair[1]))(oriented_rings(part))
        ]
        share = np.clip(covered(rings, own, own), 0, 1)[..., None]
        ink = np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)])
        page = page * (1 - share) + ink * share
    if soft:
        page = cv2.GaussianBlur(page, (0, 0), soft)
    pixels = np.rint(np.clip(page, 0, 255)).astype(np.uint8)
    if own != width:
        pixels = cv2.resize(pixels, (width, width), interpolation=cv2.INTER_CUBIC)
    if jpeg:
        done, content = cv2.imencode(".jpg", pixels[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, jpeg])
        assert done
        return read_picture(content.tobytes(), f"{name}.jpg").raster
    return Raster(np.dstack([pixels, np.full((width, width), 255, np.uint8)]))


def _oval(x: float, y: float, a: float, b: float, turn: float = 0.0) -> BaseGeometry:
    return rotate(scale(Point(x, y).buffer(1, quad_segs=120), a, b, origin=(x, y)), turn, origin=(x, y))


def _wave(y: float, high: float, waves: float, start: float) -> BaseGeometry:
    x = np.linspace(-2, 102, 300)
    top = y + high * np.sin(waves * x / 100 * 2 * math.pi + start)
    return Polygon([*zip(x, top, strict=True), (102, 102), (-2, 102)])


def _apple() -> Layers:
    body = shapely.union_all([_oval(38, 58, 24, 28, 8), _oval(62, 58, 24, 28, -8)])
    return [("#c8232c", body), ("#4a2f1b", LineString([(50, 36), (53, 24), (58, 15)]).buffer(2.4)),
            ("#4c9a2a", _oval(69, 22, 14, 6, -20))]  # fmt: skip


def _whale() -> Layers:
    body = shapely.union_all([_oval(45, 58, 34, 22), Polygon([(70, 60), (96, 34), (97, 44), (84, 64), (70, 70)])])
    belly = _oval(40, 74, 30, 16).intersection(body)
    return [("#23629a", body), ("#bcd7ea", belly), ("#10202c", Point(24, 54).buffer(2.2)),
            ("#6fb3d9", LineString([(40, 34), (38, 22), (28, 16)]).buffer(1.8)),
            ("#6fb3d9", LineString([(41, 33), (44, 22), (53, 16)]).buffer(1.8))]  # fmt: skip


def _parasol() -> Layers:
    half = Point(50, 55).buffer(42, quad_segs=120).intersection(box(0, 0, 100, 55))
    made: Layers = []
    for k in range(6):
        a, b = math.pi * (1 + k / 6), math.pi * (1 + (k + 1) / 6)
        wedge = Polygon([(50, 55), *((50 + 90 * math.cos(t), 55 + 90 * math.sin(t)) for t in np.linspace(a, b, 9))])
        made.append((("#e2a33a", "#f6ead0")[k % 2], half.intersection(wedge)))
    return [*made, ("#6b4a2c", box(49, 55, 51, 92)), ("#6b4a2c", Point(50, 54).buffer(2.6))]


def _fish() -> Layers:
    body = _oval(45, 50, 32, 18)
    stripes = [("#f4f0e6", body.intersection(box(x, 0, x + 5, 100))) for x in (32, 46, 60)]
    tail = Polygon([(74, 50), (94, 34), (90, 50), (94, 66)])
    return [("#e4692b", shapely.union_all([body, tail])), *stripes, ("#1f2a33", Point(22, 45).buffer(2.6))]


def _toadstool() -> Layers:
    cap = Point(50, 52).buffer(36, quad_segs=120).intersection(box(0, 0, 100, 52))
    spots = [("#f7efe0", Point(x, y).buffer(r).intersection(cap)) for x, y, r in
             ((34, 36, 5), (54, 28, 6), (70, 42, 5), (48, 46, 3.4), (24, 48, 3.2))]  # fmt: skip
    stem = Polygon([(42, 52), (58, 52), (62, 90), (38, 90)])
    return [("#d9c9a3", stem), ("#b3202a", cap), *spots]


def _hills() -> Layers:
    return [("#8cc7e8", box(-1, -1, 101, 101)), ("#f5c944", Point(74, 24).buffer(10, quad_segs=90)),
            ("#7ea85a", _wave(52, 7, 1.1, 0.4)), ("#4e7f3f", _wave(66, 6, 1.6, 2.2)), ("#2f5a34", _wave(82, 4, 2.2, 1.0))]  # fmt: skip


def _boat() -> Layers:
    return [("#cfe4ef", box(-1, -1, 101, 101)), ("#b8433a", Polygon([(22, 70), (82, 70), (72, 84), (32, 84)])),
            ("#f7f4ea", Polygon([(48, 14), (48, 66), (18, 66)])), ("#e7b64a", Polygon([(52, 20), (52, 66), (80, 66)])),
            ("#1f6f8f", _wave(80, 2, 5, 0.0))]  # fmt: skip


def _beach_ball() -> Layers:
    ball = Point(50, 50).buffer(40, quad_segs=160)
    colours = ("#d8343c", "#f3e9d2", "#2b7bb9", "#f3e9d2", "#e8b53a", "#f3e9d2")
    made: Layers = []
    for k, colour in enumerate(colours):
        a, b = 2 * math.pi * k / 6, 2 * math.pi * (k + 1) / 6
        made.append((colour, ball.intersection(
            Polygon([(44, 46), *((44 + 99 * math.cos(t), 46 + 99 * math.sin(t)) for t in np.linspace(a, b, 9))]))))  # fmt: skip
    return [*made, ("#f3e9d2", Point(44, 46).buffer(6))]


def _tulip() -> Layers:
    bloom = shapely.union_all([_oval(50, 34, 12, 20), _oval(40, 36, 10, 20, -14), _oval(60, 36, 10, 20, 14)])
    return [("#3f8a3c", box(48.6, 40, 51.4, 92)), ("#3f8a3c", _oval(41, 76, 5, 20, 28)), ("#d24b86", bloom),
            ("#f08db6", _oval(50, 38, 6, 22).intersection(bloom.buffer(-2)))]  # fmt: skip


def _owl() -> Layers:
    body = _oval(50, 56, 28, 36)
    eyes = [("#f5efe2", Point(x, 40).buffer(11)) for x in (38, 62)]
    pupils = [("#20160f", Point(x, 41).buffer(4.5)) for x in (39, 61)]
    return [("#8a5a34", body), ("#c9a071", _oval(50, 68, 17, 20)), *eyes, *pupils,
            ("#e09b2d", Polygon([(46, 48), (54, 48), (50, 56)]))]  # fmt: skip


def _lolly() -> Layers:
    turns = np.linspace(0.6, 6 * math.pi, 400)
    curl = LineString([(50 + 1.6 * t * math.cos(t), 38 + 1.6 * t * math.sin(t)) for t in turns]).buffer(2.6)
    disc = Point(50, 38).buffer(30, quad_segs=120)
    return [("#e9e2d0", box(48, 60, 52, 96)), ("#f2b8c6", disc), ("#c62f5b", curl.intersection(disc))]


def _tiles() -> Layers:
    colours = ("#3a6ea5", "#e8e2d4", "#c98b3b", "#2d3a45")
    return [(colours[(i + 2 * j + (i * j) % 3) % 4], translate(box(0, 0, 20.2, 20.2), 20 * i - 0.1, 20 * j + 9 * (i % 2) - 9))
            for i in range(5) for j in range(-1, 6)]  # fmt: skip


_PICTURES = {
    "apple": _apple, "whale": _whale, "parasol": _parasol, "fish": _fish, "toadstool": _toadstool, "hills": _hills,
    "boat": _boat, "beach ball": _beach_ball, "tulip": _tulip, "owl": _owl, "lolly": _lolly, "tiles": _tiles,
}  # fmt: skip
NAMES = tuple(_PICTURES)
