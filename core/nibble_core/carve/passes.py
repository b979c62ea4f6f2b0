"""Courses at their depths: in passes no deeper than a cutter takes, entered along themselves rather than straight
down."""

from __future__ import annotations

import math

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from nibble_core.carve.grooves import Course
from nibble_core.geometry import Points, run_lengths

LEAD = 6.0  # times as long as it goes aside that a lead-in is
RAMP = math.tan(math.radians(4.0))  # of an entry along the course


def passes_to(depth: float, deepest_pass: float) -> int:
    """How many passes it takes to go so deep."""
    return max(1, math.ceil(depth / deepest_pass - 1e-9))


def lowered(courses: list[Points], depth: float, deepest_pass: float) -> list[Course]:
    """Flat courses at every pass down to a depth, pass by pass."""
    passes = passes_to(depth, deepest_pass)
    return [
        np.column_stack([one, np.full(len(one), -depth * k / passes)]) for k in range(1, passes + 1) for one in courses
    ]


def drilled(x: float, y: float, depth: float, deepest_pass: float) -> Course:
    """Down and up again in steps, so that chips come out."""
    steps = passes_to(depth, deepest_pass)
    heights = [0.0, *(z for k in range(1, steps + 1) for z in (-depth * k / steps, 0.0))]
    return np.array([(x, y, z) for z in heights])


def ramped(course: Course, above: float) -> Course:
    """A course entered from ``above`` (below nothing, under the surface) down a slope along itself: back and forth over
    its beginning where it is too short, and then from its beginning as it is. A closed one is run once more where it
    was sloped."""
    drop = above - float(course[0, 2])
    if drop <= 1e-9 or len(course) < 2:
        return course
    flat = run_lengths(course[:, :2])
    long = float(flat[-1])
    if long <= 1e-6:
        return course
    need = drop / RAMP
    # there and back over at most all of it, so often that the slope is no steeper
    turns = max(1, math.ceil(need / 2 / long))
    half = min(need / 2 / turns, long)
    stops = np.unique(np.concatenate([flat[flat < half], [half]]))
    there = np.column_stack([np.interp(stops, flat, course[:, k]) for k in range(2)])
    way = np.vstack([there, there[::-1][1:]])
    way = np.vstack([way, *[way[1:]] * (turns - 1)])
    gone = run_lengths(way)
    z = above - drop * gone / max(float(gone[-1]), 1e-9)
    # never below what the course itself leaves there
    floor = np.interp(_along(way, flat, course, half), flat, course[:, 2])
    return np.vstack([np.column_stack([way, np.maximum(z, floor)]), course[1:] if len(way) else course])


def _along(way: Points, flat: np.ndarray, course: Course, half: float) -> np.ndarray:
    """How far along the course each place of a way there and back lies, mm."""
    gone = run_lengths(way)
    folded = np.mod(gone, 2 * half)
    return np.asarray(np.where(folded > half, 2 * half - folded, folded))


def screwed(course: Course, lap: Points, above: float) -> Course:
    """A course entered from ``above`` round a small circle (n, 2) from its beginning back to there, as down a screw,
    and once round that at its depth."""
    depth = float(course[0, 2])
    gone = run_lengths(lap)
    turns = max(1, math.ceil((above - depth) / RAMP / float(gone[-1])))
    share = np.concatenate([(gone[:-1] / gone[-1] + k) / turns for k in range(turns)])
    down = np.column_stack([np.tile(lap[:-1], (turns, 1)), above + (depth - above) * share])
    level = np.column_stack([lap, np.full(len(lap), depth)])
    return np.vstack([down, level, course[1:]])


def led(course: Course, rough: BaseGeometry, apart: float) -> Course:
    """A last pass with a lead-in from where the passes before ran, which is cut free already, and back out to
    there, so that no mark stays where it begins. apart: mm between both."""
    into, out = lead_in(course, rough, apart), lead_in(course[::-1], rough, apart)
    return np.vstack([into, course, out[::-1]])


def lead_in(course: Course, rough: BaseGeometry, apart: float) -> Course:
    """From a place on ``rough`` to the beginning of a course, level with both at its ends."""
    first, way = course[0], course[1, :2] - course[0, :2]
    unit = way / max(float(np.hypot(*way)), 1e-12)
    near = shapely.shortest_line(rough, shapely.Point(first[:2] - unit * LEAD * apart))
    start = np.array([*shapely.get_coordinates(near)[0], first[2]])
    gone = first - start
    onward = np.array([*(unit * float(gone[:2] @ unit)), 0.0])
    share = np.linspace(0.0, 1.0, 6)[:-1, None]
    return np.asarray(start + share * onward + share**2 * (3 - 2 * share) * (gone - onward))
