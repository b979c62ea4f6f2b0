import type { Change, Work } from "../api/client";
import { newId, type TouchUp } from "./ticket";

export type TracedShape = Work["artworks"][string]["shapes"][number];

/** How far a click on a region reaches. */
export type Reach = "only this" | "of this colour" | "of this size";
export const REACHES: readonly Reach[] = ["only this", "of this colour", "of this size"];

const SAME_PLACE = 0.03;

/** What a click on a region will do, in words. */
export function clickWords(shape: TracedShape): string {
  if (shape.dropped === "hand") return "bring it back";
  return shape.dropped === "" ? "drop it" : "keep it";
}

/** The change a click on a region makes: drop it, keep it, or take an earlier touch-up back. */
export function touchUpChange(
  artwork: string,
  shape: TracedShape,
  touchUps: readonly Pick<TouchUp, "id" | "kind" | "x" | "y">[],
): Change {
  const here = `artworks/${artwork}/touch_ups`;
  const own = touchUps
    .filter((touch) => (shape.dropped === "hand" ? touch.kind === "drop" : touch.kind === "keep"))
    .map((touch) => ({ touch, apart: Math.hypot(touch.x - shape.x, touch.y - shape.y) }))
    .sort((a, b) => a.apart - b.apart)[0];
  if (own && own.apart < SAME_PLACE && (shape.dropped === "" || shape.dropped === "hand"))
    return { path: `${here}/${own.touch.id}`, operation: "remove" };
  const kind = shape.dropped === "" ? "drop" : "keep";
  const value = { id: newId("t"), kind, x: shape.x, y: shape.y, colour: shape.rgb, size: shape.size };
  return { path: here, value, operation: "add" };
}

/** The same for every region of about this colour or size. */
export function alikeChange(artwork: string, shape: TracedShape, alike: Exclude<Reach, "only this">): Change {
  const kind = shape.dropped === "" ? "drop" : "keep";
  const value = { id: newId("t"), kind, x: shape.x, y: shape.y, colour: shape.rgb, size: shape.size, alike };
  return { path: `artworks/${artwork}/touch_ups`, value, operation: "add" };
}
