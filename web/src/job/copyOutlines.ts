import type { Work } from "../api/client";
import type { Rings } from "../engine/apart";
import type { Box, Place } from "../engine/camera";
import { parsed } from "./parsed";
import type { LayerView } from "./pieceChanges";

const SAMPLES = 96;
const MOST_KEPT = 200;

/**
 * A layer as its copies are seen in the hand: its edge, the box round that and the middle of it, all it fills, and the
 * box round both.
 */
export interface Outline {
  readonly d: string;
  readonly box: Box;
  readonly middle: Place;
  readonly fills: Rings;
  readonly reach: Box;
}

/** Of each layer by its id. */
export function outlinesOf(work: Work | undefined): ReadonlyMap<string, Outline> {
  const made = new Map<string, Outline>();
  for (const [layer, view] of Object.entries(work?.layers ?? {})) {
    const [left, top, right, bottom] = view.box;
    const d =
      view.edge || view.shown || `M${left} ${top}L${right} ${top}L${right} ${bottom}L${left} ${bottom}Z`;
    const { box } = parsed(d).facts;
    const middle = { x: (box[0] + box[2]) / 2, y: (box[1] + box[3]) / 2 };
    const fills = ringsOf(view, d);
    made.set(layer, { d, box, middle, fills, reach: boxRound(fills, box) });
  }
  return made;
}

/** All that a copy of a layer fills; before the service has told that, its edge. */
function ringsOf(view: LayerView, edge: string): Rings {
  if (!view.fills.length) return [sampled(edge)];
  return view.fills.map((ring) =>
    Array.from({ length: ring.length / 2 }, (_, k) => ({
      x: ring[2 * k] as number,
      y: ring[2 * k + 1] as number,
    })),
  );
}

function boxRound(rings: Rings, [left, top, right, bottom]: Box): Box {
  return rings
    .flat()
    .reduce<Box>(
      (box, { x, y }) => [Math.min(box[0], x), Math.min(box[1], y), Math.max(box[2], x), Math.max(box[3], y)],
      [left, top, right, bottom],
    );
}

const samples = new Map<string, readonly Place[]>();

/** Places along an outline, evenly. */
function sampled(d: string): readonly Place[] {
  const known = samples.get(d);
  if (known) return known;
  const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
  path.setAttribute("d", d);
  const whole = path.getTotalLength();
  const made = Array.from({ length: SAMPLES }, (_, k) => {
    const { x, y } = path.getPointAtLength((whole * k) / SAMPLES);
    return { x, y };
  });
  if (samples.size > MOST_KEPT) samples.clear();
  samples.set(d, made);
  return made;
}
