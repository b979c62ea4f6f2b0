/**
 * A round thing as an eye sees it that looks straight at its axis. Angles are radians from the middle of its handle or
 * seam, to the right as it is seen from outside; heights mm below its rim. On screen x grows to the right and y
 * downward, mm from the thing's axis and rim.
 */
export interface Eye {
  /** What faces it. */
  readonly angle: number;
  /** mm from the axis; infinite for far away. */
  readonly distance: number;
  /** mm below the rim that it stands at. */
  readonly level: number;
}

/** Places along half of what is seen of a rim. */
const STEPS = 24;

/** Heights and radii, mm, from the rim down. */
export type Wall = readonly (readonly [number, number])[];

export function radiusAt(wall: Wall, height: number): number {
  let k = 1;
  while (k < wall.length - 1 && (wall[k] as readonly [number, number])[0] < height) k += 1;
  const [z0, r0] = wall[k - 1] as readonly [number, number];
  const [z1, r1] = wall[k] as readonly [number, number];
  return r0 + ((r1 - r0) * (height - z0)) / (z1 - z0);
}

/** How far to either side of what faces the eye the wall is seen, radians. */
export function horizon(radius: number, eye: Eye): number {
  return Number.isFinite(eye.distance) ? Math.acos(Math.min(1, radius / eye.distance)) : Math.PI / 2;
}

/** The angle between -half a turn and half a turn. */
export function wrapped(angle: number): number {
  const turn = 2 * Math.PI;
  return angle - turn * Math.round(angle / turn);
}

/** Where a place of the wall is seen, and whether it faces the eye. What lies behind the edge is seen at the edge. */
export function project(wall: Wall, eye: Eye, angle: number, height: number): [number, number, boolean] {
  const radius = radiusAt(wall, height);
  const off = wrapped(angle - eye.angle);
  const most = horizon(radius, eye);
  const at = Math.max(-most, Math.min(most, off));
  const x = radius * Math.sin(at);
  if (!Number.isFinite(eye.distance)) return [x, height, Math.abs(off) <= most];
  // as large as life where it is nearest
  const share = (eye.distance - radiusAt(wall, eye.level)) / (eye.distance - radius * Math.cos(at));
  return [x * share, eye.level + (height - eye.level) * share, Math.abs(off) <= most];
}

/**
 * The closed outlines that are seen of rings on the wall, each [x, y, x, y, …] mm: what goes round the edge runs along
 * it. ``rings``: angles and heights in turn; ``turn``: added to every angle. Rings nobody sees are left out.
 */
export function seenRings(
  wall: Wall,
  eye: Eye,
  rings: readonly (readonly number[])[],
  turn: number,
): number[][] {
  const found: number[][] = [];
  for (const ring of rings) {
    const count = ring.length / 2;
    if (!count) continue;
    let middle = 0;
    for (let k = 0; k < count; k++) middle += ring[2 * k] as number;
    middle /= count;
    // a ring that goes all round is seen twice: from either end
    for (const shift of shifts(ring, middle, eye, turn)) {
      const points: number[] = [];
      let seen = false;
      for (let k = 0; k < count; k++) {
        const off = (ring[2 * k] as number) + turn + shift - eye.angle;
        const height = ring[2 * k + 1] as number;
        const [x, y, faces] = projectOff(wall, eye, off, height);
        seen ||= faces;
        points.push(x, y);
      }
      if (seen) found.push(points);
    }
  }
  return found;
}

/** Whole turns after which some of a ring may lie before the eye. */
function shifts(ring: readonly number[], middle: number, eye: Eye, turn: number): number[] {
  const whole = 2 * Math.PI;
  let reach = 0;
  for (let k = 0; k < ring.length; k += 2) reach = Math.max(reach, Math.abs((ring[k] as number) - middle));
  const nearest = wrapped(middle + turn - eye.angle) - (middle + turn - eye.angle);
  return reach > Math.PI / 2 ? [nearest - whole, nearest, nearest + whole] : [nearest];
}

/** The same as ``project``, of an angle from what faces the eye that is not wrapped: beyond the edge it stays there. */
function projectOff(wall: Wall, eye: Eye, off: number, height: number): [number, number, boolean] {
  const radius = radiusAt(wall, height);
  const most = horizon(radius, eye);
  const at = Math.max(-most, Math.min(most, off));
  const [x, y] = project(wall, eye, eye.angle + at, height);
  return [x, y, Math.abs(off) <= most];
}

/** The thing's outline, [x, y, …] mm: along its rim, down its right side, back along its foot, and up its left. */
export function silhouette(wall: Wall, eye: Eye): number[] {
  const points: number[] = [];
  const edge = ([height, radius]: readonly [number, number], share: number) =>
    points.push(
      ...(project(wall, eye, eye.angle + share * horizon(radius, eye), height).slice(0, 2) as number[]),
    );
  const [rim, foot] = [wall[0], wall.at(-1)] as [readonly [number, number], readonly [number, number]];
  for (let k = -STEPS; k <= STEPS; k++) edge(rim, k / STEPS);
  for (const place of wall.slice(1, -1)) edge(place, 1);
  for (let k = STEPS; k >= -STEPS; k--) edge(foot, k / STEPS);
  for (const place of wall.slice(1, -1).reverse()) edge(place, -1);
  return points;
}

/** A map of unit squares to triangles is drawn by this: from a picture's cell to where three of its corners are seen. */
export type Cell = readonly [number, number, number, number, number, number];

/** The cells of a mesh that face the eye, each with its place in the picture and the map that brings it to the screen. */
export function seenCells(
  wall: Wall,
  eye: Eye,
  mesh: readonly number[],
  cells: number,
  turn: number,
): { column: number; row: number; map: Cell }[] {
  const found: { column: number; row: number; map: Cell }[] = [];
  const side = cells + 1;
  const places: [number, number, boolean][] = [];
  for (let k = 0; k < side * side; k++)
    places.push(project(wall, eye, (mesh[2 * k] as number) + turn, mesh[2 * k + 1] as number));
  for (let row = 0; row < cells; row++)
    for (let column = 0; column < cells; column++) {
      const [a, b, c] = [
        places[row * side + column],
        places[row * side + column + 1],
        places[(row + 1) * side + column],
      ] as [[number, number, boolean], [number, number, boolean], [number, number, boolean]];
      if (!(a[2] && b[2] && c[2])) continue;
      found.push({ column, row, map: [b[0] - a[0], b[1] - a[1], c[0] - a[0], c[1] - a[1], a[0], a[1]] });
    }
  return found;
}
