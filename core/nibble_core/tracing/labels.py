"""Which flat colour every pixel belongs to.

A pixel on a soft edge shows a mix of the two colours it lies between, and the nearest flat colour may be a third
one that has no business there. So wide areas are found first; a pixel between them is explained as a mix of two
that are near, and goes to the one that covers more of it. What no mix explains is a thin part of its own colour.
"""

from __future__ import annotations

import itertools

import cv2
import numpy as np
from numpy.typing import NDArray

from nibble_core.artwork.palette import LEAST_FLAT, flat_pixels, oklab
from nibble_core.graphics import Pixels

Labels = NDArray[np.uint8]
Numbers = NDArray[np.float32]

MIXED = 34.0  # levels: how far from the mix of two colours a pixel may lie and still be one
PURE = 26.0  # levels: nearer to a flat colour a thin part counts as that colour
LEAST_THIN = 4  # px: a thin part of its own colour is at least this large
REACH = 3  # px: how far a soft edge is from the areas it lies between
MOST_MIXED = 40  # px²: a patch of a mixed colour that is larger is an area
MOST_PATCHES = 20_000  # a picture of more is noise
BEYOND = 0.25  # of the way between two colours, by which compression overshoots them
NOBODY = 255


def label_map(picture: Pixels, palette: NDArray[np.float64], *, speck: float = 4.0) -> Labels:
    """Index into ``palette`` of each pixel, shape (rows, columns). ``speck``: px² under which an area is noise."""
    nearest = _nearest_colour(picture, palette)
    core = np.full_like(nearest, NOBODY)
    square = np.ones((3, 3), np.uint8)
    for k in range(len(palette)):
        wide = cv2.morphologyEx((nearest == k).astype(np.uint8), cv2.MORPH_OPEN, square)
        core[wide > 0] = k
    core[_without_flat(picture, core)] = NOBODY
    colours = palette.astype(np.float32)
    mixed, strays = _explained(picture, core, colours)
    odd = strays > MIXED  # only between areas
    if odd.any():
        rows, columns = np.nonzero(odd)
        off = picture[rows, columns].astype(np.float32) - colours[nearest[rows, columns]]
        odd[rows, columns] = (off * off).sum(1) < PURE**2
        core = _with_thin(core, odd, nearest)
        mixed, _ = _explained(picture, core, colours)
    labels = np.where(mixed == NOBODY, nearest, mixed)
    return _without_mixes(_without_specks(labels, core, mixed, speck), colours)


def _without_flat(picture: Pixels, core: Labels) -> NDArray[np.bool_]:
    """The pixels of areas that are flat nowhere: on an edge softer than usual a third colour may be the nearest over
    some pixels, but there the picture goes on from one colour to the other."""
    flat = flat_pixels(picture)
    if flat.mean() < LEAST_FLAT:
        return np.zeros(core.shape, bool)
    patches, owners = connected_patches(core)
    calm = np.bincount(patches.ravel(), flat.ravel(), len(owners)) > 0
    return np.asarray(~calm[patches] & (core != NOBODY))


def _nearest_colour(picture: Pixels, palette: NDArray[np.float64]) -> Labels:
    """By a table over 6 bits a channel."""
    axis = np.arange(64) * 4.0 + 2
    cells = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1).reshape(-1, 3)
    far = ((oklab(cells)[:, None] - oklab(palette)[None]) ** 2).sum(2)
    table = np.argmin(far, 1).astype(np.uint8)
    red, green, blue = (channel.astype(np.int32) >> 2 for channel in cv2.split(picture))
    return np.asarray(table[(red << 12) | (green << 6) | blue])


def _explained(picture: Pixels, core: Labels, colours: Numbers) -> tuple[Labels, Numbers]:
    """``core`` with the pixels between areas given to the one that covers more of them; and how far each of
    those lies from the best mix (0 on areas, large where no two areas are near)."""
    rows, columns = np.nonzero(core == NOBODY)
    strays = np.zeros(core.shape, np.float32)
    labels = core.copy()
    if not len(rows):
        return labels, strays
    here = picture[rows, columns].astype(np.float32)
    ring = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * REACH + 1, 2 * REACH + 1))
    present = [k for k in range(len(colours)) if (core == k).any()]
    near = {k: cv2.dilate((core == k).astype(np.uint8), ring)[rows, columns] > 0 for k in present}
    best = np.full(len(rows), 1e9, np.float32)
    owner = np.full(len(rows), NOBODY, np.uint8)
    for k in present:
        index = np.nonzero(near[k])[0]
        off = np.sqrt(((here[index] - colours[k]) ** 2).sum(1))
        better = off < best[index]
        best[index[better]], owner[index[better]] = off[better], k
    for a, b in itertools.combinations(present, 2):
        index = np.nonzero(near[a] & near[b])[0]
        if not len(index):
            continue
        span = colours[a] - colours[b]
        share = np.clip(((here[index] - colours[b]) @ span) / max(float(span @ span), 1.0), 0, 1)
        off = np.sqrt(((here[index] - colours[b] - share[:, None] * span) ** 2).sum(1))
        better = off < best[index]
        best[index[better]] = off[better]
        owner[index[better]] = np.where(share[better] >= 0.5, a, b)
    labels[rows, columns] = owner
    strays[rows, columns] = best
    return labels, strays


def _with_thin(core: Labels, thin: NDArray[np.bool_], nearest: Labels) -> Labels:
    """Areas, and with them the thin parts that are no mix of what lies beside them."""
    grown = core.copy()
    for k in np.unique(nearest[thin]):
        count, patches, stats, _ = cv2.connectedComponentsWithStats(
            (thin & (nearest == k)).astype(np.uint8), connectivity=8
        )
        large = stats[:count, cv2.CC_STAT_AREA] >= LEAST_THIN
        large[0] = False
        grown[large[patches]] = k
    return grown


def _without_specks(labels: Labels, core: Labels, mixed: Labels, speck: float) -> Labels:
    """Patches without a pixel that is surely theirs, or too small, go to the neighbour they share most edge with."""
    result = labels.copy()
    for _ in range(3):
        patches, owners = connected_patches(result)
        sure = np.bincount(patches.ravel(), ((core == result) & (core != NOBODY)).ravel(), len(owners)) > 0
        size = np.bincount(patches.ravel(), minlength=len(owners))
        doubtful = ~sure | (size < speck)
        if not doubtful.any() or doubtful.all():
            break
        result = _given_away(result, patches, doubtful)
    return result


def _without_mixes(labels: Labels, colours: Numbers) -> Labels:
    """Small patches where different areas meet, of a colour that is a mix of two of theirs, or a little beyond it as
    compression leaves it, go to those: corners of soft edges are flat enough to pass for areas."""
    patches, owners = connected_patches(labels)
    if len(owners) > MOST_PATCHES:
        return labels
    small = np.bincount(patches.ravel(), minlength=len(owners)) < MOST_MIXED
    beside = _edges_shared(patches, labels, small, ~small)
    mixes = np.zeros(len(owners), bool)
    for patch in np.nonzero((beside > 0).sum(1) > 1)[0]:
        own = colours[owners[patch]]
        for a, b in itertools.combinations(np.nonzero(beside[patch])[0], 2):
            span = colours[a] - colours[b]
            share = float((own - colours[b]) @ span) / max(float(span @ span), 1.0)
            off = own - colours[b] - min(max(share, -BEYOND), 1 + BEYOND) * span
            mixes[patch] |= float(off @ off) < MIXED**2
    return _given_away(labels, patches, mixes) if mixes.any() else labels


def connected_patches(labels: Labels) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
    """4-connected patches of equal label: patch number of each pixel from 0, and the label of each patch."""
    patches = np.zeros(labels.shape, np.int32)
    owners: list[int] = []
    for k in np.unique(labels):
        count, own = cv2.connectedComponents((labels == k).astype(np.uint8), connectivity=4)
        inside = own > 0
        patches[inside] = own[inside] - 1 + len(owners)
        owners += [int(k)] * (count - 1)
    return patches, np.array(owners, np.int64)


def _edges_shared(
    patches: NDArray[np.int32], labels: Labels, of: NDArray[np.bool_], by: NDArray[np.bool_]
) -> NDArray[np.int32]:
    """For each patch that ``of`` marks, shape (patches, 256): how many pixel edges it shares with patches that ``by``
    marks, by their label."""
    shared = np.zeros((len(of), 256), np.int32)
    for a, b, la, lb in (
        (patches[:, :-1], patches[:, 1:], labels[:, :-1], labels[:, 1:]),
        (patches[:-1], patches[1:], labels[:-1], labels[1:]),
    ):
        apart = a != b
        for one, other, label in ((a, b, lb), (b, a, la)):
            use = apart & of[one] & by[other]
            np.add.at(shared, (one[use], label[use]), 1)
    return shared


def _given_away(labels: Labels, patches: NDArray[np.int32], doubtful: NDArray[np.bool_]) -> Labels:
    """Each doubtful patch with the label of the sound neighbour it shares most edge with."""
    votes = _edges_shared(patches, labels, doubtful, ~doubtful)
    heir = np.argmax(votes, 1)
    known = doubtful & (votes.max(1) > 0)
    result = labels.copy()
    taken = known[patches]
    result[taken] = heir[patches[taken]].astype(np.uint8)
    return result
