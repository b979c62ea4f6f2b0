"""The compiled walk along an iso-line (see geometry.kernels for why it stands in a file of its own)."""

import numpy as np

from nibble_core.geometry.kernels import compiled

TOP, RIGHT, BOTTOM, LEFT = 0, 1, 2, 3


@compiled
def march(grey, level, starts):
    """Marching squares with linear interpolation; grey < level is inside.

    grey: float32 (rows, columns) whose border is outside; starts: flat indices of samples outside whose right
    neighbour is inside, in order. Returns points (n, 2) with x = column and
    y = row of the *sample grid*, and offsets (r + 1,) of the closed rings; the inside lies to the left of
    the walk on screen. Saddles follow the mean of the
    four samples (asymptotic decider, Nielson and Hamann, Visualization '91).
    """
    height, width = grey.shape[0] - 1, grey.shape[1] - 1
    seen = np.zeros((height, width), np.uint8)
    points, n = np.empty((1024, 2)), 0
    offsets = [0]
    for k in range(len(starts)):
        y, x = starts[k] // (width + 1), starts[k] % (width + 1)
        if seen[y, x]:
            continue
        cy, cx, side, first = y, x, TOP, n
        while True:
            if side == TOP:
                if seen[cy, cx]:
                    break
                seen[cy, cx] = 1
            if side == TOP or side == BOTTOM:
                row = cy if side == TOP else cy + 1
                px = cx + (level - grey[row, cx]) / (grey[row, cx + 1] - grey[row, cx])
                py = float(row)
            else:
                column = cx if side == LEFT else cx + 1
                px = float(column)
                py = cy + (level - grey[cy, column]) / (grey[cy + 1, column] - grey[cy, column])
            if n == first or abs(px - points[n - 1, 0]) + abs(py - points[n - 1, 1]) > 1e-9:
                if n >= len(points):
                    wider = np.empty((2 * len(points), 2))
                    wider[:n] = points
                    points = wider
                points[n, 0], points[n, 1] = px, py
                n += 1
            tl, tr = grey[cy, cx] < level, grey[cy, cx + 1] < level
            bl, br = grey[cy + 1, cx] < level, grey[cy + 1, cx + 1] < level
            top, right, bottom, left = tl != tr, tr != br, bl != br, tl != bl
            if top and right and bottom and left:
                corner_sum = grey[cy, cx] + grey[cy, cx + 1] + grey[cy + 1, cx] + grey[cy + 1, cx + 1]
                if tl == (0.25 * corner_sum < level):  # the top left joins the bottom right
                    out = RIGHT if side == TOP else (TOP if side == RIGHT else (LEFT if side == BOTTOM else BOTTOM))
                else:
                    out = LEFT if side == TOP else (BOTTOM if side == RIGHT else (RIGHT if side == BOTTOM else TOP))
            elif top and side != TOP:
                out = TOP
            elif right and side != RIGHT:
                out = RIGHT
            elif bottom and side != BOTTOM:
                out = BOTTOM
            else:
                out = LEFT
            if out == TOP:
                cy -= 1
                side = BOTTOM
            elif out == RIGHT:
                cx += 1
                side = LEFT
            elif out == BOTTOM:
                cy += 1
                side = TOP
            else:
                cx -= 1
                side = RIGHT
        if n - first > 2:
            offsets.append(n)
        else:
            n = first
    return points[:n].copy(), np.array(offsets)
