import type { Change, Job } from "../api/client";

/** The ticket's JSON, as the service describes it. */
export type Ticket = Job["ticket"];
export type Piece = Ticket["pieces"][number];
export type Element = Piece["elements"][number];
export type Layer = Piece["layers"][number];
export type Line = Layer["lines"][number];
export type Sheet = Ticket["sheets"][number];
/** A copy of a layer where a nest or a hand put it. */
export type Placed = Sheet["placed"][number];
export type Stock = Sheet["stock"];
export type Machine = Sheet["machine"];
export type Setting = Sheet["settings"][number];
export type TouchUp = Ticket["artworks"][number]["touch_ups"][number];

/** A place on a piece, as fractions of its frame. */
export interface Anchor {
  readonly id: string;
  readonly x: number;
  readonly y: number;
}

export interface Span extends Anchor {
  readonly x2: number;
  readonly y2: number;
}

/** The id of the artwork that an element shows, empty where it shows none. */
export function artworkOf({ content }: Element): string {
  return content.kind === "artwork" ? content.artwork : "";
}

/** The colours that a line is chosen by. */
export function coloursOf({ source }: Line) {
  return source.kind === "chosen colours" ? source.colours : [];
}

/** Whether a machine has a beam, whose every move is planned. */
export function burns(machine: Machine): boolean {
  return "beam" in machine.head;
}

/** Whether a machine has a turning cutter that goes to any depth. */
export function carves(machine: Machine): boolean {
  return "cutters" in machine.head;
}

/** The first sheet that a layer lies on. */
export function sheetOf(sheets: readonly Sheet[], layer: string | undefined): Sheet | undefined {
  return sheets.find((sheet) => sheet.holds.some((held) => held.layer === layer));
}

/** What to say of sheets whose machine changed because the stock that was chosen for them asks for another. */
export function machinesChanged(
  changes: readonly Change[],
  before: Job | undefined,
  next: Job,
): readonly string[] {
  const chosen = changes
    .filter(({ path }) => /^sheets\/[^/]+\/stock$/.test(path))
    .map(({ path }) => path.split("/")[1]);
  const old = new Map(before?.ticket.sheets.map((one) => [one.id, one.machine.key]));
  return next.ticket.sheets
    .filter(({ id, machine }) => chosen.includes(id) && old.get(id) !== machine.key)
    .map(({ stock, machine }) => `${stock.name} is made on the ${machine.name}: the sheet lies there now.`);
}

/** Whether a layer lies on second sides alone. */
export function isBehind(ticket: Ticket, layer: string): boolean {
  const sheets = ticket.sheets.filter((sheet) => sheet.holds.some((held) => held.layer === layer));
  return sheets.length > 0 && sheets.every((sheet) => sheet.behind !== "");
}

/** A short id that no other item of the ticket has. */
export function newId(prefix: string): string {
  return `${prefix}${crypto.getRandomValues(new Uint32Array(1))[0]?.toString(36)}`;
}

/** The id of the layer that a path into the ticket runs through, or empty. */
export function heldLayer(path: string): string {
  const way = path.split("/");
  return way[2] === "layers" ? (way[3] ?? "") : "";
}

/** How many pieces a job is to make, in words. */
export function wantedInAll(wanted: Job["wanted"]): string {
  const counts = Object.values(wanted);
  if (counts.includes(null)) return "full sheets";
  return String(counts.reduce((sum: number, count) => sum + (count ?? 0), 0));
}

/**
 * The sheet whose nest a change has made out of date: another stock, machine or spacing. Copies that somebody has put
 * or locked by hand stay where they are.
 */
export function toNestAgain(changes: readonly Change[], ticket: Ticket): string | undefined {
  const touched = changes.flatMap(({ path, operation }) => {
    const [group, sheet, name] = path.split("/");
    const outdates = ["stock", "machine", "spacing"].includes(name ?? "");
    return group === "sheets" && operation === "set" && outdates && sheet ? [sheet] : [];
  });
  return ticket.sheets.find(
    (one) =>
      touched.includes(one.id) &&
      one.arrangement === "as placed" &&
      one.placed.length > 0 &&
      one.placed.every(({ by, locked }) => by === "nest" && !locked),
  )?.id;
}

/** Whether a sheet is the wall of things that its machine turns. */
export function isTurned(ticket: Ticket, sheet: Sheet): boolean {
  return ticket.pieces.some(
    ({ goods, layers }) =>
      goods.kind === "a round thing" &&
      "made" in goods &&
      goods.made.kind === "turned under a laser" &&
      layers.some((layer) => sheet.holds.some((held) => held.layer === layer.id)),
  );
}

/** Whether a sheet can be rehearsed: printed with marks, and cut by a head that looks for them. */
export function canBeRehearsed(ticket: Ticket, sheet: Sheet): boolean {
  const layers = ticket.pieces.flatMap((piece) => piece.layers);
  const prints = sheet.holds.some(
    ({ layer }) => layers.find((one) => one.id === layer)?.prints.kind !== "nothing",
  );
  return prints && sheet.marks > 1 && !carves(sheet.machine);
}
