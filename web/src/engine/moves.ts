/** Every move of a beam, unpacked: typed arrays, one row a move. */
export interface Moves {
  readonly count: number;
  readonly start: readonly [number, number];
  readonly minutes: number;
  readonly beam: number;
  readonly width: number;
  readonly height: number;
  readonly tools: readonly MoveTool[];
  /** First and last move of each cut that frees a part. */
  readonly drops: readonly (readonly [number, number])[];
  /** Where the bed and its clamps lie on the sheet: left, top, right, bottom; none where the head is driven to the job. */
  readonly bed: readonly number[] | null;
  readonly clamps: readonly (readonly number[])[];
  /** Ends, x and y in turn, mm on the sheet. */
  readonly ends: Float32Array;
  readonly centres: Float32Array;
  readonly sweeps: Float32Array;
  /** Seconds at which each begins, and the last ends. */
  readonly begins: Float32Array;
  readonly does: Uint8Array;
  readonly tool: Uint8Array;
  readonly power: Uint8Array;
}

export interface MoveTool {
  readonly process: string;
  readonly colour: string;
  readonly parts: boolean;
  readonly minutes: number;
}

export const TRAVEL = 0;
export const BURN = 2;

/** What the service packs: a line of JSON, then the arrays one behind another. */
export function unpackMoves(bytes: ArrayBuffer): Moves {
  const all = new Uint8Array(bytes);
  const end = all.indexOf(10);
  const head = JSON.parse(new TextDecoder().decode(all.subarray(0, end)));
  const m: number = head.count;
  let at = end + 1;
  const floats = (n: number) => {
    const found = new Float32Array(bytes, at, n);
    at += 4 * n;
    return found;
  };
  const small = () => {
    const found = new Uint8Array(bytes, at, m);
    at += m;
    return found;
  };
  const [ends, centres, sweeps, begins] = [floats(2 * m), floats(2 * m), floats(m), floats(m + 1)];
  const [does, tool, power] = [small(), small(), small()];
  return { ...head, ends, centres, sweeps, begins, does, tool, power };
}

/** The move that is made at a time, from 0; the number of moves when all is done. */
export function moveAt(moves: Moves, seconds: number): number {
  let [low, high] = [0, moves.count];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((moves.begins[middle + 1] as number) <= seconds) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Where a move begins. */
export function startOf(moves: Moves, k: number): readonly [number, number] {
  return k === 0 ? moves.start : [moves.ends[2 * k - 2] as number, moves.ends[2 * k - 1] as number];
}

/** Where the head is at a time. */
export function headAt(moves: Moves, seconds: number): readonly [number, number] {
  const k = moveAt(moves, seconds);
  if (k >= moves.count) return startOf(moves, moves.count);
  const [from, to] = [moves.begins[k] as number, moves.begins[k + 1] as number];
  return along(moves, k, to > from ? Math.min(1, Math.max(0, (seconds - from) / (to - from))) : 1);
}

/** The place after a share of a move. */
export function along(moves: Moves, k: number, share: number): readonly [number, number] {
  const [x, y] = startOf(moves, k);
  const sweep = moves.sweeps[k] as number;
  if (!sweep) {
    const [ex, ey] = [moves.ends[2 * k] as number, moves.ends[2 * k + 1] as number];
    return [x + share * (ex - x), y + share * (ey - y)];
  }
  const [cx, cy] = [moves.centres[2 * k] as number, moves.centres[2 * k + 1] as number];
  const [c, s] = [Math.cos(share * sweep), Math.sin(share * sweep)];
  return [cx + (x - cx) * c - (y - cy) * s, cy + (x - cx) * s + (y - cy) * c];
}

/** The first move of the path after, or before, that of a move: paths are parted by travels. */
export function nextPath(moves: Moves, k: number, way: 1 | -1): number {
  let at = Math.min(Math.max(k + way, 0), moves.count);
  while (at > 0 && at < moves.count && moves.does[at] !== TRAVEL) at += way;
  return at;
}

/** How many parts have dropped before a move. */
export function droppedBefore(moves: Moves, k: number): number {
  return moves.drops.filter(([, last]) => last < k).length;
}

/** “1:05:12”, “12:07”. */
export function clock(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds));
  const [h, m, s] = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60];
  const two = (n: number) => String(n).padStart(2, "0");
  return h ? `${h}:${two(m)}:${two(s)}` : `${m}:${two(s)}`;
}
