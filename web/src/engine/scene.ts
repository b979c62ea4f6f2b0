import type { Box, Camera, Place, Size } from "./camera";
import { overlaps, visible } from "./camera";

/** What lies on the table, in mm. Strokes and nodes have their size in CSS pixels, whatever the zoom. */
export type Item =
  | {
      kind: "picture";
      image: CanvasImageSource | null;
      box: Box;
      alpha: number;
      /** Where it lies when it does not simply fill its box: a map of the rectangle from 0 to its size. */
      placed?: { matrix: Matrix; width: number; height: number };
    }
  | { kind: "hatch"; path: Path2D; box: Box; colour: string }
  | { kind: "path"; path: Path2D; box: Box; fill?: string; stroke?: Stroke; alpha?: number }
  | { kind: "card"; box: Box; fill: string; edge?: string }
  | {
      kind: "nodes";
      nodes: readonly Place[];
      handles: readonly (readonly [Place, Place])[];
      colour: string;
      box: Box;
    }
  | { kind: "label"; text: string; box: Box }
  | {
      kind: "copies";
      items: readonly Item[];
      places: readonly Matrix[];
      box: Box;
    };

/** The map x' = a x + c y + e, y' = b x + d y + f. */
export type Matrix = readonly [number, number, number, number, number, number];

export interface Stroke {
  readonly colour: string;
  /** CSS pixels. */
  readonly width: number;
  /** A width in mm that grows with the zoom; the CSS width is then the least. */
  readonly mm?: number;
  readonly dash?: readonly number[];
  readonly halo?: string;
}

export interface Scene {
  readonly items: readonly Item[];
  readonly bounds: Box;
  readonly ground: string;
}

/** Draw everything that is in view. The context is set up for device pixels; ``ratio`` of them make a CSS pixel. */
export function drawScene(
  context: CanvasRenderingContext2D,
  scene: Scene,
  camera: Camera,
  view: Size,
  ratio: number,
  crisp = false,
): void {
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.fillStyle = scene.ground;
  context.fillRect(0, 0, view.width, view.height);
  const seen = visible(camera, view);
  const map = () =>
    context.setTransform(
      ratio * camera.scale,
      0,
      0,
      ratio * camera.scale,
      ratio * camera.x,
      ratio * camera.y,
    );
  map();
  context.imageSmoothingEnabled = !crisp && camera.scale < 60;
  for (const item of scene.items) drawItem(context, item, camera, seen);
}

function drawItem(context: CanvasRenderingContext2D, item: Item, camera: Camera, seen: Box): void {
  if (!overlaps(item.box, seen)) return;
  const px = 1 / camera.scale;
  const [left, top, right, bottom] = item.box;
  switch (item.kind) {
    case "picture":
      if (item.image) {
        context.globalAlpha = item.alpha;
        if (item.placed) {
          context.save();
          context.transform(...item.placed.matrix);
          context.drawImage(item.image, 0, 0, item.placed.width, item.placed.height);
          context.restore();
        } else context.drawImage(item.image, left, top, right - left, bottom - top);
        context.globalAlpha = 1;
      }
      break;
    case "card":
      context.fillStyle = item.fill;
      context.fillRect(left, top, right - left, bottom - top);
      if (item.edge) {
        context.strokeStyle = item.edge;
        context.lineWidth = px;
        context.strokeRect(left, top, right - left, bottom - top);
      }
      break;
    case "path":
      context.globalAlpha = item.alpha ?? 1;
      if (item.fill) {
        context.fillStyle = item.fill;
        context.fill(item.path, "evenodd");
      }
      if (item.stroke) strokePath(context, item.path, item.stroke, px);
      context.globalAlpha = 1;
      break;
    case "hatch":
      hatch(context, item.path, item.box, item.colour, px);
      break;
    case "nodes":
      drawNodes(context, item, px, seen);
      break;
    case "label":
      context.fillStyle = "#1E2A2E";
      context.font = `600 ${15 * px}px "Barlow Condensed", sans-serif`;
      context.fillText(item.text, left, bottom - 5 * px, right - left);
      break;
    case "copies":
      drawCopies(context, item, camera, seen);
      break;
  }
}

const HATCH_STEP = 7;

/** Slanting lines of equal distance on screen, within a path. */
function hatch(
  context: CanvasRenderingContext2D,
  path: Path2D,
  [left, top, right, bottom]: Box,
  colour: string,
  px: number,
): void {
  context.save();
  context.clip(path, "evenodd");
  context.strokeStyle = colour;
  context.lineWidth = 1.2 * px;
  context.beginPath();
  const step = Math.max(HATCH_STEP * px, (right - left + bottom - top) / 2000);
  const tall = bottom - top;
  for (let x = left - tall; x < right; x += step) {
    context.moveTo(x, bottom);
    context.lineTo(x + tall, top);
  }
  context.stroke();
  context.restore();
}

function strokePath(context: CanvasRenderingContext2D, path: Path2D, stroke: Stroke, px: number): void {
  context.lineJoin = "round";
  context.lineCap = "round";
  if (stroke.halo) {
    context.setLineDash([]);
    context.strokeStyle = stroke.halo;
    context.lineWidth = (stroke.width + 2.5) * px;
    context.stroke(path);
  }
  context.setLineDash((stroke.dash ?? []).map((length) => length * px));
  context.strokeStyle = stroke.colour;
  context.lineWidth = Math.max(stroke.width * px, stroke.mm ?? 0);
  context.stroke(path);
  context.setLineDash([]);
}

function drawNodes(
  context: CanvasRenderingContext2D,
  item: Extract<Item, { kind: "nodes" }>,
  px: number,
  seen: Box,
): void {
  const inView = item.nodes.filter(
    ({ x, y }) => x >= seen[0] && x <= seen[2] && y >= seen[1] && y <= seen[3],
  );
  const nodes = spread(inView, px / 4); // where a path closes are two
  const apart = spread(nodes, CROWDED * px);
  context.fillStyle = "#fff";
  context.strokeStyle = item.colour;
  context.lineWidth = px;
  if (nodes.length > MANY_NODES && apart.length < nodes.length * FEW_OF_THEM) {
    // so many that boxes would be one mass: a dot for those that can be told apart, until it is looked at nearer
    context.fillStyle = item.colour;
    for (const { x, y } of apart) context.fillRect(x - px, y - px, 2 * px, 2 * px);
    return;
  }
  const shown = new Set(inView);
  context.globalAlpha = 0.55;
  context.beginPath();
  for (const [node, end] of item.handles) {
    if (!shown.has(node) && !overlaps([end.x, end.y, end.x, end.y], seen)) continue;
    context.moveTo(node.x, node.y);
    context.lineTo(end.x, end.y);
  }
  context.stroke();
  context.globalAlpha = 1;
  const half = 3 * px;
  for (const node of nodes) {
    context.fillRect(node.x - half, node.y - half, 2 * half, 2 * half);
    context.strokeRect(node.x - half, node.y - half, 2 * half, 2 * half);
  }
}

const CROWDED = 9; // CSS pixels between nodes whose boxes would touch
const FEW_OF_THEM = 0.7;
const MANY_NODES = 60;

/** Places of which no two share a cell of a grid. */
export function spread(places: readonly Place[], cell: number): Place[] {
  const taken = new Set<string>();
  return places.filter(({ x, y }) => {
    const key = `${Math.floor(x / cell)} ${Math.floor(y / cell)}`;
    if (taken.has(key)) return false;
    taken.add(key);
    return true;
  });
}

const MANY_COPIES = 40;
const LARGEST_STAMP = 1200;

/** Few copies are drawn one by one; many are stamped from one bitmap, which keeps a full sheet fluid. */
function drawCopies(
  context: CanvasRenderingContext2D,
  item: Extract<Item, { kind: "copies" }>,
  camera: Camera,
  seen: Box,
): void {
  const own = itemsBox(item.items);
  const before = context.getTransform();
  const stamp = item.places.length > MANY_COPIES ? makeStamp(item.items, own, camera, before.a) : null;
  for (const place of item.places) {
    if (!overlaps(mappedBox(place, own), seen)) continue;
    context.setTransform(before);
    context.transform(...place);
    if (stamp) context.drawImage(stamp, own[0], own[1], own[2] - own[0], own[3] - own[1]);
    else for (const inner of item.items) drawItem(context, inner, camera, inner.box);
  }
  context.setTransform(before);
}

function makeStamp(
  items: readonly Item[],
  box: Box,
  camera: Camera,
  device: number,
): HTMLCanvasElement | null {
  const width = Math.ceil((box[2] - box[0]) * device);
  const height = Math.ceil((box[3] - box[1]) * device);
  if (width < 1 || height < 1 || width > LARGEST_STAMP || height > LARGEST_STAMP) return null;
  const canvas = document.createElement("canvas");
  canvas.width = width;
  canvas.height = height;
  const context = canvas.getContext("2d");
  if (!context) return null;
  context.setTransform(width / (box[2] - box[0]), 0, 0, height / (box[3] - box[1]), 0, 0);
  context.translate(-box[0], -box[1]);
  for (const inner of items) drawItem(context, inner, camera, inner.box);
  return canvas;
}

/** The upright box round a box that is mapped. */
export function mappedBox([a, b, c, d, e, f]: Matrix, [left, top, right, bottom]: Box): Box {
  const [x0, x1, x2, x3] = [a * left, a * right, c * top, c * bottom];
  const [y0, y1, y2, y3] = [b * left, b * right, d * top, d * bottom];
  return [
    Math.min(x0, x1) + Math.min(x2, x3) + e,
    Math.min(y0, y1) + Math.min(y2, y3) + f,
    Math.max(x0, x1) + Math.max(x2, x3) + e,
    Math.max(y0, y1) + Math.max(y2, y3) + f,
  ];
}

export function itemsBox(items: readonly Item[]): Box {
  return items.reduce<Box>(
    (a, { box: b }) => [
      Math.min(a[0], b[0]),
      Math.min(a[1], b[1]),
      Math.max(a[2], b[2]),
      Math.max(a[3], b[3]),
    ],
    [Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY, Number.NEGATIVE_INFINITY],
  );
}
