import type { Change, Work } from "../api/client";
import type { Box, Place } from "../engine/camera";
import type { Matrix } from "../engine/scene";
import { isTurned, type Placed, type Sheet, type Ticket } from "./ticket";

/** Between two sheets on the table, mm. */
export const APART = 40;
const ROUND = 1e4;

/** One copy on a sheet: its key, its number among its layer's, and its map to the table. */
export interface Copy {
  readonly key: string;
  readonly sheet: string;
  readonly layer: string;
  readonly number: number;
  readonly at: Matrix;
  readonly locked: boolean;
  /** It lies on the edge of its sheet, or beyond it. */
  readonly beyond: boolean;
}

/** Where each sheet begins on the table, mm from its left. */
export function shiftsOf(ticket: Ticket, work: Work): Map<string, number> {
  const shifts = new Map<string, number>();
  let shift = 0;
  for (const sheet of ticket.sheets) {
    const laid = work.sheets[sheet.id];
    if (!laid) continue;
    shifts.set(sheet.id, shift);
    shift += laid.width + APART;
  }
  return shifts;
}

/** Every copy of every sheet, as they lie on the table: where the ticket puts them, else where a rule laid them. */
export function copiesOf(ticket: Ticket, work: Work): Copy[] {
  const shifts = shiftsOf(ticket, work);
  return ticket.sheets.flatMap((sheet) => {
    const shift = shifts.get(sheet.id) ?? 0;
    const laid = work.sheets[sheet.id];
    if (!laid || sheet.behind || isTurned(ticket, sheet)) return [];
    const copy = (
      layer: string,
      number: number,
      [a, b, c, d, e, f]: Matrix,
      locked = false,
      beyond = false,
    ): Copy => ({
      key: `${sheet.id}:${layer}:${number}`,
      sheet: sheet.id,
      layer,
      number,
      at: [a, b, c, d, e + shift, f],
      locked,
      beyond,
    });
    if (sheet.arrangement === "as placed") {
      const counts = new Map<string, number>();
      return sheet.placed.map((one) => {
        const number = counts.get(one.layer) ?? 0;
        counts.set(one.layer, number + 1);
        return copy(
          one.layer,
          number,
          matrixOf(one, laid.mirrored ? laid.width : null),
          one.locked,
          laid.beyond.includes(one.id),
        );
      });
    }
    return laid.placements.flatMap(({ layer, matrices }) =>
      matrices.map((matrix, number) => copy(layer, number, matrix)),
    );
  });
}

/** The map of a place: flip, then turn, then shift. ``mirrored``: the width of a sheet that is shown mirrored. */
export function matrixOf({ x, y, turn, flip }: Placed, mirrored: number | null): Matrix {
  const angle = (turn * Math.PI) / 180;
  const side = flip === "mirrored" ? -1 : 1;
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  const [a, b, c, d]: [number, number, number, number] = [side * cos, side * sin, -sin, cos];
  return mirrored === null ? [a, b, c, d, x, y] : [-a, b, -c, d, mirrored - x, y];
}

/** The copies of a sheet as the ticket keeps them: where they were put, or where its rule lays them now. */
export function placedOf(sheet: Sheet, laid: Work["sheets"][string]): Placed[] {
  if (sheet.arrangement === "as placed") return [...sheet.placed];
  let count = 0;
  return laid.placements.flatMap(({ layer, matrices }) =>
    matrices.map((matrix): Placed => {
      count += 1;
      return {
        id: `n${count}`,
        layer,
        ...place(matrix, laid.mirrored ? laid.width : null),
        by: "hand",
        locked: false,
      };
    }),
  );
}

/** A map as place, turn and side; ``mirrored``: the width of a sheet that is shown mirrored. */
function place(
  [a, b, c, d, e, f]: Matrix,
  mirrored: number | null,
): Pick<Placed, "x" | "y" | "turn" | "flip"> {
  const [u, x] = mirrored === null ? [a, e] : [-a, mirrored - e];
  const w = mirrored === null ? c : -c;
  const flip = u * d - b * w > 0 ? "as it is" : "mirrored";
  return { x: rounded(x), y: rounded(f), turn: rounded(turnOf([u, b, w, d, x, f])), flip };
}

/** How a map turns what it brings, degrees, mirrored or not. */
export function turnOf([a, b, c, d]: Matrix): number {
  const side = a * d - b * c > 0 ? 1 : -1;
  return (Math.atan2(side * b, side * a) * 180) / Math.PI;
}

function rounded(value: number): number {
  return Math.round(value * ROUND) / ROUND + 0;
}

/** Copies that are told one by one when they change; of more the whole list is. */
const FEW = 50;

/** Changes that make one list of copies another; nothing where few words do not tell how. */
function fewChanges(path: string, before: readonly Placed[], after: readonly Placed[]): Change[] | null {
  const now = new Map(after.map((one) => [one.id, one]));
  const was = new Set(before.map((one) => one.id));
  const stay = before.filter((one) => now.has(one.id));
  const order = [
    ...stay.map((one) => one.id),
    ...after.filter((one) => !was.has(one.id)).map((one) => one.id),
  ];
  if (order.some((id, k) => after[k]?.id !== id)) return null; // some changed places
  const changes: Change[] = [
    ...before
      .filter((one) => !now.has(one.id))
      .map((one) => ({ path: `${path}/${one.id}`, operation: "remove" as const })),
    ...stay
      .filter((one) => !alike(one, now.get(one.id) as Placed))
      .map((one) => ({ path: `${path}/${one.id}`, value: now.get(one.id), operation: "set" as const })),
    ...after
      .filter((one) => !was.has(one.id))
      .map((one) => ({ path, value: one, operation: "add" as const })),
  ];
  return changes.length > FEW ? null : changes;
}

function alike(one: Placed, other: Placed): boolean {
  return (Object.keys(one) as (keyof Placed)[]).every((name) => one[name] === other[name]);
}

/** Changes that keep a sheet's copies as ``edit`` leaves them; a rule's sheet is laid by hand from then on. */
export function handled(
  sheet: Sheet,
  laid: Work["sheets"][string],
  edit: (placed: readonly Placed[]) => Placed[],
): Change[] {
  const here = `sheets/${sheet.id}`;
  const placed = edit(placedOf(sheet, laid));
  const all: Change = { path: `${here}/placed`, value: placed, operation: "set" };
  if (sheet.arrangement === "as placed") return fewChanges(all.path, sheet.placed, placed) ?? [all];
  return [
    all,
    { path: `${here}/arrangement`, value: "as placed", operation: "set" },
    { path: `${here}/runs`, value: laid.times, operation: "set" },
  ];
}

/** The keys of a sheet's copies in the order in which the ticket keeps them. */
export function keysOf(sheet: Sheet, placed: readonly Placed[]): string[] {
  const counts = new Map<string, number>();
  return placed.map(({ layer }) => {
    const number = counts.get(layer) ?? 0;
    counts.set(layer, number + 1);
    return `${sheet.id}:${layer}:${number}`;
  });
}

/** By how much chosen copies go: mm on the table, and degrees about their own middles. */
export interface Move {
  readonly dx: number;
  readonly dy: number;
  readonly turn: number;
}

/** A copy's place after a move. ``middle``: of its piece, in the piece's coordinates. */
export function movedPlace(one: Placed, by: Move, middle: Place, mirrored: boolean): Placed {
  const [dx, turn] = mirrored ? [-by.dx, -by.turn] : [by.dx, by.turn];
  const side = one.flip === "mirrored" ? -1 : 1;
  const at = (degrees: number): Place => {
    const angle = (degrees * Math.PI) / 180;
    const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
    return {
      x: one.x + cos * side * middle.x - sin * middle.y,
      y: one.y + sin * side * middle.x + cos * middle.y,
    };
  };
  const [was, is] = [at(one.turn), at(one.turn + turn)];
  return {
    ...one,
    x: rounded(one.x + dx + was.x - is.x),
    y: rounded(one.y + by.dy + was.y - is.y),
    turn: rounded(turned(one.turn + turn)),
    by: "hand",
  };
}

/** An angle as one from -180 up to 180 degrees. */
export function turned(degrees: number): number {
  return ((((degrees + 180) % 360) + 360) % 360) - 180;
}

/** The map of a copy on the table after a move. */
export function movedMatrix([a, b, c, d, e, f]: Matrix, by: Move, middle: Place): Matrix {
  const angle = (by.turn * Math.PI) / 180;
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  const x = a * middle.x + c * middle.y + e;
  const y = b * middle.x + d * middle.y + f;
  return [
    cos * a - sin * b,
    sin * a + cos * b,
    cos * c - sin * d,
    sin * c + cos * d,
    cos * (e - x) - sin * (f - y) + x + by.dx,
    sin * (e - x) + cos * (f - y) + y + by.dy,
  ];
}

export function mapped([a, b, c, d, e, f]: Matrix, { x, y }: Place): Place {
  return { x: a * x + c * y + e, y: b * x + d * y + f };
}

export function unmapped([a, b, c, d, e, f]: Matrix, { x, y }: Place): Place {
  const determinant = a * d - b * c;
  const [u, v] = [x - e, y - f];
  return { x: (d * u - c * v) / determinant, y: (a * v - b * u) / determinant };
}

/** The upright box round a box that is mapped. */
export function mappedBox(at: Matrix, [left, top, right, bottom]: Box): Box {
  const corners = [
    { x: left, y: top },
    { x: right, y: top },
    { x: left, y: bottom },
    { x: right, y: bottom },
  ].map((corner) => mapped(at, corner));
  const xs = corners.map((corner) => corner.x);
  const ys = corners.map((corner) => corner.y);
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}
