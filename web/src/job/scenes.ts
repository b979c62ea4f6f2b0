import type { Deviation, Work } from "../api/client";
import type { Box } from "../engine/camera";
import { joined } from "../engine/camera";
import { type Item, itemsBox, type Matrix, type Scene, type Stroke } from "../engine/scene";
import { isSent, processStroke } from "../theme/processes";
import { thingOf } from "../theme/things";
import { GUIDE, type Images, layerItems, lineStrokes, painted, plateItems, printItems } from "./lineScenes";
import { parsed } from "./parsed";
import type { StationKey, ViewKey } from "./stations";
import { type Piece, sheetOf, type Ticket } from "./ticket";

/** Guides are seen on things of any colour. */
const WALL_GUIDE = { colour: "#1E2A2E", width: 1.2, dash: [3, 4], halo: "rgba(255,255,255,.75)" };
export const MAT = "#C5D0C8";
const INK = "#1E2A2E";
const OUTLINE = { colour: "#0E6A70", width: 1.6, halo: "rgba(255,255,255,0.8)" };
/** Room for a sheet's name above it, mm. */
const LABEL = 14;
/** Between sheets that lie beside each other, mm. */
const BESIDE = 40;
const EMPTY: Box = [0, 0, 100, 100];

/** From on the spot to beyond a pixel: told apart by lightness as well as by hue. */
export const DEVIATION_COLOURS = ["#7FB8A4", "#4E9A7B", "#C9A227", "#C4601D", "#7A1230"];

export interface Looks {
  /** How strongly the artwork shows beneath its outlines, 0 to 1. */
  readonly fade: number;
  /** Ids of what is looked at: artworks up to Trace, a piece and its layer at Lines (empty: all layers). */
  readonly artworks: readonly string[];
  readonly piece: string;
  readonly layer: string;
  readonly deviation?: Deviation | undefined;
}

/** What lies on the table at a station, seen in one of the views. */
export function sceneOf(
  station: StationKey,
  view: ViewKey,
  ticket: Ticket,
  work: Work,
  images: Images,
  looks: Looks,
): Scene {
  if (station === "sheet" || station === "machine") return sheetScene(station, view, ticket, work, images);
  const items: Item[] = [];
  for (const id of looks.artworks) {
    const artwork = work.artworks[id];
    if (!artwork) continue;
    const box: Box = [0, 0, artwork.width, artwork.height ?? artwork.width];
    if (station === "artwork") items.push(picture(images(artwork.original), box, 1));
    if (station === "clean") items.push(...cleanItems(view, artwork, box, images, looks));
    if (station === "trace") items.push(...traceItems(view, artwork, box, images, looks));
  }
  if (station === "lines") items.push(...pieceItems(view, ticket, work, images, looks));
  const boxes = items.map((item) => item.box);
  return { items, bounds: boxes.length ? joined(boxes) : EMPTY, ground: MAT };
}

type ArtworkView = Work["artworks"][string];

function picture(image: CanvasImageSource | null, box: Box, alpha: number): Item {
  return { kind: "picture", image, box, alpha };
}

function cleanItems(view: ViewKey, artwork: ArtworkView, box: Box, images: Images, looks: Looks): Item[] {
  const cleaned = picture(images(artwork.cleaned), box, 1);
  return view === "over" ? [picture(images(artwork.original), box, looks.fade), cleaned] : [cleaned];
}

const PAPER = "#ffffff";

function traceItems(view: ViewKey, artwork: ArtworkView, box: Box, images: Images, looks: Looks): Item[] {
  const items: Item[] = [{ kind: "card", box, fill: PAPER, edge: "#b9c2bb" }];
  if (view === "over") items.push(picture(images(artwork.original), box, looks.fade));
  if (view === "deviation") return [...items, ...deviationItems(artwork, box, images, looks.deviation)];
  for (const shape of artwork.shapes) {
    const { path, facts } = parsed(shape.d);
    if (shape.dropped) items.push({ kind: "path", path, box: facts.box, stroke: GUIDE });
    else if (view === "made" && shape.stroke !== null) items.push(asStroke(shape, path, facts.box));
    else if (view === "made") items.push(painted(path, facts.box, shape.colour, PAPER));
    else items.push({ kind: "path", path, box: facts.box, stroke: OUTLINE });
    if (view === "outlines" && !shape.dropped)
      items.push({
        kind: "nodes",
        nodes: facts.nodes,
        handles: facts.handles,
        colour: OUTLINE.colour,
        box: facts.box,
      });
  }
  return items;
}

type ShapeView = ArtworkView["shapes"][number];

/** A stroke with its own width in mm, at least a hair on screen. */
function asStroke(shape: ShapeView, path: Path2D, box: Box): Item {
  return {
    kind: "path",
    path,
    box: grown(box, (shape.stroke ?? 0) / 2),
    stroke: { colour: shape.colour, width: 1, mm: shape.stroke ?? 0 },
  };
}

function grown([left, top, right, bottom]: Box, by: number): Box {
  return [left - by, top - by, right + by, bottom + by];
}

/** Outlines coloured by how far they lie from the pixels, over the faint artwork, the worst place ringed. */
function deviationItems(
  artwork: ArtworkView,
  box: Box,
  images: Images,
  deviation: Deviation | undefined,
): Item[] {
  const items: Item[] = [picture(images(artwork.original), box, 0.25)];
  for (const { level, d } of deviation?.runs ?? []) {
    const stroke = { colour: DEVIATION_COLOURS[level] as string, width: 1.6 + level };
    items.push({ kind: "path", path: parsed(d).path, box: parsed(d).facts.box, stroke });
  }
  if (deviation && deviation.worst[2] > 0) {
    const [x, y] = deviation.worst;
    const reach = 0.02 * Math.max(box[2], box[3]);
    const ring = `M${x - reach} ${y}A${reach} ${reach} 0 1 1 ${x + reach} ${y}A${reach} ${reach} 0 1 1 ${x - reach} ${y}Z`;
    items.push({
      kind: "path",
      path: parsed(ring).path,
      box: [x - reach, y - reach, x + reach, y + reach],
      stroke: { colour: "#1E2A2E", width: 2, halo: "rgba(255,255,255,.9)" },
    });
  }
  return items;
}

function pieceItems(view: ViewKey, ticket: Ticket, work: Work, images: Images, looks: Looks): Item[] {
  const piece = ticket.pieces.find((one) => one.id === looks.piece);
  if (view === "thing" && piece) return thingItems(piece, ticket, work, images);
  return (piece?.layers ?? [])
    .filter((layer) => !looks.layer || layer.id === looks.layer)
    .flatMap((layer) => {
      const of = work.layers[layer.id];
      const stock = sheetOf(ticket.sheets, layer.id)?.stock.colour ?? "#ffffff";
      return of ? layerItems(view, layer, of, stock, images, looks.fade) : [];
    });
}

/** The finished piece on what it goes on, without production lines. */
function thingItems(piece: Piece, ticket: Ticket, work: Work, images: Images): Item[] {
  const { goods } = piece;
  const thing = "down" in goods ? thingOf(goods.kind) : undefined;
  const made = piece.layers.flatMap((layer) => {
    const of = work.layers[layer.id];
    if (!of) return [];
    const stock = sheetOf(ticket.sheets, layer.id)?.stock.colour ?? "#ffffff";
    const body = of.looks?.work || of.edge || of.shown;
    const base: Item[] = body ? [{ kind: "path", ...boxed(body), fill: stock }] : [];
    return [...base, ...printItems(of, images, 1)];
  });
  if (!thing || !("down" in goods)) return made;
  const frames = piece.layers.flatMap((layer) =>
    work.layers[layer.id] ? [work.layers[layer.id]?.box as Box] : [],
  );
  if (!frames.length) return made;
  const box = joined(frames);
  const y = thing.from_top ? box[1] : (box[1] + box[3]) / 2;
  const shift: Matrix = [
    1,
    0,
    0,
    1,
    (box[0] + box[2]) / 2 - thing.x,
    y - thing.y - (goods.down ?? thing.down),
  ];
  const outline = boxed(thing.outline);
  const [left, top, right, bottom] = outline.box;
  const place: Box = [left + shift[4], top + shift[5], right + shift[4], bottom + shift[5]];
  const body: Item[] = [
    {
      kind: "path",
      ...outline,
      fill: goods.colour,
      stroke: { colour: INK, width: 1.2 },
    },
    { kind: "path", ...boxed(thing.details), stroke: { colour: "rgba(30,42,46,.55)", width: 1 } },
  ];
  return [{ kind: "copies", items: body, places: [shift], box: place }, ...made];
}

function boxed(d: string): { path: Path2D; box: Box } {
  const { path, facts } = parsed(d);
  return { path, box: facts.box };
}

/** How far to the right a sheet lies on the table, mm. */
export function shiftOf(ticket: Ticket, work: Work, sheet: string): number {
  const before = ticket.sheets.slice(
    0,
    ticket.sheets.findIndex((one) => one.id === sheet),
  );
  return before.reduce((sum, { id }) => sum + (work.sheets[id] ? work.sheets[id].width + BESIDE : 0), 0);
}

/** A layer's copies by how their hatches lie: strokes by the id of their line, where they are not the piece's own. */
function byGrain(
  laid: Work["sheets"][string],
  layer: string,
): { hatches: ReadonlyMap<string, string>; copies: Set<number> }[] {
  const own = laid.grain
    .filter((one) => one.layer === layer)
    .map((one) => ({ ...one, copies: new Set(one.copies) }));
  const count = laid.placements.find((one) => one.layer === layer)?.matrices.length ?? 0;
  const groups = new Map<string, { hatches: Map<string, string>; copies: Set<number> }>();
  for (let copy = 0; copy < count; copy++) {
    const turned = own.filter((one) => one.copies.has(copy));
    const key = turned.map((one) => own.indexOf(one)).join();
    const group = groups.get(key) ?? {
      hatches: new Map(turned.map((one) => [one.line, one.d])),
      copies: new Set<number>(),
    };
    group.copies.add(copy);
    groups.set(key, group);
  }
  return [...groups.values()];
}

type LayerView = Work["layers"][string];

function withHatches(of: LayerView, hatches: ReadonlyMap<string, string>): LayerView {
  if (!hatches.size) return of;
  return { ...of, lines: of.lines.map((line) => ({ ...line, d: hatches.get(line.id) ?? line.d })) };
}

function sheetScene(station: StationKey, view: ViewKey, ticket: Ticket, work: Work, images: Images): Scene {
  const items: Item[] = [];
  let shift = 0;
  for (const sheet of ticket.sheets) {
    const laid = work.sheets[sheet.id];
    if (!laid) continue;
    const box: Box = [shift, 0, shift + laid.width, laid.height];
    items.push({ kind: "card", box, fill: laid.colour, edge: "#8d978f" });
    const onSheet = (d: string, look: { fill: string } | { stroke: Stroke }): Item => {
      const { path, facts } = parsed(d);
      const drawn: Item = { kind: "path", path, box: facts.box, ...look };
      return { kind: "copies", items: [drawn], places: [[1, 0, 0, 1, shift, 0]], box };
    };
    if (laid.mark_paths) items.push(onSheet(laid.mark_paths, { fill: INK }));
    for (const { layer, matrices } of laid.placements) {
      const of = work.laid[layer] ?? work.layers[layer];
      const strength = view === "over" ? 0.4 : view === "plate" ? 0.25 : 1;
      const inked = of && view !== "outlines" ? printItems(of, images, strength) : [];
      const print = of && view === "plate" ? [...inked, ...plateItems(of)] : inked;
      const places = matrices.map(([a, b, c, d, e, f]): Matrix => [a, b, c, d, e + shift, f]);
      for (const { hatches, copies } of byGrain(laid, layer)) {
        const seen: LayerView | undefined = of && withHatches(of, hatches);
        const lines = seen && view !== "moves" ? lineStrokes(seen, station === "machine" ? 0.9 : 0.6) : [];
        const copy = of ? [...print, ...lines] : [];
        const own = places.filter((_, k) => copies.has(k));
        if (copy.length && own.length) items.push({ kind: "copies", items: copy, places: own, box });
      }
    }
    for (const own of view === "moves" ? [] : laid.own)
      items.push(onSheet(own.d, { stroke: isSent(own.process) ? processStroke(own.process) : WALL_GUIDE }));
    if (laid.caption && station === "sheet") items.push(onSheet(laid.caption, { fill: INK }));
    for (const [x, text] of laid.angles)
      items.push({ kind: "label", text, box: [shift + x - 6, -LABEL / 2, shift + x + 12, 0] });
    if (laid.lies)
      items.push({ kind: "label", text: laid.lies, box: [shift, laid.height, box[2], laid.height + LABEL] });
    if (laid.name) items.push({ kind: "label", text: laid.name, box: [shift, -LABEL, box[2], 0] });
    shift += laid.width + BESIDE;
  }
  return { items, bounds: items.length ? itemsBox(items) : EMPTY, ground: MAT };
}
