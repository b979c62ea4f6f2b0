import type { Change, Work } from "../api/client";
import type { Place } from "../engine/camera";
import { sheetFor, withoutLayers } from "./sheetChanges";
import { type Anchor, type Layer, type Line, newId, type Piece, type Sheet, sheetOf } from "./ticket";

export type LayerView = Work["layers"][string];

const layerPath = (piece: Piece, layer: Layer) => `pieces/${piece.id}/layers/${layer.id}`;
const linePath = (piece: Piece, layer: Layer, line: Line) => `${layerPath(piece, layer)}/lines/${line.id}`;

/** One more line on a layer. */
export function addedLine(piece: Piece, layer: Layer, line: object): Change {
  return {
    path: `${layerPath(piece, layer)}/lines`,
    value: { ...line, id: newId("k") },
    operation: "add",
  };
}

/** The line again, after itself, with items of its own. */
export function copiedLine(piece: Piece, layer: Layer, line: Line): Change {
  const after = layer.lines[layer.lines.indexOf(line) + 1];
  const value = { ...withNewIds(line), id: newId("k") };
  return {
    path: `${layerPath(piece, layer)}/lines`,
    value,
    operation: "add",
    ...(after ? { before: after.id } : {}),
  };
}

/** The line one place up or down; null at the end of the list. */
export function movedLine(piece: Piece, layer: Layer, line: Line, way: -1 | 1): Change | null {
  const at = layer.lines.indexOf(line);
  if (at + way < 0 || at + way >= layer.lines.length) return null;
  const before = layer.lines[way < 0 ? at - 1 : at + 2];
  return {
    path: linePath(piece, layer, line),
    operation: "move",
    ...(before ? { before: before.id } : {}),
  };
}

/** One more element of a piece. */
export function addedElement(piece: Piece, element: object): Change {
  return { path: `pieces/${piece.id}/elements`, value: { ...element, id: newId("e") }, operation: "add" };
}

/** A layer for each colour, the first on the layer there is, every other with a sheet of its own. */
export function splitByColour(piece: Piece, colours: readonly string[], sheets: readonly Sheet[]): Change[] {
  const first = piece.layers[0];
  const sheet = sheetOf(sheets, first?.id);
  if (!first || !sheet || colours.length < 2) return [];
  const here = layerPath(piece, first);
  const changes: Change[] = [
    { path: `${here}/shows`, value: "chosen colours", operation: "set" },
    { path: `${here}/name`, value: colours[0] ?? "", operation: "set" },
    { path: `${here}/overlap`, value: 0.5, operation: "set" },
    {
      path: `${here}/colours`,
      value: { id: newId("c"), colour: colours[0], named: "" },
      operation: "add",
    },
  ];
  for (const colour of colours.slice(1)) {
    const id = newId("l");
    const layer = {
      ...withNewIds(first),
      id,
      name: colour,
      shows: "chosen colours",
      overlap: 0,
      colours: [{ id: newId("c"), colour, named: "" }],
    };
    changes.push({ path: `pieces/${piece.id}/layers`, value: layer, operation: "add" });
    changes.push(sheetFor(id, sheet));
  }
  changes.push({ path: `pieces/${piece.id}/alignment`, value: "three triangles", operation: "set" });
  return changes;
}

/** One more layer, with a sheet like that of the first. It starts with the uppermost colour that no other layer has
 * chosen; a piece of one colour is split by its regions, which are clicked. */
export function addedLayer(piece: Piece, sheets: readonly Sheet[], colours: readonly string[]): Change[] {
  const first = piece.layers[0];
  const sheet = sheetOf(sheets, first?.id);
  if (!first || !sheet) return [];
  const id = newId("l");
  const taken = piece.layers.flatMap((one) => one.colours.map((own) => own.colour));
  const isFree = (colour: string) => !taken.some((own) => alike(own, colour));
  const free = colours.length > 1 ? colours.filter(isFree).pop() : undefined;
  const layer = {
    ...withNewIds(first),
    id,
    name: `no. ${piece.layers.length + 1}`,
    shows: free ? "chosen colours" : "chosen regions",
    overlap: 0,
    colours: free ? [{ id: newId("c"), colour: free, named: "" }] : [],
    regions: [],
  };
  return [{ path: `pieces/${piece.id}/layers`, value: layer, operation: "add" }, sheetFor(id, sheet)];
}

const NEAR = 60;

/** Whether a layer of one colour holds shapes of the other: no channel of #rrggbb differs by more, as in the core. */
function alike(one: string, other: string): boolean {
  const channel = (colour: string, at: number) => Number.parseInt(colour.slice(at, at + 2), 16);
  return [1, 3, 5].every((at) => Math.abs(channel(one, at) - channel(other, at)) <= NEAR);
}

/** A click on a colour: chosen for a layer or line, or let go again. ``owner``: path of that. */
export function colourChange(
  owner: string,
  chosen: readonly { id: string; colour: string }[],
  colour: string,
): Change {
  const there = chosen.find((one) => one.colour === colour);
  if (there) return { path: `${owner}/colours/${there.id}`, operation: "remove" };
  return { path: `${owner}/colours`, value: { id: newId("c"), colour, named: "" }, operation: "add" };
}

/** A click on a region: chosen for a layer or line, or let go again. ``owner``: path of that. */
export function regionChange(
  owner: string,
  chosen: readonly Anchor[],
  at: Place,
  within: (one: Anchor) => boolean,
): Change {
  const there = chosen.find(within);
  if (there) return { path: `${owner}/regions/${there.id}`, operation: "remove" };
  return { path: `${owner}/regions`, value: { id: newId("r"), ...at }, operation: "add" };
}

/** The piece once more, to be made differently from the same artwork, with sheets of its own. */
export function copiedPiece(piece: Piece, sheets: readonly Sheet[]): { id: string; changes: Change[] } {
  const id = newId("p");
  const layers = piece.layers.map((layer) => ({ old: layer.id, copy: withNewIds(layer) }));
  const value = {
    ...withNewIds(piece),
    id,
    name: `${piece.name}, again`,
    layers: layers.map((one) => one.copy),
  };
  const changes: Change[] = [{ path: "pieces", value, operation: "add" }];
  // second sides lie behind the new sheets of what they lay behind before
  const made = new Map<string, string>();
  const laid = layers.map(({ old, copy }) => ({ sheet: sheetOf(sheets, old), layer: copy.id }));
  for (const { sheet, layer } of laid.sort((a, b) => Number(!!a.sheet?.behind) - Number(!!b.sheet?.behind))) {
    if (!sheet) continue;
    const change = sheetFor(layer, sheet, made.get(sheet.behind));
    made.set(sheet.id, (change.value as Sheet).id);
    changes.push(change);
  }
  return { id, changes };
}

/** A piece taken away with its sheets. */
export function removedPiece(piece: Piece, sheets: readonly Sheet[]): Change[] {
  const layers = new Set(piece.layers.map((layer) => layer.id));
  return [
    ...sheets.flatMap((sheet) => withoutLayers(sheet, layers)),
    { path: `pieces/${piece.id}`, operation: "remove" },
  ];
}

/** A deep copy in which every item of every list has an id of its own, and what names one of them still does. */
export function withNewIds<T extends object>(value: T): T {
  const ids = new Map<string, string>();
  const collect = (part: unknown): void => {
    if (Array.isArray(part))
      for (const item of part) {
        if (item && typeof item === "object" && "id" in item) ids.set(String(item.id), newId("i"));
        collect(item);
      }
    else if (part && typeof part === "object") for (const own of Object.values(part)) collect(own);
  };
  collect(value);
  const copied = (part: unknown, name = ""): unknown => {
    if (Array.isArray(part)) return part.map((item) => copied(item));
    if (part && typeof part === "object")
      return Object.fromEntries(Object.entries(part).map(([key, own]) => [key, copied(own, key)]));
    const names = name === "id" || name === "of" || name === "beside";
    return names && typeof part === "string" ? (ids.get(part) ?? part) : part;
  };
  const made = copied(value) as T & { id?: string };
  if ("id" in value && typeof value.id === "string" && !ids.has(value.id)) made.id = newId("i");
  return made;
}

/** A place in mm as fractions of the piece's frame. */
export function onPiece([left, top, right, bottom]: LayerView["frame"], place: Place): Place {
  const round = (value: number) => Math.round(Math.min(2, Math.max(-1, value)) * 1e6) / 1e6;
  return {
    x: round((place.x - left) / Math.max(right - left, 1e-9)),
    y: round((place.y - top) / Math.max(bottom - top, 1e-9)),
  };
}

/** A click in a hole: kept where the line's rule fills it, filled where it keeps it, and back again. ``within``: whether
 * an earlier click lies in it. */
export function holeChange(
  piece: Piece,
  layer: Layer,
  line: Line,
  hole: LayerView["holes"][number],
  within: (mark: Anchor) => boolean,
): Change {
  const here = `${linePath(piece, layer, line)}/offset/hole_marks`;
  const mark = line.offset.hole_marks.find(within);
  if (mark) return { path: `${here}/${mark.id}`, operation: "remove" };
  const kept = line.offset.holes === "kept" && hole.width >= line.offset.smallest_hole;
  const value = { id: newId("h"), x: hole.x, y: hole.y, holes: kept ? "filled" : "kept" };
  return { path: here, value, operation: "add" };
}

/** What is done on the table at Lines with a tool of the hand; null when it makes no change. */
export function pieceToolChanges(
  tool: string,
  piece: Piece,
  layer: Layer,
  view: LayerView,
  held: Line | undefined,
  points: readonly Place[],
): Change[] | null {
  const first = points[0];
  const last = points[points.length - 1];
  if (!first || !last) return null;
  const at = onPiece(view.frame, first);
  const to = onPiece(view.frame, last);
  if (tool === "hanger") {
    const kind: Change[] =
      piece.hanger.kind === "no hanger"
        ? [{ path: `pieces/${piece.id}/hanger/kind`, value: "a plain hole", operation: "set" }]
        : [];
    return [
      ...kind,
      { path: `pieces/${piece.id}/hanger/place`, value: [{ id: newId("g"), ...at }], operation: "set" },
    ];
  }
  if (tool === "tie") {
    const line = throughCut(layer, held);
    if (!line) return null;
    const value = [...tieMarks(line, view), { id: newId("t"), ...at }];
    return [{ path: `${linePath(piece, layer, line)}/process/tie_marks`, value, operation: "set" }];
  }
  if (tool === "kerf") {
    const line = throughCut(layer, held);
    return line ? [kerfChange(piece, layer, line, view.frame, first)] : null;
  }
  if (tool === "bridge") {
    const value = [...bridgeMarks(piece, view), { id: newId("b"), ...at, x2: to.x, y2: to.y }];
    return [
      { path: `pieces/${piece.id}/stencil/kind`, value: "a stencil", operation: "set" },
      { path: `pieces/${piece.id}/stencil/bridges`, value, operation: "set" },
    ];
  }
  if (tool === "fold") {
    const fold = { id: newId("f"), ...at, x2: to.x, y2: to.y };
    const line =
      held?.source.kind === "fold lines" ? held : layer.lines.find((one) => one.source.kind === "fold lines");
    if (line)
      return [{ path: `${linePath(piece, layer, line)}/source/folds`, value: fold, operation: "add" }];
    return [addedLine(piece, layer, { process: "score", source: { kind: "fold lines", folds: [fold] } })];
  }
  return null;
}

/** The line that ties and kerfs by hand are set on: the one in hand, else the first of its kind. */
function throughCut(layer: Layer, held: Line | undefined): Line | undefined {
  if (held?.process.kind === "through cut") return held;
  return layer.lines.find((one) => one.process.kind === "through cut");
}

const KERF_SIDES = ["outside", "inside", "on the line"];
/** How near a click must be to an earlier one to mean the same cut, mm. */
const SAME_CUT = 4;

/** The side of the kerf at a place: said, said otherwise, or left to its depth again. */
function kerfChange(piece: Piece, layer: Layer, line: Line, frame: LayerView["frame"], place: Place): Change {
  const way = `${linePath(piece, layer, line)}/process/kerf_marks`;
  const [left, top, right, bottom] = frame;
  const far = (one: Anchor) =>
    Math.hypot(left + one.x * (right - left) - place.x, top + one.y * (bottom - top) - place.y);
  const marks = line.process.kind === "through cut" ? line.process.kerf_marks : [];
  const before = marks.find((one) => far(one) < SAME_CUT);
  if (!before) {
    const mark = { id: newId("m"), ...onPiece(frame, place), side: KERF_SIDES[0] };
    return { path: way, value: mark, operation: "add" };
  }
  const next = KERF_SIDES[KERF_SIDES.indexOf(before.side) + 1];
  if (!next) return { path: `${way}/${before.id}`, operation: "remove" };
  return { path: `${way}/${before.id}/side`, value: next, operation: "set" };
}

/** A line's ties as marks by hand: those there are, or those that its rule gives now. */
export function tieMarks(line: Line, view: LayerView): { id: string; x: number; y: number }[] {
  if (line.process.kind === "through cut" && line.process.tie_marks.length)
    return [...line.process.tie_marks];
  const drawn = view.lines.find((one) => one.id === line.id);
  return (drawn?.ties ?? []).map(([x, y]) => ({ id: newId("t"), ...onPiece(view.frame, { x, y }) }));
}

/** Likewise the bridges of a stencil. */
export function bridgeMarks(piece: Piece, view: LayerView) {
  if (piece.stencil.bridges.length) return [...piece.stencil.bridges];
  return view.bridges.map(([x, y, x2, y2]) => {
    const [at, to] = [onPiece(view.frame, { x, y }), onPiece(view.frame, { x: x2, y: y2 })];
    return { id: newId("b"), ...at, x2: to.x, y2: to.y };
  });
}
