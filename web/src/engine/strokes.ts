import type { Place } from "./camera";

/** The map x' = a x + c y + e, y' = b x + d y + f, as the service gives it. */
export type AffineMap = readonly [number, number, number, number, number, number];

export function mapped([a, b, c, d, e, f]: AffineMap, { x, y }: Place): Place {
  return { x: a * x + c * y + e, y: b * x + d * y + f };
}

/** A polyline with the fewest of its points that stays within ``tolerance`` of it (Douglas and Peucker, 1973). */
export function simplified(points: readonly Place[], tolerance: number): Place[] {
  const first = points[0];
  const last = points[points.length - 1];
  if (!first || !last || points.length < 3) return [...points];
  let worst = 0;
  let at = 0;
  points.forEach((point, index) => {
    const off = distanceToSegment(point, first, last);
    if (off > worst) {
      worst = off;
      at = index;
    }
  });
  if (worst <= tolerance) return [first, last];
  return [
    ...simplified(points.slice(0, at + 1), tolerance).slice(0, -1),
    ...simplified(points.slice(at), tolerance),
  ];
}

/** The place of a segment that lies nearest to a point. */
export function nearestOnSegment(point: Place, start: Place, end: Place): Place {
  const dx = end.x - start.x;
  const dy = end.y - start.y;
  const size = dx * dx + dy * dy;
  const t =
    size > 0 ? Math.min(1, Math.max(0, ((point.x - start.x) * dx + (point.y - start.y) * dy) / size)) : 0;
  return { x: start.x + t * dx, y: start.y + t * dy };
}

export function distanceToSegment(point: Place, start: Place, end: Place): number {
  const { x, y } = nearestOnSegment(point, start, end);
  return Math.hypot(point.x - x, point.y - y);
}
