"""Which part of a picture is used, and how it lies: cropped, then turned by quarters, mirrored, and stretched.

Places in the ticket are fractions of the upright uncropped picture; ``Framing`` takes them to fractions of the part
that is used, and back.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from nibble_core.errors import InvalidTicket
from nibble_core.geometry import Affine, Points
from nibble_core.graphics import Drawing, Raster

LEAST = 0.02  # share of either side that a crop must leave


@dataclass(frozen=True)
class Framing:
    """Shares cut off on each side, quarter turns clockwise (0 to 3), mirrored left to right after turning; stretch:
    its width, as it then lies, against what its height asks for."""

    left: float = 0.0
    top: float = 0.0
    right: float = 0.0
    bottom: float = 0.0
    quarters: int = 0
    mirrored: bool = False
    stretch: float = 1.0

    def __post_init__(self) -> None:
        if 1 - self.left - self.right < LEAST or 1 - self.top - self.bottom < LEAST:
            raise InvalidTicket("Nothing of the picture would be left.", "Cut less off.")

    @property
    def is_plain(self) -> bool:
        return self == Framing()

    def snapped(self, width: int, height: int) -> Framing:
        """The same along the edges of pixels of a picture of this size, where ``raster`` cuts it."""
        left, top = round(self.left * width), round(self.top * height)
        right, bottom = (
            max(width - round(self.right * width), left + 1),
            max(height - round(self.bottom * height), top + 1),
        )
        return replace(self, left=left / width, top=top / height, right=1 - right / width, bottom=1 - bottom / height)

    def affine(self) -> Affine:
        """Fractions of the whole picture to fractions of the part that is used."""
        w, h = 1 - self.left - self.right, 1 - self.top - self.bottom
        found = Affine(1 / w, 0, 0, 1 / h, -self.left / w, -self.top / h)
        for _ in range(self.quarters % 4):
            found = found.then(Affine(0, 1, -1, 0, 1, 0))  # (x, y) goes to (1 - y, x)
        return found.then(Affine.mirror(1)) if self.mirrored else found

    def forward(self, fractions: Points) -> Points:
        """Places (n, 2) of the whole picture in the part that is used."""
        return self.affine().map(fractions)

    def back(self, fractions: Points) -> Points:
        """Places (n, 2) of the part that is used in the whole picture."""
        return self.affine().inverse().map(fractions)

    def raster(self, raster: Raster) -> Raster:
        """The part of a picture that is used."""
        if self.is_plain:
            return raster
        height, width = raster.height, raster.width
        top, bottom = round(self.top * height), height - round(self.bottom * height)
        left, right = round(self.left * width), width - round(self.right * width)
        part = raster.pixels[top : max(bottom, top + 1), left : max(right, left + 1)]
        part = np.rot90(part, -(self.quarters % 4))
        part = np.ascontiguousarray(part[:, ::-1] if self.mirrored else part)
        if self.stretch != 1:
            size = max(1, round(part.shape[1] * self.stretch)), part.shape[0]
            shrinks = self.stretch < 1
            part = np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR))
        return Raster(part)

    def drawing(self, drawing: Drawing) -> Drawing:
        """The part of a drawing that is used; shapes that lie wholly outside are left out."""
        if self.is_plain:
            return drawing
        width = drawing.width * (1 - self.left - self.right)
        height = drawing.height * (1 - self.top - self.bottom)
        if self.quarters % 2:
            width, height = height, width
        width *= self.stretch
        turn = Affine.scale(1 / drawing.width, 1 / drawing.height).then(self.affine()).then(Affine.scale(width, height))
        shapes = []
        for shape in (shape.mapped(turn) for shape in drawing.shapes):
            box = shape.bounds()
            if box.right > 0 and box.bottom > 0 and box.left < width and box.top < height:
                shapes.append(shape)
        return Drawing(width, height, tuple(shapes))
