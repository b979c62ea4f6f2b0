import type { Box, Place } from "./camera";

/** The nodes of SVG path data (M L C A Z, absolute, as Nibble writes it), their handles, and the box of what is drawn. */
export interface PathFacts {
  readonly nodes: readonly Place[];
  /** Pairs of node and handle end. */
  readonly handles: readonly (readonly [Place, Place])[];
  readonly box: Box;
}

const TOKEN = /[MLCAZ]|-?\d*\.?\d+(?:e-?\d+)?/g;
const COUNTS: Record<string, number> = { M: 2, L: 2, C: 6, A: 7, Z: 0 };

/** Where a cubic turns back in one coordinate, as parameters from 0 to 1. */
function turningPoints(a: number, b: number, c: number, d: number): number[] {
  // the derivative is p t² + 2 q t + r, a third of it
  const p = d - 3 * c + 3 * b - a;
  const q = a - 2 * b + c;
  const r = b - a;
  const root = Math.sqrt(q * q - p * r);
  const found = Math.abs(p) < 1e-12 ? [-r / (2 * q)] : [(-q + root) / p, (-q - root) / p];
  return found.filter((t) => t > 0 && t < 1);
}

function cubic(t: number, a: number, b: number, c: number, d: number): number {
  const u = 1 - t;
  return u * u * u * a + 3 * u * u * t * b + 3 * u * t * t * c + t * t * t * d;
}

/** The outermost places of a circle, left, right, up and down, that an arc passes. */
function extremes(from: Place, to: Place, given: number, large: boolean, clockwise: boolean): Place[] {
  const half = Math.hypot(to.x - from.x, to.y - from.y) / 2;
  if (half === 0) return [];
  const r = Math.max(given, half);
  const rise = Math.sqrt(r * r - half * half) * (large === clockwise ? -1 : 1);
  const x = (from.x + to.x) / 2 - (rise * (to.y - from.y)) / (2 * half);
  const y = (from.y + to.y) / 2 + (rise * (to.x - from.x)) / (2 * half);
  const full = 2 * Math.PI;
  const way = clockwise ? 1 : -1;
  const start = Math.atan2(from.y - y, from.x - x);
  const after = (angle: number) => (((way * (angle - start)) % full) + full) % full;
  const sweep = after(Math.atan2(to.y - y, to.x - x));
  return [0, 1, 2, 3]
    .map((quarter) => (quarter * Math.PI) / 2)
    .filter((angle) => after(angle) < sweep)
    .map((angle) => ({ x: x + r * Math.cos(angle), y: y + r * Math.sin(angle) }));
}

export function pathFacts(data: string): PathFacts {
  const tokens = data.match(TOKEN) ?? [];
  const nodes: Place[] = [];
  const handles: [Place, Place][] = [];
  let box: Box = [
    Number.POSITIVE_INFINITY,
    Number.POSITIVE_INFINITY,
    Number.NEGATIVE_INFINITY,
    Number.NEGATIVE_INFINITY,
  ];
  const grow = (x: number, y: number) => {
    box = [Math.min(box[0], x), Math.min(box[1], y), Math.max(box[2], x), Math.max(box[3], y)];
  };
  let at: Place = { x: 0, y: 0 };
  let start: Place = at;
  let command = "M";
  let i = 0;
  while (i < tokens.length) {
    const token = tokens[i] as string;
    if (token in COUNTS) {
      command = token;
      i += 1;
    }
    const count = COUNTS[command] ?? 0;
    if (count === 0) {
      at = start;
      continue;
    }
    const n = tokens.slice(i, i + count).map(Number) as number[];
    i += count;
    const end: Place = { x: n[count - 2] as number, y: n[count - 1] as number };
    if (command === "C") {
      const one = { x: n[0] as number, y: n[1] as number };
      const two = { x: n[2] as number, y: n[3] as number };
      handles.push([at, one], [end, two]);
      for (const t of turningPoints(at.x, one.x, two.x, end.x))
        grow(cubic(t, at.x, one.x, two.x, end.x), end.y);
      for (const t of turningPoints(at.y, one.y, two.y, end.y))
        grow(end.x, cubic(t, at.y, one.y, two.y, end.y));
    } else if (command === "A") {
      for (const place of extremes(at, end, n[0] as number, n[3] === 1, n[4] === 1)) grow(place.x, place.y);
    }
    grow(end.x, end.y);
    const closes = Math.hypot(end.x - start.x, end.y - start.y) < 5e-4;
    if (command === "M") {
      start = end;
      command = "L";
      nodes.push(end);
    } else if (!closes) nodes.push(end);
    at = end;
  }
  return { nodes, handles, box };
}

/** Path data of an upright rectangle: left, top, right, bottom. */
export function frameData([left, top, right, bottom]: Box): string {
  return `M${left} ${top}H${right}V${bottom}H${left}Z`;
}
