"""How a client's drawing looks where flat shapes cannot say it: shading, patterns, soft shadows, masks.

General renderers paint the page; shapes are then held against those pixels, so that what is not really opaque is no
shape, and what is shaded has its mean colour. Nothing outside the file is looked at.
"""

from __future__ import annotations

import copy
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from lxml import etree
from numpy.typing import NDArray
from PIL import Image
from shapely.affinity import scale
from shapely.geometry import Polygon

from nibble_core.geometry.fitting import refit_polygon
from nibble_core.graphics import Colour, Drawn, Raster, Shape, colours_apart
from nibble_core.graphics.silhouette import silhouette
from nibble_core.graphics.stroking import region_of

LOOK_PX = 1600  # pixels along the longer side of a drawing's picture
OPAQUE = 0.5  # cover from which a place counts as opaque
WHOLE = 0.97  # mean cover from which a shape is opaque all over
MOST_PARTS, LEAST_PX = 2000, 4.0
SLIVER = 1.0  # px
OFF = 24  # levels by which a shape's stated colour may differ from what is painted
SHIFT = 4
_XLINK = "{http://www.w3.org/1999/xlink}href"


def svg_look(root: etree._Element, width: float, height: float, longer: int = LOOK_PX) -> Raster | None:
    """The picture of a parsed SVG whose tags have no name space, without text and without what lies outside the file;
    ``longer``: pixels along its longer side. None where the renderer cannot paint it."""
    import resvg_py

    plain = copy.deepcopy(root)
    for node in list(plain.iter()):
        if not isinstance(node.tag, str) or node.tag in ("text", "script", "foreign", "foreignObject"):
            parent = node.getparent()
            if parent is not None:
                parent.remove(node)
            continue
        for name in ("href", _XLINK):
            if not str(node.get(name, "#")).startswith(("#", "data:")):
                del node.attrib[name]
    text = etree.tostring(plain, encoding="unicode")
    text = re.sub(r"^<svg(?![^>]*\sxmlns=)", '<svg xmlns="http://www.w3.org/2000/svg"', text)
    across = max(8, round(width * longer / max(width, height)))
    try:
        png = resvg_py.svg_to_bytes(svg_string=text, width=across, skip_system_fonts=True, dpi=96)
    except ValueError:
        return None
    with Image.open(io.BytesIO(bytes(png))) as image:
        return Raster(np.asarray(image.convert("RGBA")))


def pdf_look(content: bytes, page: int, longer: int = LOOK_PX) -> Raster | None:
    """The picture of a page, from 1, on clear ground, so many pixels along its longer side; None where the renderer
    cannot paint it."""
    import pypdfium2

    try:
        document = pypdfium2.PdfDocument(content)
        sheet = document[page - 1]
        bitmap = sheet.render(
            scale=longer / max(sheet.get_size()), fill_color=(255, 255, 255, 0), maybe_alpha=True, rev_byteorder=True
        )
        return Raster(np.asarray(bitmap.to_pil().convert("RGBA")))
    except pypdfium2.PdfiumError:
        return None


@dataclass(frozen=True, eq=False)
class Held:
    """Shapes held against a look: those that are really there, those that are not, and how many were recoloured or are
    full of gaps."""

    shapes: tuple[Drawn, ...]
    soft: tuple[Drawn, ...]
    recoloured: int
    gaps: int


def held_against(look: Raster, width: float, shapes: Sequence[Drawn], doubtful: Sequence[int]) -> Held:
    """``doubtful``: indices of shapes that may be shaded, patterned or see-through. width: of the drawing, mm."""
    px = look.width / width
    above = np.zeros((look.height, look.width), np.uint8)
    kept: list[Drawn] = []
    soft: list[Drawn] = []
    recoloured = gaps = 0
    asked = set(doubtful)
    for index in range(len(shapes) - 1, -1, -1):  # the uppermost first: what it covers is not seen of those below
        shape = shapes[index]
        own = np.zeros_like(above)
        for region in region_of(shape):
            rings = [np.rint((ring.flattened(0.1 / px) * px - 0.5) * (1 << SHIFT)).astype(np.int32)
                     for ring in region.rings]  # fmt: skip
            cv2.fillPoly(own, rings, 1, lineType=cv2.LINE_8, shift=SHIFT)
        seen = (own > 0) & (above == 0)
        inner = cv2.erode(seen.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        if index in asked and inner.any():
            found = _mean(look, inner)
            if colours_apart(found, shape.colour) > OFF:
                shape = replace(shape, colour=found)
                recoloured += 1
            if float(look.alpha[inner].mean()) < WHOLE * 255:
                parts = [
                    Shape(refit_polygon(part, 0.5 / px), found, shape.layer, shape.spot)
                    for part in _opaque_parts(look, seen, px)
                ]
                soft += [] if parts else [shape]
                gaps += bool(parts)
                kept += parts[::-1]
                continue
        if shape.opacity > 0.999:
            above |= own
        kept.append(shape)
    return Held(tuple(kept[::-1]), tuple(soft[::-1]), recoloured, gaps)


def _opaque_parts(look: Raster, seen: NDArray[np.bool_], px: float) -> list[Polygon]:
    """The parts of a seen area that are more opaque than not, mm; none where there are too many to be cut. Slivers
    beside other shapes go."""
    cover = np.where(seen, look.alpha, 0).astype(np.float32) / np.float32(255)
    found = silhouette(cover, OPAQUE, sliver=SLIVER, most=MOST_PARTS)
    return [scale(part, 1 / px, 1 / px, origin=(0, 0)) for part in found if part.area > LEAST_PX]


def _mean(look: Raster, within: np.ndarray) -> Colour:
    pixels = look.pixels[within].astype(float)
    weight = np.maximum(pixels[:, 3:], 1e-6)
    red, green, blue = np.rint((pixels[:, :3] * weight).sum(0) / weight.sum()).astype(int).tolist()
    return red, green, blue
