"""Pictures as they lie on the laid-out wall of a round thing."""

from __future__ import annotations

from dataclasses import dataclass

from nibble_core.pipeline.prints import PrintedPicture
from nibble_core.wrap import Bend


@dataclass(frozen=True, eq=False)
class BentPicture(PrintedPicture):
    """A picture that was bent, and what from: an engraving reads that, so that its pixels are read once."""

    flat: PrintedPicture
    bend: Bend
