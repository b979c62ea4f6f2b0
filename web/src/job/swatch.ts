import type { Change } from "../api/client";
import type { Sheet, Ticket } from "./ticket";

export const ACROSS = {
  speed: { words: "speed, mm a second", usual: "100 200 300 400 500" },
  interval: { words: "interval, mm", usual: "0.06 0.08 0.1 0.15 0.2" },
  passes: { words: "passes", usual: "1 2 3" },
} as const;

export type Across = keyof typeof ACROSS;

/** A cell of a swatch. */
export interface Pick {
  readonly process: string;
  readonly power: number;
  readonly across: Across;
  readonly value: number;
}

const MOST = 12;

/** Numbers written with spaces, as shares of ``whole``; none when one is no number above 0 or there are too many. */
export function steps(text: string, whole: number): number[] {
  const found = text
    .trim()
    .split(/[\s;]+/)
    .map((one) => Number(one.replace(",", ".")) / whole);
  return found.length <= MOST && found.every((one) => one > 0 && Number.isFinite(one)) ? found : [];
}

/** What a cell sets: power and speed or passes of its process on this sheet; an interval goes to the engraved lines. */
export function pickChanges(ticket: Ticket, sheet: Sheet, { process, power, across, value }: Pick): Change[] {
  const values: Record<string, number> = { power };
  if (across === "speed") values.speed = Math.round(value);
  if (across === "passes") values.passes = Math.round(value);
  const changes = settingChanges(sheet, process, values);
  if (across !== "interval") return changes;
  const held = new Set(sheet.holds.map(({ layer }) => layer));
  for (const piece of ticket.pieces)
    for (const layer of piece.layers.filter(({ id }) => held.has(id)))
      for (const line of layer.lines.filter(
        (one) => "fill" in one.process && one.process.fill.kind !== "along the lines",
      ))
        changes.push(
          set(`pieces/${piece.id}/layers/${layer.id}/lines/${line.id}/process/fill/interval`, value),
        );
  return changes;
}

/** What a slot of the comb sets. */
export function kerfChanges(sheet: Sheet, process: string, kerf: number): Change[] {
  return settingChanges(sheet, process, { kerf });
}

function settingChanges(sheet: Sheet, process: string, values: Record<string, number>): Change[] {
  const own = sheet.settings.find((one) => one.process === process);
  const here = `sheets/${sheet.id}/settings`;
  if (own) return Object.entries(values).map(([name, value]) => set(`${here}/${own.id}/how/${name}`, value));
  const id = process.replace(" ", "-");
  return [
    {
      path: here,
      value: { id, process, how: { kind: "by beam", ...values } },
      operation: "add",
      before: null,
    },
  ];
}

function set(path: string, value: number): Change {
  return { path, value, operation: "set", before: null };
}
