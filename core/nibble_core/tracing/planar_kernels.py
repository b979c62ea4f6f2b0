"""The compiled walk along the borders of a patch map (see geometry.kernels for why it stands in a file of its own)."""

import numpy as np

from nibble_core.geometry.kernels import compiled

DX = np.array([1, 0, -1, 0])
DY = np.array([0, 1, 0, -1])


@compiled
def border_degree(patches, y, x):
    """How many of the four unit edges that meet at corner (y, x) lie between two patches."""
    ul, ur, ll, lr = patches[y, x], patches[y, x + 1], patches[y + 1, x], patches[y + 1, x + 1]
    return int(ul != ur) + int(ur != lr) + int(lr != ll) + int(ll != ul)


@compiled
def leads_on(patches, y, x, way):
    """Whether the unit edge from corner (y, x) in direction ``way`` (right, down, left, up) is a border."""
    if way == 0:
        return patches[y, x + 1] != patches[y + 1, x + 1]
    if way == 1:
        return patches[y + 1, x] != patches[y + 1, x + 1]
    if way == 2:
        return patches[y, x] != patches[y + 1, x]
    return patches[y, x] != patches[y, x + 1]


@compiled
def walk_borders(patches):
    """All borders of a patch map that has been framed by one row and column of its own patch on every side.

    Corner (y, x) has the pixels framed[y:y+2, x:x+2] round it. A border runs from a junction (a corner where three or
    more patches meet, or where two meet twice) to a junction, or is closed. Returns corners (n, 2) as y, x in walking
    order, and offsets (b + 1,) of the borders; a closed border repeats its first corner at its end.
    """
    height, width = patches.shape[0] - 1, patches.shape[1] - 1
    seen = np.zeros((height, width, 2), np.uint8)  # of the edges to the right of and below a corner
    corners, n = np.empty((1024, 2), np.int32), 0
    offsets = [0]
    for phase in range(2):
        for y in range(height):
            for x in range(width):
                degree = border_degree(patches, y, x)
                if degree == 0 or (phase == 0 and degree == 2):
                    continue
                for first in range(4):
                    if not leads_on(patches, y, x, first):
                        continue
                    cy, cx, way = y, x, first
                    ey, ex = (cy - 1 if way == 3 else cy), (cx - 1 if way == 2 else cx)
                    if seen[ey, ex, way & 1]:
                        continue
                    if n + 1 >= len(corners):
                        wider = np.empty((2 * len(corners), 2), np.int32)
                        wider[:n] = corners[:n]
                        corners = wider
                    corners[n, 0], corners[n, 1] = cy, cx
                    n += 1
                    while True:
                        ey, ex = (cy - 1 if way == 3 else cy), (cx - 1 if way == 2 else cx)
                        seen[ey, ex, way & 1] = 1
                        cy += DY[way]
                        cx += DX[way]
                        if n + 1 >= len(corners):
                            wider = np.empty((2 * len(corners), 2), np.int32)
                            wider[:n] = corners[:n]
                            corners = wider
                        corners[n, 0], corners[n, 1] = cy, cx
                        n += 1
                        if border_degree(patches, cy, cx) != 2 or (cy == y and cx == x):
                            break
                        back = (way + 2) % 4
                        for turn in range(4):
                            if turn != back and leads_on(patches, cy, cx, turn):
                                way = turn
                                break
                    offsets.append(n)
    return corners[:n].copy(), np.array(offsets)
