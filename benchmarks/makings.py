"""Tracing pictures as other programs make them: twenty ways of making a picture of a shape whose outline is known.

Distances are told in pixels of the picture that was there: of the small one where a picture was enlarged.
"""

from __future__ import annotations

import io
import math
import sys
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageFilter

from benchmarks.corpus import Known, corpus
from benchmarks.tracing import score
from nibble_core.artwork.facts import own_pixels, picture_facts
from nibble_core.geometry import Affine, Path
from nibble_core.graphics import Raster
from nibble_core.graphics.coverage import covered
from nibble_core.pipeline.trace import traced_raster
from nibble_core.ticket.artwork import Trace
from nibble_core.tracing.making import making_of

SIZES = (128, 256, 512, 1024)
SLOPES = (0.3, 0.7, 1.3, 2.2, 3.5, 5.0)  # degrees
Pixels = NDArray[np.uint8]
_BILINEAR = Image.Resampling.BILINEAR
Way = Callable[[Known], Raster]


def opaque(pixels: NDArray[np.generic]) -> Raster:
    """A raster of grey (rows, columns) or RGB levels."""
    levels = np.clip(np.rint(pixels.astype(float)), 0, 255).astype(np.uint8)
    if levels.ndim == 2:
        levels = np.dstack([levels] * 3)
    return Raster(np.dstack([levels, np.full(levels.shape[:2], 255, np.uint8)]))


def exact(known: Known, times: float = 1.0) -> NDArray[np.float64]:
    """Grey levels (rows, columns), 0 ink to 255 paper, by exact coverage, so many times as large."""
    size = round(known.size * times)
    grow = Affine.scale(size / known.size)
    rings = [ring.mapped(grow).flattened(0.005) for ring in known.rings]
    return 255 * (1 - np.asarray(covered(rings, size, size), float))


def sampled(known: Known, times: float) -> Pixels:
    """Drawn hard-edged at ``times`` the size: 0 where a pixel's middle is ink, else 255."""
    size = round(known.size * times)
    winding = np.zeros((size, size + 1), np.int32)
    for ring in known.rings:
        points = ring.mapped(Affine.scale(size / known.size)).flattened(0.005)
        for (x0, y0), (x1, y1) in zip(points.tolist(), np.roll(points, -1, 0).tolist(), strict=True):
            rows = np.arange(max(0, math.ceil(min(y0, y1) - 0.5)), min(size, math.ceil(max(y0, y1) - 0.5)))
            if len(rows):
                across = x0 + (x1 - x0) * (rows + 0.5 - y0) / (y1 - y0)
                columns = np.clip(np.ceil(across - 0.5).astype(int), 0, size)
                np.add.at(winding, (rows, columns), 1 if y1 > y0 else -1)
    return np.where(winding.cumsum(1)[:, :size] != 0, 0, 255).astype(np.uint8)


def box_reduced(pixels: Pixels, times: int) -> NDArray[np.float64]:
    rows, columns = pixels.shape
    return pixels.reshape(rows // times, times, columns // times, times).astype(float).mean((1, 3))


def _resized(pixels: NDArray[np.generic], width: int, how: Image.Resampling) -> Pixels:
    return np.asarray(Image.fromarray(np.clip(np.rint(pixels), 0, 255).astype(np.uint8)).resize((width, width), how))


def _by_area(pixels: Pixels, width: int) -> Pixels:
    return np.asarray(cv2.resize(pixels, (width, width), interpolation=cv2.INTER_AREA))


def _unsharp(pixels: NDArray[np.generic], radius: float, percent: int) -> Pixels:
    picture = Image.fromarray(np.clip(np.rint(pixels), 0, 255).astype(np.uint8))
    return np.asarray(picture.filter(ImageFilter.UnsharpMask(radius, percent, 0)))


def _jpeg(pixels: NDArray[np.generic], quality: int) -> Pixels:
    stream = io.BytesIO()
    Image.fromarray(np.clip(np.rint(pixels), 0, 255).astype(np.uint8)).save(stream, "JPEG", quality=quality)
    return np.asarray(Image.open(stream))


def _encoded(linear: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear light, 0 to 1, as levels of sRGB (IEC 61966-2-1)."""
    return 255 * np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)


def _fringes(known: Known) -> Raster:
    """Drawn by thirds of a pixel for the stripes of a screen, evened over five thirds."""
    size = known.size
    wide = 1 - np.asarray(
        covered([ring.mapped(Affine(3, 0, 0, 1, 0, 0)).flattened(0.005) for ring in known.rings], 3 * size, size), float
    )
    even = cv2.filter2D(wide, -1, np.array([[1, 2, 3, 2, 1]]) / 9, borderType=cv2.BORDER_REPLICATE)
    return opaque(255 * even.reshape(size, size, 3))


def _few_colours(known: Known) -> Raster:
    return opaque(np.rint(exact(known) / 255 * 7) * 255 / 7)


def _thin_ink(known: Known) -> Raster:
    return opaque(208 - (255 - exact(known)) * 0.35)


def _scanned(known: Known) -> Raster:
    """Soft, on paper with a grain, lit from one side."""
    random = np.random.default_rng(5)
    soft = cv2.GaussianBlur(exact(known), (0, 0), 0.8)
    grain = cv2.GaussianBlur(random.normal(0, 7, soft.shape), (0, 0), 1.2)
    lit = np.linspace(0, 12, known.size)[None, :]
    return opaque(20 + soft * 0.84 + grain + lit)


def _camera(known: Known) -> Raster:
    soft = cv2.GaussianBlur(exact(known), (0, 0), 0.9)
    noise = np.random.default_rng(11).normal(0, 4, soft.shape)
    return opaque(_jpeg(25 + soft * 0.86 + noise, 80))


def _blocks(known: Known, times: float, quality: int = 0) -> Raster:
    small = np.clip(np.rint(exact(known)), 0, 255).astype(np.uint8)
    large = _resized(small, round(known.size * times), Image.Resampling.NEAREST)
    return opaque(_jpeg(large, quality) if quality else large)


def _enlarged_and_saved(known: Known) -> Raster:
    return opaque(_jpeg(_resized(exact(known), round(2.5 * known.size), Image.Resampling.BICUBIC), 80))


@dataclass(frozen=True)
class Making:
    """A way of making a picture of a shape, and how many of its pixels go onto one of the shape's across."""

    name: str
    draw: Way
    times: float = 1.0


MAKINGS = (
    Making("exact coverage", lambda k: opaque(exact(k))),
    Making("4 x 4 samples", lambda k: opaque(box_reduced(sampled(k, 4), 4))),
    Making("2 x 2 samples", lambda k: opaque(box_reduced(sampled(k, 2), 2))),
    Making("no greys", lambda k: opaque(sampled(k, 1))),
    Making("no greys, cut off", lambda k: opaque(np.where(exact(k) < 128, 0, 255))),
    Making("linear light", lambda k: opaque(_encoded(exact(k) / 255))),
    Making("sharpened", lambda k: opaque(_unsharp(exact(k), 1.0, 120))),
    Making("sharpened much", lambda k: opaque(_unsharp(exact(k), 2.0, 200))),
    Making("sharpened pale", lambda k: opaque(_unsharp(60 + exact(k) * 0.55, 1.0, 120))),
    Making("hard x2, bicubic", lambda k: opaque(_resized(sampled(k, 2), k.size, Image.Resampling.BICUBIC))),
    Making("hard x3, box", lambda k: opaque(box_reduced(sampled(k, 3), 3))),
    Making("hard x3, lanczos", lambda k: opaque(_resized(sampled(k, 3), k.size, Image.Resampling.LANCZOS))),
    Making("hard x2.5, area", lambda k: opaque(_by_area(sampled(k, 2.5), k.size))),
    Making("lanczos", lambda k: opaque(_resized(exact(k, 3), k.size, Image.Resampling.LANCZOS))),
    Making("blocks of 4", lambda k: _blocks(k, 4), 4),
    Making("blocks of 2.5", lambda k: _blocks(k, 2.5), 2.5),
    Making("blocks of 3, JPEG", lambda k: _blocks(k, 3, 75), 3),
    Making("hard, in blocks", lambda k: opaque(np.repeat(np.repeat(sampled(k, 1), 3, 0), 3, 1)), 3),
    Making("enlarged smoothly", lambda k: opaque(_resized(exact(k), 3 * k.size, Image.Resampling.BICUBIC)), 3),
    Making("small JPEG enlarged", lambda k: opaque(_resized(_jpeg(exact(k), 70), 3 * k.size, _BILINEAR)), 3),
    Making("enlarged, JPEG", _enlarged_and_saved, 2.5),
    Making("JPEG twice", lambda k: opaque(_jpeg(_jpeg(exact(k), 80), 65))),
    Making("sharpened JPEG", lambda k: opaque(_unsharp(_jpeg(exact(k), 80), 1.0, 120))),
    Making("thin ink on grey", _thin_ink),
    Making("screen fringes", _fringes),
    Making("eight greys", _few_colours),
    Making("scanned", _scanned),
    Making("camera", _camera),
)  # fmt: skip


def sides(size: int) -> list[Known]:
    """Shapes of straight sides alone, turned by a few degrees from the axes."""
    shapes = []
    for count, slope in zip((4, 6, 8, 4, 6, 8), SLOPES, strict=True):
        first, wide = math.radians(slope) + math.pi / count, 0.44 * size
        turns = [first + 2 * math.pi * k / count for k in range(count)]
        points = [(size / 2 + wide * math.cos(a) + 0.21, size / 2 + wide * math.sin(a) + 0.37) for a in turns]
        ring = Path.polygon(points)
        shapes.append(Known(f"{count} sides, {slope}°", size, (ring if ring.area() > 0 else ring.reversed(),)))
    return shapes


def figures(making: Making, shapes: list[Known]) -> list[tuple[str, float, float, int, int]]:
    """Of each shape: name, mean distance in px that were there, nodes as a ratio, nodes, specks."""
    rows = []
    for known in shapes:
        raster = making.draw(known)
        raster = own_pixels(raster, picture_facts(raster))
        drawing, _ = traced_raster(raster, Trace(), float(known.size))
        grow = Affine.scale(known.size / drawing.width)
        rings = [ring.mapped(grow).as_cubics() for shape in drawing.shapes for ring in shape.region.rings]
        one = score(known, rings)
        rows.append((known.name, one.mean, one.nodes, one.made_nodes, one.specks))
    return rows


def run(names: tuple[str, ...] = (), sizes: tuple[int, ...] = SIZES, *, held_out: bool = True) -> None:
    print(
        "mean distance in px that were there (median, worst); nodes as ratios to the truth (median, worst); of shapes"
    )
    print("of straight sides alone: segments for each side (median, worst), mean distance; then the worst shape")
    for size in sizes:
        print(f"  {size} px")
        shapes, straight = list(corpus(size, held_out=held_out)), sides(size)
        for making in MAKINGS:
            if names and making.name not in names:
                continue
            rows, lines = figures(making, shapes), figures(making, straight)
            means, nodes = [row[1] for row in rows], [row[2] for row in rows]
            each, off = [row[2] for row in lines], [row[1] for row in lines]
            print(
                f"    {making.name:20}{np.median(means):7.3f}{max(means):7.3f}   {np.median(nodes):6.2f}"
                f"{max(nodes):6.2f}   {np.median(each):6.2f}{max(each):6.2f}{np.median(off):8.3f}   "
                f"{max(rows, key=lambda row: row[2])[0]}"
            )
            sys.stdout.flush()
    told()


EXPECTED = {
    "exact coverage": "crisp", "no greys": "without greys", "no greys, cut off": "without greys",
    "2 x 2 samples": "in steps", "hard x3, box": "in steps", "sharpened": "sharpened", "sharpened much": "sharpened",
    "sharpened pale": "sharpened", "sharpened JPEG": "sharpened", "enlarged smoothly": "crisp",
    "small JPEG enlarged": "crisp", "scanned": "soft", "camera": "soft", "JPEG twice": "crisp", "lanczos": "crisp",
    "thin ink on grey": "crisp",
}  # fmt: skip


def told() -> None:
    """How often the making is told right: edges, linear light, fringes and the size of squares, of seeded pictures."""
    random = np.random.default_rng(28)
    right = wrong_light = count = 0
    for _ in range(400):
        making = MAKINGS[int(random.integers(len(MAKINGS)))]
        size = int(random.choice(SIZES[:3]))
        shapes = [*corpus(size, held_out=bool(random.integers(2))), *sides(size)[1:]]
        raster = making.draw(shapes[int(random.integers(len(shapes)))])
        facts = picture_facts(raster)
        found = making_of(own_pixels(raster, facts))
        light, fringes = making.name == "linear light", making.name == "screen fringes"
        times = facts.blend.size if facts.blend else facts.squares.size
        fits = abs(times / making.times - 1) < 0.01 and found.in_light == light and found.fringed == fringes
        right += fits and EXPECTED.get(making.name, found.edges) == found.edges
        wrong_light += found.in_light and not light
        count += 1
    print(f"  the making told right: {100 * right / count:.1f} % of {count}; taken for light wrongly: {wrong_light}")
