import type { Change, Work } from "../api/client";
import type { Place } from "../engine/camera";
import { type AffineMap, mapped, simplified } from "../engine/strokes";
import type { StationKey } from "./stations";
import { newId } from "./ticket";
import type { TracedShape } from "./touchUps";

/** How a tool is used: a click, a stroke, a loop, two clicks, a dragged box, or node by node. */
export type Gesture = "click" | "stroke" | "loop" | "two" | "box" | "nodes";

export interface Tool {
  readonly key: string;
  readonly name: string;
  readonly gesture: Gesture;
  readonly words: string;
  /** It has a brush whose width counts. */
  readonly wide?: boolean;
}

export const CHOOSE: Tool = { key: "choose", name: "Choose", gesture: "click", words: "Click a region." };
const MEASURE: Tool = {
  key: "measure",
  name: "Measure",
  gesture: "two",
  words: "Click two places to read the distance between them.",
};

const CLEAN: readonly Tool[] = [
  { key: "places", name: "Click background away", gesture: "click", words: "Click what should go." },
  { key: "rub out", name: "Rub out", gesture: "stroke", wide: true, words: "Brush over what should go." },
  {
    key: "bring back",
    name: "Bring back",
    gesture: "stroke",
    wide: true,
    words: "Brush over what should return.",
  },
  { key: "lasso out", name: "Lasso out", gesture: "loop", words: "Draw a loop round what should go." },
  {
    key: "subject",
    name: "Belongs",
    gesture: "stroke",
    wide: true,
    words: "Brush over what belongs to the subject.",
  },
  {
    key: "not subject",
    name: "Does not belong",
    gesture: "stroke",
    wide: true,
    words: "Brush over what is not the subject.",
  },
];
const TRACE: readonly Tool[] = [
  CHOOSE,
  { key: "area", name: "Area", gesture: "box", words: "Drag a box: only what lies in it is traced." },
  { key: "fill hole", name: "Fill hole", gesture: "click", words: "Click inside a hole to fill it." },
  { key: "rub out", name: "Eraser", gesture: "stroke", wide: true, words: "Brush away what sticks out." },
  { key: "fill in", name: "Filler", gesture: "stroke", wide: true, words: "Brush over gaps to close them." },
  { key: "join", name: "Join", gesture: "two", wide: true, words: "Click the two regions to join." },
  { key: "straighten", name: "Straighten", gesture: "two", words: "Click both ends of the edge." },
  { key: "smooth", name: "Smooth", gesture: "two", words: "Click both ends of the edge." },
  { key: "arc", name: "Arc", gesture: "two", words: "Click both ends of the edge." },
  { key: "circle", name: "Circle", gesture: "click", words: "Click the region to make round." },
  { key: "ellipse", name: "Ellipse", gesture: "click", words: "Click the region to make an ellipse." },
  {
    key: "nodes",
    name: "Nodes",
    gesture: "nodes",
    words: "Click a region, then drag its nodes. Delete takes one out, double click adds one.",
  },
];

const LINES_CHOOSE: Tool = { ...CHOOSE, words: "Click a hole to keep or fill it, a region to choose it." };
const LINES: readonly Tool[] = [
  { key: "tie", name: "Tie", gesture: "click", words: "Click a through cut where a tie shall hold." },
  {
    key: "kerf",
    name: "Kerf side",
    gesture: "click",
    words:
      "Click a through cut: its waste lies outside, clicked again inside, then on the line, then by its depth.",
  },
  { key: "fold", name: "Fold line", gesture: "two", words: "Click both ends of the fold." },
  { key: "bridge", name: "Bridge", gesture: "two", words: "Click the island, then the film round it." },
  { key: "hanger", name: "Hanger", gesture: "click", words: "Click where its hole shall be." },
];

const MACHINE: readonly Tool[] = [
  CHOOSE,
  {
    key: "clamp",
    name: "Clamp",
    gesture: "box",
    words: "Drag a box where a clamp or a screw holds the work: nothing runs over it.",
  },
  MEASURE,
];

/** What can be done by hand on the table at a station. */
export function toolsAt(station: StationKey): readonly Tool[] {
  if (station === "clean") return [CHOOSE, ...CLEAN, MEASURE];
  if (station === "trace") return [...TRACE, MEASURE];
  if (station === "artwork")
    return [
      CHOOSE,
      { key: "crop", name: "Crop", gesture: "box", words: "Drag a box round what to use." },
      MEASURE,
    ];
  if (station === "lines") return [LINES_CHOOSE, ...LINES, MEASURE];
  if (station === "machine") return MACHINE;
  return [CHOOSE, MEASURE];
}

type ArtworkView = Work["artworks"][string];

const FINE = 0.0008;

/** Places on the table, in mm, as fractions of the artwork, x and y in turn. */
export function fractions(anchor: AffineMap, points: readonly Place[], width: number): number[] {
  return simplified(points, width * FINE).flatMap((point) => {
    const { x, y } = mapped(anchor, point);
    return [clipped(x), clipped(y)];
  });
}

function clipped(value: number): number {
  return Math.round(Math.min(2, Math.max(-1, value)) * 1e5) / 1e5;
}

function share(value: number): number {
  return Math.min(1, Math.max(0, Math.round(value * 1e6) / 1e6));
}

/** The change that a finished gesture of a tool makes; null when it makes none. */
export function toolChanges(
  tool: Tool,
  station: StationKey,
  artwork: string,
  view: ArtworkView,
  points: readonly Place[],
  brush: number,
  region: TracedShape | null,
): Change[] | null {
  const anchor = view.anchor as AffineMap | null;
  const first = points[0];
  const last = points[points.length - 1];
  if (!anchor || !first || !last) return null;
  const here = `artworks/${artwork}`;
  const at = mapped(anchor, first);
  const to = mapped(anchor, last);
  if (station === "artwork" && tool.key === "crop") {
    const [left, right] = [Math.min(at.x, to.x), Math.max(at.x, to.x)];
    const [top, bottom] = [Math.min(at.y, to.y), Math.max(at.y, to.y)];
    if (right - left < 0.03 || bottom - top < 0.03) return null;
    const value = { left: share(left), top: share(top), right: share(1 - right), bottom: share(1 - bottom) };
    return [{ path: `${here}/crop`, value, operation: "set" }];
  }
  if (station === "clean") {
    if (tool.key === "places")
      return [
        { path: `${here}/clean/background`, value: "places", operation: "set" },
        {
          path: `${here}/clean/places`,
          value: { id: newId("p"), x: share(at.x), y: share(at.y) },
          operation: "add",
        },
      ];
    const value = {
      id: newId("b"),
      kind: tool.key,
      width: brush,
      points: fractions(anchor, points, view.width),
    };
    const stroke: Change = { path: `${here}/clean/strokes`, value, operation: "add" };
    return tool.key === "subject" || tool.key === "not subject"
      ? [{ path: `${here}/clean/background`, value: "subject", operation: "set" }, stroke]
      : [stroke];
  }
  if (station !== "trace") return null;
  if (tool.key === "area") {
    if (Math.abs(to.x - at.x) < 0.01 || Math.abs(to.y - at.y) < 0.01) return null;
    const value = { id: newId("b"), x: share(at.x), y: share(at.y), x2: share(to.x), y2: share(to.y) };
    return [{ path: `${here}/trace/areas`, value, operation: "add" }];
  }
  const anchored = {
    id: newId("t"),
    kind: tool.key,
    x: share(region ? region.x : at.x),
    y: share(region ? region.y : at.y),
    ...(region ? { colour: region.rgb, size: region.size } : {}),
  };
  const add = (value: object): Change[] => [{ path: `${here}/touch_ups`, value, operation: "add" }];
  if (tool.gesture === "stroke")
    return add({ ...anchored, width: brush, points: fractions(anchor, points, view.width) });
  if (tool.gesture === "two")
    return add({
      ...anchored,
      x: share(at.x),
      y: share(at.y),
      x2: share(to.x),
      y2: share(to.y),
      width: brush,
    });
  if (tool.key === "fill hole") return add({ ...anchored, x: share(at.x), y: share(at.y) });
  return region ? add(anchored) : null;
}
