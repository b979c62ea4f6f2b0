"""The pictures of the demo shop's clients."""

from __future__ import annotations

import math

from demo.canvas import Canvas, Place, curve

INK, CREAM, RED, TEAL, GOLD, HONEY, PALE = "#22323a", "#f6e7cb", "#e4572e", "#29848b", "#f3a712", "#f3a712", "#f6c453"


def kite(width_px: int, ground: str | None = None) -> Canvas:
    """A kite of four panels with a thin curling tail and bows."""
    c = Canvas(width_px, 132, ground)
    top, right, bottom, left, middle = (50, 6), (90, 41), (50, 93), (10, 41), (50, 41)
    c.polygon([top, right, middle], RED)
    c.polygon([right, bottom, middle], GOLD)
    c.polygon([bottom, left, middle], TEAL)
    c.polygon([left, top, middle], CREAM)
    c.stroke([top, right, bottom, left], 2.2, INK, closed=True)
    c.stroke([top, bottom], 1.3, INK)
    c.stroke([left, right], 1.3, INK)
    tail = [
        *curve((50, 93), (51, 105), (70, 100), (70, 110)),
        *curve((70, 110), (70, 120), (45, 114), (36, 119)),
        *curve((36, 119), (28, 123), (22, 118), (16, 123)),
    ]
    c.stroke(tail, 1.9, INK)
    for x, y, turn in ((61, 102.5, 25), (58, 116, -8), (30, 121, -20)):
        for side in (0, 180):
            a = math.radians(turn + side)
            wing = [(x, y)]
            for spread in (-0.5, 0.5):
                wing.append((x + 6.2 * math.cos(a + spread), y + 6.2 * math.sin(a + spread)))
            c.polygon(wing, RED)
    return c


def honey(width_px: int, ground: str | None = None) -> Canvas:
    """Seven cells of comb with a bee on the middle one."""
    c = Canvas(width_px, 94, ground)

    def cell(x: float, y: float, size: float, fill: str) -> None:
        c.polygon(
            [(x + size * math.sin(k * math.pi / 3), y - size * math.cos(k * math.pi / 3)) for k in range(6)], fill
        )

    pitch = 28.6
    around = [(50 + pitch * math.cos(k * math.pi / 3), 47 + pitch * math.sin(k * math.pi / 3)) for k in range(6)]
    for x, y in [*around, (50, 47)]:
        cell(x, y, 18.6, INK)
    for index, (x, y) in enumerate(around):
        cell(x, y, 14.6, HONEY if index % 2 else PALE)
    cell(50, 47, 14.6, CREAM)
    c.disc(45.2, 42, 6.4, 3.6, fill="#bcd9d6", turn=-32)
    c.disc(54.8, 42, 6.4, 3.6, fill="#bcd9d6", turn=32)
    c.disc(50, 49, 5.6, 8.2, fill=HONEY)
    for y in (46.5, 50.5, 54):
        half = 5.6 * math.sqrt(max(0.0, 1 - ((y - 49) / 8.2) ** 2))
        c.polygon([(50 - half, y - 0.9), (50 + half, y - 0.9), (50 + half, y + 0.9), (50 - half, y + 0.9)], INK)
    c.disc(50, 40.4, 3.2, fill=INK)
    return c


def owl(width_px: int, ground: str | None = None) -> Canvas:
    """A thick-lined owl, as if drawn with a soft pencil."""
    c = Canvas(width_px, 112, ground)
    pencil = "#2b2b2e"
    body = [
        *curve((22, 34), (14, 10), (24, 8), (32, 14)),
        *curve((32, 14), (44, 20), (56, 20), (68, 14)),
        *curve((68, 14), (76, 8), (86, 10), (78, 34)),
        *curve((78, 34), (92, 66), (80, 96), (64, 102)),
        *curve((64, 102), (54, 106), (46, 106), (36, 102)),
        *curve((36, 102), (20, 96), (8, 66), (22, 34)),
    ]
    c.stroke(body, 4.6, pencil)
    for x in (36, 64):
        c.disc(x, 40, 13.5, fill=pencil)
        c.disc(x, 40, 9.2, fill=ground or "#ffffff")
        c.disc(x + (2 if x < 50 else -2), 41, 4.4, fill=pencil)
    c.stroke(curve((45, 54), (47, 60), (50, 63), (50, 63), 12), 3.4, pencil)
    c.stroke(curve((55, 54), (53, 60), (50, 63), (50, 63), 12), 3.4, pencil)
    for y, half in ((74, 15), (83, 12), (91, 8)):
        c.stroke(curve((50 - half, y), (50 - half / 2, y + 6), (50, y + 6), (50, y)), 3.2, pencil)
        c.stroke(curve((50, y), (50, y + 6), (50 + half / 2, y + 6), (50 + half, y)), 3.2, pencil)
    return c


def oars(width_px: int, ground: str | None = None) -> Canvas:
    """Two crossed oars in two flat colours."""
    c = Canvas(width_px, 100, ground)
    for side in (-1, 1):
        a = math.radians(38 * side)

        def turned(x: float, y: float, a: float = a) -> tuple[float, float]:
            return 50 + x * math.cos(a) - y * math.sin(a), 50 + x * math.sin(a) + y * math.cos(a)

        c.polygon([turned(-2.2, -20), turned(2.2, -20), turned(2.2, 46), turned(-2.2, 46)], INK)
        blade = [(-7, -42), (-4, -47), (4, -47), (7, -42), (6.4, -20), (2.4, -15), (-2.4, -15), (-6.4, -20)]
        c.polygon([turned(x, y) for x, y in blade], TEAL)
    return c


def lighthouse(width_px: int, ground: str | None = None) -> Canvas:
    """A lighthouse on a rock with two beams."""
    c = Canvas(width_px, 110, ground)
    c.polygon([(38, 92), (43, 34), (57, 34), (62, 92)], INK)
    for y0, y1 in ((46, 56), (68, 78)):
        w0, w1 = 7 + (y0 - 34) * 5 / 58, 7 + (y1 - 34) * 5 / 58
        c.polygon([(50 - w0, y0), (50 + w0, y0), (50 + w1, y1), (50 - w1, y1)], CREAM)
    c.polygon([(40, 34), (60, 34), (60, 30), (40, 30)], INK)
    c.polygon([(44, 30), (56, 30), (56, 20), (44, 20)], GOLD)
    c.polygon([(42, 20), (58, 20), (50, 11)], RED)
    c.polygon([(60, 23), (92, 15), (92, 24), (60, 27)], GOLD)
    c.polygon([(40, 23), (8, 15), (8, 24), (40, 27)], GOLD)
    c.polygon([(14, 100), (30, 88), (52, 92), (74, 87), (88, 100), (70, 104), (30, 104)], "#5a6b66")
    return c


def wheat(width_px: int, ground: str | None = None) -> Canvas:
    """An ear of wheat on a bent stalk."""
    c = Canvas(width_px, 128, ground)
    stalk = curve((50, 30), (50, 66), (48, 96), (40, 122))
    c.stroke(stalk, 3.4, INK)
    c.disc(50, 18, 5.6, 12.5, fill=INK)
    for step in range(4):
        y = 37 + 14.5 * step
        for side in (-1, 1):
            c.disc(50 + side * 12.5 - step * 0.6, y, 5.4, 11.5, fill=INK, turn=side * 36)
    for side in (-1, 1):
        c.stroke(curve((50 - 3, 92), (50 + side * 10, 84), (50 + side * 26, 84), (50 + side * 30, 96)), 3.0, INK)
    return c


def island(width_px: int, ground: str | None = None) -> Canvas:
    """The island before Orrinmouth: a lake in it, an islet in the lake, a pond on the islet."""
    c = Canvas(width_px, 80, ground)
    for x, y, far, fill in ((50, 40, 34, INK), (48, 41, 18, "#ffffff"), (46, 42, 9, INK), (45, 42, 4, "#ffffff")):
        c.polygon(_coast(x, y, far), fill)
    return c


def _coast(x: float, y: float, far: float) -> list[Place]:
    """A closed bay-cut outline, wider than high."""
    angles = [2 * math.pi * k / 240 for k in range(240)]
    reach = [
        far * (1 + 0.13 * math.sin(3 * a + far) + 0.07 * math.sin(5 * a + 1) + 0.03 * math.cos(9 * a)) for a in angles
    ]
    return [(x + r * 1.28 * math.cos(a), y + r * 0.98 * math.sin(a)) for a, r in zip(angles, reach, strict=True)]
