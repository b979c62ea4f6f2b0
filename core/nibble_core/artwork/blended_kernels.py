"""Compiled loops of pictures that were enlarged smoothly: least squares for the fewer pixels a line was made of."""

import numpy as np

from nibble_core.geometry.kernels import compiled


@compiled
def factored(first, weights, count):
    """Cholesky's factor of the normal equations, in bands (taps, count): row d holds what lies d below the diagonal.

    first: number of the first true pixel that each pixel looks at, which may lie outside; weights: (length, taps).
    """
    length, taps = weights.shape
    bands = np.zeros((taps, count))
    for i in range(length):
        for a in range(taps):
            j = min(max(first[i] + a, 0), count - 1)
            for b in range(taps):
                k = min(max(first[i] + b, 0), count - 1)
                if k >= j:
                    bands[k - j, j] += weights[i, a] * weights[i, b]
    for j in range(count):
        bands[0, j] += 1e-4  # of a true pixel that hardly any pixel looks at
        for k in range(max(0, j - taps + 1), j):
            for m in range(j, min(k + taps, count)):
                bands[m - j, j] -= bands[m - k, k] * bands[j - k, k]
        root = np.sqrt(max(bands[0, j], 1e-9))
        bands[0, j] = root
        for d in range(1, min(taps, count - j)):
            bands[d, j] /= root
    return bands


@compiled
def fit_lines(lines, first, weights, bands, rounds, found, left):
    """True pixels ``found`` (n, count) of lines (n, length) clipped to 0 and 255, and what they leave, (n, length)."""
    length, taps = weights.shape
    count = bands.shape[1]
    wanted = np.zeros(count)
    for n in range(lines.shape[0]):
        for j in range(count):
            found[n, j] = 0.0
        for turn in range(rounds + 1):
            for j in range(count):
                wanted[j] = 0.0
            for i in range(length):
                level = 0.0
                for a in range(taps):
                    level += weights[i, a] * found[n, min(max(first[i] + a, 0), count - 1)]
                off = lines[n, i] - min(max(level, 0.0), 255.0)
                left[n, i] = off
                for a in range(taps):
                    wanted[min(max(first[i] + a, 0), count - 1)] += weights[i, a] * off
            if turn == rounds:
                break
            for j in range(count):
                for d in range(1, min(taps, j + 1)):
                    wanted[j] -= bands[d, j - d] * wanted[j - d]
                wanted[j] /= bands[0, j]
            for j in range(count - 1, -1, -1):
                for d in range(1, min(taps, count - j)):
                    wanted[j] -= bands[d, j] * wanted[j + d]
                wanted[j] /= bands[0, j]
                found[n, j] += wanted[j]
