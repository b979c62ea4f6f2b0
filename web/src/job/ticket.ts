/** The parts of the ticket's JSON that the screen reads by itself; everything else comes in sentences. */
export interface TouchUp {
  readonly id: string;
  readonly kind: string;
  readonly x: number;
  readonly y: number;
}

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

export interface Line {
  readonly on?: boolean;
  readonly id: string;
  readonly process: string;
  readonly source: string;
  readonly holes: string;
  readonly smallest_hole: number;
  readonly hole_marks: readonly (Anchor & { holes: string })[];
  readonly tie_marks: readonly Anchor[];
  readonly kerf_marks: readonly (Anchor & { side: string })[];
  readonly regions: readonly Anchor[];
  readonly folds: readonly Span[];
  readonly colours: readonly { id: string; colour: string; named: string }[];
}

export interface Layer {
  readonly id: string;
  readonly name: string;
  readonly prints: string;
  readonly plate: string;
  readonly plate_spread: number;
  readonly shows: string;
  readonly colours: readonly { id: string; colour: string }[];
  readonly regions: readonly Anchor[];
  readonly lines: readonly Line[];
}

export interface Element {
  readonly id: string;
  readonly kind: string;
  readonly artwork: string;
  readonly x: number;
  readonly y: number;
  readonly lettering: { words: string; font: string };
}

export interface Piece {
  readonly id: string;
  readonly name: string;
  readonly quantity: number;
  readonly elements: readonly Element[];
  readonly layers: readonly Layer[];
  readonly hanger: { kind: string; place: readonly Anchor[] };
  readonly stencil: { kind: string; bridges: readonly Span[] };
  readonly thing: string;
  readonly thing_colour: string;
  readonly thing_down: number | null;
}

/** A copy of a layer where a nest or a hand put it. */
export interface Placed {
  readonly id: string;
  readonly layer: string;
  readonly x: number;
  readonly y: number;
  readonly turn: number;
  readonly flip: string;
  readonly by: string;
  readonly locked: boolean;
}

export interface Stock {
  readonly key: string;
  readonly thickness: number;
  readonly name: string;
  readonly colour: string;
  readonly mirrored: boolean;
  readonly liner: boolean;
  readonly beneath: string;
  readonly finishing: string;
  readonly press_heat: number | null;
  readonly press_seconds: number | null;
  readonly press_pressure: string;
  readonly peel: string;
}

export interface Sheet {
  readonly id: string;
  readonly holds: readonly { id: string; layer: string }[];
  readonly arrangement: string;
  readonly spacing: number;
  readonly placed: readonly Placed[];
  /** The sheet whose second side it is; empty for a sheet of its own. */
  readonly behind: string;
  readonly stock: Stock;
  readonly machine: Machine;
  readonly settings: readonly Setting[];
}

export interface Machine {
  readonly key: string;
  readonly name: string;
  readonly kind: string;
  readonly port: number | null;
  readonly formats: readonly string[];
  readonly fastest: number;
}

export interface Setting {
  readonly id: string;
  readonly process: string;
  readonly power: number | null;
  readonly speed: number | null;
}

export interface Ticket {
  readonly name: string;
  readonly client: string;
  readonly due: string | null;
  readonly artworks: readonly {
    id: string;
    name: string;
    file: string;
    touch_ups: readonly TouchUp[];
    clean: { background: string; tones: string };
    trace: { mode: string; recolours: readonly { id: string; colour: number[]; to: number[] }[] };
  }[];
  readonly pieces: readonly Piece[];
  readonly sheets: readonly Sheet[];
}

/** Whether a machine has a beam, whose every move is planned. */
export function burns(machine: Machine): boolean {
  return machine.kind !== "a knife";
}

/** The first sheet that a layer lies on. */
export function sheetOf(sheets: readonly Sheet[], layer: string | undefined): Sheet | undefined {
  return sheets.find((sheet) => sheet.holds.some((held) => held.layer === layer));
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
