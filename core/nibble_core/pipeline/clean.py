"""Stage *clean*: the picture without its background, at full size or reduced for a preview."""

from __future__ import annotations

import cv2
import numpy as np

from nibble_core.artwork.background import Cleaned, take_background_away
from nibble_core.graphics import Raster
from nibble_core.pipeline.read import Picture
from nibble_core.pipeline.store import Keyed, ResultStore, run_stage
from nibble_core.ticket.model import Clean

VERSION = 2
PREVIEW_PX = 800


def clean(store: ResultStore, picture: Keyed[Picture], specification: Clean, *, preview: bool) -> Keyed[Cleaned]:
    """Previews work on a reduced picture and keep their own keys."""

    def compute() -> Cleaned:
        raster = _reduced(store, picture) if preview else picture.value.raster
        return take_background_away(raster, way=specification.background, tolerance=specification.tolerance)  # type: ignore[arg-type]

    return run_stage(store, "clean-preview" if preview else "clean", VERSION, specification, [picture.key], compute)


def _reduced(store: ResultStore, picture: Keyed[Picture]) -> Raster:
    whole = picture.value.raster

    def compute() -> Raster:
        scale = PREVIEW_PX / max(whole.width, whole.height)
        if scale >= 1:
            return whole
        size = max(8, round(whole.width * scale)), max(8, round(whole.height * scale))
        # colours are averaged premultiplied, or clear pixels would bleed into the edge
        alpha = whole.alpha.astype(np.float32)[..., None] / 255
        mixed = np.concatenate([whole.pixels[..., :3] * alpha, alpha * 255], 2)
        small = cv2.resize(mixed, size, interpolation=cv2.INTER_AREA)
        rgb = small[..., :3] / np.maximum(small[..., 3:] / 255, 1e-6)
        return Raster(np.clip(np.rint(np.concatenate([rgb, small[..., 3:]], 2)), 0, 255).astype(np.uint8))

    return run_stage(store, "reduced", VERSION, PREVIEW_PX, [picture.key], compute).value
