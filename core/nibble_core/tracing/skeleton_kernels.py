"""The compiled thinning of a mask (see geometry.kernels for why it stands in a file of its own)."""

import numpy as np

from nibble_core.geometry.kernels import compiled


@compiled
def thinned(mask):
    """The one pixel wide skeleton of ``mask`` (uint8, 0 or 1), whose border rows and columns must be 0.

    Parallel thinning in two sub-iterations that keeps the topology and the ends (Guo and Hall, Comm. ACM 32, 1989).
    """
    image = mask.copy()
    height, width = image.shape
    count = 0
    for y in range(height):
        for x in range(width):
            count += image[y, x]
    ys, xs = np.empty(count, np.int32), np.empty(count, np.int32)
    n = 0
    for y in range(height):
        for x in range(width):
            if image[y, x]:
                ys[n], xs[n] = y, x
                n += 1
    gone = np.empty(count, np.int64)
    idle, odd = 0, False
    while idle < 2:
        removed = 0
        for i in range(n):
            y, x = ys[i], xs[i]
            p2, p3, p4, p5 = image[y - 1, x], image[y - 1, x + 1], image[y, x + 1], image[y + 1, x + 1]
            p6, p7, p8, p9 = image[y + 1, x], image[y + 1, x - 1], image[y, x - 1], image[y - 1, x - 1]
            crossings = (
                ((1 - p2) & (p3 | p4)) + ((1 - p4) & (p5 | p6)) + ((1 - p6) & (p7 | p8)) + ((1 - p8) & (p9 | p2))
            )
            if crossings != 1:
                continue
            one = (p9 | p2) + (p3 | p4) + (p5 | p6) + (p7 | p8)
            two = (p2 | p3) + (p4 | p5) + (p6 | p7) + (p8 | p9)
            least = min(one, two)
            if least < 2 or least > 3:
                continue
            if odd:
                blocked = (p6 | p7 | (1 - p9)) & p8
            else:
                blocked = (p2 | p3 | (1 - p5)) & p4
            if blocked == 0:
                gone[removed] = i
                removed += 1
        for k in range(removed):
            image[ys[gone[k]], xs[gone[k]]] = 0
        m = 0
        for i in range(n):
            if image[ys[i], xs[i]]:
                ys[m], xs[m] = ys[i], xs[i]
                m += 1
        n = m
        idle = 0 if removed else idle + 1
        odd = not odd
    return image
