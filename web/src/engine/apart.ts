import type { Box, Place } from "./camera";
import { nearestOnSegment } from "./strokes";

/** Closed rings of places. */
export type Rings = readonly (readonly Place[])[];

/** The nearest two places of two outlines, and how far apart they are. */
export interface Apart {
  readonly from: Place;
  readonly to: Place;
  readonly apart: number;
}

const RUN = 16;

/** Sides of a ring that follow each other, with the box round them. */
interface Run {
  readonly places: readonly Place[];
  readonly box: Box;
}

/** An outline, its sides in runs. */
export type Outlined = readonly Run[];

export function outlined(rings: Rings): Outlined {
  return rings.flatMap((ring) => {
    const closed = ring.length ? [...ring, ring[0] as Place] : [];
    const made: Run[] = [];
    for (let k = 0; k < closed.length - 1; k += RUN) {
      const places = closed.slice(k, k + RUN + 1);
      let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
      for (const { x, y } of places) {
        left = Math.min(left, x);
        top = Math.min(top, y);
        right = Math.max(right, x);
        bottom = Math.max(bottom, y);
      }
      made.push({ places, box: [left, top, right, bottom] });
    }
    return made;
  });
}

/**
 * How far two outlines lie apart that do not cross: the nearest corner of one to a side of the other. Endlessly, if that
 * is further than ``within``.
 */
export function apartOf(one: Outlined, other: Outlined, within = Number.POSITIVE_INFINITY): Apart {
  const pairs: { a: Run; b: Run; least: number }[] = [];
  for (const a of one)
    for (const b of other) {
      const least = between(a.box, b.box);
      if (least <= within) pairs.push({ a, b, least });
    }
  pairs.sort((p, q) => p.least - q.least);
  let best: Apart = { from: { x: 0, y: 0 }, to: { x: 0, y: 0 }, apart: Number.POSITIVE_INFINITY };
  for (const { a, b, least } of pairs) {
    if (least >= best.apart) break;
    best = nearer(best, a, b, (from, to, apart) => ({ from, to, apart }));
    best = nearer(best, b, a, (to, from, apart) => ({ from, to, apart }));
  }
  return best;
}

function nearer(
  best: Apart,
  corners: Run,
  sides: Run,
  found: (corner: Place, place: Place, apart: number) => Apart,
): Apart {
  let nearest = best;
  let square = best.apart ** 2;
  for (const corner of corners.places)
    for (let k = 1; k < sides.places.length; k += 1) {
      const place = nearestOnSegment(corner, sides.places[k - 1] as Place, sides.places[k] as Place);
      const [dx, dy] = [place.x - corner.x, place.y - corner.y];
      if (dx * dx + dy * dy >= square) continue;
      square = dx * dx + dy * dy;
      nearest = found(corner, place, Math.sqrt(square));
    }
  return nearest;
}

/** Whether two outlines have an area in common: sides cross, or one lies within the other. */
export function overlap(one: Outlined, other: Outlined): boolean {
  for (const a of one)
    for (const b of other) {
      if (between(a.box, b.box) > 0) continue;
      for (let k = 1; k < a.places.length; k += 1)
        for (let n = 1; n < b.places.length; n += 1)
          if (
            cross(
              a.places[k - 1] as Place,
              a.places[k] as Place,
              b.places[n - 1] as Place,
              b.places[n] as Place,
            )
          )
            return true;
    }
  return holds(one, other[0]?.places[0]) || holds(other, one[0]?.places[0]);
}

/** Whether a place lies within an outline, by the even-odd rule. */
function holds(outline: Outlined, place: Place | undefined): boolean {
  if (!place) return false;
  let within = false;
  for (const { places } of outline)
    for (let k = 1; k < places.length; k += 1) {
      const [a, b] = [places[k - 1] as Place, places[k] as Place];
      if (a.y > place.y !== b.y > place.y && place.x < a.x + ((place.y - a.y) / (b.y - a.y)) * (b.x - a.x))
        within = !within;
    }
  return within;
}

function cross(a: Place, b: Place, c: Place, d: Place): boolean {
  return turn(a, b, c) * turn(a, b, d) < 0 && turn(c, d, a) * turn(c, d, b) < 0;
}

/** To which side of the way from one place to another a third lies. */
function turn(a: Place, b: Place, c: Place): number {
  return (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
}

function between(a: Box, b: Box): number {
  return Math.hypot(Math.max(0, a[0] - b[2], b[0] - a[2]), Math.max(0, a[1] - b[3], b[1] - a[3]));
}
