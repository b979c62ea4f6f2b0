"""Ink left out and ink added: a trace held against its picture pixel by pixel, whatever way it was traced.

Deviation along an outline says how true that outline is. It is blind to what has no outline: a branch that was dropped,
an arm that ends short. Here every inked pixel looks for the nearest shape, and every covered pixel for the nearest ink.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry import Region

MOST_PX = 2_000_000  # larger pictures are looked at in fewer pixels
SPECK = 6.0  # px² of ink that is noise, and is traced by nobody
WIDEST = 40.0  # px of half a drawn line's width
SHIFT = 4  # bits below a pixel that outlines are drawn with
TOLD = 3.0  # px from which ink is said to be left out
APEX = 3.0  # px more that the apex of a sharp corner may lie beyond its ink


@dataclass(frozen=True)
class TwoWay:
    """How far the furthest ink lies from every shape, how far the furthest covered place lies from all ink, px; and
    where, None where there is nothing of the kind. told: px from which an operator should know."""

    left_out: float = 0.0
    left_out_at: tuple[float, float] | None = None
    added: float = 0.0
    added_at: tuple[float, float] | None = None
    told: float = TOLD

    @property
    def leaves_out(self) -> bool:
        return self.left_out > self.told

    @property
    def adds(self) -> bool:
        return self.added > self.told + APEX


def two_way(
    ink: NDArray[np.bool_], regions: Sequence[Region], *, slack: NDArray[np.float32] | None = None, reduced: int = 1
) -> TwoWay:
    """``ink``: (rows, columns). ``regions``: in pixels of it, all that were found. ``slack``: px that each place may
    lie further off, such as a drawn line's own width, which its stroke has on the average only; it is taken off.
    ``reduced``: px of the ink, each way, that were one of the trace's: what was a speck to it counts as none."""
    step = max(1, round((ink.size / MOST_PX) ** 0.5))
    seen = np.ascontiguousarray(ink[step // 2 :: step, step // 2 :: step])
    covered = np.zeros(seen.shape, np.uint8)
    for region in regions:
        rings = [np.rint((ring.flattened(0.2) / step - 0.5) * (1 << SHIFT)).astype(np.int32) for ring in region.rings]
        cv2.fillPoly(covered, rings, 1, lineType=cv2.LINE_8, shift=SHIFT)
    spared = None if slack is None else slack[step // 2 :: step, step // 2 :: step] / step
    left, left_at = _furthest(
        _without_specks(seen, SPECK * (reduced / step) ** 2) & (covered == 0), covered > 0, spared
    )
    added, added_at = _furthest((covered > 0) & ~seen, seen, spared)
    return TwoWay(left * step, _px(left_at, step), added * step, _px(added_at, step), max(TOLD, 1.5 * step))


def thickness(ink: NDArray[np.bool_]) -> NDArray[np.float32]:
    """About how wide the ink is round each place, px: the largest disc in it that comes near."""
    inner = cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 5)
    reach = 2 * int(np.ceil(min(float(inner.max()), WIDEST))) + 1
    return np.asarray(2 * cv2.dilate(inner, np.ones((reach, reach), np.uint8)), np.float32)


def _without_specks(ink: NDArray[np.bool_], least: float) -> NDArray[np.bool_]:
    _, labels, stats, _ = cv2.connectedComponentsWithStats(ink.astype(np.uint8), connectivity=4)
    large = stats[:, cv2.CC_STAT_AREA] > least
    large[0] = False
    return np.asarray(large[labels])


def _furthest(
    asked: NDArray[np.bool_], of: NDArray[np.bool_], slack: NDArray[np.float32] | None = None
) -> tuple[float, tuple[int, int] | None]:
    """The asked pixel that is furthest from all others ``of`` a kind: its distance and its row and column."""
    if not asked.any():
        return 0.0, None
    if not of.any():
        row, column = np.argwhere(asked)[0].tolist()
        return float(np.hypot(*asked.shape)), (row, column)
    away = np.where(asked, cv2.distanceTransform((~of).astype(np.uint8), cv2.DIST_L2, 5), 0.0)
    if slack is not None:
        away = np.maximum(away - slack, 0.0)
    row, column = np.unravel_index(int(away.argmax()), away.shape)
    return float(away[row, column]), (int(row), int(column))


def _px(at: tuple[int, int] | None, step: int) -> tuple[float, float] | None:
    return None if at is None else ((at[1] + 0.5) * step, (at[0] + 0.5) * step)
