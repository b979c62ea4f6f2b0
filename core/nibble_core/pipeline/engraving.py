"""What fills the area of an engraved line: strokes, rings, or the dots of a picture."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from nibble_core.errors import CannotMake, NibbleError, NothingToCut
from nibble_core.geometry import Affine, Bundle
from nibble_core.geometry.regions import oriented_rings, polygons
from nibble_core.graphics import LUMA, Shape
from nibble_core.graphics.raster import between_middles
from nibble_core.lines.composing import area_of
from nibble_core.pipeline.bent_pictures import BentPicture
from nibble_core.pipeline.lines import DrawnLine, LayerResult
from nibble_core.pipeline.prints import PrintedPicture, PrintResult
from nibble_core.pipeline.store import Keyed, ResultStore, stage
from nibble_core.ticket.line import AreaFill, Hatching, Picture, Rings
from nibble_core.ticket.piece import Layer
from nibble_core.toolpaths import Engraved
from nibble_core.toolpaths import dithering as dither
from nibble_core.toolpaths.grain import Hatch
from nibble_core.toolpaths.ring_filling import ringed
from nibble_core.wrap import Grid, read_through

MOST_PX = 40_000_000  # of an engraved picture
MOST_STROKES = 3_000_000
SHIFT = 4  # bits of a pixel's part in which edges of a mask are told


def engrave(
    store: ResultStore, layer: Layer, drawn: Keyed[LayerResult], shown: Callable[[], Keyed[PrintResult]]
) -> Keyed[LayerResult]:
    """A layer's lines with those that engrave areas filled. shown: what its piece looks like, for pictures. One that
    cannot be filled is told in ``failed``."""
    fills = tuple((line.id, line.fill) for line in layer.lines if line.on and isinstance(line.fill, AreaFill))
    if not {line.id for line in drawn.value.lines} & {id for id, _ in fills}:
        return drawn
    seen = [shown()] if any(isinstance(fill, Picture) for _, fill in fills) else []
    return stage(store, _engraved, fills, drawn, *seen)


def _engraved(
    fills: tuple[tuple[str, AreaFill], ...], drawn: LayerResult, shown: PrintResult | None = None
) -> LayerResult:
    ways = dict(fills)
    made: list[DrawnLine] = []
    failed = list(drawn.failed)
    for line in drawn.lines:
        try:
            match ways.get(line.id):
                case Picture() as fill if shown is not None:
                    made.append(pictured(fill, line, shown.items))
                case Hatching() | Rings() as fill:
                    made.append(filled(fill, line))
                case _:
                    made.append(line)
        except NibbleError as error:
            failed.append((line.id, error))
    return replace(drawn, lines=tuple(made), failed=tuple(failed))


def filled(fill: Hatching | Rings, made: DrawnLine) -> DrawnLine:
    """An engraved line with the strokes or rings of its area. Raises CannotMake when there would be too many."""
    area, gap = made.area, fill.interval
    if area.area / gap / max(gap, 0.5) > MOST_STROKES * 20:
        raise CannotMake(
            f"Strokes {gap:g} mm apart over so large an area would be too many.", "Set them further apart."
        )
    hatch = None
    if isinstance(fill, Hatching):
        hatch = Hatch(
            area, gap, fill.hatch_angle, fill.hatching == "one way", fill.hatching == "crosswise",
            made.paths if fill.outline != "no outline pass" else None, fill.grain == "turned with each copy",
        )  # fmt: skip
        strokes = hatch.strokes(fill.hatch_angle)
    else:
        strokes = ringed(area, gap, outward=fill.rings == "inner to outer")
    if not len(strokes):
        raise NothingToCut("There is nothing in this area to engrave.", "Choose what it fills, or a smaller interval.")
    outlined = fill.outline != "no outline pass"
    if outlined:
        strokes = Bundle.joined([strokes, made.paths])
    return replace(made, paths=strokes, filled=True, outlined=outlined, hatch=hatch)


def pictured(fill: Picture, made: DrawnLine, items: Sequence[PrintedPicture | Shape]) -> DrawnLine:
    """An engraved line with the dots of what its piece shows, within its area. Raises CannotMake when it would have too
    many, NothingToCut when there is nothing dark in it."""
    left, top, right, bottom = made.area.bounds
    pitch = fill.interval
    w, h = math.ceil((right - left) / pitch), math.ceil((bottom - top) / pitch)
    if w * h > MOST_PX:
        raise CannotMake(
            f"At {pitch:g} mm this picture would have {w * h / 1e6:.0f} million dots; {MOST_PX / 1e6:.0f} are the "
            "most.",
            "Choose a wider interval.",
        )
    tones = dither.toned(
        _darkness(items, left, top, pitch, w, h), contrast=fill.contrast, sharpness=fill.sharpness, curve=fill.curve,
        invert=fill.inverted != "as it is",
    )  # fmt: skip
    tones[~_mask(made.area, left, top, pitch, w, h)] = 0
    if fill.tones == "error diffusion":
        levels = dither.diffused(tones).astype(np.uint8)
    elif fill.tones == "an ordered pattern":
        levels = dither.ordered(tones).astype(np.uint8)
    elif fill.tones == "halftone dots":
        levels = dither.halftone(tones, screen=max(fill.screen / pitch, 2.0), angle=fill.screen_angle).astype(np.uint8)
    else:
        levels = dither.in_levels(tones)
    levels[~_mask(made.area, left, top, pitch, w, h)] = 0
    one_way = fill.hatching == "one way"
    strokes, shares = dither.strokes_of(levels, pitch, left, top, one_way=one_way)
    if not len(strokes):
        raise NothingToCut(
            "There is nothing dark in this area to engrave.", "Exchange dark and light, or add contrast."
        )
    if len(strokes) > MOST_STROKES:
        raise CannotMake(
            f"This picture would be {len(strokes):,} strokes.".replace(",", " "), "Choose a wider interval."
        )
    whole = Engraved(np.asarray(levels * (255 // max(int(levels.max()), 1)), np.uint8), left, top, pitch)
    return replace(made, paths=strokes, filled=True, shares=shares, picture=whole)


def _darkness(
    items: Sequence[PrintedPicture | Shape], left: float, top: float, pitch: float, w: int, h: int
) -> NDArray[np.uint8]:
    """How dark each dot's place shows, lowest item first; what is clear is paper."""
    canvas = np.zeros((h, w), np.float32)
    to_dots = Affine.translation(-left, -top).then(Affine.scale(1 / pitch))
    for item in items:
        if isinstance(item, Shape):
            cover = _mask(area_of(item), left, top, pitch, w, h).astype(np.float32)
            canvas += cover * (_dark(np.array(item.colour, np.float32)) - canvas)
            continue
        raster = item.raster
        grey, alpha = _dark(raster.pixels[..., :3].astype(np.float32)), raster.alpha.astype(np.float32) / 255
        if isinstance(item, BentPicture):
            raster, grid = item.flat.raster, Grid(left, top, pitch, w, h)
            grey, alpha = _dark(raster.pixels[..., :3].astype(np.float32)), raster.alpha.astype(np.float32) / 255
            tone, cover = (
                read_through(np.asarray(one, np.float32), item.bend, grid, item.flat.to_pixels)
                for one in (grey * alpha, alpha)
            )
            canvas += tone - cover * canvas
            continue
        for place in item.places:
            at = Affine.scale(item.width / raster.width, item.height / raster.height).then(place).then(to_dots)
            tone, cover = (_warped(np.asarray(one, np.float32), at, w, h) for one in (grey * alpha, alpha))
            canvas += tone - cover * canvas
    return np.clip(np.rint(canvas * 255), 0, 255).astype(np.uint8)


def _dark(colour: NDArray[np.float32]) -> NDArray[np.float32]:
    """Darkness of colours (…, 3), 0 to 1."""
    return np.asarray(1 - colour @ LUMA / 255, np.float32)


def _warped(image: NDArray[np.float32], at: Affine, w: int, h: int) -> NDArray[np.float32]:
    """An image through a map of its pixels to dots, each dot the mean of what falls on it."""
    shrink = math.sqrt(abs(at.determinant))
    if shrink < 0.7:  # reading between pixels alone would skip some
        size = max(1, round(image.shape[1] * shrink)), max(1, round(image.shape[0] * shrink))
        small = cv2.resize(image, size, interpolation=cv2.INTER_AREA)
        at = Affine.scale(image.shape[1] / size[0], image.shape[0] / size[1]).then(at)
        image = np.asarray(small, np.float32)
    return np.asarray(cv2.warpAffine(image, between_middles(at), (w, h), flags=cv2.INTER_LINEAR), np.float32)


def _mask(area: BaseGeometry, left: float, top: float, pitch: float, w: int, h: int) -> NDArray[np.bool_]:
    """Dots whose place lies in an area."""
    image = np.zeros((h, w), np.uint8)
    moved = shapely.transform(area, lambda p: ((p - [left, top]) / pitch - 0.5) * (1 << SHIFT))
    for part in polygons(moved):
        outer, holes = oriented_rings(part)
        cv2.fillPoly(image, [np.rint(ring).astype(np.int32) for ring in (outer, *holes)], 1, cv2.LINE_8, SHIFT)
    return image > 0
