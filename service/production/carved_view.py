"""The surface that a router leaves, packed for the table.

Six little-endian float32: columns, rows, mm of a pixel, thickness of the board, mm of a step of height, the share of
the moves that were made; then a uint16 for each pixel, row by row from the upper left: how many steps it lies below the
surface.
"""

import math
import struct

import numpy as np

from nibble_core.pipeline.both_sides import carved_surface
from nibble_core.pipeline.carve_results import RouterRun
from nibble_core.ticket.heads import RouterHead
from nibble_core.ticket.model import Machine

MOST_PX = 1_600_000
FINEST = 0.1  # mm of a pixel


def carved_view(run: RouterRun, machine: Machine, share: float) -> bytes:
    """The board after a share of the moves, 0 to 1."""
    moves = run.moves
    pitch = max(FINEST, math.sqrt(moves.width * moves.height / MOST_PX))
    router = machine.head_as(RouterHead)
    surface = carved_surface(run, router.cutters, pitch, share)
    step = (run.thick + router.below + 1.0) / 65_000
    rows, columns = surface.shape
    head = struct.pack("<6f", columns, rows, pitch, run.thick, step, share)
    return head + np.clip(np.rint(-surface / step), 0, 65_535).astype("<u2").tobytes()
