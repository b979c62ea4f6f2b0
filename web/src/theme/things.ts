import type { Thing } from "../api/client";

let known: ReadonlyMap<string, Thing> = new Map();

/** Take in the things that pieces can be seen on, once, before anything is drawn. */
export function knowThings(table: readonly Thing[]): void {
  known = new Map(table.map((one) => [one.key, one]));
}

export function thingOf(key: string): Thing | undefined {
  return known.get(key);
}
