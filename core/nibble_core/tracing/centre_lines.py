"""Pixels to the strokes of a line drawing: the middle of every drawn line, with its width.

The skeleton says how strokes run and cross; where the middle lies is then measured in the grey picture, across the
stroke, far finer than a pixel.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray

from nibble_core.errors import Cancelled, NothingToTrace
from nibble_core.geometry import CUBIC, Path, Points
from nibble_core.geometry.fitting import densified, end_directions
from nibble_core.geometry.span_kernels import smoothed
from nibble_core.graphics import Colour, Grey, Raster
from nibble_core.tracing.bridging import bridged, way_at_end
from nibble_core.tracing.deviation import closed_line, deviation
from nibble_core.tracing.iso import iso_rings
from nibble_core.tracing.jitter import price, raised_to_making, sample_distances, suspected_jitter
from nibble_core.tracing.making import EdgeMaking, edge_making
from nibble_core.tracing.outline import fit_outline
from nibble_core.tracing.skeleton import Course, skeleton_courses
from nibble_core.tracing.stretch import fit_stretch

TOLERANCE = 0.2  # px, of the middle from what was measured
RIPPLE = 0.08  # px: how unsteady a measured middle is
PROFILE_STEP = 0.5
FOREIGN = 0.18  # share of the width by which a profile may differ and still be of this stroke alone
CROWDED = 4.0  # half widths beside a junction where another stroke may lie in a profile
OF_WIDTH = 0.015  # of a stroke's width: a middle off by so little is seen nowhere
UNSTEADY = 2.5  # times the unsteadiness of a middle are allowed
STEADY = 0.5  # half widths to either side over which a middle is smoothed
SHORTEST = 0.5  # px: the stroke of a dot
MOST_STROKES = 5_000

Numbers = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class TracedStroke:
    """A stroke in pixels: its middle, its width, its colour, a place on it and its inked area in px²."""

    path: Path
    width: float
    colour: Colour
    place: tuple[float, float]
    area: float


@dataclass(frozen=True, eq=False)
class TracedStrokes:
    """All strokes, longest first, with the measured middles (polylines) they were fitted to, and the level used."""

    strokes: tuple[TracedStroke, ...]
    middles: tuple[Points, ...]
    level: float

    def deviation(self) -> tuple[float, float]:
        """Worst and mean distance from the strokes to their measured middles, px. See ``deviation.off_along``."""
        return deviation([stroke.path for stroke in self.strokes], self.middles)


def trace_centre_lines(
    grey: Grey,
    picture: Raster,
    *,
    level: float,
    tolerance: float | None = None,
    smallest_area: float = 4.0,
    steps_meant: bool = False,
    cancelled: Callable[[], bool] = lambda: False,
) -> TracedStrokes:
    """Strokes of everything in ``grey`` (0 black to 1 white) darker than ``level``.

    ``tolerance``: largest deviation of the fit from the measured middle, px. ``smallest_area``: px² under which a
    patch of ink is a speck. ``steps_meant``: middles follow each step of the pixels, however the picture was made.
    Raises NothingToTrace when the drawing falls into too many strokes, Cancelled.
    """
    mask, patches = _without_specks(grey < level, smallest_area)
    courses = skeleton_courses(mask)
    if len(courses) > MOST_STROKES:
        raise NothingToTrace(
            f"This picture falls into {len(courses):,} strokes.", "It is no line drawing: trace shapes or colours."
        )
    ink = float(np.median(grey[mask])) if mask.any() else 0.0
    paper = float(np.median(grey[~mask])) if not mask.all() else 1.0
    cover = np.clip((paper - grey) / max(paper - ink, 1e-3), 0, 1.2).astype(np.float32)
    edges = None if steps_meant else edge_making(grey, iso_rings(grey, level, smallest_area=smallest_area))
    found: list[tuple[TracedStroke, Points]] = []
    stops: list[tuple[bool, bool]] = []
    for course in courses:
        if cancelled():
            raise Cancelled("This trace was superseded.")
        made = _stroke(course, cover, picture, tolerance, edges)
        if made is not None:
            found.append(made)
            stops.append((course.stops[0] is not None, course.stops[1] is not None))
    met = _met([stroke for stroke, _ in found], stops)
    found = [(stroke, _led_on(middle, stroke.path)) for stroke, (_, middle) in zip(met, found, strict=True)]
    found += _dots(patches, {patches[picture.index_at(*stroke.place)] for stroke, _ in found}, picture)
    found.sort(key=lambda one: -one[0].area)
    return TracedStrokes(tuple(stroke for stroke, _ in found), tuple(middle for _, middle in found), level)


def _met(strokes: Sequence[TracedStroke], stops: Sequence[tuple[bool, bool]]) -> list[TracedStroke]:
    """The strokes with those ends that stop at a junction led on, straight, to the middle of a stroke that passes
    there: the skeleton of a T sags towards its stem."""
    lines = [shapely.LineString(closed_line(stroke.path)) for stroke in strokes]
    tree = shapely.STRtree(lines)
    met = []
    for k, (stroke, ends) in enumerate(zip(strokes, stops, strict=True)):
        path = stroke.path
        for at_end in (False, True):
            if ends[at_end] and not path.closed:
                around = tree.query(lines[k], predicate="dwithin", distance=stroke.width)
                others = [(lines[j], strokes[j].width) for j in around.tolist() if j != k]
                path = _led_to(path, at_end, stroke.width, others)
        met.append(replace(stroke, path=path))
    return met


def _led_on(middle: Points, path: Path) -> Points:
    """A measured middle up to where its stroke was led."""
    return middle if path.closed else np.vstack([path.rows[:1, :2], middle, path.rows[-1:, 6:]])


def _led_to(path: Path, at_end: bool, width: float, others: Sequence[tuple[shapely.LineString, float]]) -> Path:
    """An open path whose end is moved along its own direction to where it meets the nearest of the others."""
    kinds, rows = path.kinds.copy(), path.rows.copy()
    row, place, handle = (rows[-1], slice(6, 8), slice(4, 6)) if at_end else (rows[0], slice(0, 2), slice(2, 4))
    end, way = row[place].copy(), end_directions(int(kinds[-1 if at_end else 0]), row)[int(at_end)]
    way = way if at_end else -way
    reach = max([width, *(other for _, other in others)])
    ray = shapely.LineString([end - way * reach / 2, end + way * reach])
    meetings = [ray.intersection(line) for line, other in others if line.distance(shapely.Point(end)) <= other / 2 + 1]
    places = [np.asarray(shapely.get_coordinates(one)) for one in meetings if not one.is_empty]
    if not places:
        return path
    candidates = np.vstack(places)
    to = candidates[int(np.argmin(np.hypot(*(candidates - end).T)))]
    row[place], row[handle] = to, row[handle] + (to - end if kinds[-1 if at_end else 0] == CUBIC else 0.0)
    return Path(kinds, rows, closed=False)


def _without_specks(mask: NDArray[np.bool_], smallest: float) -> tuple[NDArray[np.bool_], NDArray[np.int32]]:
    """The mask without specks, and the number of the patch of each pixel, 0 where there is none."""
    _, patches, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    large = stats[:, cv2.CC_STAT_AREA] >= smallest
    large[0] = False
    kept = np.asarray(large[patches])
    return kept, np.where(kept, patches, 0).astype(np.int32)


def _dots(patches: NDArray[np.int32], drawn: set[int], picture: Raster) -> list[tuple[TracedStroke, Points]]:
    """Patches that are no lines, as very short strokes as wide as they are: the ellipse of the same moments tells how
    wide and how long."""
    found = []
    for patch in sorted(set(np.unique(patches).tolist()) - drawn - {0}):
        places = np.stack(np.nonzero(patches == patch)[::-1], 1) + 0.5
        middle = places.mean(0)
        spreads, ways = np.linalg.eigh(np.cov((places - middle).T, ddof=0) + np.eye(2) / 12)
        width, longest = 4 * np.sqrt(spreads)
        reach = max(float(longest - width), SHORTEST) / 2 * ways[:, 1]
        line = np.stack([middle - reach, middle + reach])
        place = (float(middle[0]), float(middle[1]))
        stroke = TracedStroke(
            Path.polygon(line, closed=False), float(width), picture.colour_at(*place), place, float(len(places))
        )
        found.append((stroke, line))
    return found


def _stroke(
    course: Course, cover: NDArray[np.float32], picture: Raster, tolerance: float | None, edges: EdgeMaking | None
) -> tuple[TracedStroke, Points] | None:
    half = float(np.median(course.half[~course.in_junction] if (~course.in_junction).any() else course.half))
    middle, width = _measured(course, cover, half)
    if len(middle) < 2:
        return None
    if width > 0:
        half = width / 2
    if course.closed and len(middle) < 8:
        return None
    if not course.closed:
        middle = _with_ends(middle, course.stops, cover, half)

    def fitted(noise: float) -> Path:
        allowed = max(TOLERANCE, OF_WIDTH * 2 * half, UNSTEADY * noise) if tolerance is None else tolerance
        if course.closed:
            return fit_outline(middle, tolerance=allowed, noise=noise, blunt=edges.blunt if edges else 1.0)
        return fit_stretch(middle, tolerance=allowed, noise=noise, blunt=max(1.0, half))

    def trial(noise: float) -> tuple[float, NDArray[np.float64]]:
        path = fitted(noise)
        return price(path), sample_distances(path, middle)

    steady = max(RIPPLE, _unsteadiness(middle, half, course.closed))
    path = fitted(raised_to_making(trial, steady, suspected_jitter([middle], edges)))
    length = path.length()
    if length < 1.0:
        return None
    at = middle[len(middle) // 2]
    place = (float(at[0]), float(at[1]))
    return TracedStroke(path, 2 * half, picture.colour_at(*place), place, length * 2 * half), middle


def _unsteadiness(middle: Points, half: float, closed: bool) -> float:
    """How far a measured middle strays from itself smoothed over the stroke's width, px: the texture of pencil and
    paper, for no stroke bends within its own width. The median, which corners and gaps hardly move."""
    line = np.vstack([middle, middle[:1]]) if closed else middle
    steady = smoothed(np.ascontiguousarray(line), round(2 * half), closed)
    way = np.gradient(steady, axis=0)
    way /= np.maximum(np.hypot(*way.T), 1e-9)[:, None]
    off = line - steady
    return float(np.median(np.abs(off[:, 0] * way[:, 1] - off[:, 1] * way[:, 0])))


def _measured(course: Course, cover: NDArray[np.float32], half: float) -> tuple[Points, float]:
    """The middle of the ink across the stroke at every place outside junctions, twice, and the median width."""
    keep = ~course.in_junction
    if keep.sum() < 2:
        return course.places, 0.0
    places, width = course.places, 0.0
    crowded = _near(course.in_junction, round(CROWDED * half), course.closed)
    if not course.closed:
        span = round(CROWDED * half)
        crowded[:span] |= course.stops[0] is not None
        crowded[max(0, len(crowded) - span) :] |= course.stops[1] is not None
    for _ in range(2):
        normal = _normals(places, course.closed, half)
        reach = np.arange(-1.6 * half - 2, 1.6 * half + 2.01, PROFILE_STEP)
        x = (places[:, :1] + normal[:, :1] * reach - 0.5).astype(np.float32)
        y = (places[:, 1:] + normal[:, 1:] * reach - 0.5).astype(np.float32)
        profile = _own_part(cv2.remap(cover, x, y, cv2.INTER_LINEAR, borderValue=0).astype(float))
        ink = profile.sum(1) * PROFILE_STEP
        off = (profile * reach).sum(1) * PROFILE_STEP / np.maximum(ink, 1e-6)
        sound = keep & (np.abs(off) < half) & (ink > 0)
        if not sound.any():
            break
        width = float(np.median(ink[sound]))
        # beside a crossing the other stroke's ink lies in the profile and pulls the middle over; elsewhere a tight
        # bend does, which is a place of the stroke all the same
        odd = np.abs(ink - width) >= FOREIGN * width + 0.5
        clean = sound & ~_reached(odd, crowded, round(CROWDED * half))
        if clean.sum() >= max(3, 0.3 * sound.sum()):
            keep = clean
        places = places + normal * np.where(sound, off, 0.0)[:, None]
    return bridged(_steadied(places, keep, half), keep, half, course.closed), width


def _steadied(places: Points, keep: NDArray[np.bool_], half: float) -> Points:
    """Each run of kept places smoothed over less than the stroke's width, within which no stroke bends."""
    reach = round(STEADY * half)
    if reach < 2:
        return places
    steady = places.copy()
    for first, end in _runs(keep):
        steady[first:end] = smoothed(np.ascontiguousarray(places[first:end]), reach, False)
    return steady


def _runs(marked: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First index and the one after the last of each row of marked places."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], marked.view(np.int8), [0]])))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def _reached(odd: NDArray[np.bool_], crowded: NDArray[np.bool_], short: int) -> NDArray[np.bool_]:
    """Odd places in a row with one that lies beside a crossing, for strokes may run side by side for long; and those of
    short rows, where a line turns sharply. What is odd for longer is a line that swells."""
    reached = np.zeros(len(odd), bool)
    for first, end in _runs(odd):
        reached[first:end] = crowded[first:end].any() or end - first <= short
    return reached


def _near(marked: NDArray[np.bool_], reach: int, closed: bool) -> NDArray[np.bool_]:
    """Which places lie within ``reach`` places of a marked one."""
    padded = np.pad(marked.astype(float), reach, "wrap" if closed and len(marked) > reach else "constant")
    return np.asarray(np.convolve(padded, np.ones(2 * reach + 1), "valid") > 0.5)


def _own_part(profile: Numbers) -> Numbers:
    """Each profile (n, samples) without ink that a gap separates from its middle: a neighbouring stroke's."""
    middle = profile.shape[1] // 2
    gap = profile < 0.15
    left = np.cumsum(gap[:, middle::-1], 1)[:, ::-1]
    right = np.cumsum(gap[:, middle:], 1)
    beyond = np.concatenate([left, right[:, 1:]], 1) > 0
    return np.where(beyond, 0.0, profile)


def _normals(places: Points, closed: bool, half: float) -> Points:
    """Unit normals of a smoothed course."""
    window = int(np.clip(round(half) * 2 + 3, 5, 21))
    window = min(window, (len(places) - 1) // 2 * 2 + 1)
    around = ((window, window), (0, 0))
    padded = np.pad(places, around, "wrap") if closed else np.pad(places, around, "edge")
    kernel = np.ones(window) / window
    smooth = np.stack([np.convolve(padded[:, k], kernel, "same") for k in (0, 1)], 1)
    tangent = np.gradient(smooth, axis=0)[window:-window]
    tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
    return np.stack([-tangent[:, 1], tangent[:, 0]], 1)


def _with_ends(middle: Points, stops: Sequence[Points | None], cover: NDArray[np.float32], half: float) -> Points:
    """The middle led to the junctions it stops at, or to where a round end of the ink has its centre."""
    first = _end(middle[::-1], stops[0], cover, half)[::-1]
    return _end(first, stops[1], cover, half)


def _end(middle: Points, stop: Points | None, cover: NDArray[np.float32], half: float) -> Points:
    if stop is not None:
        if np.hypot(*(stop - middle[-1])) <= 0.5:
            return middle
        recent = middle[-max(5, round(3 * half)) :]
        if len(recent) >= 5:  # straight on: the skeleton bends aside where it meets another stroke's
            way = way_at_end(recent)
            ahead = middle[-1] + way * max(float((stop - middle[-1]) @ way), 0.0)
            if np.hypot(*(stop - ahead)) < half:
                stop = ahead
        return np.vstack([middle, stop[None]])
    back = min(len(middle) - 1, max(3, round(1.5 * half)))
    way = middle[-1] - middle[-1 - back]
    size = float(np.hypot(*way))
    if size < 1e-6:
        return middle
    way = way / size
    start = middle[-1 - back // 2] if back > 3 else middle[-1]
    walked = np.arange(0, 4 * half + 6, 0.25)
    along = start + way * walked[:, None]
    ink = cv2.remap(
        cover, (along[:, 0] - 0.5).astype(np.float32)[None], (along[:, 1] - 0.5).astype(np.float32)[None],
        cv2.INTER_LINEAR, borderValue=0,
    )[0]  # fmt: skip
    out = np.nonzero(ink < 0.5)[0]
    if not len(out) or out[0] == 0:
        return middle
    tip = start + way * (walked[out[0]] - half)
    # only places near the end may lie beyond it: a line that winds passes there again elsewhere
    beyond = ((middle - tip) @ way) >= -0.5
    beyond[: max(1, len(middle) - 2 * back)] = False
    short = middle[~beyond]
    return np.vstack([short, tip[None]]) if len(short) >= 1 else middle


def stroke_lines(strokes: Sequence[TracedStroke], step: float = 0.5) -> list[Points]:
    """The strokes as evenly dense polylines."""
    return [densified(closed_line(stroke.path), step) for stroke in strokes]
