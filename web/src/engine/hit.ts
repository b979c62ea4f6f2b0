import type { Box, Place } from "./camera";

/** Something on the table that can be pointed at. */
export interface Target {
  readonly id: string;
  readonly path: Path2D;
  readonly box: Box;
  readonly area: number;
}

export type Inside = (path: Path2D, x: number, y: number) => boolean;

/** The smallest target under a place, or null. Boxes first, then the path itself. */
export function targetAt(targets: readonly Target[], place: Place, inside: Inside): Target | null {
  let best: Target | null = null;
  for (const target of targets) {
    const [left, top, right, bottom] = target.box;
    if (place.x < left || place.x > right || place.y < top || place.y > bottom) continue;
    if (best && best.area <= target.area) continue;
    if (inside(target.path, place.x, place.y)) best = target;
  }
  return best;
}

/** A test of places against paths in mm, on a canvas of its own. */
export function pathTester(): Inside {
  const context = document.createElement("canvas").getContext("2d");
  return (path, x, y) => context?.isPointInPath(path, x, y, "evenodd") ?? false;
}
