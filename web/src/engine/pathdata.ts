import type { Box, Place } from "./camera";

/** The nodes of SVG path data (M L C A Z, absolute, as Nibble writes it), their handles, and their box. */
export interface PathFacts {
  readonly nodes: readonly Place[];
  /** Pairs of node and handle end. */
  readonly handles: readonly (readonly [Place, Place])[];
  readonly box: Box;
}

const TOKEN = /[MLCAZ]|-?\d*\.?\d+(?:e-?\d+)?/g;
const COUNTS: Record<string, number> = { M: 2, L: 2, C: 6, A: 7, Z: 0 };

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
      grow(one.x, one.y);
      grow(two.x, two.y);
    } else if (command === "A") {
      // the arc bulges from its chord by its sagitta, or by what is left of the circle
      const r = n[0] as number;
      const half = Math.hypot(end.x - at.x, end.y - at.y) / 2;
      const rise = Math.sqrt(Math.max(r * r - half * half, 0));
      const reach = n[3] === 1 ? r + rise : r - rise;
      grow(Math.min(at.x, end.x) - reach, Math.min(at.y, end.y) - reach);
      grow(Math.max(at.x, end.x) + reach, Math.max(at.y, end.y) + reach);
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
