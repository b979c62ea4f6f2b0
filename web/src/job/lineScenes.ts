import type { Work } from "../api/client";
import type { Box } from "../engine/camera";
import { type Item, mappedBox, type Stroke } from "../engine/scene";
import { fillsShapes, processColour, processStroke } from "../theme/processes";
import { parsed } from "./parsed";
import type { ViewKey } from "./stations";
import type { Layer } from "./ticket";

export type Images = (url: string) => CanvasImageSource | null;

type LayerView = Work["layers"][string];

const LOST = "#C4401D";
const WASTE = "#6B7671";
const PLATE = "rgba(41,92,170,.42)";
const PLATE_EDGE = "#1D4480";
/** CSS pixels that a stroke of an engraved area is wide at least: its tone shows from afar as well. */
const HAIR = 0.3;
const MISSED = "#D4351C";
const ONCE = "#C39A6F";
const BURNT = "#4A2812";
const PALE = "rgba(30,42,46,.14)";

/** A layer of a piece on the table, seen in one of the views. ``stock`` is its colour. */
export function layerItems(
  view: ViewKey,
  layer: Layer,
  of: LayerView,
  stock: string,
  images: Images,
  fade: number,
): Item[] {
  if (of.looks && view === "falls") return [...fallItems(of, stock), ...lineStrokes(of, 0.9)];
  if (of.looks && view === "weak") return weakItems(of, stock);
  if (of.looks && view === "weeding") return weedingItems(of, stock);
  if (view === "burnt") return burntItems(of, stock);
  const items: Item[] = [];
  if (view === "plate") {
    if (of.edge) items.push(filled(of.edge, stock));
    items.push(...printItems(of, images, 0.25), ...plateItems(of));
    return [...items, ...lineStrokes(of, 0.6)];
  }
  if ((view === "made" || view === "worst") && of.edge) items.push(filled(of.edge, stock));
  if (view === "over") items.push(...printItems(of, images, fade));
  else if (view !== "outlines") items.push(...printItems(of, images, 1), ...hardlySeen(of, stock));
  const engraved = view === "made" && of.lines.some((line) => fillsShapes(line.process));
  if (view === "outlines" || (layer.prints.kind === "nothing" && !engraved)) items.push(...shapeItems(of));
  if (view === "worst" && of.looks?.slivers) {
    const { path, facts } = parsed(of.looks.slivers);
    items.push({
      kind: "path",
      path,
      box: facts.box,
      fill: "#fff",
      stroke: { colour: LOST, width: 1.4 },
    });
  }
  items.push(...lineStrokes(of, 1, view === "made"));
  for (const taker of of.takers)
    if (taker.d && (!taker.meets || view === "outlines")) {
      const { path, facts } = parsed(taker.d);
      items.push({ kind: "path", path, box: facts.box, stroke: GUIDE });
    }
  if (view === "outlines")
    for (const line of of.lines) {
      const { facts } = parsed(line.d);
      const { nodes, handles, box } = facts;
      items.push({ kind: "nodes", nodes, handles, colour: processColour(line.process), box });
    }
  return items;
}

/** What is there, and is not made: an element that is cut out, a shape left out. */
export const GUIDE = { colour: "#6b746f", width: 1.2, dash: [1, 4] };

/** Engraved areas as the beam covers them: what shows of the ground was missed, where strokes overlap it burns twice. */
function burntItems(of: LayerView, stock: string): Item[] {
  const items: Item[] = of.edge ? [filled(of.edge, stock)] : [];
  for (const line of of.lines) {
    if (!line.filled) {
      const { path, facts } = parsed(line.d);
      items.push({
        kind: "path",
        path,
        box: facts.box,
        stroke: { ...processStroke(line.process), width: 0.8 },
      });
      continue;
    }
    items.push(filled(line.area, line.picture ? stock : MISSED));
    const parts = line.slices.length ? line.slices.map(({ d }) => d) : [line.d];
    for (const d of parts) {
      const { path, facts } = parsed(d);
      items.push({ kind: "path", path, box: facts.box, stroke: { colour: ONCE, width: 0, mm: line.wide } });
    }
    for (const d of parts) {
      const strokes = d.split("M").slice(1);
      for (const odd of [0, 1]) {
        const every = strokes.filter((_, k) => k % 2 === odd).map((one) => `M${one}`);
        if (!every.length) continue;
        const { path, facts } = parsed(every.join(""));
        const stroke = { colour: BURNT, width: 0, mm: line.wide };
        items.push({ kind: "path", path, box: facts.box, stroke, alpha: 0.4 });
      }
    }
  }
  return items;
}

/** What a layer prints, lowest first. */
export function printItems(of: LayerView, images: Images, alpha: number): Item[] {
  return of.prints.map((one): Item => {
    if (one.kind === "shape") {
      const { path, facts } = parsed(one.d);
      return { kind: "path", path, box: facts.box, fill: one.colour, alpha };
    }
    const { matrix, width, height } = one;
    return {
      kind: "picture",
      image: images(one.url),
      box: mappedBox(matrix, [0, 0, width, height]),
      alpha,
      placed: { matrix, width, height },
    };
  });
}

/** The edges of printed shapes that are hardly told from what they lie on: white on white. */
function hardlySeen(of: LayerView, ground: string): Item[] {
  return of.prints
    .filter((one) => one.kind === "shape" && alike(one.colour, ground))
    .map((one) => {
      const { path, facts } = parsed(one.d);
      return { kind: "path", path, box: facts.box, stroke: FAINT };
    });
}

const FAINT = { colour: "#8a938d", width: 0.9 };
const HARDLY = 26;

/** Whether two colours (#rrggbb) can hardly be told apart. */
export function alike(one: string, other: string): boolean {
  const channel = (colour: string, at: number) => Number.parseInt(colour.slice(at, at + 2), 16);
  return [1, 3, 5].every((at) => Math.abs(channel(one, at) - channel(other, at)) <= HARDLY);
}

/** A shape painted in its colour, with an edge where that is nearly its ground's. */
export function painted(path: Path2D, box: Box, colour: string, ground: string): Item {
  return { kind: "path", path, box, fill: colour, ...(alike(colour, ground) ? { stroke: FAINT } : {}) };
}

/** Where white or varnish is laid. */
export function plateItems(of: LayerView): Item[] {
  if (!of.plate) return [];
  const { path, facts } = parsed(of.plate);
  return [{ kind: "path", path, box: facts.box, fill: PLATE, stroke: { colour: PLATE_EDGE, width: 1 } }];
}

function shapeItems(of: LayerView): Item[] {
  if (of.shown) return [filled(of.shown, PALE)];
  return of.shapes.map((shape): Item => {
    const { path, facts } = parsed(shape.d);
    if (shape.stroke === null) return { kind: "path", path, box: facts.box, fill: PALE };
    const half = shape.stroke / 2;
    const [left, top, right, bottom] = facts.box;
    return {
      kind: "path",
      path,
      box: [left - half, top - half, right + half, bottom + half],
      stroke: { colour: shape.colour, width: 1, mm: shape.stroke },
    };
  });
}

/** ``engraves``: engraved areas are shown as the beam leaves them. */
export function lineStrokes(of: LayerView, strength: number, engraves = false): Item[] {
  const lines = of.lines.flatMap((line): Item[] => {
    const stroke = processStroke(line.process);
    const slim: Stroke = line.filled
      ? { colour: stroke.colour, width: HAIR, mm: line.wide, dash: [] }
      : { ...stroke, dash: [], width: stroke.width * strength };
    // many dashes come in slices, each with its own box, so that only those in view are drawn
    if (line.slices.length)
      return line.slices.map(({ d, box }) => ({ kind: "path", path: parsed(d).path, box, stroke: slim }));
    const fill = engraves && fillsShapes(line.process) && !line.filled ? { fill: "rgba(123,75,42,.6)" } : {};
    // dashes that are drawn one by one need no dash pattern on top
    const dash = line.dashes > 0 || line.filled ? [] : (stroke.dash ?? []);
    return [
      {
        kind: "path",
        path: parsed(line.d).path,
        box: parsed(line.d).facts.box,
        ...fill,
        stroke: { ...slim, dash },
      },
    ];
  });
  return of.marks ? [...lines, stroked(of.marks, of.marks_process)] : lines;
}

function filled(d: string, fill: string): Item {
  const { path, facts } = parsed(d);
  return { kind: "path", path, box: facts.box, fill };
}

function stroked(d: string, process: string): Item {
  const { path, facts } = parsed(d);
  return { kind: "path", path, box: facts.box, stroke: processStroke(process) };
}

/** What comes free: the piece in the stock's colour, waste hatched grey, parts that are lost hatched red. */
function fallItems(of: LayerView, stock: string): Item[] {
  const items: Item[] = [];
  for (const face of of.looks?.falls ?? []) {
    const { path, facts } = parsed(face.d);
    if (face.kind === "waste") {
      items.push({ kind: "path", path, box: facts.box, fill: "#E6E3D8" });
      items.push({ kind: "hatch", path, box: facts.box, colour: WASTE });
    } else if (face.kind !== "lost") {
      const stroke = { colour: "#1E2A2E", width: 1.2 };
      items.push({ kind: "path", path, box: facts.box, fill: stock, stroke });
    } else {
      const stroke = { colour: LOST, width: 2.4, dash: [6, 4], halo: "rgba(255,255,255,.9)" };
      items.push({ kind: "path", path, box: facts.box, fill: "#F7E4DD" });
      items.push({ kind: "hatch", path, box: facts.box, colour: LOST });
      items.push({ kind: "path", path, box: facts.box, stroke });
    }
  }
  return items;
}

/** The finished piece with its thin places drawn across. */
function weakItems(of: LayerView, stock: string): Item[] {
  const items: Item[] = [];
  if (of.looks?.work)
    items.push({
      ...(filled(of.looks.work, stock) as Extract<Item, { kind: "path" }>),
      stroke: { colour: WASTE, width: 1 },
    });
  for (const [x, y, x2, y2] of of.looks?.weak ?? []) {
    const { path, facts } = parsed(`M${x} ${y}L${x2} ${y2}`);
    items.push({
      kind: "path",
      path,
      box: facts.box,
      stroke: { colour: LOST, width: 4, halo: "rgba(255,255,255,.9)" },
    });
  }
  return items;
}

/** What stays is solid, what is weeded away hatched. */
function weedingItems(of: LayerView, stock: string): Item[] {
  const [left, top, right, bottom] = of.box;
  const around = `M${left - 4} ${top - 4}L${right + 4} ${top - 4}L${right + 4} ${bottom + 4}L${left - 4} ${bottom + 4}Z`;
  const solid = of.looks?.solid ?? "";
  const waste = parsed(around + solid);
  const items: Item[] = [
    { kind: "path", path: parsed(around).path, box: waste.facts.box, fill: "#F4F2EA" },
    { kind: "hatch", path: waste.path, box: waste.facts.box, colour: WASTE },
  ];
  if (solid)
    items.push({
      ...(filled(solid, stock) as Extract<Item, { kind: "path" }>),
      stroke: { colour: "#1E2A2E", width: 1.2 },
    });
  return [...items, ...lineStrokes(of, 0.8)];
}
