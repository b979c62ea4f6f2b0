import type { Change, Work } from "../api/client";
import type { Place } from "../engine/camera";
import { type Layer, type Line, newId, type Piece } from "./ticket";

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

/** The item at a path one place up or down in its list; null at the end of it. */
export function moved<T extends { id: string }>(
  path: string,
  items: readonly T[],
  item: T,
  way: -1 | 1,
): Change | null {
  const at = items.indexOf(item);
  if (at + way < 0 || at + way >= items.length) return null;
  const before = items[way < 0 ? at - 1 : at + 2];
  return { path, operation: "move", ...(before ? { before: before.id } : {}) };
}

/** One more element of a piece. */
export function addedElement(piece: Piece, element: object): Change {
  return { path: `pieces/${piece.id}/elements`, value: { ...element, id: newId("e") }, operation: "add" };
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

/** A place in mm as fractions of the piece's frame. */
export function onPiece([left, top, right, bottom]: LayerView["frame"], place: Place): Place {
  const round = (value: number) => Math.round(Math.min(2, Math.max(-1, value)) * 1e6) / 1e6;
  return {
    x: round((place.x - left) / Math.max(right - left, 1e-9)),
    y: round((place.y - top) / Math.max(bottom - top, 1e-9)),
  };
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
    const cuts = layer.lines.filter((one) => "tie_marks" in one.process);
    const line = cuts.find((one) => one === held) ?? cuts[0];
    if (!line) return null;
    const value = [...tieMarks(line, view), { id: newId("t"), ...at }];
    return [{ path: `${linePath(piece, layer, line)}/process/tie_marks`, value, operation: "set" }];
  }
  if (tool === "bridge") {
    const value = [...bridgeMarks(piece, view), { id: newId("b"), ...at, x2: to.x, y2: to.y }];
    return [
      { path: `pieces/${piece.id}/stencil/kind`, value: "a stencil", operation: "set" },
      { path: `pieces/${piece.id}/stencil/bridges`, value, operation: "set" },
    ];
  }
  return null;
}

/** A line's ties as marks by hand: those there are, or those that its rule gives now. */
export function tieMarks(line: Line, view: LayerView): { id: string; x: number; y: number }[] {
  if ("tie_marks" in line.process && line.process.tie_marks.length) return [...line.process.tie_marks];
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
