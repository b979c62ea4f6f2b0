"""Rows of shapes that are probably lettering: set it again in a font instead of tracing it.

Letters of one word are of about one height, stand close beside each other along a line or arc, are drawn with
strokes of one width, and differ from each other. Joined letters are one low shape that a line along it cuts many times,
in strokes of about one width.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

LEAST_LETTERS = 3
LEAST_HEIGHT = 5  # px
THICKEST = 0.42  # of a letter's height: thicker strokes are blobs
EVEN = 0.45  # spread of stroke widths within a word, over their median
NEAR = 1.15  # heights between the boxes of neighbouring letters
MOST_BLOBS = 3_000
JOINED = 1.3  # times as wide as high, at least
JOINED_STROKE = 0.24  # of their height, at most
MANY, OFF_LINE = 5, 0.3  # letters that may stand on an arc; and how far off it, in their height
PATTERN, REPEATED = 0.2, 0.6  # of their usual width by which gaps of a pattern differ; the share that come again
LEAST_STROKES = 5  # that a line along joined letters cuts
LEVELS = np.arange(0.25, 0.9, 0.05)  # of their height, where it may run
LEAST_LEVELS = 3


@dataclass(frozen=True)
class LetterBox:
    """Where lettering probably is, as fractions of the picture, and how many letters it seems to have."""

    left: float
    top: float
    right: float
    bottom: float
    letters: int


@dataclass(frozen=True)
class _Blob:
    left: int
    top: int
    width: int
    height: int
    area: int
    stroke: float  # width of its strokes
    joined: bool  # reads as several letters

    @property
    def middle(self) -> tuple[float, float]:
        return self.left + self.width / 2, self.top + self.height / 2


def probable_lettering(ink: NDArray[np.bool_]) -> tuple[LetterBox, ...]:
    """Boxes of lettering in a mask of ink (rows, columns), dark on light and light on dark."""
    height, width = ink.shape
    found: list[LetterBox] = []
    for mask in (ink, ~ink):
        blobs = [blob for blob in _blobs(mask) if _lies_within(blob, height, width)]
        words = _words([blob for blob in blobs if _may_be_letter(blob, height, width)])
        words += [[blob] for blob in blobs if blob.joined]
        ground = cv2.distanceTransform(np.asarray(~mask, np.uint8), cv2.DIST_L2, 5)
        for word in words:
            word = _with_pieces_beside(word, blobs)
            left, top = min(b.left for b in word), min(b.top for b in word)
            right, bottom = max(b.left + b.width for b in word), max(b.top + b.height for b in word)
            # what lies between thin lines is no lettering: that stands on a ground wider than its strokes
            around = ground[top:bottom, left:right]
            if 2 * float(around.max(initial=0.0)) < float(np.median([b.stroke for b in word])):
                continue
            found.append(LetterBox(left / width, top / height, right / width, bottom / height, len(word)))
    return tuple(_without_nested(found))


def _blobs(mask: NDArray[np.bool_]) -> list[_Blob]:
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    if count - 1 > MOST_BLOBS:
        return []
    inside = cv2.distanceTransform(np.pad(mask.astype(np.uint8), 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    blobs = []
    for k in range(1, count):
        left, top, width, height, area = (int(v) for v in stats[k])
        if height < LEAST_HEIGHT or width < 1:
            continue
        depth = inside[top : top + height, left : left + width]
        own = labels[top : top + height, left : left + width] == k
        # a stroke's mean depth is a quarter of its width
        stroke = 4 * float(depth[own].mean()) - 1
        blobs.append(_Blob(left, top, width, height, area, stroke, _reads_as_joined(own, stroke)))
    return blobs


def _reads_as_joined(own: NDArray[np.bool_], stroke: float) -> bool:
    """Whether one shape, a mask of its box, is a word of joined letters."""
    height, width = own.shape
    if width < JOINED * height or height < 2 * LEAST_HEIGHT or stroke > JOINED_STROKE * height:
        return False
    levels = 0
    for level in LEVELS:
        ends = np.flatnonzero(np.diff(np.pad(own[int(level * height)].astype(np.int8), 1)))
        strokes, gaps = ends[1::2] - ends[::2], ends[2::2] - ends[1:-1:2]
        if len(strokes) >= LEAST_STROKES and ends[-1] - ends[0] > 0.7 * width and gaps.max() < 0.8 * height:
            usual = np.median(strokes)
            alike = (strokes > 0.6 * usual) & (strokes < 1.7 * usual)
            levels += bool(alike.mean() >= 0.7 and gaps.std() > 0.15 * gaps.mean() and not _repeats(gaps))
    return levels >= LEAST_LEVELS


def _repeats(gaps: NDArray[np.int64]) -> bool:
    """Whether gaps come again and again, each alike or by turns: links, bars, scales are a pattern."""
    alike = PATTERN * np.median(gaps)
    return any(
        len(gaps) > 2 * lag and (np.abs(gaps[lag:] - gaps[:-lag]) <= alike).mean() > REPEATED for lag in (1, 2, 3)
    )


def _with_pieces_beside(word: list[_Blob], blobs: list[_Blob]) -> list[_Blob]:
    """A word with what stands close beside it on its line: parts of stencilled letters, dots, short words."""
    own = set(word)
    top, bottom = min(b.top for b in word), max(b.top + b.height for b in word)
    tall, stroke = bottom - top, float(np.median([b.stroke for b in word]))
    alike = [
        b for b in blobs
        if b not in own and top - 0.2 * tall <= b.top and b.top + b.height <= bottom + 0.2 * tall and b.width < 6 * tall
        and b.stroke < 2 * stroke
    ]  # fmt: skip
    grown = True
    while grown:
        left, right = min(b.left for b in word), max(b.left + b.width for b in word)
        is_beside = [b.left < right + 0.6 * tall and b.left + b.width > left - 0.6 * tall for b in alike]
        word = word + [b for b, near in zip(alike, is_beside, strict=True) if near]
        alike, grown = [b for b, near in zip(alike, is_beside, strict=True) if not near], any(is_beside)
    return word


def _lies_within(blob: _Blob, height: int, width: int) -> bool:
    right, bottom = blob.left + blob.width, blob.top + blob.height
    return blob.left > 0 and blob.top > 0 and right < width and bottom < height


def _may_be_letter(blob: _Blob, height: int, width: int) -> bool:
    if blob.height > 0.6 * height or blob.width > 0.35 * width or blob.width > 1.9 * blob.height:
        return False
    return blob.stroke < THICKEST * max(blob.height, blob.width) and blob.area > 0.08 * blob.width * blob.height


def _words(blobs: list[_Blob]) -> list[list[_Blob]]:
    """Groups of neighbouring blobs alike in height and stroke."""
    leader = list(range(len(blobs)))

    def find(i: int) -> int:
        while leader[i] != i:
            leader[i] = leader[leader[i]]
            i = leader[i]
        return i

    if not blobs:
        return []
    middles = np.array([blob.middle for blob in blobs])
    heights = np.array([blob.height for blob in blobs], float)
    widths = np.array([blob.width for blob in blobs], float)
    strokes = np.array([blob.stroke for blob in blobs])
    for i in range(len(blobs)):
        tall = np.maximum(heights, heights[i])
        dx = np.abs(middles[:, 0] - middles[i, 0]) - (widths + widths[i]) / 2
        dy = np.abs(middles[:, 1] - middles[i, 1])
        near = (dx < NEAR * tall) & (dy < 0.62 * tall) & (np.minimum(heights, heights[i]) > 0.5 * tall)
        near &= np.minimum(strokes, strokes[i]) > 0.5 * np.maximum(strokes, strokes[i])
        for j in np.nonzero(near)[0].tolist():
            leader[find(i)] = find(j)
    groups: dict[int, list[_Blob]] = {}
    for i, blob in enumerate(blobs):
        groups.setdefault(find(i), []).append(blob)
    return [sorted(group, key=lambda b: b.left) for group in groups.values() if _reads_as_word(group)]


def _reads_as_word(group: list[_Blob]) -> bool:
    if len(group) < LEAST_LETTERS:
        return False
    strokes = np.array([blob.stroke for blob in group])
    if strokes.std() > EVEN * np.median(strokes):
        return False
    # a row of equal things is a pattern: letters differ in width and in how much of their box they fill
    fills = np.array([blob.area / (blob.width * blob.height) for blob in group])
    widths = np.array([blob.width / blob.height for blob in group])
    varied = fills.std() > 0.035 or widths.std() > 0.09
    if _off_line(group) > OFF_LINE:
        return False
    wide = max(b.left + b.width for b in group) - min(b.left for b in group)
    tall = max(b.top + b.height for b in group) - min(b.top for b in group)
    return bool(varied) and wide > 1.15 * tall


def _off_line(group: list[_Blob]) -> float:
    """How far letters stand off one line, or one arc where they are many, in their height (root mean square)."""
    middles = np.array([blob.middle for blob in group])
    middles -= middles.mean(0)
    along = np.linalg.svd(middles, full_matrices=False)[2][0]
    at, off = middles @ along, middles @ np.array([-along[1], along[0]])
    powers = (at / max(float(np.abs(at).max()), 1e-9))[:, None] ** np.arange(3 if len(group) >= MANY else 2)
    bend = powers @ np.linalg.lstsq(powers, off, rcond=None)[0]
    return float(np.sqrt(np.mean((off - bend) ** 2)) / np.median([blob.height for blob in group]))


def _without_nested(boxes: list[LetterBox]) -> list[LetterBox]:
    """Boxes that do not lie in a larger one: the insides of letters make words of their own."""
    kept: list[LetterBox] = []
    for box in sorted(boxes, key=lambda b: -(b.right - b.left) * (b.bottom - b.top)):
        slack = 0.15 * (box.bottom - box.top)
        inside = any(
            k.left - slack <= box.left and k.top - slack <= box.top and box.right <= k.right + slack
            and box.bottom <= k.bottom + slack for k in kept
        )  # fmt: skip
        if not inside:
            kept.append(box)
    return kept
