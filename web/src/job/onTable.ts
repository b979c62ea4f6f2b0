import type { Change, Click, Work } from "../api/client";
import type { Place } from "../engine/camera";
import { colourChange, type LayerView, onPiece } from "./pieceChanges";
import { type StationKey, type View, type ViewKey, viewsAt } from "./stations";
import { choosesRegions, holeLine, pieceTargets, type RegionTarget, targetOf } from "./targets";
import {
  burns,
  carves,
  coloursOf,
  heldLayer,
  type Layer,
  type Line,
  type Piece,
  type Ticket,
} from "./ticket";

export type ArtworkView = Work["artworks"][string];

/** What the table is about: a station, its work, and what of the ticket is in hand. */
export interface OnTable {
  readonly station: StationKey;
  readonly ticket: Ticket;
  readonly work: Work;
  /** Path of the ticket's item in hand. */
  readonly held: string;
  readonly artwork: string;
  readonly pixels: ArtworkView | undefined;
  readonly piece: Piece | undefined;
  readonly layer: Layer | undefined;
  /** The layer's work, at Lines only. */
  readonly drawn: LayerView | undefined;
  readonly line: Line | undefined;
}

export function onTable(
  station: StationKey,
  ticket: Ticket,
  work: Work,
  piece: Piece | undefined,
  artwork: string,
  held: string,
): OnTable {
  const layer = piece?.layers.find((one) => heldLayer(held) === one.id) ?? piece?.layers[0];
  const drawn = station === "lines" ? work.layers[layer?.id ?? ""] : undefined;
  const line = layer?.lines.find((one) => held.endsWith(`/lines/${one.id}`));
  return {
    station,
    ticket,
    work,
    held,
    artwork,
    pixels: work.artworks[artwork],
    piece,
    layer,
    drawn,
    line,
  };
}

/** The ways it can be looked at. */
export function viewsOn({ station, ticket, work, piece, pixels, drawn }: OnTable): readonly View[] {
  return viewsAt(station, {
    measurable: pixels !== undefined && (pixels.level !== null || pixels.palette.length > 0),
    thing: piece !== undefined && "down" in piece.goods,
    round: piece !== undefined && work.goods[piece.id] !== undefined,
    plate: Object.values(work.layers).some((one) => one.plate),
    moves: ticket.sheets.some((one) => burns(one.machine)),
    carved: ticket.sheets.some((one) => carves(one.machine)),
    filled: drawn?.lines.some((one) => one.filled) ?? false,
  });
}

/** What can be pointed at in a view. */
export function targetsOn(on: OnTable, view: ViewKey): RegionTarget[] {
  const { station, held, layer, line } = on;
  if (station === "lines") {
    // what a click on a colour chooses it for: the line in hand, or the layer
    const choosing =
      line?.source.kind === "chosen colours" ||
      (!line && layer?.shows === "chosen colours" && held.endsWith(`/layers/${layer.id}`));
    const looked = view === "made" || view === "outlines";
    return looked ? pieceTargets(on.drawn, choosing, layer && holeLine(layer, line)) : [];
  }
  if (station !== "trace") return [];
  return (on.pixels?.shapes ?? []).map((shape) => ({
    ...targetOf(shape.d, `${on.artwork}:${shape.x.toFixed(4)}:${shape.y.toFixed(4)}`),
    place: { x: shape.place[0], y: shape.place[1] },
    artwork: on.artwork,
    shape,
  }));
}

/** What a click at Lines changes: a colour here and now; which hole or region it means is told by the service. */
export function pieceClick(on: OnTable, found: RegionTarget, place: Place): Change | Click | null {
  const { layer, drawn, line, held } = on;
  if (!layer || !drawn) return null;
  if (found.colour)
    return line
      ? colourChange(`${held}/source`, coloursOf(line), found.colour)
      : colourChange(held, layer.colours, found.colour);
  const at = onPiece(drawn.frame, place);
  if (found.hole) return { what: "hole", line: holeLine(layer, line)?.id ?? "", ...at };
  return choosesRegions(layer, line, held) ? { what: "region", line: line?.id ?? "", ...at } : null;
}
