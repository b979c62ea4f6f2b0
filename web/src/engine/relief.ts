/** A carved board as heights of pixels, seen from above with a light that can be turned. */
export interface Relief {
  readonly columns: number;
  readonly rows: number;
  /** mm of a pixel. */
  readonly pitch: number;
  /** mm that the board is thick. */
  readonly thick: number;
  /** mm below the surface, row by row from the upper left. */
  readonly depths: Float32Array;
}

const HEAD = 6;

/** What the service packs: six float32, then a uint16 for each pixel. */
export function unpacked(content: ArrayBuffer): Relief {
  const [columns, rows, pitch, thick, step] = new Float32Array(content.slice(0, 4 * HEAD)) as unknown as [
    number,
    number,
    number,
    number,
    number,
  ];
  const steps = new Uint16Array(content.slice(4 * HEAD));
  return { columns, rows, pitch, thick, depths: Float32Array.from(steps, (one) => one * step) };
}

export interface Light {
  /** Radians that it comes from, 0 from the right, growing downward. */
  readonly angle: number;
  /** Radians above the board. */
  readonly height: number;
}

/** Red, green and blue, 0 to 255. */
export type Rgb = readonly [number, number, number];

/** The board shaded by Lambert's law: what faces the light is light. Holes through it are as dark as what lies below. */
export function shaded(relief: Relief, light: Light, wood: Rgb, painted: Rgb | null): Uint8ClampedArray {
  const { columns, rows, pitch, thick, depths } = relief;
  const pixels = new Uint8ClampedArray(4 * columns * rows);
  const [x, y, z] = [
    Math.cos(light.angle) * Math.cos(light.height),
    Math.sin(light.angle) * Math.cos(light.height),
    Math.sin(light.height),
  ];
  for (let row = 0; row < rows; row++) {
    const up = row > 0 ? -columns : 0;
    const down = row < rows - 1 ? columns : 0;
    for (let column = 0; column < columns; column++) {
      const at = row * columns + column;
      const depth = depths[at] as number;
      const left = column > 0 ? at - 1 : at;
      const right = column < columns - 1 ? at + 1 : at;
      // depth grows away from the eye: the slope of the height is its opposite
      const dx = ((depths[left] as number) - (depths[right] as number)) / (Math.max(1, right - left) * pitch);
      const dy =
        ((depths[at + up] as number) - (depths[at + down] as number)) /
        (((down - up) / columns || 1) * pitch);
      const tone = Math.max(0, (-dx * x - dy * y + z) / Math.sqrt(1 + dx * dx + dy * dy));
      const bright = depth >= thick ? 0.12 : 0.25 + (0.75 * tone) / Math.max(z, 0.2);
      const [r, g, b] = painted && depth > 0.3 && depth < thick ? painted : wood;
      pixels[4 * at] = r * bright;
      pixels[4 * at + 1] = g * bright;
      pixels[4 * at + 2] = b * bright;
      pixels[4 * at + 3] = 255;
    }
  }
  return pixels;
}

/** Depths along a line between two places, mm from the upper left: evenly spaced, as many as were asked for. */
export function section(
  relief: Relief,
  from: readonly [number, number],
  to: readonly [number, number],
  count: number,
): number[] {
  const found: number[] = [];
  for (let k = 0; k < count; k++) {
    const share = count > 1 ? k / (count - 1) : 0;
    found.push(depthAt(relief, from[0] + (to[0] - from[0]) * share, from[1] + (to[1] - from[1]) * share));
  }
  return found;
}

/** mm below the surface at a place, evenly between the middles of pixels; nothing beside the board. */
export function depthAt({ columns, rows, pitch, depths }: Relief, x: number, y: number): number {
  if (x < 0 || y < 0 || x > columns * pitch || y > rows * pitch) return 0;
  const across = Math.min(columns - 1, Math.max(0, x / pitch - 0.5));
  const down = Math.min(rows - 1, Math.max(0, y / pitch - 0.5));
  const [column, row] = [Math.min(columns - 2, Math.floor(across)), Math.min(rows - 2, Math.floor(down))];
  const at = Math.max(0, row) * columns + Math.max(0, column);
  const [u, v] = [across - column, down - row];
  const [a, b] = [depths[at] as number, (depths[at + 1] ?? depths[at]) as number];
  const [c, d] = [(depths[at + columns] ?? a) as number, (depths[at + columns + 1] ?? b) as number];
  return (a * (1 - u) + b * u) * (1 - v) + (c * (1 - u) + d * u) * v;
}

/** The height, mm from the top, half way down what is carved. */
export function middle({ columns, rows, pitch, depths }: Relief): number {
  const first = depths.findIndex((depth) => depth > 0);
  const last = depths.findLastIndex((depth) => depth > 0);
  if (first < 0) return (rows * pitch) / 2;
  return (0.5 * (Math.floor(first / columns) + Math.floor(last / columns)) + 0.5) * pitch;
}

/** The deepest place of a carving, cuts through the board left aside: mm from the upper left, and how deep. */
export function deepest({ columns, pitch, thick, depths }: Relief): { x: number; y: number; depth: number } {
  let best = -1;
  for (let k = 0; k < depths.length; k++)
    if ((depths[k] as number) < thick && (best < 0 || (depths[k] as number) > (depths[best] as number)))
      best = k;
  if (best < 0) return { x: 0, y: 0, depth: 0 };
  return {
    x: ((best % columns) + 0.5) * pitch,
    y: (Math.floor(best / columns) + 0.5) * pitch,
    depth: depths[best] as number,
  };
}
