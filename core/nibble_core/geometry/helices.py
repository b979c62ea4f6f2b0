"""Arcs and helices among the straight moves of a way in space: what many short moves stand for."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nibble_core.geometry.helix_kernels import joined_moves


def helices(points: NDArray[np.float64], joins: NDArray[np.bool_]) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Of a way through places (n + 1, 3), mm, the numbers of the places at which its moves end once runs of them are
    arcs about an axis along z, (m,), and of each the arc's centre and sweep, (m, 3), mm and radians: against the clock
    where x goes right and y up, 0 of straight moves. joins: of each move (n,) whether it may be one with the move
    before it."""
    ends, arcs = joined_moves(np.ascontiguousarray(points, np.float64), np.ascontiguousarray(joins))
    return ends, arcs
