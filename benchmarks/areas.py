"""Flat colour areas of made-up pictures whose areas are counted: how many a trace finds, the pixels it has wrong."""

from __future__ import annotations

import numpy as np
from tests import flat_pictures

from nibble_core.graphics import Drawing, Shape
from nibble_core.graphics.rendering import rendered
from nibble_core.tracing.colours import trace_colours

WIDTHS = (300, 700)
KINDS = {
    "clean": {}, "soft": {"soft": 1.0}, "q85": {"jpeg": 85}, "q60": {"jpeg": 60}, "enlarged": {"enlarged": 2.0},
    "enlarged, q75": {"enlarged": 2.0, "jpeg": 75},
}  # fmt: skip
LARGER, OFF = 4, 40


def run() -> None:
    print("flat colour areas: found of the true number, mean; worst; pixels off when rendered back 4 times as large")
    for kind, options in KINDS.items():
        ratios, off = [], []
        for name in flat_pictures.NAMES:
            truth = flat_pictures.true_areas(name)
            for width in WIDTHS:
                traced = trace_colours(flat_pictures.drawn(name, width, **options))
                ratios.append((len(traced.regions) / truth, f"{name} at {width} px: {len(traced.regions)} of {truth}"))
                if width == 700:
                    shown = rendered(Drawing(width, width, tuple(
                        Shape(region.region, region.colour) for region in traced.regions)), width * LARGER)  # fmt: skip
                    large = flat_pictures.drawn(name, width * LARGER).over_white()
                    off.append(float((np.abs(shown.over_white().astype(int) - large).max(2) > OFF).mean()))
        mean = float(np.mean([ratio for ratio, _ in ratios]))
        far = sorted(ratios, key=lambda one: -abs(np.log(one[0])))[:3]
        print(f"  {kind:14} {mean:.3f}   {100 * float(np.mean(off)):.3f} %   {'; '.join(words for _, words in far)}")
