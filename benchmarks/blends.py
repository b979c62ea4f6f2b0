"""Pictures that were enlarged smoothly: how often that is told, and what tracing their true pixels gains."""

from __future__ import annotations

import numpy as np
from PIL import Image

from benchmarks.corpus import Known, corpus
from benchmarks.makings import MAKINGS, exact, opaque, sides
from benchmarks.tracing import score
from nibble_core.artwork.blended import blend_of, unblended
from nibble_core.geometry import Affine
from nibble_core.graphics import Raster
from nibble_core.pipeline.trace import traced_raster
from nibble_core.ticket.artwork import Trace


def run() -> None:
    """How often an enlargement is told, how often one is seen where there was none, and what tracing gains."""
    kinds = {"linear": Image.Resampling.BILINEAR, "cubic": Image.Resampling.BICUBIC}
    shapes = [*corpus(128, held_out=True), *sides(128)]
    for name, how in kinds.items():
        for times in (1.5, 2.5, 3.0):
            width = round(128 * times)
            found, means, nodes = 0, [], []
            for known in shapes:
                small = Image.fromarray(np.rint(exact(known)).astype(np.uint8))
                raster = opaque(np.asarray(small.resize((width, width), how)))
                blend = blend_of(raster)
                found += blend is not None and (blend.across, blend.down) == (128, 128)
                pair = [_traced(known, one) for one in (raster, unblended(raster, blend) if blend else raster)]
                means.append([mean for mean, _ in pair])
                nodes.append([count for _, count in pair])
            was, now = np.median(means, 0)
            most, fewer = np.max(nodes, 0)
            print(
                f"  {name:7}{times:4.1f} times: told of {found} of {len(shapes)}; mean px {was:.3f} as it is, "
                f"{now:.3f} by true pixels; nodes, worst shape {most:.2f}, {fewer:.2f}"
            )
    others = [one for one in MAKINGS if "enlarged" not in one.name and "blocks" not in one.name]
    seen = sum(blend_of(one.draw(known)) is not None for one in others for known in shapes)
    print(f"  an enlargement seen where there was none: {seen} of {len(others) * len(shapes)}")


def _traced(known: Known, raster: Raster) -> tuple[float, float]:
    """Mean distance in px of the true picture, and nodes against the truth."""
    drawing, _ = traced_raster(raster, Trace(), float(known.size))
    grow = Affine.scale(known.size / drawing.width)
    found = score(known, [ring.mapped(grow).as_cubics() for one in drawing.shapes for ring in one.region.rings])
    return found.mean, found.nodes
