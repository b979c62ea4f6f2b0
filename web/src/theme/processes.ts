import type { Process } from "../api/client";
import type { Stroke } from "../engine/scene";

/** What is printed has no line of its own; every other process comes from the core's table. */
const PRINT = { colour: "#29848B", width: 1.5, dash: [] };
const UNKNOWN = { colour: "#6b746f", width: 1, dash: [1, 3] };

let known: ReadonlyMap<string, Process> = new Map();

/** Take in the table of processes, once, before anything is drawn. */
export function knowProcesses(table: readonly Process[]): void {
  known = new Map(table.map((one) => [one.key, one]));
}

/** A process's look on screen; in files the machine's record decides. Told apart by dash and word as well. */
function look(process: string): Pick<Process, "colour" | "width" | "dash"> | undefined {
  return process === "print" ? PRINT : known.get(process);
}

/** Whether something comes free along its lines in that way: “the piece”, “the film” … */
export function frees(process: string, what: Process["frees"]): boolean {
  return known.get(process)?.frees === what;
}

/** The process that a comb is cut by: the first along which a piece comes free. */
export function cutsOut(): string {
  return [...known.values()].find((one) => frees(one.key, "the piece"))?.key ?? "";
}

/** Whether it takes away all that a line encloses. */
export function fillsShapes(process: string): boolean {
  const shape: Process["takes"] = "what is within";
  return known.get(process)?.takes === shape;
}

/** Whether a machine gets its lines. */
export function isSent(process: string): boolean {
  return known.get(process)?.sent ?? true;
}

/** The processes whose settings a test swatch finds. */
export function swatchProcesses(): string[] {
  return [...known.values()].filter((one) => one.swatch).map(({ key }) => key);
}

export function processStroke(process: string): Stroke {
  const { colour, width, dash } = look(process) ?? UNKNOWN;
  return { colour, width, dash, halo: "rgba(255,255,255,0.75)" };
}

export function processColour(process: string): string {
  return look(process)?.colour ?? "transparent";
}
