import type { Box, Place } from "./camera";

/** Closed rings of places. */
export type Rings = readonly (readonly Place[])[];

/** The nearest two places of two outlines, and how far apart they are. */
export interface Apart {
  readonly from: Place;
  readonly to: Place;
  readonly apart: number;
}

const RUN = 16;

/** A run of a ring's sides, with the box round them. */
interface Run {
  readonly places: readonly Place[];
  readonly box: Box;
}

/** How far two outlines lie apart that do not cross: the nearest corner of one to a side of the other. */
export function apartOf(one: Rings, other: Rings): Apart {
  const [ours, theirs] = [runs(one), runs(other)];
  let best: Apart = { from: { x: 0, y: 0 }, to: { x: 0, y: 0 }, apart: Number.POSITIVE_INFINITY };
  for (const a of ours)
    for (const b of theirs) {
      if (between(a.box, b.box) >= best.apart) continue;
      best = nearer(best, a, b, (from, to, apart) => ({ from, to, apart }));
      best = nearer(best, b, a, (to, from, apart) => ({ from, to, apart }));
    }
  return best;
}

/** Whether two outlines have an area in common: sides cross, or one lies within the other. */
export function overlap(one: Rings, other: Rings): boolean {
  const [ours, theirs] = [runs(one), runs(other)];
  for (const a of ours)
    for (const b of theirs) {
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
  return holds(one, other[0]?.[0]) || holds(other, one[0]?.[0]);
}

/** Whether a place lies within rings, by the even-odd rule. */
function holds(rings: Rings, place: Place | undefined): boolean {
  if (!place) return false;
  let within = false;
  for (const ring of rings)
    for (let k = 0, before = ring.length - 1; k < ring.length; before = k, k += 1) {
      const [a, b] = [ring[before] as Place, ring[k] as Place];
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

function nearer(
  best: Apart,
  corners: Run,
  sides: Run,
  found: (corner: Place, place: Place, apart: number) => Apart,
): Apart {
  let nearest = best;
  for (const corner of corners.places)
    for (let k = 1; k < sides.places.length; k += 1) {
      const place = onSide(corner, sides.places[k - 1] as Place, sides.places[k] as Place);
      const apart = Math.hypot(place.x - corner.x, place.y - corner.y);
      if (apart < nearest.apart) nearest = found(corner, place, apart);
    }
  return nearest;
}

/** The place of a side that lies nearest to another place. */
function onSide(place: Place, start: Place, end: Place): Place {
  const [x, y] = [end.x - start.x, end.y - start.y];
  const long = x * x + y * y;
  const share = long > 0 ? ((place.x - start.x) * x + (place.y - start.y) * y) / long : 0;
  const t = Math.min(1, Math.max(0, share));
  return { x: start.x + t * x, y: start.y + t * y };
}

function runs(rings: Rings): Run[] {
  return rings.flatMap((ring) => {
    const closed = ring.length ? [...ring, ring[0] as Place] : [];
    const made: Run[] = [];
    for (let k = 0; k < closed.length - 1; k += RUN) {
      const places = closed.slice(k, k + RUN + 1);
      const [xs, ys] = [places.map(({ x }) => x), places.map(({ y }) => y)];
      made.push({ places, box: [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)] });
    }
    return made;
  });
}

function between(a: Box, b: Box): number {
  return Math.hypot(Math.max(0, a[0] - b[2], b[0] - a[2]), Math.max(0, a[1] - b[3], b[1] - a[3]));
}
