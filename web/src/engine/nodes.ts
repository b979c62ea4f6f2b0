import type { Place } from "./camera";

/** One ring as its nodes; each has the handles of the curves that arrive and leave, none where they are straight. */
export interface RingNode {
  readonly at: Place;
  readonly arriving: Place | null;
  readonly leaving: Place | null;
}

export type Rings = readonly (readonly RingNode[])[];

/** A node, or one of its handles, by ring and index. */
export interface Grip {
  readonly ring: number;
  readonly node: number;
  readonly part: "at" | "arriving" | "leaving";
}

const TOKEN = /[MLCAZ]|-?\d*\.?\d+(?:e-?\d+)?/g;

/** Closed rings from path data (M L C A Z, absolute, as Nibble writes it); arcs become curves. */
export function ringsOf(data: string): Rings {
  const tokens = data.match(TOKEN) ?? [];
  const rings: RingNode[][] = [];
  let i = 0;
  let command = "";
  const number = () => Number(tokens[i++]);
  const place = () => ({ x: number(), y: number() });
  while (i < tokens.length) {
    if (/[A-Z]/.test(tokens[i] as string)) command = tokens[i++] as string;
    if (command === "Z") continue;
    const ring = rings[rings.length - 1];
    if (command === "M") {
      rings.push([{ at: place(), arriving: null, leaving: null }]);
      command = "L";
    } else if (!ring) break;
    else if (command === "L") ring.push({ at: place(), arriving: null, leaving: null });
    else if (command === "C") curve(ring, place(), place(), place());
    else {
      const [rx = 0, , , large = 0, sweep = 0] = [number(), number(), number(), number(), number()];
      const end = place();
      for (const [one, two, to] of arcAsCurves(
        (ring[ring.length - 1] as RingNode).at,
        end,
        rx,
        large === 1,
        sweep === 1,
      ))
        curve(ring, one, two, to);
    }
  }
  return rings.map(closedRing).filter((ring) => ring.length > 1);
}

function curve(ring: RingNode[], one: Place, two: Place, end: Place): void {
  const last = ring[ring.length - 1] as RingNode;
  ring[ring.length - 1] = { ...last, leaving: one };
  ring.push({ at: end, arriving: two, leaving: null });
}

/** The last node is the first one again when they lie on one spot. */
function closedRing(ring: RingNode[]): RingNode[] {
  const first = ring[0];
  const last = ring[ring.length - 1];
  if (!first || !last || ring.length < 2) return ring;
  if (Math.hypot(first.at.x - last.at.x, first.at.y - last.at.y) > 1e-3) return ring;
  return [{ ...first, arriving: last.arriving }, ...ring.slice(1, -1)];
}

function arcAsCurves(
  start: Place,
  end: Place,
  radius: number,
  large: boolean,
  sweep: boolean,
): [Place, Place, Place][] {
  const chord = Math.hypot(end.x - start.x, end.y - start.y);
  if (chord < 1e-9) return [];
  const r = Math.max(radius, chord / 2);
  const rise = Math.sqrt(Math.max(r * r - (chord * chord) / 4, 0)) * (large !== sweep ? 1 : -1);
  const cx = (start.x + end.x) / 2 - (rise * (end.y - start.y)) / chord;
  const cy = (start.y + end.y) / 2 + (rise * (end.x - start.x)) / chord;
  const from = Math.atan2(start.y - cy, start.x - cx);
  let turn = Math.atan2(end.y - cy, end.x - cx) - from;
  if (sweep && turn < 0) turn += 2 * Math.PI;
  if (!sweep && turn > 0) turn -= 2 * Math.PI;
  const count = Math.max(1, Math.ceil(Math.abs(turn) / (Math.PI / 2) - 1e-9));
  const step = turn / count;
  const k = (4 / 3) * Math.tan(step / 4) * r;
  return Array.from({ length: count }, (_, index) => {
    const a = from + index * step;
    const b = a + step;
    const to = index === count - 1 ? end : { x: cx + r * Math.cos(b), y: cy + r * Math.sin(b) };
    return [
      { x: cx + r * Math.cos(a) - k * Math.sin(a), y: cy + r * Math.sin(a) + k * Math.cos(a) },
      { x: to.x + k * Math.sin(b), y: to.y - k * Math.cos(b) },
      to,
    ];
  });
}

/** Path data of rings, scaled. */
export function dataOf(rings: Rings, scale = 1, decimals = 4): string {
  const say = ({ x, y }: Place) =>
    `${Number((x * scale).toFixed(decimals))} ${Number((y * scale).toFixed(decimals))}`;
  return rings
    .filter((ring) => ring.length > 1)
    .map((ring) => {
      const words = [`M${say((ring[0] as RingNode).at)}`];
      ring.forEach((node, index) => {
        const next = ring[(index + 1) % ring.length] as RingNode;
        if (node.leaving || next.arriving)
          words.push(`C${say(node.leaving ?? node.at)} ${say(next.arriving ?? next.at)} ${say(next.at)}`);
        else if (index < ring.length - 1) words.push(`L${say(next.at)}`);
      });
      return `${words.join("")}Z`;
    })
    .join("");
}

/** Rings with a node or handle put elsewhere; a node takes its handles along, a smooth joint stays smooth. */
export function moved(rings: Rings, grip: Grip, to: Place): Rings {
  return changed(rings, grip, (node) => {
    if (grip.part === "at") {
      const shift = (handle: Place | null) =>
        handle && { x: handle.x + to.x - node.at.x, y: handle.y + to.y - node.at.y };
      return { at: to, arriving: shift(node.arriving), leaving: shift(node.leaving) };
    }
    const other = grip.part === "arriving" ? "leaving" : "arriving";
    const opposite = node[other];
    const before = node[grip.part];
    if (!opposite || !before || !smooth(node)) return { ...node, [grip.part]: to };
    const size = Math.hypot(opposite.x - node.at.x, opposite.y - node.at.y);
    const away = Math.hypot(to.x - node.at.x, to.y - node.at.y);
    if (away < 1e-6) return { ...node, [grip.part]: to };
    const turned = {
      x: node.at.x - ((to.x - node.at.x) / away) * size,
      y: node.at.y - ((to.y - node.at.y) / away) * size,
    };
    return { ...node, [grip.part]: to, [other]: turned };
  });
}

function smooth({ at, arriving, leaving }: RingNode): boolean {
  if (!arriving || !leaving) return false;
  const one = Math.atan2(at.y - arriving.y, at.x - arriving.x);
  const two = Math.atan2(leaving.y - at.y, leaving.x - at.x);
  return Math.abs(Math.atan2(Math.sin(two - one), Math.cos(two - one))) < 0.12;
}

/** Rings without a node; a ring of two nodes stays as it is. */
export function withoutNode(rings: Rings, grip: Grip): Rings {
  return rings.map((ring, index) =>
    index === grip.ring && ring.length > 2 ? ring.filter((_, node) => node !== grip.node) : ring,
  );
}

/** Rings with a further node in the middle of the segment after one; the shape stays (de Casteljau). */
export function withNode(rings: Rings, ringIndex: number, after: number): Rings {
  return rings.map((ring, index) => {
    if (index !== ringIndex) return ring;
    const a = ring[after] as RingNode;
    const next = (after + 1) % ring.length;
    const b = ring[next] as RingNode;
    const middle = (one: Place, two: Place) => ({ x: (one.x + two.x) / 2, y: (one.y + two.y) / 2 });
    const result = [...ring];
    if (!a.leaving && !b.arriving) {
      result.splice(after + 1, 0, { at: middle(a.at, b.at), arriving: null, leaving: null });
      return result;
    }
    const p1 = a.leaving ?? a.at;
    const p2 = b.arriving ?? b.at;
    const [l, m, r] = [middle(a.at, p1), middle(p1, p2), middle(p2, b.at)];
    const [lm, mr] = [middle(l, m), middle(m, r)];
    result[after] = { ...a, leaving: l };
    result[next] = { ...b, arriving: r };
    result.splice(after + 1, 0, { at: middle(lm, mr), arriving: lm, leaving: mr });
    return result;
  });
}

function changed(rings: Rings, grip: Grip, change: (node: RingNode) => RingNode): Rings {
  return rings.map((ring, index) =>
    index === grip.ring ? ring.map((node, at) => (at === grip.node ? change(node) : node)) : ring,
  );
}
