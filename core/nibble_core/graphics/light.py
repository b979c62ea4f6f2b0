"""Levels of grey as they are kept in a file, and the light that they stand for (sRGB, IEC 61966-2-1)."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Level = TypeVar("Level", np.float32, np.float64)


def to_light(levels: NDArray[Level]) -> NDArray[Level]:
    """Light, 0 to 1, of levels from 0 to 1, as precise as those."""
    dark = levels <= 0.04045
    light = np.where(dark, levels / 12.92, ((np.maximum(levels, 0) + 0.055) / 1.055) ** 2.4)
    return light.astype(levels.dtype)


def to_level(light: float) -> float:
    """The level, 0 to 1, that stands for light from 0 to 1."""
    return 12.92 * light if light <= 0.0031308 else 1.055 * light ** (1 / 2.4) - 0.055
